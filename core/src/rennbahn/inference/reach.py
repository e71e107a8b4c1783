"""How far an interval reaches, and how rare a margin is, where it may be off by a known bias (readings 30 and 34).

Source: Armstrong & Kolesar, "Simple and honest confidence intervals", Quantitative Economics 11:1, 2020 (a
bias-aware, fixed-length interval).
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaln, stdtr, stdtrit

Floats = NDArray[np.float64]

#: Beyond so many degrees of freedom t is normal to nine digits and more.
ENDLESS = 1e9
#: Newton's steps to the quantile; three do nearly always.
_STEPS = 40
_EXACT = 1e-13


def half_width(error: Any, df: Any, bias: Any, level: float) -> Floats:
    """Half the interval of estimates with standard `error`, `df` degrees of freedom and a `bias` of at most so much.

    All broadcast against each other; NaN where `df` is under 1 or unknown. It is c times the error, with c such that
    |T + bias / error| stays within it with probability 1 - `level`; without error it is the bias.

    >>> half_width(1.0, 12.0, [0.0, 1.0, 5.0], 0.05).round(3).tolist()
    [2.179, 2.797, 6.782]
    """
    error, df, bias = (np.asarray(x, dtype=np.float64) for x in (error, df, bias))
    if not bias.any():
        with np.errstate(invalid="ignore"):
            found: Floats = np.where(error == 0.0, np.where(df >= 1, 0.0, math.nan), _quantile(df, level) * error)
        return found
    error, df, bias = np.broadcast_arrays(error, df, bias)
    found = np.full(error.shape, math.nan)
    with np.errstate(invalid="ignore"):
        known = (df >= 1) & ~np.isnan(error)
        point = known & (error == 0.0)
    found[point] = np.abs(bias[point])
    some = known & ~point
    if some.any():
        found[some] = _widened(df[some], np.abs(bias[some]) / error[some], level) * error[some]
    return found


def _quantile(df: Floats, level: float) -> Floats:
    """The two-sided t quantile; NaN where `df` is under 1. Tests share a few pools, and a quantile costs most here."""
    some, back = np.unique(df, return_inverse=True)
    with np.errstate(invalid="ignore"):
        t = np.where(some >= 1, stdtrit(np.clip(some, 1.0, ENDLESS), 1.0 - level / 2.0), math.nan)
    return np.asarray(t[back].reshape(df.shape))


def _widened(df: Floats, off: Floats, level: float) -> Floats:
    """c with P(|T + `off`| <= c) = 1 - `level`, shape (N,); `off` is the bias in standard errors."""
    df = np.minimum(df, ENDLESS)
    two_sided, one_sided = stdtrit(df, 1.0 - level / 2.0), stdtrit(df, 1.0 - level)
    # From below: of a large bias the far tail is almost nothing, and the first guess nearly right.
    c, high = np.maximum(two_sided, off + one_sided), off + two_sided
    left = np.arange(len(c))
    for _ in range(_STEPS):
        d, x, at = df[left], off[left], c[left]
        miss = stdtr(d, at - x) - stdtr(d, -at - x) - (1.0 - level)
        after = np.clip(at - miss / (_density(d, at - x) + _density(d, -at - x)), at * 0.5, high[left])
        c[left] = after
        left = left[np.abs(after - at) > _EXACT * at]
        if not len(left):
            break
    return np.asarray(c)


def two_sided_p(middle: Any, error: Any, df: Any, bias: Any) -> Floats:
    """How rare estimates so far from 0 are where nothing but the bias moves them: p under 0.05 where the interval of
    :func:`half_width` at 0.05 leaves 0 out, and nowhere else. NaN where `df` is under 1.
    """
    middle, error, df, bias = np.broadcast_arrays(*(np.asarray(x, dtype=np.float64) for x in (middle, error, df, bias)))
    with np.errstate(invalid="ignore", divide="ignore"):
        q, off = np.abs(middle) / error, np.abs(bias) / error
        df = np.minimum(df, ENDLESS)
        p = stdtr(df, -(q - off)) + stdtr(df, -(q + off))
        p = np.where(error == 0.0, (np.abs(middle) <= np.abs(bias)).astype(np.float64), p)
        return np.where(df >= 1, p, math.nan)


def _density(df: Floats, t: Floats) -> Floats:
    """Density of t."""
    half = df / 2.0
    scale = np.exp(gammaln(half + 0.5) - gammaln(half)) / np.sqrt(math.pi * df)
    # Of endless freedom the two logarithms of gamma lose all their digits against each other.
    scale = np.where(df > 1e6, 1.0 / math.sqrt(2.0 * math.pi), scale)
    found: Floats = scale * np.exp(-(half + 0.5) * np.log1p(t * t / df))
    return found
