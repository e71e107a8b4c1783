"""Settings as people write them: what kind of setting a name means, and which amount a value says.

Names are known by whole words, in English and German, the commonest in French and Spanish; "ambient occlusion" is no
room and "score overlay" sets no cores.
Values carry units, signs, thousands and percent: +20%, 1,200 W, 0.3 kW, PL1 300 W, +200 mV.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from rennbahn.planning.amounts import Amount, amounts_of, without_amounts

Kind = Literal[
    "power_limit", "voltage", "clock", "curve", "tuning", "frame_limit", "sync", "variable_refresh",
    "frame_generation", "upscaling", "memory_profile", "link", "display_path", "power_source", "power_plan",
    "overlay", "recorder", "background", "room", "fan", "game", "memory_window",
]  # fmt: skip
Owner = Literal["card", "processor", "memory", ""]


@dataclass(frozen=True)
class Named:
    """What a setting's name means: its kind, and whose it is where that is said."""

    kind: Kind
    owner: Owner = ""


_OWNERS: Mapping[Owner, frozenset[str]] = {
    "memory": frozenset({"memory", "ram", "dram", "arbeitsspeicher", "speicher"}),
    "processor": frozenset(
        {"processor", "cpu", "package", "prozessor", "ppt", "tdc", "edc", "pl1", "pl2", "pl4", "socket", "sockel"}
    ),
    "card": frozenset(
        {"card", "gpu", "graphics", "board", "tgp", "tbp", "grafikkarte", "karte", "grafik", "vram", "videospeicher"}
    ),
}
#: Of each kind the sets of words that mean it: all words of one set are there. The first kind that fits is meant.
_SPELT: tuple[tuple[Kind, tuple[str, ...]], ...] = (
    ("game", (
        "ambient occlusion", "umgebungsverdeckung", "ray tracing", "raytracing", "path tracing", "texture quality",
        "textures", "texturen", "preset", "quality preset", "graphics preset", "detailstufe",
        "grafikeinstellungen", "graphics settings", "resolution", "auflösung", "antialiasing", "anti aliasing",
        "kantenglättung",
    )),
    ("memory_window", (
        "resizable bar", "rebar", "bar size", "base address register", "memory window", "memory aperture",
        "card memory access", "full memory access", "large memory access", "above 4g", "4g decoding",
        "speicherfenster", "speicherzugriff karte", "fenêtre mémoire", "ventana memoria", "barre mémoire",
    )),
    ("fan", (
        "fan curve", "fan profile", "fan speed", "fan mode", "lüfter kurve", "lüfter profil", "pump curve",
        "pump speed", "courbe ventilateur", "curva ventilador",
    )),
    ("room", (
        "room", "raum", "zimmer", "ambient", "raumtemperatur", "zimmertemperatur",
        "umgebungstemperatur",
    )),
    ("frame_generation", (
        "frame generation", "frame gen", "framegen", "generated frames", "interpolation", "interpolated frames",
        "génération images", "generación fotogramas",
        "zwischenbilder", "bildgenerierung", "zwischenbildberechnung", "frame interpolation",
    )),
    ("variable_refresh", (
        "variable refresh", "adaptive refresh", "adaptive sync", "vrr", "variable bildrate",
        "variable bildwiederholrate", "adaptive synchronisation",
    )),
    ("sync", (
        "sync", "vsync", "v sync", "vertical sync", "synchronisation", "synchronization", "bildsynchronisation",
        "vertikale synchronisation", "wait for refresh", "synchro", "synchro verticale", "sincronización",
    )),
    ("frame_limit", (
        "frame limit", "frame cap", "limiter", "fps limit", "fps cap", "framerate limit", "frame rate limit",
        "framerate cap", "frame rate cap", "max fps", "maximum fps", "fps max", "max framerate", "max frame rate",
        "maximum frame rate", "rate limit", "bildratenlimit", "bildratenbegrenzung", "bildbegrenzung",
        "framerate target", "frame rate target", "fps target", "target fps", "target framerate", "bildlimit",
        "bildrate begrenzt", "fps limiter", "fps begrenzung", "framelimit", "framecap", "background fps",
        "bildratengrenze", "fps grenze", "framerate grenze", "bildrate begrenzen", "bildrate begrenzung",
        "fps begrenzen", "bildrate grenze", "limite fps", "limite images", "limiteur", "limiteur fps", "límite fps",
        "limite fotogramas", "límite fotogramas", "limitador", "limitador fps", "cadence maximale",
    )),
    ("memory_profile", (
        "memory profile", "ram profile", "speicherprofil", "memory preset", "ram profil", "speicher profil",
        "memory rate", "memory speed", "memory timing", "memory timings", "ram timings", "speichertakt",
        "speichertimings", "command rate", "profil mémoire", "perfil memoria",
    )),
    ("voltage", (
        "voltage", "vcore", "spannung", "undervolt", "undervolting", "overvolt", "vdd", "vddq", "vdimm", "vsoc",
        "kernspannung", "speicherspannung", "core offset voltage", "untervolt", "untervolting", "unterspannung",
        "tension", "sous tension", "voltaje", "tensión",
    )),
    ("curve", (
        "curve", "kurve", "curve optimizer", "curve optimiser", "voltage curve", "spannungskurve", "clock curve",
    )),
    ("power_source", (
        "battery", "mains", "akku", "netzteil", "netzbetrieb", "power source", "plugged in", "stromquelle",
        "power supply mode", "akkubetrieb", "stromversorgung", "on mains", "charger", "ladegerät", "batterie",
        "sur secteur", "alimentation secteur", "batería", "corriente",
    )),
    ("power_limit", (
        "power limit", "power target", "pl1", "pl2", "pl4", "ppt", "tdp", "tgp", "tbp", "power cap", "max power",
        "maximum power", "package power", "board power", "power budget", "leistungslimit", "leistungsgrenze",
        "leistungsziel", "long power", "short power", "long duration power", "short duration power",
        "sustained power", "boost power", "dauerleistung", "kurzzeitleistung", "maximale leistung", "edc", "tdc",
        "limite puissance", "límite potencia", "limite potencia", "puissance maximale", "potencia máxima",
    )),
    ("power_plan", (
        "power plan", "power mode", "energy plan", "performance mode", "energiesparplan", "energieplan",
        "leistungsmodus", "energiemodus", "performance profile", "power profile", "leistungsprofil",
        "energieprofil", "energy profile", "energy mode", "energieoptionen", "power options", "performance plan",
        "power scheme", "energieschema", "power saving", "energiesparmodus", "eco mode", "energy saver",
        "mode alimentation", "mode gestion alimentation", "plan energía", "modo energía",
        "energy saving", "stromsparmodus", "energiesparen",
    )),
    ("clock", (
        "clock", "clocks", "takt", "core clock", "boost clock", "ratio", "multiplier", "multiplikator", "frequency",
        "frequenz", "clock offset", "taktversatz", "core offset", "memory offset", "max boost", "kerntakt",
        "boosttakt", "turbo", "boost", "overdrive", "fréquence", "frecuencia",
    )),
    ("tuning", (
        "tuned", "tuning", "overclock", "overclocking", "overclocked", "übertaktet", "übertaktung", "offset",
        "auto overclock", "oc", "versatz", "undervolted", "surcadençage", "overclock",
    )),
    ("upscaling", (
        "upscaling", "upscaler", "super resolution", "hochskalierung", "hochskalieren", "render scale",
        "resolution scale", "renderscale", "renderauflösung", "auflösungsskalierung", "upsampling",
        "mise échelle", "escalado",
    )),
    ("link", (
        "link", "link width", "link speed", "link generation", "lanes", "slot", "pcie", "bus interface", "riser",
        "anbindung", "steckplatz", "linkbreite", "bifurcation",
    )),
    ("display_path", (
        "port", "display on", "display port", "display path", "monitor on", "monitor output", "output", "anschluss",
        "monitoranschluss", "bildausgang", "bildschirm an", "monitor an", "mux", "mux switch", "display cable",
        "display connected", "monitor connected", "display attached", "monitor attached", "monitor angeschlossen",
        "bildschirm angeschlossen", "angeschlossen an", "connected to", "monitor cable", "video output",
        "sortie vidéo", "salida vídeo", "display connection", "graphics switch", "grafikumschaltung",
        "switchable graphics",
    )),
    ("overlay", (
        "overlay", "overlays", "hud", "performance display", "einblendung", "einblendungen", "on screen display", "osd",
        "superposition", "superposición",
    )),
    ("recorder", (
        "recorder", "recording", "instant replay", "aufnahme", "aufzeichnung", "capture software", "streaming",
        "background recording", "game capture", "bildschirmaufnahme", "screen capture",
        "enregistrement", "enregistreur", "grabación", "grabadora", "sofortwiederholung", "mitschnitt",
    )),
    ("background", (
        "background", "background programs", "background apps", "background tasks", "hintergrund",
        "hintergrundprogramme", "hintergrunddienste", "autostart", "services", "dienste", "other programs",
        "andere programme", "running programs", "antivirus", "virenscanner", "virenschutz",
        "arrière plan", "segundo plano",
    )),
    ("fan", ("fan", "fans", "lüfter", "lüfterprofil", "lüfterkurve", "pump", "pumpe", "gebläse",
             "ventilateur", "ventilateurs", "ventilador", "ventiladores")),
)  # fmt: skip
_KINDS = tuple((kind, tuple(frozenset(one.split()) for one in sets)) for kind, sets in _SPELT)
_WORD = re.compile(r"[^\W\d_]+\d*|\d+")
_NONE = frozenset(
    {
        "off",
        "none",
        "aus",
        "keine",
        "keiner",
        "kein",
        "disabled",
        "deaktiviert",
        "no",
        "nein",
        "0",
        "",
        "ohne",
        "désactivé",
        "désactivée",
        "aucun",
        "aucune",
        "non",
        "sans",
        "desactivado",
        "desactivada",
        "ninguno",
        "ninguna",
        "apagado",
        "sin",
    }
)
_STOCK = frozenset(
    {"stock", "default", "standard", "auto", "automatic", "automatisch", "factory", "as delivered", "werkseinstellung",
     "unchanged", "unverändert", "spec", "specification", "par défaut", "d'origine", "usine", "automatique",
     "por defecto", "predeterminado", "de fábrica", "automático"}
)  # fmt: skip


