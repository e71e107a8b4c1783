"""How sure a suite is: pass noise, drift, sessions, and rounds that shift all tests at once (readings 17, 18, 39, 40).

Arrays have shape (S, F, P): cell school, figure, pair; tests T, scenes G, units K and sessions come behind.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.special import fdtrc

from rennbahn.comparing.cells import Floats, median_factor
from rennbahn.comparing.margins import Pairing
from rennbahn.comparing.model import CELL_SCHOOLS
from rennbahn.comparing.units import Units
from rennbahn.inference.moderation import STUDY
from rennbahn.inference.parts import summed
from rennbahn.inference.reach import half_width

Bools = NDArray[np.bool_]

#: Units scatter beyond what the noise of tests says at this p; it is asked of so many units together.
ROUNDS = 0.3
FEWEST_UNITS = 4
FEWEST_FREE = 2
#: Sessions are the units where each lane has so many complete ones.
FEWEST_SESSIONS = 2
UNIT_WORDS = ("round", "session")


def in_rounds(ratio: Floats, df: Floats, df_noise: Floats | float) -> Bools:
    """Do units scatter so far beyond chance that the interval asks them?"""
    with np.errstate(invalid="ignore"):
        found: Bools = fdtrc(df, df_noise, ratio) < ROUNDS
    return found


@dataclass(frozen=True)
class UnitsFound:
    """How the sums of units scatter: their mean square, what chance alone would make it, and how many are complete."""

    square: Floats
    by_chance: Floats
    n_a: NDArray[np.int64]
    n_b: NDArray[np.int64]


@dataclass(frozen=True)
class SuiteErrors:
    """Half the interval of ln of a suite ratio with its standard `error` and degrees of freedom, NaN without noise; the
    part of the variance that is due to drift; and the units: their kind as in :data:`UNIT_WORDS`, counts, root mean
    square, p (NaN where not asked), and whether the interval rests on them."""

    reach: Floats
    error: Floats
    df: Floats
    drift_var: Floats
    unit: NDArray[np.int8]
    n_a: NDArray[np.int64]
    n_b: NDArray[np.int64]
    sd: Floats
    p: Floats
    in_use: Bools


class ErrorsOf:
    """The errors of suites of a pairing, by the weights of its tests."""

    def __init__(self, pairing: Pairing) -> None:
        self.pairing, self.noise = pairing, pairing.noise
        self.kept = pairing.kept
        schools = range(len(CELL_SCHOOLS))
        shares = [pairing.shares(school) for school in schools]
        self.of_a, self.of_b = (np.stack([one[side] * self.kept for one in shares]) for side in (0, 1))
        #: No suite is measured with a test that has no interval.
        self.unknown = np.stack(
            [(self.kept & ~(np.nan_to_num(pairing.errors[school][1]) >= 1)).any(axis=-1) for school in schools]
        )
        # Tests of one scene share its pool; all that lean on the study share that one.
        scenes = np.unique(pairing.scene)
        self.of_scene = (pairing.scene[:, None] == scenes[None, :]).astype(np.float64)
        self.v = np.nan_to_num(self.noise.v[..., scenes])
        self.df = np.maximum(np.nan_to_num(self.noise.df[..., scenes], posinf=np.inf), 1.0)
        self.on_study = self.noise.pool[..., scenes] == STUDY
        self.study_df = np.where(self.on_study, self.df, 1.0).max(axis=-1, initial=1.0)
        self.whole_df = np.maximum(self.noise.freedom, 1.0)

    def __call__(self, weight_a: Floats, weight_b: Floats) -> SuiteErrors:
        """The errors of suites in which the tests of A and B have such weights, shape (S, F, P, T) each."""
        noise, df_noise = self._noise(weight_a, weight_b)
        later = (self.pairing.later * self.kept * weight_b).sum(axis=-1)
        drift, bias = self.noise.slope_var * later**2, self.noise.held * self.noise.allowance * np.abs(later)
        sessions = self._sessions(weight_a, weight_b)
        error, df, reach = self._together(noise, df_noise, drift, sessions, bias)
        unit, found = self._units(weight_a, weight_b)
        count = found.n_a + found.n_b
        with np.errstate(invalid="ignore", divide="ignore"):
            asked = (found.n_a >= 1) & (found.n_b >= 1) & (count >= FEWEST_UNITS) & (found.by_chance > 0)
            p = np.where(asked, fdtrc(count - 2, self.whole_df, found.square / found.by_chance), math.nan)
            each = np.stack(
                [
                    sum(median_factor(n, school) ** 2 / np.maximum(n, 1) for n in (found.n_a, found.n_b))
                    for school in CELL_SCHOOLS
                ]
            )
            # Asked only where units scatter beyond chance: elsewhere the interval does not rest on them.
            free = np.where(asked & (p < ROUNDS), np.maximum(count - 2.0, 1.0), math.nan)
            error_units, df_units, by_units = self._together(found.square * each, free, drift, sessions, bias)
            use = asked & (p < ROUNDS) & (by_units > reach) & ~self.unknown
        return SuiteErrors(
            reach=np.where(use, by_units, reach), error=np.where(use, error_units, error),
            df=np.where(use, df_units, df), drift_var=drift,
            unit=np.broadcast_to(unit, use.shape), n_a=np.broadcast_to(found.n_a, use.shape),
            n_b=np.broadcast_to(found.n_b, use.shape), sd=np.sqrt(found.square), p=p, in_use=use,
        )  # fmt: skip

    def _noise(self, weight_a: Floats, weight_b: Floats) -> tuple[Floats, Floats]:
        """The part of pass noise, and its degrees of freedom over the distinct pools with the loss of the lanes."""
        by_a = (self.of_a * weight_a**2) @ self.of_scene * self.v
        by_b = (self.of_b * weight_b**2) @ self.of_scene * self.v
        by_scene = by_a + by_b
        whole = by_scene.sum(axis=-1)
        own = np.where(self.on_study, 0.0, by_scene**2 / self.df).sum(axis=-1)
        study = np.where(self.on_study, by_scene, 0.0).sum(axis=-1) ** 2 / self.study_df
        loss = self.noise.loss(np.stack([by_a.sum(axis=-1), by_b.sum(axis=-1)], axis=-1))
        with np.errstate(invalid="ignore", divide="ignore"):
            df = 1.0 / ((own + study) / whole**2 + loss)
        return whole, np.asarray(np.where(whole > 0, df, 1.0))

    def _sessions(self, weight_a: Floats, weight_b: Floats) -> Floats:
        """The part of sessions in which a lane stands apart."""
        between = self.pairing.sheet.study.method.between
        if between is None or between.sd == 0.0:
            return np.zeros(weight_a.shape[:-1])
        of_a, of_b = (apart.astype(np.float64) for apart in self.pairing.apart)
        by_session = _weighed(weight_b, of_b) - _weighed(weight_a, of_a)
        found: Floats = between.sd**2 * (by_session**2).sum(axis=-1)
        return found

    def _together(
        self, noise: Floats, df_noise: Floats, drift: Floats, sessions: Floats, bias: Floats
    ) -> tuple[Floats, Floats, Floats]:
        """Standard error of all parts, their degrees of freedom (NaN where nothing scatters), half the interval."""
        variance, df = summed((noise, df_noise), (drift, self.whole_df), (sessions, self.pairing.session_df))
        with np.errstate(invalid="ignore", divide="ignore"):
            df = np.where((variance > 0) & ~self.unknown, df, math.nan)
            reach = half_width(np.sqrt(variance), df, bias, self.pairing.level)
        point = (variance == 0.0) & ~self.unknown
        return np.sqrt(variance), df, np.where(point, np.broadcast_to(bias, point.shape), reach)

    def _units(self, weight_a: Floats, weight_b: Floats) -> tuple[NDArray[np.int8], UnitsFound]:
        """Sessions where every pass tells its own and each lane has two complete ones, rounds elsewhere."""
        rounds = self._of_rounds(weight_a, weight_b)
        if not self.pairing.sessions_told.any():
            return np.zeros(self.kept.shape[:2], dtype=np.int8), rounds
        use = self.pairing.sessions_told & (self._of_sessions.fewest >= FEWEST_SESSIONS)
        if not use.any():
            return use.astype(np.int8), rounds
        sessions = self._of_sessions(weight_a, weight_b)
        picked = (
            np.where(use, getattr(sessions, name), getattr(rounds, name)) for name in UnitsFound.__dataclass_fields__
        )
        return use.astype(np.int8), UnitsFound(*picked)

    @cached_property
    def _of_rounds(self) -> _OfUnits:
        return _OfUnits(self.pairing, self.pairing.sheet.rounds)

    @cached_property
    def _of_sessions(self) -> _OfUnits:
        return _OfUnits(self.pairing, self.pairing.sheet.by_session)


def _weighed(weight: Floats, values: Floats) -> Floats:
    """Sums over tests by weights: shape (S, F, P, K) from (S, F, P, T) and (F, P, T, K)."""
    found: Floats = np.matmul(weight[..., None, :], values)[..., 0, :]
    return found


class _OfUnits:
    """The units of the lanes of a pairing, complete where every test of the suite has a pass of the lane in them."""

    def __init__(self, pairing: Pairing, units: Units) -> None:
        grid = pairing.tests[None, :]
        lanes = [lane[:, None] for lane in pairing.lanes_at.T]
        self.slope, self.v, self.h = pairing.noise.slope, np.nan_to_num(pairing.v), pairing.noise.h
        self.m = [units.m[:, lane, grid] for lane in lanes]
        self.z = [units.z[:, lane, grid] for lane in lanes]
        self.t = [units.t[:, lane, grid] for lane in lanes]
        some = pairing.kept.any(axis=-1, keepdims=True)
        self.complete = [((m > 0) | ~pairing.kept[..., None]).all(axis=2) & some for m in self.m]
        #: How many complete units the lane with fewer has, shape (F, P).
        self.fewest = np.minimum(*(complete.sum(axis=-1) for complete in self.complete))
        self.by_chance = [
            (self.h[..., side, None] * self.v)[..., None] / np.maximum(self.m[side], 1.0) for side in (0, 1)
        ]

    def __call__(self, weight_a: Floats, weight_b: Floats) -> UnitsFound:
        """How the weighed sums of both lanes scatter from unit to unit."""
        count = [complete.sum(axis=-1) for complete in self.complete]
        off = by_chance = np.zeros(weight_a.shape[:-1])
        for side, weight in enumerate((weight_a, weight_b)):
            complete = self.complete[side]
            y = _weighed(weight, self.z[side])
            if self.slope.any():
                y = y - self.slope[..., None] * _weighed(weight, self.t[side])
            with np.errstate(invalid="ignore", divide="ignore"):
                mean = np.where(complete, y, 0.0).sum(axis=-1) / count[side]
                off = off + np.where(complete, (y - mean[..., None]) ** 2, 0.0).sum(axis=-1)
            alone = _weighed(weight**2, self.by_chance[side])
            by_chance = by_chance + np.where(complete, alone, 0.0).sum(axis=-1)
        both = count[0] + count[1]
        with np.errstate(invalid="ignore", divide="ignore"):
            return UnitsFound(off / (both - 2), by_chance / both, count[0], count[1])
