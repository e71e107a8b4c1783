"""The noise of pairs of lanes: by scene, with drift taken out and lanes that scatter unlike (readings 13, 34, 35).

Every array is over figures F, pairs P and, where it has a third axis, scenes G, so that all pairs of a ladder cost a
few dozen array operations.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import fdtr, fdtrc

from rennbahn.inference.drift import BOUND, tightness
from rennbahn.inference.moderation import POOLS, Moderated, moderated

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

#: Both lanes need so many degrees of freedom before it is asked whether one is noisier, and it is at this p.
FEWEST_OF_LANE = 8
UNLIKE = 0.05
#: How often drift and noise are taken from each other.
_ROUNDS = 3


@dataclass(frozen=True)
class Noise:
    """Noise of one scene for one figure and pair of lanes: standard deviation of ln x; None without two passes.

    `pool` says whose: the scene's `own`, `moderated` by the others, or the whole `study`'s. `own_s` and `own_df` are
    the scene's alone, `prior_s` and `prior_df` what the scenes have in common (`prior_df` None when they are alike).
    """

    s: float | None
    df: float
    pool: str
    own_s: float | None = None
    own_df: int = 0
    prior_s: float | None = None
    prior_df: float | None = None

    @property
    def floor_percent(self) -> float | None:
        """The noise floor: one standard deviation as percent."""
        return None if self.s is None else math.expm1(self.s) * 100.0

    def used(self) -> dict[str, object]:
        """What an interval is made with, as plain data."""
        return {"s": self.s, "df": self.df, "pool": self.pool, "noise_floor_percent": self.floor_percent}

    def as_json(self) -> dict[str, object]:
        """Plain data with what the noise was made of."""
        return {
            "s": self.s, "df": self.df, "pool": self.pool, "own_s": self.own_s, "own_df": self.own_df,
            "prior_s": self.prior_s, "prior_df": self.prior_df, "noise_floor_percent": self.floor_percent,
        }  # fmt: skip


@dataclass(frozen=True)
class SlowDrift:
    """What was taken out as drift of the bench, in percent an hour at 95%; `allowance` is a share an hour."""

    percent_per_hour: float
    low: float
    high: float
    allowance: float


@dataclass(frozen=True)
class LaneNoise:
    """Share of the noise that each lane has (1 where both scatter alike), with the p of their being alike."""

    a: float
    b: float
    p: float | None


@dataclass(frozen=True)
class Scatter:
    """Sums within cells of ln x (`yy`), of the bench's hours (`tt`) and of both (`ty`), with their degrees of freedom.

    Over cells of two passes or more; shape (F, L, G) each.
    """

    freedom: Floats
    yy: Floats
    tt: Floats
    ty: Floats


class PairNoise:
    """Noise of pairs of lanes under a drift that may be allowed for.

    `scatter` is of all lanes; `a` and `b` (P,) are the numbers of each pair's lanes, and `clocked` (F, P) says where
    every accepted pass of the pair has its hour. `v`, `df`, `pool` are as in
    :class:`~rennbahn.inference.moderation.Moderated`; `slope` and `slope_var` (F, P) the drift of ln x an hour with its
    variance, 0 where none is taken out; `share_a`, `share_b` each lane's share of v with `unlike` where they are in
    use; `freedom` (F, P) is that of the whole study.
    """

    def __init__(
        self, scatter: Scatter, a: NDArray[np.intp], b: NDArray[np.intp], clocked: Bools, allowance: float
    ) -> None:
        self.allowance = allowance
        self.drifting: Bools = clocked if allowance > 0 else np.zeros_like(clocked)
        own_a, own_b = (
            Scatter(*(x[:, side] for x in (scatter.freedom, scatter.yy, scatter.tt, scatter.ty))) for side in (a, b)
        )
        both = Scatter(own_a.freedom + own_b.freedom, own_a.yy + own_b.yy, own_a.tt + own_b.tt, own_a.ty + own_b.ty)
        self.own_freedom = both.freedom
        self.freedom = both.freedom.sum(axis=-1)
        told = told_apart(both, self.drifting, allowance)
        self.found, self.slope, self.slope_var = told.found, told.slope, told.slope_var
        self.v, self.df, self.pool = told.found.v, told.found.df, told.found.pool
        self._lanes(own_a, own_b, told.residual)

    def _lanes(self, own_a: Scatter, own_b: Scatter, slope: Floats) -> None:
        """Does one lane scatter more than the other (reading 35)?"""
        with np.errstate(invalid="ignore", divide="ignore"):
            weight = np.where(self.v > 0, 1.0 / self.v, 0.0)
        there = self.v > 0
        r_a, r_b = ((weight * left_by(own, slope)).sum(axis=-1) for own in (own_a, own_b))
        d_a, d_b = (np.where(there, own.freedom, 0.0).sum(axis=-1) for own in (own_a, own_b))
        asked = (d_a >= FEWEST_OF_LANE) & (d_b >= FEWEST_OF_LANE) & (r_a > 0) & (r_b > 0)
        self.p = np.full(asked.shape, math.nan)
        self.share_a, self.share_b = np.ones(asked.shape), np.ones(asked.shape)
        if asked.any():
            each_a, each_b = r_a[asked] / d_a[asked], r_b[asked] / d_b[asked]
            over = each_a / each_b
            smaller = np.minimum(fdtr(d_a[asked], d_b[asked], over), fdtrc(d_a[asked], d_b[asked], over))
            self.p[asked] = 2.0 * smaller
            use = self.p[asked] < UNLIKE
            self.share_a[asked] = np.where(use, each_a, 1.0)
            self.share_b[asked] = np.where(use, each_b, 1.0)
        with np.errstate(invalid="ignore"):
            self.unlike: Bools = self.p < UNLIKE

    def noise(self, figure: int, pair: int, scene: int) -> Noise:
        """The noise of one scene, as an object."""
        at, found = (figure, pair, scene), self.found
        v, own = float(self.v[at]), float(found.own[at])
        df = 0.0 if math.isnan(v) else float(self.df[at])
        prior, prior_df = float(found.prior[figure, pair]), float(found.prior_df[figure, pair])
        own_df = int(self.own_freedom[at])
        return Noise(
            s=None if math.isnan(v) else math.sqrt(v),
            df=int(df) if df.is_integer() else df,
            pool=POOLS[self.pool[at]],
            own_s=math.sqrt(own) if own_df else None,
            own_df=own_df,
            prior_s=None if math.isnan(prior) else math.sqrt(prior),
            prior_df=prior_df if math.isfinite(prior_df) else None,
        )

    def drift(self, figure: int, pair: int) -> SlowDrift | None:
        """What is taken out as drift, where any is."""
        if not self.drifting[figure, pair]:
            return None
        b, reach = float(self.slope[figure, pair]), BOUND * math.sqrt(float(self.slope_var[figure, pair]))
        slope, low, high = (100.0 * math.expm1(value) for value in (b, b - reach, b + reach))
        return SlowDrift(slope, low, high, self.allowance)

    def lanes(self, figure: int, pair: int) -> LaneNoise:
        """The lanes' shares of the noise."""
        p = float(self.p[figure, pair])
        return LaneNoise(
            float(self.share_a[figure, pair]), float(self.share_b[figure, pair]), None if math.isnan(p) else p
        )


