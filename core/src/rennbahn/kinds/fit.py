"""Any number of lanes over some tests: what a weighing of their ln rates comes to, and how sure it is.

Every kind of study asks for weighed sums of ln x (a level, a margin, an effect, a ratio of ratios). A :class:`Fit`
holds what they are made from, for one figure, with the noise of all lanes taken together (readings 13, 34, 35 with all
lanes in the place of two).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import fdtr, fdtrc, stdtrit

from rennbahn.comparing.cells import Bools, Floats, Sheet, median_factor
from rennbahn.comparing.margins import VERDICTS, verdicts_of_logs
from rennbahn.comparing.model import AVERAGE, CAPPED
from rennbahn.comparing.noise import FEWEST_OF_LANE, UNLIKE, Scatter, ToldApart, left_by, told_apart
from rennbahn.inference.moderation import STUDY
from rennbahn.inference.ranges import widest_t

Ats = NDArray[np.intp]

#: How often the shares of unlike lanes and the noise are taken from each other.
_ROUNDS = 4


@dataclass(frozen=True)
class LeftOut:
    """A test that takes no part: the lane that it is due to (None where lanes do not go together), and the reason."""

    test: str
    lane: str | None
    reason: str


@dataclass(frozen=True)
class Estimates:
    """Weighed sums of ln x: `middle`, standard `error` and degrees of freedom `df`, shape (N,); NaN without noise.

    `far_df` counts far out, where many differences are held at once: Welch's and Satterthwaite's degrees of freedom are
    made for the middle of the distribution, and over several pools the tail is a little longer. Of one pool they are
    the same, of many half.
    """

    middle: Floats
    error: Floats
    df: Floats
    far_df: Floats

    def reach(self, level: float) -> Floats:
        """Half the interval at a level, shape (N,); NaN where there is none."""
        with np.errstate(invalid="ignore"):
            t = np.where(self.df >= 1, stdtrit(np.maximum(self.df, 1.0), 1.0 - level / 2.0), math.nan)
        found: Floats = np.where(self.error == 0.0, 0.0, t * self.error)
        return found

    def reach_at_once(self, lanes: int, level: float) -> Floats:
        """The same for all differences between so many lanes at once."""
        t = np.array([widest_t(lanes, float(df), level) for df in self.far_df])
        found: Floats = np.where(self.error == 0.0, 0.0, t * self.error)
        return found

    def one(self, level: float, at: int = 0) -> Interval:
        """One of them with its interval, in ln."""
        return Interval.of(float(self.middle[at]), float(self.reach(level)[at]))


@dataclass(frozen=True)
class Interval:
    """A value in ln with the ends of its interval, None without noise."""

    middle: float
    low: float | None
    high: float | None

    @classmethod
    def of(cls, middle: float, reach: float) -> Interval:
        """Around a value; a reach of NaN is no interval."""
        return cls(middle, None, None) if math.isnan(reach) else cls(middle, middle - reach, middle + reach)

    def share(self) -> tuple[float, float | None, float | None]:
        """Value and ends as shares (0.05 is 5%)."""
        ends = (None if x is None else math.expm1(x) for x in (self.low, self.high))
        return math.expm1(self.middle), *ends  # type: ignore[return-value]

    def rate(self) -> tuple[float, float | None, float | None]:
        """Value and ends as rates."""
        ends = (None if x is None else math.exp(x) for x in (self.low, self.high))
        return math.exp(self.middle), *ends  # type: ignore[return-value]

    def verdict(self, band: float) -> str:
        """The verdict on it as on a margin (reading 14)."""
        if self.low is None or self.high is None:
            return "open"
        return VERDICTS[int(verdicts_of_logs(self.low, self.high, band))]


@dataclass(frozen=True)
class Share:
    """A margin as a share with its interval and verdict."""

    margin: float
    low: float | None
    high: float | None
    verdict: str

    @classmethod
    def of(cls, interval: Interval, band: float) -> Share:
        """The margin of an interval in ln."""
        return cls(*interval.share(), verdict=interval.verdict(band))


class Fit:
    """Lanes over tests in one figure. Arrays have shape (L, T) over the lanes and tests asked for.

    `log` is ln of each cell's value set right for drift, `there` says where it stands, `u` how far it scatters as a
    share of its scene's variance. Lanes and tests are numbers into the study's.
    """

    def __init__(self, sheet: Sheet, figure: str, lanes: Sequence[int], tests: Sequence[int] | None = None) -> None:
        study = sheet.study
        self.sheet, self.figure, self.study, self.method = sheet, figure, study, study.method
        self.lanes: Ats = np.asarray(lanes, dtype=np.intp)
        self.tests: Ats = np.arange(len(study.tests)) if tests is None else np.asarray(tests, dtype=np.intp)
        self.scene: Ats = sheet.scene[self.tests]
        self.at = sheet.figure_at.get(figure)
        grid = (self.lanes[:, None], self.tests[None, :])
        self.sources = sheet.sources[grid]
        self.accepted = sheet.accepted[grid]
        shape = (len(self.lanes), len(self.tests))
        if self.at is None:
            self.n = np.zeros(shape, dtype=np.int64)
            self.value, self.log, self.u = (np.full(shape, math.nan) for _ in range(3))
            self.there = np.zeros(shape, dtype=np.bool_)
            self.capped = np.zeros(shape, dtype=np.bool_)
            return
        self.n = sheet.n[self.at][grid]
        self.capped = sheet.capped[grid] if figure == AVERAGE else np.zeros(shape, dtype=np.bool_)
        mixed = (self.sources & (self.sources - 1)) != 0
        self.there = (self.n > 0) & ~self.capped & ~mixed
        self.value = sheet.values(self.method.cell_school)[self.at][grid]
        self._noise(sheet, sheet.hour[self.at][grid])
        with np.errstate(invalid="ignore", divide="ignore"):
            self.log = np.log(self.value) - self.slope * self.later
        factor = median_factor(np.maximum(self.n, 1), self.method.cell_school)
        self.u = self.share[:, None] * factor**2 / np.maximum(self.n, 1)

    def _noise(self, sheet: Sheet, hour: Floats) -> None:
        """Noise and drift of all the lanes together; where one scatters unlike the others each has its own share."""
        all_of = sheet.scatter
        own = Scatter(*(x[self.at][self.lanes] for x in (all_of.freedom, all_of.yy, all_of.tt, all_of.ty)))
        counted = self.n > 0
        allowance = self.method.drift_allowance
        clocked = bool(allowance > 0 and counted.any() and not np.isnan(hour[counted]).any())
        self.later: Floats = np.zeros(hour.shape)
        if clocked:
            self.later = np.where(counted, hour - hour[counted].mean(), 0.0)
        self.share: Floats = np.ones(len(self.lanes))
        told, squares, self.own_freedom = _apart(own, self.share, clocked, allowance)
        self.unlike = _unlike(squares, self.own_freedom)
        for _ in range(_ROUNDS if self.unlike else 0):
            # A noisy lane's scatter would stand for that of all: each lane's is first set right by its share.
            asked = (self.own_freedom >= FEWEST_OF_LANE) & (squares > 0)
            self.share = np.where(asked, self.share * squares / np.maximum(self.own_freedom, 1.0), self.share)
            told, squares, self.own_freedom = _apart(own, self.share, clocked, allowance)
        self.v, self.df, self.pool = told.found.v[0], told.found.df[0], told.found.pool[0]
        self.slope, self.slope_var = float(told.slope[0]), float(told.slope_var[0])
        self.freedom = float(own.freedom.sum())

    @property
    def level(self) -> float:
        """The level of every interval."""
        return self.method.level

    def common(self) -> Bools:
        """Tests in which every lane stands, all from one source, shape (T,)."""
        if not len(self.lanes):
            return np.zeros(len(self.tests), dtype=np.bool_)
        all_sources = np.bitwise_or.reduce(self.sources, axis=0)
        found: Bools = self.there.all(axis=0) & ((all_sources & (all_sources - 1)) == 0)
        return found

    def left_out(self) -> list[LeftOut]:
        """Tests that are not common to the lanes, each with the first reason there is, in the study's order."""
        found = []
        for t in np.flatnonzero(~self.common()).tolist():
            test = self.study.tests[self.tests[t]].id
            lane = next((i for i in range(len(self.lanes)) if not self.there[i, t]), None)
            name = None if lane is None else self.study.lanes[self.lanes[lane]].id
            found.append(LeftOut(test, name, "sources_differ" if lane is None else self.reason(lane, t)))
        return found

    def reason(self, lane: int, test: int) -> str:
        """Why a cell does not stand; numbers are those of this fit."""
        if self.capped[lane, test]:
            return CAPPED
        if self.accepted[lane, test]:
            return "not_reported" if self.n[lane, test] == 0 else "sources_differ"
        key = (self.study.lanes[self.lanes[lane]].id, self.study.tests[self.tests[test]].id)
        last: str = self.sheet.last.get(key, "not_tested")
        return last

    def weighed(self, weights: Floats) -> Estimates:
        """Sums of ln x by weights of shape (N, L, T), which must be 0 where a cell does not stand.

        The degrees of freedom are Welch's and Satterthwaite's over the pools of noise, what is left of the drift, and,
        where lanes scatter unlike, over the lanes (reading 18).
        """
        count = len(weights)
        log = np.where(self.there, self.log, 0.0)
        middle = np.einsum("nlt,lt->n", weights, log)
        if self.at is None:
            nothing = np.full(count, math.nan)
            return Estimates(middle, nothing, nothing, nothing)
        # By scene and lane, then by pool: scenes that lean on the study are one.
        scenes, back = np.unique(self.scene, return_inverse=True)
        of_scene = (back[:, None] == np.arange(len(scenes))[None, :]).astype(np.float64)
        part = (weights**2 * self.u) @ of_scene * np.nan_to_num(self.v[scenes])
        used = ((weights != 0).any(axis=1).astype(np.float64) @ of_scene) > 0
        with np.errstate(invalid="ignore"):
            unknown = (used & ~(self.df[scenes] >= 1)).any(axis=-1)
        by_scene, by_lane = part.sum(axis=1), part.sum(axis=2)
        on_study = self.pool[scenes] == STUDY
        df = np.maximum(np.nan_to_num(self.df[scenes], posinf=np.inf), 1.0)
        spread = np.where(on_study, 0.0, by_scene**2 / df).sum(axis=-1)
        squares = np.where(on_study, 0.0, by_scene**2).sum(axis=-1)
        if on_study.any():
            whole = by_scene[:, on_study].sum(axis=-1) ** 2
            spread += whole / df[on_study].max()
            squares += whole
        drift = self.slope_var * np.einsum("nlt,lt->n", weights, self.later) ** 2
        spread += drift**2 / max(self.freedom, 1.0)
        squares += drift**2
        if self.unlike:
            asked = self.own_freedom >= FEWEST_OF_LANE
            spread += (by_lane[:, asked] ** 2 / self.own_freedom[asked]).sum(axis=-1)
        variance = by_scene.sum(axis=-1) + drift
        with np.errstate(invalid="ignore", divide="ignore"):
            found_df = np.where(variance > 0, variance**2 / spread, np.inf)
            of_one = np.where(variance > 0, squares / variance**2, 1.0)
        error = np.where(unknown, math.nan, np.sqrt(variance))
        df = np.where(unknown, math.nan, found_df)
        return Estimates(middle, error, df, np.maximum(df / (2.0 - of_one), np.minimum(df, 1.0)))

    def cells(self) -> list[list[Interval | None]]:
        """Each lane's ln of the rate in each test with its interval; None where it does not stand."""
        shape = self.there.shape
        if self.at is None or not self.there.any():
            return [[None] * shape[1] for _ in range(shape[0])]
        each, levels = np.arange(shape[1]), []
        # A lane at a time: of all cells at once the weights would grow with their square.
        for lane in range(shape[0]):
            weights = np.zeros((shape[1], *shape))
            weights[each, lane, each] = self.there[lane]
            found = self.weighed(weights)
            own = zip(
                found.middle.tolist(), found.reach(self.level).tolist(), self.there[lane].tolist(), strict=True
            )  # fmt: skip
            levels.append([Interval.of(middle, reach) if there else None for middle, reach, there in own])
        return levels

    def lane_weights(self, tests: Bools) -> Floats:
        """Weights of each lane's mean over some tests, shape (L, L, T)."""
        count = max(int(tests.sum()), 1)
        return np.eye(len(self.lanes))[:, :, None] * (tests / count)[None, None, :]

    def name(self, lane: int) -> str:
        """Id of a lane by its number in this fit."""
        return str(self.study.lanes[self.lanes[lane]].id)


