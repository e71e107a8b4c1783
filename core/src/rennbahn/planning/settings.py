"""Settings as people write them: what kind of setting a name means, and which amount a value says.

Names are known by whole words, in English and German; "ambient occlusion" is no room and "score overlay" sets no cores.
Values carry units, signs, thousands and percent: +20%, 1,200 W, 0.3 kW, PL1 300 W, +200 mV.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

Kind = Literal[
    "power_limit", "voltage", "clock", "curve", "tuning", "frame_limit", "sync", "variable_refresh",
    "frame_generation", "upscaling", "memory_profile", "link", "display_path", "power_source", "power_plan",
    "overlay", "recorder", "background", "room", "fan", "game",
]  # fmt: skip
Owner = Literal["card", "processor", "memory", ""]


@dataclass(frozen=True)
class Named:
    """What a setting's name means: its kind, and whose it is where that is said."""

    kind: Kind
    owner: Owner = ""


@dataclass(frozen=True)
class Amount:
    """An amount in base units (W, V, MHz, fps, °C, rpm, % as 100).

    A relative one is added to what is delivered, in percent where `unit` is `%`.
    """

    number: float
    unit: str
    relative: bool = False


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
    ("fan", (
        "fan curve", "fan profile", "fan speed", "fan mode", "lüfter kurve", "lüfter profil", "pump curve",
        "pump speed",
    )),
    ("room", (
        "room", "raum", "zimmer", "ambient", "raumtemperatur", "zimmertemperatur",
        "umgebungstemperatur",
    )),
    ("frame_generation", (
        "frame generation", "frame gen", "framegen", "generated frames", "interpolation", "interpolated frames",
        "zwischenbilder", "bildgenerierung", "zwischenbildberechnung", "frame interpolation",
    )),
    ("variable_refresh", (
        "variable refresh", "adaptive refresh", "adaptive sync", "vrr", "variable bildrate",
        "variable bildwiederholrate", "adaptive synchronisation",
    )),
    ("sync", (
        "sync", "vsync", "v sync", "vertical sync", "synchronisation", "synchronization", "bildsynchronisation",
        "vertikale synchronisation", "wait for refresh",
    )),
    ("frame_limit", (
        "frame limit", "frame cap", "limiter", "fps limit", "fps cap", "framerate limit", "frame rate limit",
        "framerate cap", "frame rate cap", "max fps", "maximum fps", "fps max", "max framerate", "max frame rate",
        "maximum frame rate", "rate limit", "bildratenlimit", "bildratenbegrenzung", "bildbegrenzung",
        "framerate target", "frame rate target", "fps target", "target fps", "target framerate", "bildlimit",
        "bildrate begrenzt", "fps limiter", "fps begrenzung", "framelimit", "framecap", "background fps",
    )),
    ("memory_profile", (
        "memory profile", "ram profile", "speicherprofil", "memory preset", "ram profil", "speicher profil",
        "memory rate", "memory speed", "memory timing", "memory timings", "ram timings", "speichertakt",
        "speichertimings", "command rate",
    )),
    ("voltage", (
        "voltage", "vcore", "spannung", "undervolt", "undervolting", "overvolt", "vdd", "vddq", "vdimm", "vsoc",
        "kernspannung", "speicherspannung", "core offset voltage",
    )),
    ("curve", (
        "curve", "kurve", "curve optimizer", "curve optimiser", "voltage curve", "spannungskurve", "clock curve",
    )),
    ("power_source", (
        "battery", "mains", "akku", "netzteil", "netzbetrieb", "power source", "plugged in", "stromquelle",
        "power supply mode", "akkubetrieb", "stromversorgung", "on mains", "charger", "ladegerät",
    )),
    ("power_limit", (
        "power limit", "power target", "pl1", "pl2", "pl4", "ppt", "tdp", "tgp", "tbp", "power cap", "max power",
        "maximum power", "package power", "board power", "power budget", "leistungslimit", "leistungsgrenze",
        "leistungsziel", "long power", "short power", "long duration power", "short duration power",
        "sustained power", "boost power", "dauerleistung", "kurzzeitleistung", "maximale leistung", "edc", "tdc",
    )),
    ("power_plan", (
        "power plan", "power mode", "energy plan", "performance mode", "energiesparplan", "energieplan",
        "leistungsmodus", "energiemodus", "performance profile", "power profile", "leistungsprofil",
        "energieprofil", "energy profile", "energy mode", "energieoptionen", "power options", "performance plan",
        "power scheme", "energieschema", "power saving", "energiesparmodus", "eco mode", "energy saver",
        "energy saving", "stromsparmodus", "energiesparen",
    )),
    ("clock", (
        "clock", "clocks", "takt", "core clock", "boost clock", "ratio", "multiplier", "multiplikator", "frequency",
        "frequenz", "clock offset", "taktversatz", "core offset", "memory offset", "max boost", "kerntakt",
        "boosttakt", "turbo", "boost", "overdrive",
    )),
    ("tuning", (
        "tuned", "tuning", "overclock", "overclocking", "overclocked", "übertaktet", "übertaktung", "offset",
        "auto overclock", "oc", "versatz", "undervolted",
    )),
    ("upscaling", (
        "upscaling", "upscaler", "super resolution", "hochskalierung", "hochskalieren", "render scale",
        "resolution scale", "renderscale", "renderauflösung", "auflösungsskalierung", "upsampling",
    )),
    ("link", (
        "link", "link width", "link speed", "link generation", "lanes", "slot", "pcie", "bus interface", "riser",
        "anbindung", "steckplatz", "linkbreite", "bifurcation", "resizable bar", "rebar",
    )),
    ("display_path", (
        "port", "display on", "display port", "display path", "monitor on", "monitor output", "output", "anschluss",
        "monitoranschluss", "bildausgang", "bildschirm an", "monitor an", "mux", "mux switch", "display cable",
        "display connected", "monitor connected", "display attached", "monitor attached", "monitor angeschlossen",
        "bildschirm angeschlossen", "angeschlossen an", "connected to", "monitor cable", "video output",
        "display connection", "graphics switch", "grafikumschaltung", "switchable graphics",
    )),
    ("overlay", (
        "overlay", "overlays", "hud", "performance display", "einblendung", "einblendungen", "on screen display", "osd",
    )),
    ("recorder", (
        "recorder", "recording", "instant replay", "aufnahme", "aufzeichnung", "capture software", "streaming",
        "background recording", "game capture", "bildschirmaufnahme", "screen capture",
    )),
    ("background", (
        "background", "background programs", "background apps", "background tasks", "hintergrund",
        "hintergrundprogramme", "hintergrunddienste", "autostart", "services", "dienste", "other programs",
        "andere programme", "running programs", "antivirus", "virenscanner", "virenschutz",
    )),
    ("fan", ("fan", "fans", "lüfter", "lüfterprofil", "lüfterkurve", "pump", "pumpe", "gebläse")),
)  # fmt: skip
_KINDS = tuple((kind, tuple(frozenset(one.split()) for one in sets)) for kind, sets in _SPELT)
_WORD = re.compile(r"[^\W\d_]+\d*|\d+")
_AMOUNT = re.compile(
    r"(?P<sign>[+\-−±])?\s*(?P<number>\d{1,3}(?:[ ,.'’]\d{3})+(?![\d])(?:[.,]\d+)?|\d+(?:[.,]\d+)?)\s*"
    r"(?P<unit>%|percent|prozent|kw|mw|w(?:atts?)?|mv|v(?:olts?)?|ghz|mhz|hz|fps|°\s*c|c|rpm|u/min)?(?![^\W\d_])",
    re.IGNORECASE,
)
#: Factor and base unit of each way to write one.
_UNITS: Mapping[str, tuple[float, str]] = {
    "%": (1, "%"), "percent": (1, "%"), "prozent": (1, "%"), "kw": (1000, "W"), "mw": (0.001, "W"), "w": (1, "W"),
    "watt": (1, "W"), "watts": (1, "W"), "mv": (0.001, "V"), "v": (1, "V"), "volt": (1, "V"), "volts": (1, "V"),
    "ghz": (1000, "MHz"), "mhz": (1, "MHz"), "hz": (1, "Hz"), "fps": (1, "fps"), "°c": (1, "°C"), "c": (1, "°C"),
    "rpm": (1, "rpm"), "u/min": (1, "rpm"),
}  # fmt: skip
#: Units in which a thousand is written more often than three decimals.
_OF_THOUSANDS = {"W", "MHz", "rpm", "fps", "Hz"}
#: Digits of names such as PL1, kept from being read as amounts.
_LETTERS = str.maketrans("0123456789", "abcdefghij")
_NONE = frozenset({"off", "none", "aus", "keine", "keiner", "kein", "disabled", "deaktiviert", "no", "nein", "0", ""})
_STOCK = frozenset(
    {"stock", "default", "standard", "auto", "automatic", "automatisch", "factory", "as delivered", "werkseinstellung",
     "unchanged", "unverändert", "spec", "specification"}
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


def amounts_of(text: str) -> list[Amount]:
    """Every amount with a unit that a value says, or a single bare number; PL1 and the like are names."""
    found = []
    for match in _AMOUNT.finditer(re.sub(r"\b[A-Za-z]{2,}\d+\b", " ", text)):
        unit = re.sub(r"\s", "", (match["unit"] or "").lower())
        factor, base = _UNITS.get(unit, (1.0, ""))
        sign = match["sign"] or ""
        number = _number(match["number"], base) * factor
        found.append(Amount(-number if sign in "-−" and sign else number, base, bool(sign)))
    with_unit = [one for one in found if one.unit]
    return with_unit or found


def _number(text: str, unit: str) -> float:
    """Commas and points stand for thousands where three digits follow each, and the unit is one of thousands."""
    grouped = re.fullmatch(r"\d{1,3}(?:[ ,.'’]\d{3})+", text)
    if grouped and not text.startswith("0") and (unit in _OF_THOUSANDS or " " in text or "'" in text or "’" in text):
        return float(re.sub(r"[ ,.'’]", "", text))
    if len(re.findall(r"[.,]", text)) > 1:
        last = max(text.rfind("."), text.rfind(","))
        return float(re.sub(r"[ ,.'’]", "", text[:last]) + "." + text[last + 1 :])
    return float(text.replace(",", "."))


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
    return alike and _without_amounts(a) == _without_amounts(b)


def _without_amounts(text: str) -> list[str]:
    """The words of a value beside its amounts; PL1 and the like are kept."""
    kept = re.sub(r"\b[A-Za-z]{2,}\d+\b", lambda found: found.group().translate(_LETTERS), text)
    return words_of(_AMOUNT.sub(" ", kept))


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
