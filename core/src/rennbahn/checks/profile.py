"""What checks need of a capture: small enough to be kept beside it, so that siblings need not be decoded again."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture import Capture
from rennbahn.measures import Figures, Settings, figures_of
from rennbahn.measures.limits import Cap

Floats = NDArray[np.float64]

PROFILE_VERSION = 1
#: How the name of a lock ends that a variable display is kept under on purpose (measures, reading 8).
JUST_UNDER_WORDS = ", just under"
#: A frame of this length or more is told as a gap, ms.
GAP_MS = 400.0
#: So many gaps are told at most, the longest.
_MOST_GAPS = 40
#: The rate is told for each such stretch, s.
BIN_S = 0.5
#: A capture longer than this is told in longer stretches, so that a profile stays small.
_MOST_BINS = 1200
#: So many of the first frames are kept to know the same run again under other bytes.
SKETCH = 96
#: Channels whose course is told.
COURSES = ("gpu_temp_c", "gpu_hotspot_c", "gpu_clock_mhz", "gpu_power_w", "wall_power_w", "fan_rpm")


@dataclass(frozen=True)
class Profile:
    """A capture in brief.

    `lock_fps` is the rate at which most of it is held, in `lock_share` of it, whether `cap` calls that a lock or not.
    `fps` holds the rate of each stretch of `bin_s` seconds, `uneven` the relative scatter of frame times in it; an
    unfinished last stretch is left out. `courses` are means of sampled channels over the same stretches (None is a
    gap). `gaps` are frames of :data:`GAP_MS` and more as (start s, ms). `sketch` are the first frame times in ms.
    """

    frames: int
    duration_s: float
    average_fps: float
    low_1_fps: float
    cap: str
    lock_fps: float
    cap_name: str
    lock_share: float
    #: Whether that lock is a limit set on purpose: a known limiter, or a variable display kept just under its rate.
    cap_meant: bool
    stutters: int
    stutter_lost_ms: float
    flags: tuple[str, ...]
    bound_by: str
    bin_s: float
    fps: tuple[float, ...]
    uneven: tuple[float, ...]
    courses: Mapping[str, tuple[float | None, ...]]
    gaps: tuple[tuple[float, float], ...]
    channels: tuple[str, ...]
    digest: str
    sketch: tuple[float, ...]
    torn: bool = False
    version: int = PROFILE_VERSION

    def as_json(self) -> dict[str, Any]:
        """Plain data, to be kept."""
        # Its parts are plain already: a deep copy of some hundred numbers would take longer than the profile itself.
        return {one.name: getattr(self, one.name) for one in fields(self)}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Profile:
        """What :meth:`as_json` gave."""
        lists = {"flags", "fps", "uneven", "channels", "sketch"}
        given: dict[str, Any] = {name: tuple(value) if name in lists else value for name, value in data.items()}
        given["gaps"] = tuple((float(at), float(ms)) for at, ms in data["gaps"])
        given["courses"] = {name: tuple(values) for name, values in data["courses"].items()}
        return cls(**given)


def profile_of(
    capture: Capture,
    settings: Settings | None = None,
    *,
    low_school: str = "percentile",
    torn: bool = False,
    figures: Figures | None = None,
) -> Profile:
    """The profile of a capture with at least one frame; `torn` where the last line of its file is broken.

    `figures` are the capture's, where they are there already.
    """
    figures = figures or figures_of(capture, settings)
    if figures.rates is None or figures.lows is None or figures.smoothness is None or figures.limits is None:
        raise ValueError("a profile needs a frame")
    frames, clock = capture.frame_ms, capture.end_clock_s
    length_s = capture.duration_s
    bin_s = max(BIN_S, math.ceil(length_s / _MOST_BINS / BIN_S) * BIN_S)
    whole = int(length_s / bin_s + 1e-9)
    edges = np.searchsorted(clock, bin_s * np.arange(whole + 1), side="right")
    starts = np.concatenate(([0.0], clock))
    count = np.diff(edges)
    spent = starts[edges[1:]] - starts[edges[:-1]]
    with np.errstate(invalid="ignore", divide="ignore"):
        fps = np.where(count > 0, count / spent, 0.0)
        mean = _binned(frames, edges) / count
        square = _binned(frames * frames, edges) / count
        uneven = np.where(count > 1, np.sqrt(np.maximum(square - mean * mean, 0.0)) / mean, 0.0)
    long = np.flatnonzero(frames >= GAP_MS)
    long = np.sort(long[np.argsort(frames[long])[::-1][:_MOST_GAPS]])
    limits, stutters = figures.limits, figures.smoothness.stutters
    cap = limits.cap
    return Profile(
        frames=figures.frames,
        duration_s=length_s,
        average_fps=figures.rates.average_fps,
        low_1_fps=figures.lows["1"][low_school].fps,
        cap=cap.state,
        lock_fps=_held_at(cap),
        cap_name=cap.name or "",
        lock_share=float(cap.share or 0.0),
        cap_meant=_meant(cap.name or "", settings or Settings()),
        stutters=stutters.count,
        stutter_lost_ms=stutters.time_lost_ms,
        flags=tuple(figures.flags),
        bound_by=limits.bound_by.label or "",
        bin_s=bin_s,
        fps=tuple(np.round(fps, 4).tolist()),
        uneven=tuple(np.round(uneven, 5).tolist()),
        courses=_courses(capture, bin_s, whole),
        gaps=tuple((round(float(starts[at]), 4), float(frames[at])) for at in long),
        channels=_channels_there(capture),
        digest=hashlib.sha256(np.ascontiguousarray(frames).tobytes()).hexdigest(),
        sketch=tuple(np.round(frames[:SKETCH], 5).tolist()),
        torn=torn,
    )


def _held_at(cap: Cap) -> float:
    """The rate at which most of a capture is held."""
    if cap.lock_fps is not None:
        return cap.lock_fps
    if cap.bin_fps is not None and (cap.bin_share or 0.0) >= cap.frame_share:
        return cap.bin_fps
    return cap.frame_fps


def _meant(name: str, settings: Settings) -> bool:
    """Whether a lock of that name was set on purpose. A display's own rate was not: its sync was to be off."""
    limiters = {known.name for known in settings.known_caps if not known.refresh and not known.variable}
    return name in limiters or name.endswith(JUST_UNDER_WORDS)


