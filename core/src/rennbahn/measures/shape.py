"""The shape of a capture: how often which frame time, how large the steps, and both sides' time against the budget."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture import Capture
from rennbahn.measures.rates import CURVE, quantiles
from rennbahn.measures.smoothness import OVER_BUDGET

Floats = NDArray[np.float64]

#: Frame times are counted between these, in so many steps of equal ratio: every capture by the same ones.
FIRST_MS, LAST_MS, BINS = 0.5, 500.0, 300
EDGES_MS: Floats = np.geomspace(FIRST_MS, LAST_MS, BINS + 1)
#: The clouds are counted in squares of this share of the budget, up to this many of them.
SQUARE = 1.0 / 24.0
SQUARES = 60


@dataclass(frozen=True)
class Corners:
    """Shares of frames by which side is over the budget; they add up to 1. Over is beyond 1.025 times the budget."""

    both_inside: float
    processor_over: float
    card_over: float
    both_over: float


@dataclass(frozen=True)
class Cloud:
    """How many frames have which processor and card time.

    `square_ms` is the side of a square; entry n says that `count[n]` frames lie in square (`processor[n]`, `card[n]`),
    counted from 0; the last square holds all beyond it.
    """

    budget_ms: float
    square_ms: float
    processor: tuple[int, ...]
    card: tuple[int, ...]
    count: tuple[int, ...]
    corners: Corners


@dataclass(frozen=True)
class Shape:
    """Shares of frames by :data:`EDGES_MS` (the first and last hold what lies beyond), percentiles of the steps in ms
    at q = 50.0 to 99.9 (none with fewer than two frames), and the cloud (None without both busy times)."""

    share: Floats
    steps_ms: Floats
    cloud: Cloud | None


def shape_of(capture: Capture, target_hz: float) -> Shape:
    """The shape of a capture with at least one frame, against a budget of one refresh at this rate."""
    at = np.clip(np.searchsorted(EDGES_MS, capture.frame_ms, side="right") - 1, 0, BINS - 1)
    share = np.bincount(at, minlength=BINS) / len(capture)
    steps = np.sort(np.abs(np.diff(capture.frame_ms)))
    return Shape(share, quantiles(steps, CURVE) if len(steps) else np.empty(0), _cloud(capture, 1000.0 / target_hz))


def corners_of(capture: Capture, target_hz: float) -> Corners | None:
    """Which side is over the budget of one refresh, and how often; None without both busy times."""
    sides = _sides(capture)
    return None if sides is None else _corners(*sides, 1000.0 / target_hz)


def _sides(capture: Capture) -> tuple[Floats, Floats] | None:
    """Processor and card time of the frames that have both, ms."""
    sides = [capture.channels.get(name) for name in ("cpu_busy_ms", "gpu_busy_ms")]
    if sides[0] is None or sides[1] is None:
        return None
    there = np.isfinite(sides[0]) & np.isfinite(sides[1])
    if not there.any():
        return None
    return sides[0][there], sides[1][there]


def _corners(processor: Floats, card: Floats, budget_ms: float) -> Corners:
    p_over, c_over = processor > OVER_BUDGET * budget_ms, card > OVER_BUDGET * budget_ms
    return Corners(
        float(np.mean(~p_over & ~c_over)),
        float(np.mean(p_over & ~c_over)),
        float(np.mean(~p_over & c_over)),
        float(np.mean(p_over & c_over)),
    )


def _cloud(capture: Capture, budget_ms: float) -> Cloud | None:
    sides = _sides(capture)
    if sides is None:
        return None
    processor, card = sides
    square = SQUARE * budget_ms
    x, y = (np.clip((side / square).astype(np.intp), 0, SQUARES - 1) for side in (processor, card))
    counts = np.bincount(x * SQUARES + y, minlength=SQUARES * SQUARES)
    places = np.flatnonzero(counts)
    return Cloud(
        budget_ms,
        square,
        tuple((places // SQUARES).tolist()),
        tuple((places % SQUARES).tolist()),
        tuple(counts[places].tolist()),
        _corners(processor, card, budget_ms),
    )
