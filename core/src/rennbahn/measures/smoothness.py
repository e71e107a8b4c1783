"""Steps, budget, stutters, pauses, alternation (measures, section 3)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from rennbahn.capture import Capture
from rennbahn.capture.capture import PAUSE_MS
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
#: Frames may be delivered in groups of these sizes.
GROUPS = (2, 3, 4)
#: How much steps must resemble those a group on, and how large they must be, to make an alternation.
LIKENESS = 0.6
LEAST_STEP = 0.1
#: Delivery in pairs resembles itself two groups on as well: a smaller group this close to the best is the one.
CLOSE_LIKENESS = 0.1
#: In an alternating capture a stutter frame is this much longer than the long frame of a group is wont to be.
LONGER_THAN_GROUP = 1.25
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
class Pauses:
    """Frames of a second or more: how many, when each began, the longest (None without one) and their sum."""

    count: int
    starts_s: tuple[float, ...]
    longest_ms: float | None
    total_ms: float


@dataclass(frozen=True)
class Alternation:
    """Do frames come in groups, such as long, short, long, short? `period` is the group's size, None without one.

    `flip_share` and `amplitude` stand beside it as figures only, None under three frames.
    """

    flip_share: float | None
    amplitude: float | None
    alternating: bool
    period: int | None


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
    pauses: Pauses
    alternation: Alternation
    heartbeat: Heartbeat


def local_median_ms(frame_ms: Floats, group: int = 2) -> Floats:
    """Moving median over frames i - 15 to i + 15 that exist, of the means of the last `group` frames up to each.

    Such means keep delivery in groups from looking like stutter. Shape (N,) in and out, ms.
    """
    means = frame_ms.copy()
    for back in range(1, min(group, len(frame_ms))):
        means[back:] += frame_ms[:-back]
    means[group - 1 :] /= group
    for first in range(1, min(group - 1, len(frame_ms))):
        means[first] /= first + 1
    return _moving_median(means)


def _moving_median(values: Floats) -> Floats:
    """Median over values i - 15 to i + 15 that exist."""
    count, reach = len(values), LOCAL_REACH
    if count > 2 * reach:
        local: Floats = median_filter(values, size=2 * reach + 1, mode="nearest")
        ends = np.concatenate((np.arange(reach), np.arange(count - reach, count)))
    else:
        local, ends = np.empty(count), np.arange(count)
    # At the ends the window is shorter: what does not exist sorts behind what does.
    window = ends[:, None] + np.arange(-reach, reach + 1)
    there = (window >= 0) & (window < count)
    ordered = np.sort(np.where(there, values[np.clip(window, 0, count - 1)], np.inf), axis=1)
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
    alternation = _alternation(changes, steps, step_ms.get(50, 0.0), median_ms)
    local = local_median_ms(frame_ms, alternation.period or 2)
    stutters = _stutters(frame_ms, capture.end_clock_s, local, budget, alternation.period)
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
        pauses=_pauses(frame_ms, capture.end_clock_s),
        alternation=alternation,
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


def stutter_frames(frame_ms: Floats, local: Floats, budget: float, period: int | None) -> NDArray[np.intp]:
    """Which frames stutter, rising, by their local median, the budget in ms and the group of an alternating capture."""
    frames = np.flatnonzero((frame_ms > STUTTER_RATIO * local) & (frame_ms - local > budget / 2.0))
    if period is not None and len(frames):
        frames = frames[frame_ms[frames] > LONGER_THAN_GROUP * _long_frames(frame_ms, period)[frames]]
    return frames


def begin_stutters(frames: NDArray[np.intp], clock_s: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Start clocks of stutter frames in s, and which of them begin a stutter of their own."""
    starts = np.where(frames > 0, clock_s[frames - 1], 0.0)
    return starts, np.concatenate(([True], starts[1:] - clock_s[frames[:-1]] > STUTTER_GAP_S))


def _stutters(frame_ms: Floats, clock_s: Floats, local: Floats, budget: float, period: int | None) -> Stutters:
    frames = stutter_frames(frame_ms, local, budget, period)
    lost = frame_ms[frames] - local[frames]
    duration_s = float(clock_s[-1])
    if not len(frames):
        return Stutters(0, 0, 0.0, None, 0.0, ())
    starts, own = begin_stutters(frames, clock_s)
    count = int(own.sum())
    return Stutters(
        count=count,
        frames=len(frames),
        per_minute=count / (duration_s / 60.0),
        longest_ms=float(frame_ms[frames].max()),
        time_lost_ms=float(lost.sum()),
        starts_s=tuple(starts[own].tolist()),
    )


def _long_frames(frame_ms: Floats, period: int) -> Floats:
    """How long the long frame of a group is wont to be: the moving median of the longest of the last frames."""
    longest = frame_ms.copy()
    for back in range(1, period):
        np.maximum(longest[back:], frame_ms[:-back], out=longest[back:])
    return _moving_median(longest)


def _pauses(frame_ms: Floats, clock_s: Floats) -> Pauses:
    at = np.flatnonzero(frame_ms >= PAUSE_MS)
    if not len(at):
        return Pauses(0, (), None, 0.0)
    starts = np.where(at > 0, clock_s[at - 1], 0.0)
    return Pauses(len(at), tuple(starts.tolist()), float(frame_ms[at].max()), float(frame_ms[at].sum()))


def _alternation(changes: Floats, ordered: Floats, median_step: float, median_ms: float) -> Alternation:
    """Do the steps resemble those a group on (reading 38)? `ordered` are their sizes, rising."""
    if len(changes) < 2:
        return Alternation(None, None, False, None)
    flips = int(np.count_nonzero(changes[1:] * changes[:-1] < 0))
    # Clipped, so that spikes, and trains of them in a part of the capture, do not decide.
    clip = float(quantiles(ordered, np.array([75.0]))[0])
    clipped = np.clip(changes, -clip, clip)
    power = float(clipped @ clipped)
    likeness = [
        float(clipped[:-size] @ clipped[size:]) / power if power and size < len(clipped) else 0.0 for size in GROUPS
    ]
    alternating = max(likeness) >= LIKENESS and float(np.abs(clipped).mean()) / median_ms >= LEAST_STEP
    period = None
    if alternating:
        period = next(
            size for size, like in zip(GROUPS, likeness, strict=True) if like >= max(likeness) - CLOSE_LIKENESS
        )
    return Alternation(flips / (len(changes) - 1), median_step / median_ms, alternating, period)