def _apart(own: Scatter, share: Floats, clocked: bool, allowance: float) -> tuple[ToldApart, Floats, Floats]:
    """Noise and drift from what scatters in the lanes, each set right by its share of the noise; then each lane's
    squares over that noise, with their degrees of freedom, shape (L,)."""
    right = Scatter(own.freedom, *(x / share[:, None] for x in (own.yy, own.tt, own.ty)))
    whole = Scatter(*(x.sum(axis=0, keepdims=True) for x in (right.freedom, right.yy, right.tt, right.ty)))
    told = told_apart(whole, np.array([clocked]), allowance)
    v = told.found.v[0]
    with np.errstate(invalid="ignore", divide="ignore"):
        weight = np.where(v > 0, 1.0 / v, 0.0)
    squares = (weight * left_by(right, told.residual)).sum(axis=-1)
    freedom: Floats = np.where(v > 0, own.freedom, 0.0).sum(axis=-1)
    return told, squares, freedom


def _unlike(squares: Floats, freedom: Floats) -> bool:
    """Does any lane scatter unlike all others together (reading 35, at 5% over all lanes)?"""
    asked = np.flatnonzero((freedom >= FEWEST_OF_LANE) & (squares > 0))
    if len(asked) < 2:
        return False
    all_squares, all_freedom = squares[asked].sum(), freedom[asked].sum()
    for lane in asked.tolist():
        d, rest = freedom[lane], all_freedom - freedom[lane]
        over = (squares[lane] / d) / ((all_squares - squares[lane]) / rest)
        p = 2.0 * min(float(fdtr(d, rest, over)), float(fdtrc(d, rest, over)))
        if p < UNLIKE / len(asked):
            return True
    return False


def of_figure(figure: str) -> str:
    """A figure as blocks name it: `average_fps`, or `low_1` or `low_0.1` for a low of the study's school."""
    return AVERAGE if figure == AVERAGE else figure.rsplit(".", 1)[0]


def group_tests(sheet: Sheet, group: str | None) -> list[int]:
    """Numbers of the tests of a group, all of them for None."""
    return [at for at, test in enumerate(sheet.study.tests) if group is None or test.group == group]
