"""Any number of lanes over some tests: what a weighing of their ln rates comes to, and how sure it is.

Every kind of study asks for weighed sums of ln x (a level, a margin, an effect, a ratio of ratios). A :class:`Fit`
holds what they are made from, for one figure, with the noise of all lanes taken together (reading 41).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtr

from rennbahn.comparing.cells import Bools, Floats, Sheet, median_factor
from rennbahn.comparing.composition import Composition, Gap, composition_of, why_not
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.verdicts import VERDICTS, verdicts_of_logs
from rennbahn.inference.ranges import widest_t
from rennbahn.inference.reach import half_width
from rennbahn.kinds.fit_errors import Place, errors_of

Ats = NDArray[np.intp]


@dataclass(frozen=True)
class Estimates:
    """Weighed sums of ln x: `middle`, standard `error`, degrees of freedom `df` and `bias`, shape (N,); NaN without
    noise.

    `far_df` counts far out, where many differences are held at once: Welch's and Satterthwaite's degrees of freedom are
    made for the middle of the distribution, and over several pools the tail is a little longer. Of one pool they are
    the same, of many half.
    """

    middle: Floats
    error: Floats
    df: Floats
    far_df: Floats
    bias: Floats

    def reach(self, level: float) -> Floats:
        """Half the interval at a level, shape (N,); NaN where there is none."""
        return half_width(self.error, self.df, self.bias, level)

    def reach_at_once(self, lanes: int, level: float) -> Floats:
        """The same for all differences between so many lanes at once."""
        t = np.array([widest_t(lanes, float(df), level) for df in self.far_df])
        if not self.bias.any():
            return np.asarray(np.where(self.error == 0.0, 0.0, t * self.error))
        # A difference reaches as far as alone at the level at which alone it reaches as far as all at once.
        found = np.full(t.shape, math.nan)
        for at in np.flatnonzero(~np.isnan(t)).tolist():
            df = float(self.far_df[at])
            alone = 2.0 * float(stdtr(min(df, 1e9), -t[at]))
            found[at] = float(half_width(self.error[at], df, self.bias[at], alone))
        return np.where(self.error == 0.0, self.bias, found)

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
        self.noise = sheet.noise_of([self.lanes.tolist()])
        self.v, self.df, self.pool = (x[self.at, 0] for x in (self.noise.v, self.noise.df, self.noise.pool))
        self.later: Floats = np.zeros(shape)
        counted = self.n > 0
        if self.noise.drifting[self.at, 0] and counted.any():
            hour = sheet.hour[self.at][grid]
            self.later = np.where(counted, hour - hour[counted].mean(), 0.0)
        with np.errstate(invalid="ignore", divide="ignore"):
            self.log = np.log(self.value) - float(self.noise.slope[self.at, 0]) * self.later
        factor = median_factor(np.maximum(self.n, 1), self.method.cell_school)
        self.u = self.noise.h[self.at, 0][:, None] * factor**2 / np.maximum(self.n, 1)

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

    def left_out(self) -> list[Gap]:
        """Tests that are not common to the lanes, each with the first reason there is, in the study's order."""
        found = []
        for t in np.flatnonzero(~self.common()).tolist():
            test = self.study.tests[self.tests[t]].id
            lane = next((i for i in range(len(self.lanes)) if not self.there[i, t]), None)
            name = None if lane is None else self.study.lanes[self.lanes[lane]].id
            found.append(Gap(test, name, "sources_differ" if lane is None else self.reason(lane, t)))
        return found

    def reason(self, lane: int, test: int) -> str:
        """Why a cell does not stand; numbers are those of this fit."""
        return why_not(self.sheet, self.figure, int(self.lanes[lane]), int(self.tests[test]))

    def composition(self) -> Composition:
        """What of its lanes and tests can be compared, and why not the rest."""
        return composition_of(self.sheet, self.figure, self.lanes.tolist(), self.tests.tolist())

    def weighed(self, weights: Floats) -> Estimates:
        """Sums of ln x by weights of shape (N, L, T), which must be 0 where a cell does not stand."""
        log = np.where(self.there, self.log, 0.0)
        middle = np.einsum("nlt,lt->n", weights, log)
        if self.at is None:
            nothing = np.full(len(weights), math.nan)
            return Estimates(middle, nothing, nothing, nothing, np.zeros(len(weights)))
        place = Place(self.sheet, self.at, self.lanes, self.tests, self.noise)
        found = errors_of(place, weights, self.u, self.later, self.level)
        far = np.maximum(found.df / (2.0 - found.one_part), np.minimum(found.df, 1.0))
        return Estimates(middle, found.error, found.df, far, found.bias)

    def cells(self, level: float | None = None) -> list[list[Interval | None]]:
        """Each lane's ln of the rate in each test, with its interval at the study's level or another; None without."""
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
                found.middle.tolist(), found.reach(level or self.level).tolist(), self.there[lane].tolist(), strict=True
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


def of_figure(figure: str) -> str:
    """A figure as blocks name it: `average_fps`, or `low_1` or `low_0.1` for a low of the study's school."""
    return AVERAGE if figure == AVERAGE else figure.rsplit(".", 1)[0]


def group_tests(sheet: Sheet, group: str | None) -> list[int]:
    """Numbers of the tests of a group, all of them for None."""
    return [at for at, test in enumerate(sheet.study.tests) if group is None or test.group == group]