def words_of(text: str) -> list[str]:
    """The words of a name in lower case; V-Sync is v, sync."""
    return [word.casefold() for word in _WORD.findall(text)]


def named(name: str) -> Named | None:
    """What a setting of this name is; None of a name that says nothing we know."""
    words = words_of(name)
    there = set(words)
    for kind, sets in _KINDS:
        if any(one <= there for one in sets):
            owner: Owner = next((who for who, own in _OWNERS.items() if own & there), "")
            return Named(kind, owner)
    return None


def same_value(a: str, b: str) -> bool:
    """Do two values say the same: by the same words, as off and none, or by the same amounts, as 0.3 kW and 300 W?"""
    if " ".join(a.casefold().split()) == " ".join(b.casefold().split()):
        return True
    if (is_off(a) and is_off(b)) or (is_stock(a) and is_stock(b)):
        return True
    left, right = amounts_of(a), amounts_of(b)
    if not left or len(left) != len(right) or not all(one.unit for one in (*left, *right)):
        return False
    alike = all(
        (one.unit, one.relative) == (other.unit, other.relative)
        and abs(one.number - other.number) <= 1e-9 * max(abs(one.number), abs(other.number), 1.0)
        for one, other in zip(left, right, strict=True)
    )
    return alike and words_of(without_amounts(a)) == words_of(without_amounts(b))


def is_off(value: str) -> bool:
    """Does the value say that it is switched off?"""
    return value.strip().casefold() in _NONE


def is_stock(value: str) -> bool:
    """Does the value say that it is as it was delivered?"""
    return value.strip().casefold() in _STOCK


def settled(amounts: Sequence[Amount], unit: str, delivered: float | None) -> list[float] | None:
    """Amounts as numbers in a unit, changes and percents put on what is delivered; None where that is not known."""
    numbers = []
    for one in amounts:
        if one.unit == "%":
            if delivered is None:
                return None
            numbers.append(delivered * (1.0 + one.number / 100.0) if one.relative else delivered * one.number / 100.0)
        elif one.unit not in (unit, ""):
            continue
        elif one.relative:
            if delivered is None:
                return None
            numbers.append(delivered + one.number)
        else:
            numbers.append(one.number)
    return numbers or None
