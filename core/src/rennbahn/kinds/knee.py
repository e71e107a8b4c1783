"""Where a curve over the steps of a sweep bends: the level from which more brings clearly less than before.

Two straight lines that meet are laid through the points, for every place where they could meet. There is a knee where
the second is surely less than half as steep as the first, surely being asked of all places at once: the bound is that
of a curve without any knee, by simulation from a fixed seed. Places within the interval fit as well as the best one
(an F ratio, after Hinkley, "Inference in two-phase regression", JASA 66:736, 1971).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.special import fdtri

Floats = NDArray[np.float64]

#: After a knee a step brings less than this share of what it brought before.
CLEARLY_LESS = 0.5
#: Fewer points show no bend.
FEWEST_POINTS = 4
#: Places tried between two levels.
_BETWEEN = 8
_DRAWS = 4000
_SEED = 20_240_229


@dataclass(frozen=True)
class Knee:
    """The level of the bend with the ends of its interval, in the unit of the levels, and the slopes before and after
    (fps a unit of level)."""

    level: float
    low: float
    high: float
    before: float
    after: float


def knee_of(levels: Floats, values: Floats, errors: Floats, df: float, level: float = 0.05) -> Knee | None:
    """The knee of a curve that rises over `levels` (ascending), or None.

    `values` in fps with independent standard `errors` of `df` degrees of freedom, shape (N,).
    """
    count = len(levels)
    if count < FEWEST_POINTS or not (np.isfinite(errors).all() and (errors > 0).all() and df >= 1):
        return None
    places = _places(tuple(levels.tolist()))
    fits = [Bend(levels, errors, place) for place in places]
    asked = np.array([fit.score(values) for fit in fits])
    bound = _bound(tuple(levels.tolist()), tuple((errors / errors.mean()).round(2).tolist()), round(df, 1), level)
    misfit = np.array([fit.misfit(values) for fit in fits])
    best = int(misfit.argmin())
    if not asked.max() > bound:
        return None
    before, after = fits[best].slopes(values)
    if before <= 0 or after >= CLEARLY_LESS * before:
        return None
    # Errors are known but for their common scale, of which `df` tells.
    within = misfit <= misfit[best] + float(fdtri(1, df, 1.0 - level))
    return Knee(float(places[best]), float(places[within].min()), float(places[within].max()), before, after)


def _places(levels: tuple[float, ...]) -> Floats:
    """Where the lines could meet: from the second level to the second last."""
    inner = levels[1:-1]
    found = [np.linspace(a, b, _BETWEEN, endpoint=False) for a, b in pairwise(inner)]
    return np.concatenate([*found, [inner[-1]]])


class Bend:
    """Two lines that meet at a place, by least squares; `errors` are the standard errors of the values, shape (N,)."""

    def __init__(self, levels: Floats, errors: Floats, place: float) -> None:
        off = levels - place
        design = np.column_stack([np.ones(len(levels)), np.minimum(off, 0.0), np.maximum(off, 0.0)])
        self.design, self.errors = design / errors[:, None], errors
        self.solve = np.linalg.pinv(self.design)
        covariance = self.solve @ self.solve.T
        self.contrast = np.array([0.0, CLEARLY_LESS, -1.0])
        self.error = math.sqrt(float(self.contrast @ covariance @ self.contrast))

    def coefficients(self, values: Floats) -> Floats:
        found: Floats = self.solve @ (values / self.errors)
        return found

    def slopes(self, values: Floats) -> tuple[float, float]:
        """Before and after the place."""
        found = self.coefficients(values)
        return float(found[1]), float(found[2])

    def misfit(self, values: Floats) -> float:
        """Weighted squares that the lines leave."""
        left = values / self.errors - self.design @ self.coefficients(values)
        return float(left @ left)

    def score(self, values: Floats) -> float:
        """How surely the second line is less than half as steep, as a t."""
        return float(self.contrast @ self.coefficients(values)) / self.error


@lru_cache(maxsize=512)
def _bound(levels: tuple[float, ...], errors: tuple[float, ...], df: float, level: float) -> float:
    """What the largest score over all places stays under with probability 1 - `level` on a flat curve.

    Of curves without a knee that one is the hardest: any that rises steadily has lower scores.
    """
    x, scale = np.asarray(levels), np.asarray(errors)
    rng = np.random.default_rng(_SEED)
    noise = rng.standard_normal((_DRAWS, len(x)))
    told = np.sqrt(rng.chisquare(df, _DRAWS) / df) if df < 1e5 else np.ones(_DRAWS)
    largest = np.full(_DRAWS, -np.inf)
    for place in _places(levels):
        bend = Bend(x, scale, float(place))
        largest = np.maximum(largest, (noise @ bend.solve.T @ bend.contrast) / bend.error / told)
    return float(np.quantile(largest, 1.0 - level))