@dataclass(frozen=True)
class ToldApart:
    """Noise by scene, shape (.., G), and the drift of ln x an hour with its variance, shape (..), 0 where none is
    taken out. `residual` is the drift that the noise was taken without."""

    found: Moderated
    slope: Floats
    slope_var: Floats
    residual: Floats


def told_apart(scatter: Scatter, drifting: Bools, allowance: float) -> ToldApart:
    """The noise of scenes and the drift of the bench, from what scatters within cells (readings 13 and 34)."""
    slope = slope_var = residual = np.zeros(drifting.shape)
    found = moderated(scatter.yy, scatter.freedom)
    if not drifting.any():
        return ToldApart(found, slope, slope_var, residual)
    held = tightness(allowance)
    for turn in range(_ROUNDS):
        if turn:
            found = moderated(left_by(scatter, slope), scatter.freedom)
        with np.errstate(invalid="ignore", divide="ignore"):
            weight = np.where(found.v > 0, 1.0 / found.v, 0.0)
        sxx, sxy = (weight * scatter.tt).sum(axis=-1), (weight * scatter.ty).sum(axis=-1)
        residual = slope
        slope = np.where(drifting, sxy / (sxx + held), 0.0)
        slope_var = np.where(drifting, 1.0 / (sxx + held), 0.0)
    return ToldApart(found, slope, slope_var, residual)


def left_by(own: Scatter, slope: Floats) -> Floats:
    """Sums of squares that a drift leaves, shape (F, P, G)."""
    if not slope.any():
        return own.yy
    b: Any = slope[..., None]
    left: Floats = np.maximum(own.yy - 2.0 * b * own.ty + b * b * own.tt, 0.0)
    return left