def _binned(values: Floats, edges: NDArray[np.intp]) -> Floats:
    total = np.concatenate(([0.0], np.cumsum(values)))
    sums: Floats = total[edges[1:]] - total[edges[:-1]]
    return sums


def _channels_there(capture: Capture) -> tuple[str, ...]:
    """Channels that hold a value at all."""
    own = [name for name, values in capture.channels.items() if np.isfinite(values).any()]
    beside = [name for one in capture.samples for name, values in one.values.items() if np.isfinite(values).any()]
    return tuple(dict.fromkeys([*own, *beside]))


def _courses(capture: Capture, bin_s: float, whole: int) -> dict[str, tuple[float | None, ...]]:
    """Means of sampled channels over the stretches."""
    found: dict[str, tuple[float | None, ...]] = {}
    clocks = [(capture.end_clock_s, capture.channels), *((one.clock_s, one.values) for one in capture.samples)]
    for clock, values in clocks:
        at = np.floor(np.maximum(clock - 1e-9, 0.0) / bin_s).astype(np.intp)
        for name in COURSES:
            if name not in values:
                continue
            there = np.isfinite(values[name]) & (at < whole)
            count = np.bincount(at[there], minlength=whole)[:whole]
            sums = np.bincount(at[there], weights=values[name][there], minlength=whole)[:whole]
            if count.any():
                found[name] = tuple(round(float(s / n), 3) if n else None for s, n in zip(sums, count, strict=True))
    return found
