"""The words of column names, in English and German: what a column is about, whose it is and what kind of value."""

from __future__ import annotations

import re

#: Words for units of time, and the unit.
TIME_SUFFIX = {
    "s": "s", "sec": "s", "secs": "s", "second": "s", "seconds": "s", "sekunde": "s", "sekunden": "s", "sek": "s",
    "ms": "ms", "msec": "ms", "msecs": "ms", "milliseconds": "ms", "millisecond": "ms", "millisekunden": "ms",
    "us": "us", "usec": "us", "µs": "us", "μs": "us", "microseconds": "us", "microsecond": "us", "mikrosekunden": "us",
    "ns": "ns", "nsec": "ns", "nanoseconds": "ns", "nanosecond": "ns", "nanosekunden": "ns",
}  # fmt: skip
CARD = frozenset({"gpu", "card", "graphics", "render", "vga", "board", "grafik", "grafikkarte", "karte", "renderer"})
PROCESSOR = frozenset({"cpu", "processor", "main", "host", "prozessor", "package", "socket"})
MEMORY = frozenset({"memory", "mem", "vram", "ram", "speicher", "videospeicher", "grafikspeicher", "vmem", "dram"})
ELSEWHERE = frozenset({
    "ambient", "room", "raum", "ssd", "disk", "drive", "coolant", "water", "wasser", "pump", "case", "gehäuse",
    "battery", "akku", "chipset", "network", "inlet", "intake", "vrm", "psu",
})  # fmt: skip
WALL = frozenset({"wall", "plug", "mains", "system", "steckdose", "netz", "socketmeter", "gesamt", "total"})
FRAME = frozenset({
    "frame", "frames", "frametime", "frametimes", "delta", "interval", "present", "presents", "display", "displayed",
    "delivery", "delivered", "dt", "bildzeit", "bild", "bilder", "bildabstand", "bilddauer", "framedauer", "abstand",
    "between", "frameinterval", "framems",
})  # fmt: skip
#: Names that say that a column is a time between frames, and no rate.
TIMES_OF_FRAMES = frozenset({
    "frametime", "frametimes", "bildzeit", "bilddauer", "bildabstand", "framedauer", "frameinterval",
})  # fmt: skip
#: Names of a count of seconds.
SECONDS = frozenset({
    "second", "seconds", "sec", "secs", "s", "sekunde", "sekunden", "sek", "seconde", "secondes", "segundo", "segundos",
    "time", "elapsed", "zeit", "temps", "tiempo",
})  # fmt: skip
STAMP = frozenset({
    "time", "timestamp", "timestamps", "clock", "at", "shown", "when", "stamp", "elapsed", "t", "zeit", "zeitstempel",
    "uhr", "laufzeit", "zeitpunkt", "since", "start",
})  # fmt: skip
INDEX = frozenset({"index", "no", "nr", "n", "number", "count", "id", "row", "frame", "zeile", "nummer", "bild"})
TICKS = frozenset({"tick", "ticks", "qpc", "counter", "cycles", "cycle", "tsc", "takte", "zyklen", "raw"})
#: What is no instantaneous value but made of many, or set by somebody.
MADE = frozenset({
    "avg", "average", "averaged", "mean", "smooth", "smoothed", "smoothing", "rolling", "moving", "filtered", "ema",
    "mittel", "mittelwert", "durchschnitt", "durchschnittlich", "geglättet", "gleitend", "gemittelt", "low", "lows",
    "min", "max", "minimum", "maximum", "target", "limit", "cap", "median", "ziel", "overall", "running", "percentile",
    "refresh", "budget", "expected", "requested", "wanted", "soll",
})  # fmt: skip
#: Times that are not how long a frame took to follow the one before.
OTHER_TIMES = frozenset({
    "latency", "latenz", "lag", "delay", "verzögerung", "simulation", "sim", "physics", "physik", "logic", "logik",
    "queue", "queued", "wait", "waiting", "warten", "wartezeit", "idle", "leerlauf", "input", "eingabe", "until", "api",
    "audio", "network", "netzwerk", "ping", "script", "ai", "animation", "worker", "thread", "jitter", "error", "click",
    "photon", "dropped", "late", "encode", "decode", "copy", "upload", "compile", "shader", "load", "blocked", "sleep",
    "draw", "update", "overhead", "response", "reaktion",
})  # fmt: skip
BUSY = frozenset({"busy", "active", "time", "frame", "frametime", "ms", "work", "beschäftigt", "aktiv", "zeit",
                   "arbeit", "render", "belegt"})  # fmt: skip
