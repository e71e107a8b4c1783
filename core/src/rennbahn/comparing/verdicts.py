"""What an interval says of a margin (reading 14), and what so many tests say by chance (reading 30)."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

VERDICTS = ("ahead", "behind", "even", "open")
AHEAD, BEHIND, EVEN, OPEN = range(4)
#: A verdict with the lanes the other way round, where it is another word.
TURNED = {"ahead": "behind", "behind": "ahead"}


def within_of(verdict: str, low: float, high: float) -> str | None:
    """On which side an even verdict lies whose interval leaves 0 out: `ahead` or `behind`, by less than the band."""
    if verdict != "even":
        return None
    return "ahead" if low > 0 else "behind" if high < 0 else None


def verdicts_of_logs(low: Floats | float, high: Floats | float, band: float) -> NDArray[np.int8]:
    """Codes of :data:`VERDICTS` for intervals of ln r; NaN ends are open."""
    edge = math.log1p(band)
    low, high = np.asarray(low), np.asarray(high)
    with np.errstate(invalid="ignore"):
        even = (low >= -edge) & (high <= edge)
        codes: NDArray[np.int8] = np.select([even, low > 0, high < 0], [EVEN, AHEAD, BEHIND], OPEN).astype(np.int8)
    return codes


def adjusted_p(p: Sequence[float]) -> list[float]:
    """Benjamini & Hochberg, "Controlling the False Discovery Rate", JRSS B 1995: adjusted p in the order given."""
    order = np.argsort(np.asarray(p, dtype=np.float64), kind="stable")
    ranked = np.asarray(p, dtype=np.float64)[order] * len(p) / np.arange(1, len(p) + 1)
    least = np.minimum(np.minimum.accumulate(ranked[::-1])[::-1], 1.0)
    adjusted = np.empty(len(p))
    adjusted[order] = least
    return adjusted.tolist()
