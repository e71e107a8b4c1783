"""Passes needed (measures, section 5 and reading 31). Noise `s` is a standard deviation of ln fps.

Answers are remembered: all tests of a study that lean on one noise pool ask the same.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable
from functools import lru_cache

from scipy.special import stdtrit

#: No plan asks for more passes than this.
MOST_PASSES = 1000
#: Three passes are the floor: two cannot say which of them is odd.
FEWEST_PASSES = 3
_POWER = 0.9
_SIGNIFICANCE = 0.975


@lru_cache(maxsize=4096)
def passes_needed(s: float | None, margin: float, cells: int) -> int | None:
    """Passes a lane that show a true margin (0.02 is 2%) with probability 0.9.

    `cells` is the number of cells the noise is pooled over. None without noise or over 1,000 passes.
    """
    return _smallest(s, margin, cells, _POWER)


@lru_cache(maxsize=4096)
def passes_for_even(s: float | None, band: float, cells: int) -> int | None:
    """Passes a lane that show the evenness of two equal lanes within `band` with probability 0.9."""
    return _smallest(s, band, cells, 1.0 - (1.0 - _POWER) / 2.0)


@lru_cache(maxsize=4096)
def resolvable(s: float | None, passes: int, cells: int) -> float | None:
    """The true margin that `passes` a lane show with probability 0.9. None without noise or degrees of freedom."""
    freedom = (passes - 1) * cells
    if s is None or freedom < 1:
        return None
    return math.expm1(quantiles(freedom) * s * math.sqrt(2.0 / passes))


def _smallest(s: float | None, margin: float, cells: int, power: float) -> int | None:
    if s is None or cells < 1:
        return None
    reach = math.log1p(margin)
    return smallest_of(
        lambda n: quantiles((n - 1) * cells, power) * s * math.sqrt(2.0 / n) <= reach, FEWEST_PASSES, MOST_PASSES
    )


def smallest_of(holds: Callable[[int], bool], low: int, high: int) -> int | None:
    """Smallest number from `low` to `high` for which `holds`, where it goes on holding once it does."""
    found = bisect_left(range(low, high + 1), True, key=holds) + low
    return found if found <= high else None


def quantiles(freedom: int, power: float = _POWER) -> float:
    """The sum of t quantiles that a margin must reach in standard errors: for the 95% interval and for the power."""
    return float(stdtrit(freedom, _SIGNIFICANCE) + stdtrit(freedom, power))
