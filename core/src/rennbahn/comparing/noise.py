"""The noise of sets of lanes: by scene, with drift taken out and lanes that scatter unlike (readings 13, 34, 35, 41).

Every array is over figures F and sets of lanes P (pairs, or one set of all lanes of a ladder) and, where it has more
axes, the M lanes of a set and scenes G, so that all pairs of a ladder cost a few dozen array operations.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtrc, fdtr, fdtrc

from rennbahn.inference.drift import BOUND, SHOWN, spread_of
from rennbahn.inference.moderation import POOLS, STUDY, Moderated, moderated

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

#: Lanes of as many passes scatter unlike at this p.
UNLIKE = 0.05
#: How often drift and noise are taken from each other, and then the lanes' sizes of it from both.
_TIMES = 3
_TIMES_OF_LANES = 5


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
    """What was taken out as drift of the bench, in percent an hour at 95%; `allowance` is a share an hour.

    `held`: the passes do not show it, so it is held towards none.
    """

    percent_per_hour: float
    low: float
    high: float
    allowance: float
    held: bool


@dataclass(frozen=True)
class LaneNoise:
    """How large each lane's scatter is beside the other's (1 where not `in_use`), with the p of their being alike."""

    a: float
    b: float
    p: float | None
    in_use: bool


@dataclass(frozen=True)
class Scatter:
    """Sums within cells of ln x (`yy`), of the bench's hours (`tt`) and of both (`ty`), with their degrees of freedom.

    Over cells of two passes or more; shape (.., G) each, before that figures and lanes.
    """

    freedom: Floats
    yy: Floats
    tt: Floats
    ty: Floats

    def of(self, lanes: NDArray[np.intp]) -> Scatter:
        """Of sets of lanes, by numbers of shape (P, M): shape (F, P, M, G) from (F, L, G)."""
        return Scatter(*(x[:, lanes] for x in (self.freedom, self.yy, self.tt, self.ty)))

    def left(self, slope: Floats) -> Floats:
        """Sums of squares that a drift of ln x an hour, shape (F, P), leaves of each lane."""
        if not slope.any():
            return self.yy
        b: Any = slope[..., None, None]
        found: Floats = np.maximum(self.yy - 2.0 * b * self.ty + b * b * self.tt, 0.0)
        return found


class NoiseOf:
    """Noise of sets of lanes under a drift that may be allowed for.

    `scatter` has shape (F, P, M, G); `clocked` (F, P) says where every accepted pass of the set has its hour, `uneven`
    (F, P) where its lanes have unequal numbers of passes in some test. `v`, `df`, `pool` (F, P, G) are as in
    :class:`~rennbahn.inference.moderation.Moderated`. `slope` and `slope_var` (F, P) are the drift of ln x an hour with
    its variance, 0 where none is taken out, and `held` (F, P) what share of the allowance holding it may leave in. `h`
    (F, P, M) is the size of each lane's scatter, 1 where not `in_use` (F, P); `freedom` (F, P) that of the whole study.
    """

    def __init__(self, scatter: Scatter, clocked: Bools, uneven: Bools, allowance: float) -> None:
        self.allowance = allowance
        self.scatter = scatter
        self.drifting: Bools = clocked if allowance > 0 else np.zeros_like(clocked)
        self.own_freedom = scatter.freedom.sum(axis=-2)
        self.freedom = self.own_freedom.sum(axis=-1)
        self.h = np.ones(scatter.freedom.shape[:-1])
        self.slope = self.slope_var = self.held = self.sxx = np.zeros(clocked.shape)
        residual = self._apart()
        self._lanes(residual, uneven)
        self.v, self.df, self.pool = self.found.v, self.found.df, self.found.pool

    def _apart(self) -> Floats:
        """Noise and drift taken from each other; the drift that the noise was taken without."""
        self.found = self._noise(self.slope)
        residual = self.slope
        for turn in range(_TIMES if self.drifting.any() else 0):
            if turn:
                self.found = self._noise(self.slope)
            residual = self.slope
            self._drift()
        return residual

    def _noise(self, slope: Floats) -> Moderated:
        return moderated((self.scatter.left(slope) / self.h[..., None]).sum(axis=-2), self.own_freedom)

    def _drift(self) -> None:
        """The drift as passes show it, else held towards none (reading 34)."""
        v = self.found.v
        with np.errstate(invalid="ignore", divide="ignore"):
            weight = np.where(v > 0, 1.0 / v, 0.0)[..., None, :] / self.h[..., None]
            by_scene = (weight * self.scatter.tt).sum(axis=-2)
            sxx, sxy = by_scene.sum(axis=-1), (weight * self.scatter.ty).sum(axis=(-1, -2))
            tau2 = spread_of(self.allowance)
            share = np.where(sxx * tau2 >= SHOWN, 1.0, sxx / (sxx + 1.0 / tau2))
            slope = np.where(sxx > 0, share * sxy / sxx, 0.0)
            # The weights are estimates themselves (Meier, "Variance of a weighted mean", Biometrics 9:59, 1953).
            on_study = self.found.pool == STUDY
            q = by_scene / sxx[..., None]
            of_study = np.where(on_study, q, 0.0).sum(axis=-1)
            own = np.where(on_study, 0.0, q * (1.0 - q) / self.found.df).sum(axis=-1)
            more = 1.0 + 4.0 * (own + np.where(of_study > 0, of_study * (1.0 - of_study) / self.freedom, 0.0))
            slope_var = np.where(sxx > 0, share**2 * more / sxx, 0.0)
        self.sxx = np.where(self.drifting, sxx, 0.0)
        self.slope = np.where(self.drifting, slope, 0.0)
        self.slope_var = np.where(self.drifting, slope_var, 0.0)
        self.held = np.where(self.drifting, 1.0 - share, 0.0)

    def _lanes(self, residual: Floats, uneven: Bools) -> None:
        """Does a lane scatter more than the others, and how much (readings 35 and 41)?"""
        squares, freedom = self._over_noise(residual)
        self.lane_freedom = freedom
        self.asked = (freedom >= 1) & (squares > 0)
        enough = self.asked.sum(axis=-1) >= 2
        if squares.shape[-1] == 2:
            enough &= self.asked.all(axis=-1)
        self.asked &= enough[..., None]
        self.p = np.where(enough, _alike(squares, freedom, self.asked), math.nan)
        with np.errstate(invalid="ignore"):
            self.in_use: Bools = enough & (uneven | (self.p < UNLIKE))
        if not self.in_use.any():
            return
        # Few sets need it: the others are left as they are.
        where = np.nonzero(self.in_use)
        own = self._some(where)
        own.size_lanes()
        self.h[where] = own.h
        self.found = Moderated(
            *(_with(getattr(self.found, one.name), where, getattr(own.found, one.name)) for one in fields(Moderated))
        )
        for name in ("slope", "slope_var", "held", "sxx", "lane_freedom"):
            setattr(self, name, _with(getattr(self, name), where, getattr(own, name)))

    def _some(self, where: tuple[NDArray[np.intp], ...]) -> NoiseOf:
        """Some of the figures and sets, by their indices, as they stand: with one axis in the place of the two."""
        own = NoiseOf.__new__(NoiseOf)
        own.allowance = self.allowance
        own.scatter = Scatter(*(getattr(self.scatter, one.name)[where] for one in fields(Scatter)))
        own.found = Moderated(*(getattr(self.found, one.name)[where] for one in fields(Moderated)))
        for name in ("drifting", "own_freedom", "freedom", "h", "slope", "slope_var", "held", "sxx", "asked"):
            setattr(own, name, getattr(self, name)[where])
        return own

    def size_lanes(self) -> None:
        """The sizes of the lanes' scatter, the noise and the drift, taken from each other."""
        for _ in range(_TIMES_OF_LANES):
            squares, freedom = self._over_noise(self.slope)
            with np.errstate(invalid="ignore", divide="ignore"):
                q = np.where(self.asked, np.log(squares / freedom), 0.0)
                among = np.where(self.asked, freedom, 0.0)
                middle = (among * q).sum(axis=-1) / among.sum(axis=-1)
            self.h = np.where(self.asked, np.exp(q - middle[..., None]), 1.0)
            self.found = self._noise(self.slope)
            if self.drifting.any():
                self._drift()
        self.lane_freedom = self._over_noise(self.slope)[1]

    def _over_noise(self, slope: Floats) -> tuple[Floats, Floats]:
        """Each lane's squares over the noise of their scenes, with its degrees of freedom, shape (F, P, M) each."""
        v = self.found.v[..., None, :]
        with np.errstate(invalid="ignore", divide="ignore"):
            squares = np.where(v > 0, self.scatter.left(slope) / v, 0.0).sum(axis=-1)
        return squares, np.where(v > 0, self.scatter.freedom, 0.0).sum(axis=-1)

    def loss(self, parts: Floats) -> Floats:
        """What sizes that were estimated cost, as 1 over degrees of freedom, of sums whose variance the lanes have such
        parts of: shape (.., F, P) from (.., F, P, M)."""
        return _loss(parts, self.asked, self.lane_freedom, self.in_use)

    def loss_of(self, parts: Floats, figure: int, group: int = 0) -> Floats:
        """The same of sums (N,) of one figure and set of lanes, from parts (N, M)."""
        at = (figure, group)
        return _loss(parts, self.asked[at], self.lane_freedom[at], self.in_use[at])

    def noise(self, figure: int, group: int, scene: int) -> Noise:
        """The noise of one scene, as an object."""
        at, found = (figure, group, scene), self.found
        v, own = float(self.v[at]), float(found.own[at])
        df = 0.0 if math.isnan(v) else float(self.df[at])
        prior, prior_df = float(found.prior[figure, group]), float(found.prior_df[figure, group])
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

    def drift(self, figure: int, group: int) -> SlowDrift | None:
        """What is taken out as drift, where any is."""
        at = (figure, group)
        if not self.drifting[at]:
            return None
        b, held = float(self.slope[at]), bool(self.held[at] > 0)
        variance = 1.0 / (float(self.sxx[at]) + 1.0 / spread_of(self.allowance)) if held else float(self.slope_var[at])
        reach = BOUND * math.sqrt(variance)
        slope, low, high = (100.0 * math.expm1(value) for value in (b, b - reach, b + reach))
        return SlowDrift(slope, low, high, self.allowance, held)

    def lanes(self, figure: int, pair: int) -> LaneNoise:
        """The sizes of the scatter of a pair's lanes."""
        p = float(self.p[figure, pair])
        a, b = self.h[figure, pair].tolist()
        return LaneNoise(a, b, None if math.isnan(p) else p, bool(self.in_use[figure, pair]))


