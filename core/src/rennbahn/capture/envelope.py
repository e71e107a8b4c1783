"""What a screen needs of a trace: every frame where there is room for them, else the shortest and longest a stretch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rennbahn.capture.capture import Capture, Floats


@dataclass(frozen=True)
class Envelope:
    """Stretches of a trace: the end clock of each in seconds, its shortest and its longest frame in ms.

    Where `exact`, each stretch is one frame. No spike vanishes in an envelope, whatever the number of stretches.
    """

    end_s: Floats
    low_ms: Floats
    high_ms: Floats
    exact: bool


def envelope(capture: Capture, stretches: int, start_s: float | None = None, stop_s: float | None = None) -> Envelope:
    """The frames whose end clock lies in (start_s, stop_s], in at most that many stretches of equal time.

    Of at most twice as many frames each is given as it is. A stretch without a frame is left out.
    """
    clock = capture.end_clock_s
    first = 0 if start_s is None else int(np.searchsorted(clock, start_s, side="right"))
    last = len(clock) if stop_s is None else max(first, int(np.searchsorted(clock, stop_s, side="right")))
    clock, frames = clock[first:last], capture.frame_ms[first:last]
    if len(frames) <= 2 * stretches:
        return Envelope(clock, frames, frames, True)
    edges = np.linspace(clock[0] - frames[0] / 1000.0, clock[-1], stretches + 1)[1:-1]
    begins = np.unique(np.concatenate(([0], np.searchsorted(clock, edges, side="right"))))
    begins = begins[begins < len(clock)]
    ends = np.append(begins[1:], len(clock)) - 1
    return Envelope(clock[ends], np.minimum.reduceat(frames, begins), np.maximum.reduceat(frames, begins), False)
