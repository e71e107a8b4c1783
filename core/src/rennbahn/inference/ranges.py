"""How far the largest of all differences between k lanes may reach by chance alone: the studentized range.

Source: Tukey, "The problem of multiple comparisons", 1953; unequal lanes after Kramer, "Extension of multiple range
tests", Biometrics 12:307, 1956 (never too narrow: Hayter, Annals of Statistics 12:61, 1984).
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.special import chdtri, ndtr

Floats = NDArray[np.float64]

#: Steps of the integrals, fine enough for five digits of a quantile.
_NODES = 128
_WIDEST = 40.0


def widest_t(lanes: int, df: float, level: float) -> float:
    """The t that all differences between `lanes` stay under at once with probability 1 - `level`; of two it is t.

    This is the quantile of the studentized range over the root of 2 (Tukey's honest significant difference). NaN where
    `df` is under 1. SciPy has the same quantile, hundreds of times as slow: a ladder asks for many.

    >>> round(widest_t(2, 12.0, 0.05), 3), round(widest_t(6, 12.0, 0.05), 3)
    (2.179, 3.359)
    """
    if not df >= 1 or lanes < 2:
        return math.nan
    return _widest_t(lanes, round(float(df), 3) if df < 1e6 else math.inf, level)


@lru_cache(maxsize=4096)
def _widest_t(lanes: int, df: float, level: float) -> float:
    table = _range_table(lanes)
    scale = _scales(df)

    def beyond(q: float) -> float:
        return level - (1.0 - float(_weights() @ np.interp(q * scale, *table)))

    top = _WIDEST
    while beyond(top) < 0:
        top *= 4.0
    return float(brentq(beyond, 0.0, top, xtol=1e-7)) / math.sqrt(2.0)


@lru_cache(maxsize=64)
def _range_table(lanes: int) -> tuple[Floats, Floats]:
    """Of the range of so many standard normal values: points, and the probability of less."""
    x = np.concatenate([np.linspace(0.0, 12.0, 1201), [1e9]])
    z, weight = np.polynomial.legendre.leggauss(_NODES)
    z, weight = z * 9.0, weight * 9.0
    density = np.exp(-0.5 * z * z) / math.sqrt(2.0 * math.pi) * weight
    inside = ndtr(z)[None, :] - ndtr(z[None, :] - x[:, None])
    return x, np.minimum(lanes * (inside ** (lanes - 1)) @ density, 1.0)


@lru_cache(maxsize=1)
def _weights() -> Floats:
    found: Floats = np.polynomial.legendre.leggauss(_NODES)[1] / 2.0
    return found


@lru_cache(maxsize=4096)
def _scales(df: float) -> Floats:
    """Estimated over true standard deviation at the nodes of its distribution."""
    if math.isinf(df):
        return np.ones(_NODES)
    share = (np.polynomial.legendre.leggauss(_NODES)[0] + 1.0) / 2.0
    found: Floats = np.sqrt(chdtri(df, 1.0 - share) / df)
    return found
