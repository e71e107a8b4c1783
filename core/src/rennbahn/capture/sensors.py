"""Which sampled channel a column is, by what it measures and whose."""

from __future__ import annotations

from collections.abc import Callable

from rennbahn.capture.columns import SAMPLED_CHANNELS
from rennbahn.capture.vocabulary import (
    CARD,
    ELSEWHERE,
    HOT,
    MEMORY,
    MHZ,
    PERCENT,
    POWER,
    PROCESSOR,
    RPM,
    STAMP,
    STRANGE,
    TEMPERATURE,
    UTIL,
    WALL,
    named_units,
    words_of,
)

#: What each sampled channel's values lie between; a column beyond is something else.
PLAUSIBLE = {
    "gpu_power_w": (1.0, 1500.0), "wall_power_w": (5.0, 4000.0), "gpu_temp_c": (5.0, 125.0),
    "gpu_hotspot_c": (5.0, 130.0), "gpu_clock_mhz": (50.0, 6000.0), "gpu_util_pct": (1.0, 100.5),
    "cpu_util_pct": (1.0, 100.5), "vram_used_mib": (16.0, 600_000.0), "fan_rpm": (0.0, 20_000.0),
}  # fmt: skip


def sampled_channel(name: str, words: frozenset[str] | None = None) -> str | None:
    """The sampled channel that a column is, by its own name or by what it measures and whose; None where unsure."""
    if name.strip().casefold() in SAMPLED_CHANNELS:
        return name.strip().casefold()
    words = words_of(name) if words is None else words
    if words & (ELSEWHERE | {"target", "limit", "cap", "ziel"}) or (words & STAMP and named_units(name)):
        return None
    for kind, channel in _SENSORS:
        if words & kind:
            return channel(words)
    return None


def _fan(words: frozenset[str]) -> str | None:
    return None if words & (PROCESSOR | PERCENT) else "fan_rpm"


def _temperature(words: frozenset[str]) -> str | None:
    others = words & (PROCESSOR | {"core"}) and not words & CARD
    if others or words & (MEMORY | PERCENT | STRANGE):
        return None
    return "gpu_hotspot_c" if words & HOT else "gpu_temp_c"


def _power(words: frozenset[str]) -> str | None:
    if words & (MEMORY | PERCENT | STRANGE) or (words & PROCESSOR and not words & CARD):
        return None
    return "wall_power_w" if words & WALL and not words & CARD else "gpu_power_w"


def _load(words: frozenset[str]) -> str | None:
    card, processor = words & CARD, words & PROCESSOR
    if words & (MEMORY | STRANGE | MHZ | {"fan", "lüfter"}) or bool(card) == bool(processor):
        return None
    return "gpu_util_pct" if card else "cpu_util_pct"


def _clock_rate(words: frozenset[str]) -> str | None:
    other = PROCESSOR | MEMORY | STRANGE | {"bus", "shader", "video", "soc", "fabric", "ring", "uncore"}
    return None if words & other or ("core" in words and not words & CARD) else "gpu_clock_mhz"


def _memory_used(words: frozenset[str]) -> str | None:
    of_card = words & (CARD | {"vram", "videospeicher", "grafikspeicher"})
    whole = words & {"total", "gesamt", "free", "frei", "available"}
    return "vram_used_mib" if of_card and words & {"mib", "mb"} and not whole else None


#: What a column measures, by its words: the first kind that is met decides.
_SENSORS: tuple[tuple[frozenset[str], Callable[[frozenset[str]], str | None]], ...] = (
    (RPM, _fan),
    (TEMPERATURE | HOT, _temperature),
    (POWER, _power),
    (UTIL | PERCENT, _load),
    (MHZ, _clock_rate),
    (MEMORY, _memory_used),
)
