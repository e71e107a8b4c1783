"""What is drawn over a trace: where it stutters, pauses and beats, the rate it is held at, the frames behind a low.

Figures are of a capture's windows; a trace shows the whole capture. Clocks here are the whole capture's, in seconds.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture import Capture
from rennbahn.capture.capture import PAUSE_MS
from rennbahn.measures.figures import Figures, Settings, figures_of
from rennbahn.measures.heartbeat import ON_BEAT
from rennbahn.measures.rates import LOWS
from rennbahn.measures.smoothness import begin_stutters, local_median_ms, stutter_frames

Floats = NDArray[np.float64]

#: So many of the frames behind a low are marked, the longest.
MOST_MARKS = 400
#: The course is told in such stretches, s.
COURSE_S = 0.5


@dataclass(frozen=True)
class Span:
    """A stretch of the trace and the longest frame in it."""

    from_s: float
    to_s: float
    longest_ms: float


@dataclass(frozen=True)
class Behind:
    """The frames behind a low figure: `fps` and the frame time `from_ms` from which they count, by end clock and ms.

    Of more than :data:`MOST_MARKS` the longest are given; `count` is how many there are.
    """

    low: str
    fps: float
    from_ms: float
    count: int
    end_s: tuple[float, ...]
    ms: tuple[float, ...]


@dataclass(frozen=True)
class Layers:
    """Everything but samples. `beats_s` are the beats of a heartbeat, `held_fps` the rate of a cap with its name."""

    stutters: tuple[Span, ...]
    pauses: tuple[Span, ...]
    beats_s: tuple[float, ...]
    beat_period_s: float | None
    cap: str
    held_fps: float | None
    held_by: str
    behind: tuple[Behind, ...]
    #: The course of the pass: mean frame time in ms of each stretch of `course_every_s` of the whole capture.
    course_every_s: float
    course_ms: tuple[float, ...]


def layers_of(
    whole: Capture,
    windows: Sequence[tuple[float, float]],
    settings: Settings | None = None,
    low_school: str = "percentile",
    figures: Figures | None = None,
) -> Layers:
    """Layers over a capture of some frames, seen through its windows (none for all of it).

    `figures` are those of the windowed capture, where they are there already. Raises ValueError where the windows hold
    no frame.
    """
    settings = settings or Settings()
    seen = whole.within(windows)
    figures = figures or figures_of(seen, settings)
    if figures.rates is None or figures.lows is None or figures.smoothness is None or figures.limits is None:
        raise ValueError("layers need a frame")
    at = _places(whole, windows)
    clock = whole.end_clock_s
    begin = np.concatenate(([0.0], clock))[at]
    period = figures.smoothness.alternation.period
    local = local_median_ms(seen.frame_ms, period or 2)
    frames = stutter_frames(seen.frame_ms, local, 1000.0 / settings.target_hz, period)
    pauses = np.flatnonzero(seen.frame_ms >= PAUSE_MS)
    beat = figures.smoothness.heartbeat.period_s
    cap = figures.limits.cap
    return Layers(
        stutters=_stutters(frames, seen, at, begin, clock),
        pauses=tuple(Span(float(begin[i]), float(clock[at[i]]), float(seen.frame_ms[i])) for i in pauses),
        beats_s=_beats(np.array(figures.smoothness.stutters.starts_s), beat, seen, begin),
        beat_period_s=beat,
        cap=cap.state,
        held_fps=cap.lock_fps if cap.state != "none" else None,
        held_by=cap.name or "",
        behind=tuple(
            _behind(low, figures.lows[low][low_school].fps, figures.lows[low][low_school].support, seen, clock[at])
            for low in LOWS
        ),
        course_every_s=COURSE_S,
        course_ms=_course(whole),
    )


def _course(whole: Capture) -> tuple[float, ...]:
    """Mean frame time of each stretch; a frame that covers several is told in each, an unfinished last one is not."""
    clock = np.concatenate(([0.0], whole.end_clock_s))
    edges = np.arange(int(clock[-1] / COURSE_S) + 1) * COURSE_S
    count = np.diff(np.interp(edges, clock, np.arange(len(clock), dtype=np.float64)))
    return tuple((1000.0 * COURSE_S / count).tolist())


def _places(whole: Capture, windows: Sequence[tuple[float, float]]) -> NDArray[np.intp]:
    """Which frame of the whole capture each frame of its windows is."""
    if not windows:
        return np.arange(len(whole))
    edges = [np.searchsorted(whole.end_clock_s, window, side="right") for window in windows]
    return np.concatenate([np.arange(first, last) for first, last in edges])


def _stutters(
    frames: NDArray[np.intp], seen: Capture, at: NDArray[np.intp], begin: Floats, clock: Floats
) -> tuple[Span, ...]:
    if not len(frames):
        return ()
    _, own = begin_stutters(frames, seen.end_clock_s)
    groups = np.split(frames, np.flatnonzero(own)[1:])
    return tuple(
        Span(float(begin[one[0]]), float(clock[at[one[-1]]]), float(seen.frame_ms[one].max())) for one in groups
    )


def _beats(starts: Floats, period: float | None, seen: Capture, begin: Floats) -> tuple[float, ...]:
    """The beats from the first stutter to the last; where each lies is the middle of what the stutters say."""
    if period is None or not len(starts):
        return ()
    # Of all stutters the one that most others keep time with; what lies on its beat says where exactly the beat is.
    apart = (starts[:, None] - starts[None, :]) / period
    off = apart - np.rint(apart)
    on = np.abs(off) <= ON_BEAT
    best = int(on.sum(axis=0).argmax())
    phase = float(starts[best] + period * off[on[:, best], best].mean())
    first = np.ceil((starts[0] - phase) / period - 0.25)
    beats = phase + period * np.arange(first, np.floor((starts[-1] - phase) / period + 0.25) + 1)
    beats = beats[(beats >= 0.0) & (beats <= seen.duration_s)]
    inside = np.minimum(np.searchsorted(seen.end_clock_s, beats), len(seen) - 1)
    own_begin = np.concatenate(([0.0], seen.end_clock_s))[inside]
    return tuple((begin[inside] + (beats - own_begin)).tolist())


def _behind(low: str, fps: float, support: int, seen: Capture, ends: Floats) -> Behind:
    """The `support` longest frames: those that decide the low, whatever its school makes of them."""
    longest = np.argsort(seen.frame_ms, kind="stable")[::-1][:support]
    shown = np.sort(longest[:MOST_MARKS])
    return Behind(
        low, fps, float(seen.frame_ms[longest[-1]]), support,
        tuple(ends[shown].tolist()), tuple(seen.frame_ms[shown].tolist()),
    )  # fmt: skip