UTIL = frozenset({"util", "utilization", "utilisation", "usage", "load", "auslastung", "last", "nutzung"})
POWER = frozenset({"w", "watt", "watts", "power", "leistung", "leistungsaufnahme", "verbrauch", "draw"})
#: What a meter adds up: it only grows, and is no clock.
ENERGY = frozenset({
    "energy", "energie", "energía", "energia", "énergie", "joule", "joules", "j", "kj", "mj", "wh", "kwh", "ws", "mwh",
})  # fmt: skip
TEMPERATURE = frozenset({"temp", "temperature", "temperatur", "celsius", "degc", "°c", "temps"})
HOT = frozenset({"hotspot", "junction", "hot"})
MHZ = frozenset({"mhz", "clock", "frequency", "freq", "takt", "frequenz", "taktrate"})
RPM = frozenset({"rpm", "u/min", "upm"})
PERCENT = frozenset({"pct", "percent", "%", "prozent"})
#: Units that a sensor's own unit is not: such a column is left to a person.
STRANGE = frozenset({"mw", "kw", "ghz", "khz", "hz", "f", "fahrenheit", "°f", "gb", "gib", "kb", "kib", "mv", "v", "a"})
_RATE_NAME = re.compile(
    r"\bfps\b|(?:frames?|bilder|images?|pictures?)\s*(?:/|per|pro|je|p)\s*(?:s|sec|second|sek|sekunde)\b|"
    r"\b(?:frame|bild)\s*rate\b|\bframerate\b|\bbildrate\b|\bbildfrequenz\b|\b(?:per|pro)\s+(?:second|sekunde)\b|\bhz\b|"
    r"\brate\b"
)


def words_of(name: str) -> frozenset[str]:
    """The words of a column name in lower case: `GpuBusy_ms (card)` has gpu, busy, ms, card; last digits are cut."""
    spaced = re.sub(r"(?<=[a-zäöü])(?=[A-ZÄÖÜ])|(?<=[A-Z]{2})(?=[A-Z][a-z]{2})", " ", name)
    found = [word.casefold() for word in re.split(r"[^\w%°µμ/]+|_", spaced) if word]
    parts = [part for word in found for part in ([word] if word in RPM else word.split("/"))]
    return frozenset(stripped for part in parts if (stripped := re.sub(r"(?<=[^\W\d])\d+$", "", part)))


def is_rate(name: str) -> bool:
    """Does a name say a rate, by any of its names in English or German?"""
    spaced = re.sub(r"(?<=[a-zäöü])(?=[A-ZÄÖÜ])", " ", name)
    return bool(_RATE_NAME.search(re.sub(r"[_\-()\[\]]+", " ", spaced).casefold()))


def names_a_group(name: str) -> bool:
    """Does a field above the names of columns say whose or what they are?"""
    known = CARD | PROCESSOR | MEMORY | WALL | FRAME | STAMP | POWER | TEMPERATURE | UTIL | {"fan", "sensors"}
    return bool(words_of(name) & known)


def named_units(name: str) -> list[str]:
    """The units of time that a name gives, those in brackets and at its end first."""
    ordered = re.split(r"[^\w%°µμ]+|_", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).casefold())
    return [TIME_SUFFIX[word] for word in reversed(ordered) if word in TIME_SUFFIX]


def in_ms(unit: str, value: float) -> float:
    """A time in that unit, in ms."""
    return {"s": value * 1e3, "ms": value, "us": value / 1e3, "ns": value / 1e6}[unit]
