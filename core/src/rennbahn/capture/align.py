"""Laying traces over each other: by how much one must be moved so that it agrees best with another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.signal import fftconvolve

from rennbahn.capture.capture import Capture, Floats

#: Traces are compared by the mean frame time of each such stretch, s.
STRETCH_S = 0.05
#: No trace is moved farther than this, s, and none so far that less than this share of the shorter one is left.
FARTHEST_S = 15.0
_LEAST_LEFT = 0.5
#: Under this likeness nothing agrees, and nothing is moved.
LEAST_LIKENESS = 0.3


@dataclass(frozen=True)
class Aligned:
    """`offset_s` is added to a trace's clock to lay it on the other's; `likeness` is the correlation there, -1 to 1."""

    offset_s: float
    likeness: float


def best_agreement(reference: Capture, other: Capture) -> Aligned:
    """Where `other` agrees best with `reference`; not moved where it agrees nowhere."""
    a, b = _course(reference), _course(other)
    if len(a) < 2 or len(b) < 2:
        return Aligned(0.0, 0.0)
    # Of each shift: how many stretches overlap, and their sums, sums of squares and products.
    ones_a, ones_b = np.ones(len(a)), np.ones(len(b))
    n = np.rint(_over(ones_a, ones_b))
    sum_a, sum_b = _over(a, ones_b), _over(ones_a, b)
    squares_a, squares_b, products = _over(a * a, ones_b), _over(ones_a, b * b), _over(a, b)
    shifts = np.arange(-(len(b) - 1), len(a))
    allowed = (np.abs(shifts) * STRETCH_S <= FARTHEST_S) & (n >= _LEAST_LEFT * min(len(a), len(b))) & (n > 1)
    with np.errstate(invalid="ignore", divide="ignore"):
        variance = (squares_a - sum_a**2 / n) * (squares_b - sum_b**2 / n)
        likeness = (products - sum_a * sum_b / n) / np.sqrt(variance)
    likeness = np.where(allowed & (variance > 1e-12) & np.isfinite(likeness), likeness, -2.0)
    # Of shifts that agree alike the smallest move wins.
    best = int(np.argmax(likeness - 1e-9 * np.abs(shifts)))
    if likeness[best] < LEAST_LIKENESS:
        return Aligned(0.0, float(max(likeness[best], -1.0)))
    return Aligned(float(shifts[best]) * STRETCH_S, float(min(likeness[best], 1.0)))


def _course(capture: Capture) -> Floats:
    """ln of the mean frame time of each stretch: a frame that covers several is told in each."""
    clock = capture.end_clock_s
    if not len(clock):
        return np.empty(0)
    edges = np.arange(int(clock[-1] / STRETCH_S) + 1) * STRETCH_S
    # Frames up to a moment, with the part of the one that is being shown: their growth is the rate.
    count = np.interp(edges, np.concatenate(([0.0], clock)), np.arange(len(clock) + 1, dtype=np.float64))
    rate = np.diff(count) / STRETCH_S
    course: Floats = -np.log(np.maximum(rate, 1e-3))
    return course - course.mean() if len(course) else course


def _over(a: Floats, b: Floats) -> Floats:
    """Sum of a[i + shift] b[i] for every shift, from -(len(b) - 1) up."""
    found: Floats = fftconvolve(a, b[::-1])
    return found
