"""The camera's rate, from a running stopwatch in its picture (measures.md 9)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rennbahn.latency.model import Clip, Reading

OK, RE_ENCODED, UNCLEAR, SUSPECT, UNEVEN, UNCHECKED = (
    "ok", "re_encoded", "unclear", "suspect", "uneven", "unchecked",
)  # fmt: skip
#: Of these no number is withheld.
COUNTS = frozenset({OK, UNCHECKED})
#: Within this share of its nominal rate a clip is what it says.
BAND = 0.01
#: What re-encoding leaves of a rate.
FACTORS = (1 / 2, 1 / 3, 1 / 4, 1 / 8)
#: Intervals of a file's timestamps that differ by more than this share, in more than this share of frames.
_UNLIKE, _OFTEN = 0.2, 0.01


@dataclass(frozen=True)
class Measured:
    """A rate between the first and the last reading, frames a second, with its bounds and relative uncertainty."""

    fps: float
    low: float
    high: float | None
    u: float


@dataclass(frozen=True)
class Rate:
    """The rate of a clip: `fps` is the one that counts, `u` its relative standard uncertainty.

    `low` and `high` are bounds of the measured one, `factor` what a re-encoded clip has left of its nominal rate.
    `withheld` is whether no number of the clip is told.
    """

    clip: str
    fps: float
    low: float | None
    high: float | None
    verdict: str
    factor: float | None
    withheld: bool
    u: float

    @property
    def frame_ms(self) -> float:
        """How long a frame of it is, ms."""
        return 1000.0 / self.fps


def rate_of(clip: Clip) -> Rate:
    """The rate of a clip with its verdict."""
    readings = sorted(clip.readings, key=lambda one: one.frame)
    found = measured(readings, clip.reading_error_s) if len(readings) > 1 else None
    verdict, factor = _verdict(clip, readings, found)
    fps, u = (clip.nominal_fps, 0.0) if found is None else (found.fps, found.u)
    if clip.declared_fps is not None:
        fps, u = clip.declared_fps, 0.0
    withheld = verdict not in COUNTS and clip.declared_fps is None
    low, high = (None, None) if found is None else (found.low, found.high)
    return Rate(clip.id, fps, low, high, verdict, factor, withheld, u)


def measured(readings: Sequence[Reading], error_s: float) -> Measured | None:
    """The rate between the first and the last of readings by frame; None where the clock did not go on."""
    first, last = readings[0], readings[-1]
    k, c = last.frame - first.frame, last.clock_s - first.clock_s
    if k <= 0 or c <= 0:
        return None
    high = (k + 1) / (c - error_s) if c > error_s else None
    return Measured(k / c, (k - 1) / (c + error_s), high, error_s / (c * math.sqrt(6.0)))


def _verdict(clip: Clip, readings: Sequence[Reading], found: Measured | None) -> tuple[str, float | None]:
    if len(readings) < 2:
        return (UNEVEN if clip.file_uneven else UNCHECKED), None
    if found is None or found.high is None:
        return UNCLEAR, None
    first = readings[0]
    off = max(abs(one.frame - first.frame - found.fps * (one.clock_s - first.clock_s)) for one in readings)
    if clip.file_uneven or off > clip.reading_error_s * found.fps + 1.0:
        return UNEVEN, None
    low, high = found.low / clip.nominal_fps, found.high / clip.nominal_fps
    if low >= 1.0 - BAND and high <= 1.0 + BAND:
        return OK, None
    if _reaches(low, high, 1.0):
        return UNCLEAR, None
    factor = next((one for one in FACTORS if _reaches(low, high, one)), None)
    return (SUSPECT, None) if factor is None else (RE_ENCODED, factor)


def _reaches(low: float, high: float, share: float) -> bool:
    return low <= share * (1.0 + BAND) and high >= share * (1.0 - BAND)


def uneven_times(times_s: Sequence[float]) -> bool:
    """Whether a file's own timestamps are uneven: over 1% of its intervals are 20% off the usual one.

    >>> uneven_times([n / 240 for n in range(1000)])
    False
    >>> uneven_times([n / 240 + (n % 5 == 0) * 0.002 for n in range(1000)])
    True
    """
    intervals = np.diff(np.asarray(times_s, dtype=np.float64))
    if len(intervals) < 2:
        return False
    usual = float(np.median(intervals))
    return bool((np.abs(intervals - usual) > _UNLIKE * abs(usual)).mean() > _OFTEN)


def seconds_for_ok(nominal_fps: float, error_s: float) -> float:
    """How far apart two readings must be, s, for a true rate to be found ok wherever in its error each of them is.

    That is `t` of which `(f t + 1) / (t - 2 e) <= 1.01 f`: the clock may show e too little, and the bound allows e.

    >>> round(seconds_for_ok(240.0, 0.027), 1)
    5.9
    """
    return (1.0 + 2.0 * (1.0 + BAND) * nominal_fps * error_s) / (BAND * nominal_fps)
