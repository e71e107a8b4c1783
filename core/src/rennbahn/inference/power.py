"""Passes needed, by exact power (measures, section 5 and reading 31). Noise `s` is a standard deviation of ln fps.

What a margin must reach in standard errors depends on the degrees of freedom alone, and is remembered: all tests of a
study ask for the same few.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.optimize import brentq
from scipy.special import gammaln, ndtr, ndtri, stdtrit
from scipy.stats import nct

#: No plan asks for more passes than this.
MOST_PASSES = 1000
#: Three passes are the floor: two cannot say which of them is odd.
FEWEST_PASSES = 3
_POWER = 0.9
_SIGNIFICANCE = 0.975
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(160)
#: Beyond so many degrees of freedom t is normal to nine digits and more.
_ENDLESS = 1e9


@dataclass(frozen=True)
class Freedom:
    """Degrees of freedom of n passes a lane: `base` and `each` for every pass but the first, at least `least`."""

    each: float
    base: float = 0.0
    least: float = 0.0

    @classmethod
    def of_test(cls, df: float, own_df: float) -> Freedom:
        """Of a test whose noise has `df`, `own_df` of them its scene's own: further passes of both lanes add to it."""
        return cls(2.0, df - own_df, 1.0)

    def at(self, passes: int) -> float:
        """The degrees of freedom at `passes` a lane."""
        return max(self.base + self.each * (passes - 1), self.least)


def passes_needed(s: float | None, margin: float, freedom: Freedom) -> int | None:
    """Passes a lane that show a true margin (0.02 is 2%) with probability 0.9.

    None without noise or over 1,000 passes.
    """
    return _smallest(s, margin, freedom, reach_to_show)


def passes_for_even(s: float | None, band: float, freedom: Freedom) -> int | None:
    """Passes a lane that show the evenness of two equal lanes within `band` with probability 0.9."""
    return _smallest(s, band, freedom, reach_for_even)


def resolvable(s: float | None, passes: int, freedom: Freedom) -> float | None:
    """The true margin that `passes` a lane show with probability 0.9. None without noise or degrees of freedom."""
    df = freedom.at(passes)
    if s is None or df < 1 or passes < 1:
        return None
    return math.expm1(reach_to_show(df) * s * math.sqrt(2.0 / passes))


def _smallest(s: float | None, margin: float, freedom: Freedom, reach: Callable[[float], float]) -> int | None:
    if s is None or freedom.at(MOST_PASSES) < 1:
        return None
    edge = math.log1p(margin)

    def holds(n: int) -> bool:
        df = freedom.at(n)
        return df >= 1 and reach(df) * s * math.sqrt(2.0 / n) <= edge

    return smallest_of(holds, FEWEST_PASSES, MOST_PASSES)


def smallest_of(holds: Callable[[int], bool], low: int, high: int) -> int | None:
    """Smallest number from `low` to `high` for which `holds`, where it goes on holding once it does."""
    found = bisect_left(range(low, high + 1), True, key=holds) + low
    return found if found <= high else None


@lru_cache(maxsize=65536)
def reach_to_show(df: float, level: float = 0.05) -> float:
    """Standard errors that a true margin must lie from 0 to be shown with probability 0.9: noncentral t."""
    edge = float(stdtrit(min(df, _ENDLESS), 1.0 - level / 2.0))
    if df > _ENDLESS:
        return edge + float(ndtri(_POWER))
    found: float = brentq(lambda x: float(nct.sf(edge, df, x)) - _POWER, 0.0, 2.0 * edge + 5.0, xtol=1e-13, rtol=1e-13)
    return found


@lru_cache(maxsize=65536)
def reach_for_even(df: float) -> float:
    """Standard errors that the band must span for two equal lanes to be shown even with probability 0.9.

    Two one-sided tests: the chance that |Z| + t c stays within it, Z standard normal, c as chi over its root freedom.
    """
    edge = float(stdtrit(min(df, _ENDLESS), _SIGNIFICANCE))
    # The chi lies within ten of its standard deviations of 1 but for what no double would show.
    low, high = max(0.0, 1.0 - 10.0 / math.sqrt(2.0 * df)), 1.0 + 10.0 / math.sqrt(2.0 * df)
    log_scale = math.log(2.0) + df / 2.0 * math.log(df / 2.0) - float(gammaln(df / 2.0))

    def chance(reach: float) -> float:
        top = min(high, reach / edge)
        if top <= low:
            return 0.0
        half = (top - low) / 2.0
        c = low + half * (_NODES + 1.0)
        density = np.exp(log_scale + (df - 1.0) * np.log(c) - df * c * c / 2.0)
        inside = 2.0 * ndtr(reach - edge * c) - 1.0
        return float((density * inside * _WEIGHTS).sum() * half)

    found: float = brentq(lambda reach: chance(reach) - _POWER, 0.0, 2.0 * edge + 20.0, xtol=1e-12)
    return found
