"""Begin with three passes and add while the verdict is open, without fooling oneself.

Who looks after every pass and stops at the first verdict makes false claims more often than one in twenty. The rule
therefore asks each look for a stricter level, the same at all looks (Pocock, "Group sequential methods in the design
and analysis of clinical trials", Biometrika 1977), so that all looks together keep to 5%.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.special import ndtr

from rennbahn.errors import RennbahnError
from rennbahn.inference.power import FEWEST_PASSES

#: Share of studies of equal lanes that may end in a claim.
FALSE_CLAIMS = 0.05
#: More looks than this are not offered: the level would grow too strict to be worth looking.
MOST_AT_LIMIT = 20
#: Places of Gauss and Legendre on which the distribution of a sum is carried; what it carries is smooth.
_PLACES, _WEIGHTS = np.polynomial.legendre.leggauss(120)
#: Levels are rounded to so many decimals, so that every program that follows the rule has the same.
_DECIMALS = 6


@dataclass(frozen=True)
class SequentialRule:
    """Look after `first` passes a lane and after each further one up to `limit`.

    Raises :class:`RennbahnError` (`bad_rule`) where the numbers make no rule.
    """

    limit: int
    first: int = FEWEST_PASSES

    def __post_init__(self) -> None:
        """Check the numbers."""
        if not FEWEST_PASSES <= self.first < self.limit <= MOST_AT_LIMIT:
            raise RennbahnError(
                "bad_rule",
                f"the rule needs a limit over {self.first} and up to {MOST_AT_LIMIT} passes (got {self.limit})",
                field="most_passes",
            )

    @property
    def looks(self) -> int:
        """How many times one may look."""
        return self.limit - self.first + 1

    @property
    def level(self) -> float:
        """The two-sided p that a claim must stay under at every look."""
        return look_level(self.first, self.limit)


@lru_cache(maxsize=256)
def look_level(first: int, limit: int, claims: float = FALSE_CLAIMS) -> float:
    """The constant two-sided level at looks after `first`, `first` + 1, .. `limit` passes whose union is `claims`.

    Computed for known normal noise by carrying the distribution of the sum from look to look; rounded to six decimals.
    The field's term is a group sequential boundary of equal levels (Pocock, Biometrika 64, 1977).

    >>> look_level(3, 12)
    0.012954
    """
    sizes = list(range(first, limit + 1))
    bound: float = brentq(lambda z: _ever_beyond(z, sizes) - claims, 1.0, 6.0, xtol=1e-12)
    return round(float(2.0 * ndtr(-bound)), _DECIMALS)


def _ever_beyond(z: float, sizes: list[int]) -> float:
    """Chance that a standardised sum of n independent terms lies beyond +-z at any of the sizes n."""
    edge = z * math.sqrt(sizes[0])
    sums, weights = _PLACES * edge, _WEIGHTS * edge
    density = _normal(sums, sizes[0])
    for before, size in itertools.pairwise(sizes):
        edge = z * math.sqrt(size)
        to = _PLACES * edge
        density = _normal(to[:, None] - sums[None, :], size - before) @ (density * weights)
        sums, weights = to, _WEIGHTS * edge
    return 1.0 - float((density * weights).sum())


def _normal(at: NDArray[np.float64], variance: float) -> NDArray[np.float64]:
    """Density of a normal value of mean 0."""
    density: NDArray[np.float64] = np.exp(-0.5 * at**2 / variance) / math.sqrt(2.0 * math.pi * variance)
    return density
