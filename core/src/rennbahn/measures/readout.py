"""What a counter would have shown while a pass ran, moment by moment, of the frames that count."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture import Capture
from rennbahn.capture.capture import Floats

#: A counter looks back so far, s.
LOOKS_BACK_S = 1.0


@dataclass(frozen=True)
class Readout:
    """At each moment the rate in fps and the longest frame in ms of what was delivered of late; NaN where nothing was.

    Each (moments,).
    """

    rate_fps: Floats
    longest_ms: Floats


def readout_of(
    whole: Capture, windows: Sequence[tuple[float, float]], at_s: Floats, back_s: float = LOOKS_BACK_S
) -> Readout:
    """What is shown at moments in ascending order, on the clock of the whole capture, s.

    It is of the frames whose end clock lies in (at - back, at] and in a window (none for all of them): their number by
    the sum of their times, as of a pass (measures.md 2). Before the first moment of a window, and after the last frame
    of all, nothing is shown.

    >>> found = readout_of(Capture(np.full(200, 10.0)), [], np.array([0.0, 0.5, 1.5, 2.5]))
    >>> found.rate_fps.tolist()
    [nan, 100.0, 100.0, nan]
    """
    clock, frames = whole.end_clock_s, whole.frame_ms
    counts = counting_at(whole, windows, clock)
    clock, frames = clock[counts], frames[counts]
    first, last = (np.searchsorted(clock, edge, side="right") for edge in (at_s - back_s, at_s))
    shown = counting_at(whole, windows, at_s) & (last > first)
    total = np.concatenate(([0.0], np.cumsum(frames)))
    rate, longest = np.full(len(at_s), np.nan), np.full(len(at_s), np.nan)
    rate[shown] = 1000.0 * (last - first)[shown] / (total[last] - total[first])[shown]
    longest[shown] = [frames[i:j].max() for i, j in zip(first[shown], last[shown], strict=True)]
    return Readout(rate, longest)


def counting_at(whole: Capture, windows: Sequence[tuple[float, float]], at_s: Floats) -> NDArray[np.bool_]:
    """Whether a frame that ends at a moment (s, on the clock of the whole capture) counts; none outside it does."""
    runs = (at_s >= 0.0) & (at_s <= whole.duration_s)
    if windows:
        runs &= np.any([(at_s > start) & (at_s <= stop) for start, stop in windows], axis=0)
    return runs


def begun_by(starts_s: Sequence[float], since_s: float, at_s: Floats) -> NDArray[np.int64]:
    """How many of what begins at `starts_s` (ascending) has begun since a moment, by each of some moments after it, s.

    >>> begun_by([1.0, 2.0, 5.0], 1.5, np.array([1.5, 2.0, 9.0])).tolist()
    [0, 1, 2]
    """
    found: NDArray[np.int64] = np.searchsorted(starts_s, at_s, side="right") - np.searchsorted(starts_s, since_s)
    return np.maximum(found, 0)
