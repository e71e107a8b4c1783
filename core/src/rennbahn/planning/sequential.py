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
from scipy.special import ndtr, ndtri

from rennbahn.errors import RennbahnError
from rennbahn.planning.passes import FEWEST_PASSES

#: Share of studies of equal lanes that may end in a claim.
FALSE_CLAIMS = 0.05
#: More looks than this are not offered: the level would grow too strict to be worth looking.
MOST_AT_LIMIT = 20
_GRID = 601


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

    def holds(self, p: float | None) -> bool:
        """May a claim with this p stand?"""
        return p is not None and p <= self.level


@lru_cache(maxsize=256)
def look_level(first: int, limit: int, claims: float = FALSE_CLAIMS) -> float:
    """The constant two-sided level at looks after `first`, `first` + 1, .. `limit` passes whose union is `claims`.

    Computed for the normal case by carrying the distribution of the sum from look to look on a grid; error under 1e-4.
    """
    sizes = list(range(first, limit + 1))
    bound: float = brentq(lambda z: _ever_beyond(z, sizes) - claims, -ndtri(claims / 2), 5.0, xtol=1e-6)
    return float(2.0 * ndtr(-bound))


def _ever_beyond(z: float, sizes: list[int]) -> float:
    """Chance that a standardised sum of n independent terms lies beyond +-z at any of the sizes n."""
    grid = np.linspace(-1.0, 1.0, _GRID)
    edge = z * math.sqrt(sizes[0])
    sums = grid * edge
    density = np.exp(-0.5 * sums**2 / sizes[0]) / math.sqrt(2 * math.pi * sizes[0])
    for before, size in itertools.pairwise(sizes):
        more = size - before
        edge = z * math.sqrt(size)
        to = grid * edge
        step = np.exp(-0.5 * (to[:, None] - sums[None, :]) ** 2 / more) / math.sqrt(2 * math.pi * more)
        density = step @ (density * _weights(sums))
        sums = to
    return 1.0 - float((density * _weights(sums)).sum())


def _weights(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Trapezium weights of an even grid."""
    weights = np.full(len(points), points[1] - points[0])
    weights[0] = weights[-1] = weights[0] / 2
    return weights