def _with(whole: NDArray[Any], where: tuple[NDArray[np.intp], ...], part: NDArray[Any]) -> NDArray[Any]:
    """An array with some of it replaced."""
    found = np.array(whole)
    found[where] = part
    return found


def _loss(parts: Floats, asked: Bools, freedom: Floats, in_use: Bools) -> Floats:
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = np.where(parts > 0, parts / parts.sum(axis=-1, keepdims=True), 0.0)
        each = np.where(asked, shares**2 / freedom, 0.0).sum(axis=-1)
        among = np.where(asked, freedom, 0.0).sum(axis=-1)
        found: Floats = np.where(in_use, np.maximum(each - 1.0 / among, 0.0), 0.0)
    return found


def _alike(squares: Floats, freedom: Floats, asked: Bools) -> Floats:
    """The p of lanes scattering alike: F of two lanes, Bartlett's test of more ("Properties of sufficiency and
    statistical tests", Proc. R. Soc. A 160, 1937). Shape (F, P)."""
    with np.errstate(invalid="ignore", divide="ignore"):
        if squares.shape[-1] == 2:
            d_a, d_b = freedom[..., 0], freedom[..., 1]
            over = (squares[..., 0] / d_a) / (squares[..., 1] / d_b)
            return np.asarray(2.0 * np.minimum(fdtr(d_a, d_b, over), fdtrc(d_a, d_b, over)))
        d, count = np.where(asked, freedom, 0.0), asked.sum(axis=-1)
        whole = d.sum(axis=-1)
        pooled = np.where(asked, squares, 0.0).sum(axis=-1) / whole
        each = np.where(asked, d * np.log(squares / freedom), 0.0).sum(axis=-1)
        inverse = np.where(asked, 1.0 / freedom, 0.0).sum(axis=-1)
        scale = 1.0 + (inverse - 1.0 / whole) / (3.0 * (count - 1))
        return np.asarray(chdtrc(count - 1, np.maximum((whole * np.log(pooled) - each) / scale, 0.0)))
