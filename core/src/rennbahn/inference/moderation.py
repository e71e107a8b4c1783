"""Variances of many groups, each drawn towards what all have in common, as far as they are alike (reading 13)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtrc, digamma, fdtrc, polygamma

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

#: From so many groups that scatter at all, each is drawn towards what they have in common.
FEWEST_GROUPS = 5
#: With fewer, a group's own scatter is used from so many degrees of freedom on.
FEWEST_FREEDOM = 4
#: A group whose scatter would be this rare among the others stands alone.
ALONE = 0.2
POOLS = ("own", "moderated", "study")
OWN, MODERATED, STUDY = range(3)


@dataclass(frozen=True)
class Moderated:
    """Variances `v` with freedom `df` and `pool` codes, shape (.., G), from what scenes have in common (..)."""

    v: Floats
    df: Floats
    pool: NDArray[np.int8]
    own: Floats
    prior: Floats
    prior_df: Floats


def moderated(squares: Floats, freedom: Floats) -> Moderated:
    """Variances of scenes from their sums of squares with whole degrees of freedom, shape (.., G) each (reading 13).

    After Smyth, "Linear models and empirical Bayes methods", SAGMB 3:1, 2004, with far louder scenes left alone as in
    Phipson et al., "Robust hyperparameter estimation", AOAS 2016. The field's term is moderated (empirical Bayes)
    variance. Nothing is raised: a scene without any freedom has that of the others, and NaN where none has any.

    Five scenes of four degrees of freedom each: four are drawn together, the last is far louder and stands alone.

    >>> found = moderated(np.array([2e-4, 3e-4, 1e-4, 2.5e-4, 9e-3]), np.full(5, 4.0))
    >>> found.v.round(6).tolist()
    [5.4e-05, 7.2e-05, 3.6e-05, 6.3e-05, 0.00225]
    >>> [POOLS[code] for code in found.pool]
    ['moderated', 'moderated', 'moderated', 'moderated', 'own']
    """
    with np.errstate(invalid="ignore", divide="ignore"):
        own = squares / freedom
        everything, whole = squares.sum(axis=-1), freedom.sum(axis=-1)
        pooled = everything / whole
        scatters = (freedom >= 1) & (own > 0)
        count = scatters.sum(axis=-1)
        table = _of_freedom(int(freedom.max(initial=0)))
        at = freedom.astype(np.intp)
        logs = np.where(scatters, np.log(own) - table[0, at], 0.0)
        mean = logs.sum(axis=-1) / count
        off = np.where(scatters, logs - mean[..., None], 0.0)
        spread = (off * off).sum(axis=-1) / (count - 1) - np.where(scatters, table[1, at], 0.0).sum(axis=-1) / count
    many = count >= FEWEST_GROUPS
    unlike = many & (spread > 0)
    prior_df = np.full(many.shape, np.inf)
    prior = np.array(pooled)
    if unlike.any():
        half = inverse_trigamma(spread[unlike])
        prior_df[unlike] = 2.0 * half
        prior[unlike] = np.exp(mean[unlike] + digamma(half) - np.log(half))
    with np.errstate(invalid="ignore", divide="ignore"):
        drawn = (np.where(unlike, prior_df * prior, 0.0)[..., None] + squares) / (
            np.where(unlike, prior_df, 0.0)[..., None] + freedom
        )
    few = ~many[..., None]
    pool = np.where(unlike[..., None], MODERATED, STUDY)
    pool = np.where(few & (freedom >= FEWEST_FREEDOM), OWN, pool)
    if many.any():
        pool = np.where(_stands_alone(freedom, own, prior, prior_df, many), OWN, pool)
    shape = squares.shape
    v = np.choose(pool, [own, drawn, np.broadcast_to(pooled[..., None], shape)])
    df = np.choose(
        pool,
        [
            freedom,
            np.minimum(prior_df[..., None] + freedom, whole[..., None]),
            np.broadcast_to(whole[..., None], shape),
        ],
    )
    nothing = np.where(many, prior, math.nan), np.where(many, prior_df, math.nan)
    return Moderated(v, df, pool.astype(np.int8), own, *nothing)


def _stands_alone(freedom: Floats, own: Floats, prior: Floats, prior_df: Floats, many: Bools) -> Bools:
    """Which scenes scatter improbably far beyond what the others have in common."""
    asked = many[..., None] & (freedom >= 1)
    found = np.zeros(asked.shape, dtype=np.bool_)
    # Only what scatters more than the others can be improbably much.
    with np.errstate(invalid="ignore"):
        asked &= own > prior[..., None]
    d, over = freedom[asked], (own / prior[..., None])[asked]
    prior_of = np.broadcast_to(prior_df[..., None], asked.shape)[asked]
    endless = np.isinf(prior_of)
    rare = np.empty(len(d))
    rare[endless] = chdtrc(d[endless], d[endless] * over[endless])
    rare[~endless] = fdtrc(d[~endless], prior_of[~endless], over[~endless])
    found[asked] = rare < ALONE
    return found


@lru_cache(maxsize=64)
def _of_freedom(most: int) -> Floats:
    """digamma(d / 2) - ln(d / 2) and trigamma(d / 2) of d = 0 (as nothing) to `most`, shape (2, most + 1)."""
    half = np.arange(1, most + 1) / 2.0
    table = np.zeros((2, most + 1))
    table[0, 1:], table[1, 1:] = digamma(half) - np.log(half), polygamma(1, half)
    return table


def inverse_trigamma(y: Floats) -> Floats:
    """x > 0 with trigamma(x) = y > 0: Newton's method on 1 / trigamma, which is convex (Smyth 2004, appendix)."""
    x = np.where(y > 1e-6, 0.5 + 1.0 / y, 1.0 / y)
    for _ in range(50):
        value = polygamma(1, x)
        step = value * (1.0 - value / y) / polygamma(2, x)
        x = x + step
        if (np.abs(step) <= 1e-13 * x).all():
            break
    found: Floats = np.where(y > 1e7, 1.0 / np.sqrt(y), x)
    return found
