"""What a screen needs of a trace: every frame where there is room for them, else the shortest and longest a stretch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rennbahn.capture.capture import Capture, Floats, Samples


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


def columns(capture: Capture, edges_s: Floats) -> tuple[Floats, Floats]:
    """The shortest and the longest frame in ms that was under way in each stretch between edges in ascending order, s.

    NaN in a stretch that lies outside the capture.
    """
    clock, frames = capture.end_clock_s, capture.frame_ms
    left, right = edges_s[:-1], edges_s[1:]
    low, high = np.full(len(left), np.nan), np.full(len(left), np.nan)
    there = (right > 0.0) & (left < capture.duration_s)
    first = np.searchsorted(clock, left[there], side="right")
    # A frame that ends with a stretch is the last of it; one that goes on beyond it is, too.
    last = np.minimum(np.searchsorted(clock, right[there], side="left"), len(clock) - 1)
    first = np.minimum(first, last)
    # Between the ends of two stretches nothing is asked: every second result is left out.
    pairs = np.column_stack((first, last + 1)).ravel()
    padded = np.append(frames, frames[-1:])
    low[there] = np.minimum.reduceat(padded, pairs)[::2] if len(pairs) else low[there]
    high[there] = np.maximum.reduceat(padded, pairs)[::2] if len(pairs) else high[there]
    return low, high


def sampled(capture: Capture, name: str, most: int) -> tuple[Floats, Floats]:
    """A sampled channel of a capture as clock in s and values, at most so many points, gaps left out.

    Of more samples the smallest and the largest of each stretch of time are given, so that no peak vanishes. One that
    stands beside the frames is read at their ends; of a channel that is not there both are empty.
    """
    clock, values = _channel(capture, name)
    there = np.isfinite(values)
    clock, values = clock[there], values[there]
    # A value that is told again and again on each row is told where it changes, and where it ends.
    changes = np.flatnonzero(values[1:] != values[:-1])
    keep = (
        np.unique(np.concatenate(([0], changes, changes + 1, [len(values) - 1]))) if len(values) else np.empty(0, int)
    )
    clock, values = clock[keep], values[keep]
    if len(values) <= most:
        return clock, values
    edges = np.linspace(clock[0], clock[-1], most // 2 + 1)[1:-1]
    begins = np.unique(np.concatenate(([0], np.searchsorted(clock, edges, side="right"))))
    begins = begins[begins < len(clock)]
    ends = np.append(begins[1:], len(clock))
    chosen = [
        place
        for begin, end in zip(begins, ends, strict=True)
        for place in sorted({begin + int(values[begin:end].argmin()), begin + int(values[begin:end].argmax())})
    ]
    return clock[chosen], values[chosen]


def _channel(capture: Capture, name: str) -> tuple[Floats, Floats]:
    beside: Samples | None = next((one for one in capture.samples if name in one.values), None)
    if beside is not None:
        return beside.clock_s, beside.values[name]
    if name in capture.channels:
        return capture.end_clock_s, capture.channels[name]
    return np.empty(0), np.empty(0)
