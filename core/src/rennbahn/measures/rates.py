"""Rates and lows (measures, section 2)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: The three schools of what a low is; the first is the default.
LOW_SCHOOLS = ("percentile", "slowest_frames", "slowest_time")
#: Lows by their usual name in percent, with the share in per mille.
LOWS = {"1": 10, "0.1": 1}
#: A low that stands on fewer frames is thin.
THIN_SUPPORT = 10

PERCENTILES = (1.0, 10.0, 50.0, 90.0, 95.0, 99.0, 99.9)
CURVE = np.arange(500, 1000) / 10.0


@dataclass(frozen=True)
class Rates:
    """Rates in fps, percentiles of frame time in ms by q. `minimum_fps` rests on one frame: always fragile."""

    average_fps: float
    median_fps: float
    percentile_ms: dict[str, float]
    slowest_ms: float
    minimum_fps: float


@dataclass(frozen=True)
class Low:
    """A low in fps, with the number of frames at or beyond it."""

    fps: float
    support: int
    thin: bool


def quantiles(ordered_ms: Floats, q: Floats) -> Floats:
    """Percentiles `q` (0 to 100) of sorted values of shape (N,), N > 0, with linear interpolation.

    Type 7 of Hyndman & Fan, "Sample Quantiles in Statistical Packages", The American Statistician, 1996.
    """
    place = q / 100.0 * (len(ordered_ms) - 1)
    below = np.floor(place).astype(np.intp)
    above = np.minimum(below + 1, len(ordered_ms) - 1)
    values: Floats = ordered_ms[below] + (place - below) * (ordered_ms[above] - ordered_ms[below])
    return values


def rates(ordered_ms: Floats, duration_s: float) -> Rates:
    """Rates of a capture from its sorted frame times. Average fps is frames over time, never a mean of rates."""
    at = dict(zip(PERCENTILES, quantiles(ordered_ms, np.array(PERCENTILES)).tolist(), strict=True))
    slowest = float(ordered_ms[-1])
    return Rates(
        average_fps=len(ordered_ms) / duration_s,
        median_fps=1000.0 / at[50.0],
        percentile_ms={f"{q:g}": value for q, value in at.items()},
        slowest_ms=slowest,
        minimum_fps=1000.0 / slowest,
    )


def lows(ordered_ms: Floats) -> dict[str, dict[str, Low]]:
    """The 1% and 0.1% low under each school, by name of the low and of the school."""
    count = len(ordered_ms)
    # The longest frames fill a share of the time before they are that share of the frames, so the rest need no sum.
    longest_first = ordered_ms[::-1][: -(-count * max(LOWS.values()) // 1000)]
    spent, total = np.cumsum(longest_first), float(ordered_ms.sum())
    found: dict[str, dict[str, Low]] = {}
    for name, per_mille in LOWS.items():
        # In whole numbers: 1% of 700 frames is 7, while ceil(700 * 0.01) in doubles is 8.
        k = -(-count * per_mille // 1000)
        by_percentile = float(quantiles(ordered_ms, np.array([100.0 - per_mille / 10.0]))[0])
        k_time = min(int(np.searchsorted(spent, total * per_mille / 1000.0)) + 1, len(spent))
        found[name] = {
            "percentile": _low(by_percentile, k),
            "slowest_frames": _low(float(spent[k - 1]) / k, k),
            "slowest_time": _low(float(longest_first[k_time - 1]), k_time),
        }
    return found


def _low(ms: float, support: int) -> Low:
    return Low(1000.0 / ms, support, support < THIN_SUPPORT)
