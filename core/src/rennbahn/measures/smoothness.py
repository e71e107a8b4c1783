"""Steps, budget, stutters, alternation (measures, section 3)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from rennbahn.capture import Capture
from rennbahn.measures.heartbeat import Heartbeat, find_heartbeat
from rennbahn.measures.rates import quantiles

Floats = NDArray[np.float64]

#: A frame is over budget beyond this multiple of it: timers jitter by a percent or two.
OVER_BUDGET = 1.025
#: Frames to either side that a local median looks at.
LOCAL_REACH = 15
#: One missed refresh is exactly twice its neighbours and must not be a coin toss, hence less than 2.
STUTTER_RATIO = 1.75
#: Stutter frames this close belong to one stutter, s.
STUTTER_GAP_S = 0.25
#: Share of flips and size that make steps an alternation; independent noise flips 2/3 of the time.
FLIP_SHARE = 0.85
FLIP_AMPLITUDE = 0.15
#: Distance from the limit that still counts as on the beat.
ON_BEAT = 0.1


@dataclass(frozen=True)
class LocalMs:
    """The running local median of frame time, as its ends and mean."""

    first: tuple[float, ...]
    last: tuple[float, ...]
    mean: float


@dataclass(frozen=True)
class Stutters:
    """Stutters, the stutter frames in them, and the time they cost."""

    count: int
    frames: int
    per_minute: float
    longest_ms: float | None
    time_lost_ms: float
    starts_s: tuple[float, ...]


@dataclass(frozen=True)
class Alternation:
    """Do frames come long, short, long, short? None under three frames."""

    flip_share: float | None
    amplitude: float | None
    alternating: bool


@dataclass(frozen=True)
class Smoothness:
    """How evenly frames came. Steps and budget in ms against the target rate; shares from 0 to 1."""

    step_mean_ms: float | None
    step_p99_ms: float | None
    jolt_share: float | None
    over_budget_share: float
    over_budget_time_share: float
    longest_spell_s: float
    on_beat_share: float | None
    local_ms: LocalMs
    stutters: Stutters
    alternation: Alternation
    heartbeat: Heartbeat


def local_median_ms(frame_ms: Floats) -> Floats:
    """Moving median over frames i - 15 to i + 15 that exist, of the means of each frame and the one before.

    Pair means keep alternating delivery from looking like stutter. Shape (N,) in and out, ms.
    """
    pairs = frame_ms.copy()
    pairs[1:] += frame_ms[:-1]
    pairs[1:] /= 2.0
    count, reach = len(pairs), LOCAL_REACH
    if count > 2 * reach:
        local: Floats = median_filter(pairs, size=2 * reach + 1, mode="nearest")
        ends = np.concatenate((np.arange(reach), np.arange(count - reach, count)))
    else:
        local, ends = np.empty(count), np.arange(count)
    # At the ends the window is shorter: what does not exist sorts behind what does.
    window = ends[:, None] + np.arange(-reach, reach + 1)
    there = (window >= 0) & (window < count)
    ordered = np.sort(np.where(there, pairs[np.clip(window, 0, count - 1)], np.inf), axis=1)
    size, row = there.sum(axis=1), np.arange(len(ends))
    local[ends] = (ordered[row, (size - 1) // 2] + ordered[row, size // 2]) / 2.0
    return local


def smoothness(capture: Capture, median_ms: float, target_hz: float, limited_to_fps: float | None) -> Smoothness:
    """Smoothness of a capture with at least one frame and this median frame time, against the target rate in Hz."""
    frame_ms, clock_ms = capture.frame_ms, capture.end_clock_ms
    budget = 1000.0 / target_hz
    changes = np.diff(frame_ms)
    steps = np.sort(np.abs(changes))
    step_ms = dict(zip((50, 99), quantiles(steps, np.array([50.0, 99.0])).tolist(), strict=True)) if len(steps) else {}
    over = frame_ms > OVER_BUDGET * budget
    spells_ms = _spells_ms(frame_ms, over)
    local = local_median_ms(frame_ms)
    stutters = _stutters(frame_ms, capture.end_clock_s, local, budget)
    on_beat = None
    if limited_to_fps is not None:
        beat = 1000.0 / limited_to_fps
        on_beat = float(np.mean(np.abs(frame_ms - beat) <= ON_BEAT * beat))
    return Smoothness(
        step_mean_ms=float(steps.mean()) if len(steps) else None,
        step_p99_ms=step_ms.get(99),
        jolt_share=1.0 - np.searchsorted(steps, budget / 2.0, side="right") / len(steps) if len(steps) else None,
        over_budget_share=float(over.mean()),
        over_budget_time_share=float(spells_ms.sum() / clock_ms[-1]),
        longest_spell_s=float(spells_ms.max(initial=0.0) / 1000.0),
        on_beat_share=on_beat,
        local_ms=LocalMs(tuple(local[:3].tolist()), tuple(local[-3:].tolist()), float(local.mean())),
        stutters=stutters,
        alternation=_alternation(changes, step_ms.get(50, 0.0) / median_ms),
        heartbeat=find_heartbeat(np.array(stutters.starts_s)),
    )


def _spells_ms(frame_ms: Floats, over: NDArray[np.bool_]) -> Floats:
    """Length of each unbroken run of frames over budget."""
    edges = np.flatnonzero(over[1:] != over[:-1]) + 1
    if over[0]:
        edges = np.concatenate(([0], edges))
    if not len(edges):
        return np.empty(0)
    spells: Floats = np.add.reduceat(frame_ms, edges)[::2]
    return spells


def _stutters(frame_ms: Floats, clock_s: Floats, local: Floats, budget: float) -> Stutters:
    frames = np.flatnonzero(frame_ms > STUTTER_RATIO * local)
    lost = frame_ms[frames] - local[frames]
    frames, lost = frames[lost > budget / 2.0], lost[lost > budget / 2.0]
    duration_s = float(clock_s[-1])
    if not len(frames):
        return Stutters(0, 0, 0.0, None, 0.0, ())
    starts = np.where(frames > 0, clock_s[frames - 1], 0.0)
    own = np.concatenate(([True], starts[1:] - clock_s[frames[:-1]] > STUTTER_GAP_S))
    count = int(own.sum())
    return Stutters(
        count=count,
        frames=len(frames),
        per_minute=count / (duration_s / 60.0),
        longest_ms=float(frame_ms[frames].max()),
        time_lost_ms=float(lost.sum()),
        starts_s=tuple(starts[own].tolist()),
    )


def _alternation(changes: Floats, amplitude: float) -> Alternation:
    if len(changes) < 2:
        return Alternation(None, None, False)
    flips = int(np.count_nonzero(changes[1:] * changes[:-1] < 0))
    pairs = len(changes) - 1
    alternating = 100 * flips >= round(100 * FLIP_SHARE) * pairs and amplitude >= FLIP_AMPLITUDE
    return Alternation(flips / pairs, amplitude, alternating)
