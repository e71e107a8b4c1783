"""Margins between two lanes, test by test, with interval, verdict and chance.

A :class:`Pairing` holds any number of pairs of lanes over some tests as arrays of shape (S, F, P, T): cell school,
figure, pair, test. Margins as objects are made only of the pair and figure that somebody reads.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rennbahn.comparing.cells import Bools, Floats, Sheet, median_factor
from rennbahn.comparing.model import AVERAGE, CAPPED, CELL_SCHOOLS
from rennbahn.comparing.noise import Noise
from rennbahn.comparing.settling import OpenMargins, chances_by_pass, drawn_together, settling_passes
from rennbahn.comparing.verdicts import OPEN, VERDICTS, adjusted_p, verdicts_of_logs, within_of
from rennbahn.inference.parts import summed
from rennbahn.inference.power import Freedom, passes_for_even, passes_needed, resolvable
from rennbahn.inference.reach import half_width, two_sided_p
from rennbahn.plain import plain

#: An ahead or behind with a larger adjusted p could be chance.
CHANCE = 0.05
#: Why a test is left out, by code: which lane it is due to (0 for A, 1 for B), and the reason; 0 is kept.
_LEFT_OUT: tuple[tuple[int | None, str], ...] = (
    (None, ""), (0, "missing"), (1, "missing"), (None, "sources_differ"),
    (0, CAPPED), (0, "not_reported"), (1, CAPPED), (1, "not_reported"),
)  # fmt: skip


@dataclass(frozen=True)
class LeftOut:
    """Why a test takes no part: `reason`, and the lane it is due to where it is due to one."""

    lane: str | None
    reason: str


@dataclass(frozen=True)
class Margin:
    """B over A in one test, one figure. Margins are shares (0.05 is 5%), `interval` is that of `b_over_a`.

    `raw_b_over_a` is as measured; all others are set right for the drift of the bench, of which `drift_share` is what B
    gained or lost. `within` tells on which side an even verdict lies that leaves 0 out. Of a test left out there is
    only the reason. `band` is what counts as even, as a share.
    """

    test: str
    left_out: LeftOut | None
    a: float = math.nan
    b: float = math.nan
    n_a: int = 0
    n_b: int = 0
    raw_b_over_a: float = math.nan
    drift_share: float = 0.0
    b_over_a: float = math.nan
    a_over_b: float = math.nan
    a_behind_b: float = math.nan
    noise: Noise | None = None
    interval: tuple[float, float] | None = None
    verdict: str = "open"
    within: str | None = None
    p: float | None = None
    p_adjusted: float | None = None
    could_be_chance: bool | None = None
    further_passes: int | None = None
    band: float = field(default=0.01, repr=False)

    @property
    def log_ratio(self) -> float:
        """ln of the ratio, set right for drift."""
        return math.log1p(self.b_over_a)

    @property
    def passes_needed(self) -> int | None:
        """Passes a lane that show a true margin of the equal band with probability 0.9."""
        return passes_needed(self.noise.s, self.band, _freedom(self.noise)) if self.noise else None

    @property
    def passes_for_even(self) -> int | None:
        """Passes a lane that show evenness within the band with probability 0.9."""
        return passes_for_even(self.noise.s, self.band, _freedom(self.noise)) if self.noise else None

    @property
    def resolvable(self) -> float | None:
        """The true margin that the passes there are show with probability 0.9."""
        return resolvable(self.noise.s, min(self.n_a, self.n_b), _freedom(self.noise)) if self.noise else None

    def as_json(self) -> dict[str, Any]:
        """Plain data; of a test left out only `test` and `left_out`."""
        if self.left_out is not None:
            return {"test": self.test, "left_out": plain(self.left_out)}
        data: dict[str, Any] = plain(self)
        del data["band"]
        data["noise"] = self.noise.used() if self.noise else None
        return data | {
            "passes_needed": self.passes_needed,
            "passes_for_even": self.passes_for_even,
            "resolvable": self.resolvable,
        }


def _freedom(noise: Noise) -> Freedom:
    return Freedom.of_test(noise.df, noise.own_df)


class Pairing:
    """Pairs (A, B) of lanes over some tests, every figure, both cell schools.

    `kept` (F, P, T) says which tests take part and `code` why the others do not; `a`, `b` (S, F, P, T) are the cells'
    values, `middle` ln(B/A) less `drifted` (F, P, T), 0 where left out; `right` is B set right for drift, which stands
    for B wherever ratios are taken; `n_a`, `n_b` (F, P, T). `noise` is of the whole study.
    """

    def __init__(self, sheet: Sheet, pairs: Sequence[tuple[str, str]], tests: Sequence[int] | None = None) -> None:
        self.sheet = sheet
        self.pairs = tuple(pairs)
        self.tests = np.arange(len(sheet.study.tests)) if tests is None else np.asarray(tests, dtype=np.intp)
        a, b = (np.array([sheet.lane_at[pair[side]] for pair in pairs], dtype=np.intp) for side in (0, 1))
        # Lanes by pairs and tests by tests: picked from (L, T) they give (P, T).
        grid_a, grid_b = (a[:, None], self.tests[None, :]), (b[:, None], self.tests[None, :])
        self.n_a, self.n_b = (sheet.n[:, lanes, tests] for lanes, tests in (grid_a, grid_b))
        self.code = self._codes(grid_a, grid_b)
        self.kept = self.code == 0
        self.a, self.b = (
            np.stack([np.where(self.kept, sheet.values(school)[:, lanes, tests], 1.0) for school in CELL_SCHOOLS])
            for lanes, tests in (grid_a, grid_b)
        )
        self.lanes_at = np.stack([a, b], axis=-1)
        self.noise = sheet.noise_of(self.lanes_at.tolist())
        self.scene = sheet.scene[self.tests]
        #: Hours that B's passes lie after A's, where they tell anything; shape (F, P, T).
        self.later = np.zeros(self.kept.shape)
        if self.noise.drifting.any():
            apart = sheet.hour[:, grid_b[0], grid_b[1]] - sheet.hour[:, grid_a[0], grid_a[1]]
            self.later = np.where(self.kept & self.noise.drifting[..., None], apart, 0.0)
        self.drifted = self.noise.slope[..., None] * self.later
        self.middle = np.log(self.b / self.a) - self.drifted
        self.right = self.b * np.exp(-self.drifted) if self.noise.drifting.any() else self.b

    def _codes(self, a: Any, b: Any) -> NDArray[np.int8]:
        """Why each test is left out (reading 33), shape (F, P, T): the code in `_LEFT_OUT` that comes first."""
        sheet = self.sheet
        empty_a, empty_b = sheet.accepted[a] == 0, sheet.accepted[b] == 0
        both = sheet.sources[a] | sheet.sources[b]
        mixed = (both & (both - 1)) != 0
        figures = sheet.figures or (AVERAGE,)
        codes = np.empty((len(sheet.figures), *empty_a.shape), dtype=np.int8)
        for at in range(len(sheet.figures)):
            average = figures[at] == AVERAGE
            codes[at] = np.select(
                [
                    empty_a, empty_b, mixed,
                    sheet.capped[a] & average, self.n_a[at] == 0, sheet.capped[b] & average, self.n_b[at] == 0,
                ],
                [1, 2, 3, 4, 5, 6, 7],
                0,
            )  # fmt: skip
        return codes

    @cached_property
    def v(self) -> Floats:
        """Noise variance of each test, shape (F, P, T); NaN without any."""
        found: Floats = self.noise.v[..., self.scene]
        return found

    @cached_property
    def df(self) -> Floats:
        """Degrees of freedom of that noise, shape (F, P, T)."""
        found: Floats = self.noise.df[..., self.scene]
        return found

    @cached_property
    def drift_var(self) -> Floats:
        """The part of the variance of ln r that is due to drift, shape (F, P, T)."""
        found: Floats = self.noise.slope_var[..., None] * self.later**2
        return found

    @cached_property
    def bias(self) -> Floats:
        """How far ln r may be off by a drift that is held towards none, shape (F, P, T)."""
        found: Floats = self.noise.held[..., None] * self.noise.allowance * np.abs(self.later)
        return found

    @cached_property
    def sessions_told(self) -> Bools:
        """Of each figure and pair: does every accepted pass tell its session? Shape (F, P)."""
        sessions = self.sheet.sessions
        a, b = self.lanes_at.T
        found: Bools = sessions.told[:, a] & sessions.told[:, b] & sessions.there[:, self.lanes_at].any(axis=(2, 3, 4))
        return found

    @cached_property
    def apart(self) -> tuple[Bools, Bools]:
        """Sessions in which A and B stand apart, test by test: shape (F, P, T, S) each (reading 40).

        A lane stands apart when its passes are all of one session in which the other lane has none there.
        """
        sessions = self.sheet.sessions
        a, b = (lanes[:, None] for lanes in self.lanes_at.T)
        there, only, grid = sessions.there, sessions.only, self.tests[None, :]
        asked = (self.kept & self.sessions_told[..., None])[..., None]
        of_a: Bools = only[:, a, grid] & ~there[:, b, grid] & asked
        of_b: Bools = only[:, b, grid] & ~there[:, a, grid] & asked
        return of_a, of_b

    @cached_property
    def session_var(self) -> Floats:
        """The part of the variance of ln r that is due to sessions, shape (F, P, T)."""
        between = self.sheet.study.method.between
        if between is None or between.sd == 0.0:
            return np.zeros(self.kept.shape)
        of_a, of_b = self.apart
        return np.asarray(between.sd**2 * (of_a.any(axis=-1).astype(np.float64) + of_b.any(axis=-1)))

    @cached_property
    def session_df(self) -> float:
        """Degrees of freedom of what sessions differ by."""
        between = self.sheet.study.method.between
        return math.inf if between is None or between.df is None else between.df

    def shares(self, school: int) -> tuple[Floats, Floats]:
        """What each lane adds to the variance of ln r, as shares of v: h k^2 / n, shape (F, P, T) each."""
        name, h = CELL_SCHOOLS[school], self.noise.h
        n_a, n_b = np.maximum(self.n_a, 1), np.maximum(self.n_b, 1)
        return (
            h[..., 0, None] * median_factor(n_a, name) ** 2 / n_a,
            h[..., 1, None] * median_factor(n_b, name) ** 2 / n_b,
        )

    @cached_property
    def errors(self) -> list[tuple[Floats, Floats]]:
        """Standard errors of ln r with their degrees of freedom, by cell school, shape (F, P, T) each."""
        return [self._error_and_df(school) for school in range(len(CELL_SCHOOLS))]

    def _error_and_df(self, school: int) -> tuple[Floats, Floats]:
        """Standard error of ln r with its degrees of freedom, shape (F, P, T) each (readings 35 and 40)."""
        u_a, u_b = self.shares(school)
        measured = self.v * (u_a + u_b) + self.drift_var
        parts = np.stack([u_a, u_b], axis=-1)
        # The loss is asked over sets of lanes: with tests before figures and pairs.
        loss = np.moveaxis(self.noise.loss(np.moveaxis(parts, 2, 0)), 0, 2)
        with np.errstate(invalid="ignore", divide="ignore"):
            df = 1.0 / (1.0 / self.df + loss)
            apart = self.session_var
            whole, of_both = summed((measured, df), (apart, self.session_df))
            df = np.where(apart > 0, of_both, df)
            return np.sqrt(whole), np.where(np.isnan(self.v), math.nan, df)

    def error_and_df(self, school: int, figure: int, pair: int) -> tuple[Floats, Floats]:
        """Standard error of ln r of one pair's tests, with its degrees of freedom, shape (T,) each."""
        error, df = self.errors[school]
        return error[figure, pair], df[figure, pair]

    def reach(self, school: int, figure: int, pair: int) -> Floats:
        """Half the interval of ln r at the study's level, shape (T,); NaN where there is none."""
        error, df = self.error_and_df(school, figure, pair)
        return half_width(error, df, self.bias[figure, pair], self.level)

    @property
    def level(self) -> float:
        """The level of every interval."""
        return self.sheet.study.method.level

    def verdicts(self, school: int, figure: int, pair: int) -> NDArray[np.int8]:
        """Codes of the verdicts on one pair, shape (T,), meant where a test is kept."""
        middle, reach = self.middle[school, figure, pair], self.reach(school, figure, pair)
        return verdicts_of_logs(middle - reach, middle + reach, self.sheet.study.method.equal_band)

    def left_out(self, figure: int, pair: int, test: int) -> LeftOut | None:
        """Why a test takes no part, if it does not."""
        side, reason = _LEFT_OUT[self.code[figure, pair, test]]
        if not reason:
            return None
        lane = None if side is None else self.pairs[pair][side]
        if reason == "missing":
            key = (str(lane), self.sheet.study.tests[self.tests[test]].id)
            reason = self.sheet.last.get(key, "not_tested")
        return LeftOut(lane, reason)

    def margins(self, figure: str, pair: int = 0, school: str | None = None) -> list[Margin]:
        """Margins of one pair in every test, in the study's order, under the declared cell school or another."""
        at, sheet = self.sheet.figure_at[figure], self.sheet
        method = sheet.study.method
        cell_school = CELL_SCHOOLS.index(school or method.cell_school)
        middle, (error, df) = self.middle[cell_school, at, pair], self.error_and_df(cell_school, at, pair)
        reach = self.reach(cell_school, at, pair)
        low, high = middle - reach, middle + reach
        codes = verdicts_of_logs(low, high, method.equal_band)
        kept, sure = self.kept[at, pair], self.kept[at, pair] & ~np.isnan(reach)
        p = np.where(sure, two_sided_p(middle, error, df, self.bias[at, pair]), math.nan)
        adjusted = np.full(len(kept), math.nan)
        adjusted[sure] = adjusted_p(p[sure].tolist())
        further = np.zeros(len(kept), dtype=np.int64)
        open_ones = np.flatnonzero(sure & (codes == OPEN))
        if len(open_ones):
            further[open_ones] = self._further(at, pair, cell_school, open_ones, df)
        noise = {g: self.noise.noise(at, pair, g) for g in set(self.scene.tolist())}
        return [
            self._margin(at, pair, i, cell_school, codes, sure, noise, (low, high, p, adjusted, further))
            for i in range(len(kept))
        ]

    def _further(self, at: int, pair: int, school: int, asked: NDArray[np.intp], df: Floats) -> NDArray[np.int64]:
        """Further passes of tests whose verdict is open, shape (len(asked),)."""
        margins, mean, variance = self._open(at, pair, school, asked, df)
        band = self.sheet.study.method.equal_band
        return settling_passes(margins, band, CELL_SCHOOLS[school], self.level, mean, variance)

    def _open(
        self, at: int, pair: int, school: int, asked: NDArray[np.intp], df: Floats
    ) -> tuple[OpenMargins, float, float | None]:
        """Open verdicts with the mean and the true scatter of ln r towards which they are drawn."""
        h_a, h_b = self.noise.h[at, pair].tolist()
        n_a, n_b, v = self.n_a[at, pair], self.n_b[at, pair], self.v[at, pair]
        margins = OpenMargins(
            self.middle[school, at, pair, asked], v[asked], df[asked], n_a[asked], n_b[asked],
            np.full(len(asked), h_a), np.full(len(asked), h_b),
            (self.drift_var + self.session_var)[at, pair, asked], self.bias[at, pair, asked],
        )  # fmt: skip
        # With groups, all tests of the study are drawn together, whatever group is looked at.
        mean, variance = self._together(school, at, pair)
        return margins, mean, variance

    def chances(self, figure: str, most: int, pair: int = 0) -> dict[int, Floats]:
        """Of each test that is open, by its place: the chance that 1, .. `most` further passes a lane settle it."""
        if figure not in self.sheet.figure_at:
            return {}
        at, school = self.sheet.figure_at[figure], CELL_SCHOOLS.index(self.sheet.study.method.cell_school)
        df = self.error_and_df(school, at, pair)[1]
        there = self.kept[at, pair] & (df >= 1)
        open_ones = [g for g, one in enumerate(self.margins(figure, pair)) if there[g] and one.verdict == "open"]
        asked = np.array(open_ones, dtype=np.intp)
        if not len(asked):
            return {}
        margins, mean, variance = self._open(at, pair, school, asked, df)
        band = self.sheet.study.method.equal_band
        found = chances_by_pass(margins, most, band, CELL_SCHOOLS[school], self.level, mean, variance)
        return dict(zip(asked.tolist(), found, strict=True))

    def _together(self, school: int, at: int, pair: int) -> tuple[float, float | None]:
        """Mean of ln r over the tests of the finding that have an interval, and how far they truly scatter; no variance
        where too few tests tell it."""
        whole = self if len(self.tests) == len(self.sheet.study.tests) else Pairing(self.sheet, (self.pairs[pair],))
        own = pair if whole is self else 0
        df = whole.error_and_df(school, at, own)[1]
        with np.errstate(invalid="ignore"):
            there = whole.kept[at, own] & (df >= 1)
        h_a, h_b = whole.noise.h[at, own].tolist()
        by_chance = whole.v[at, own] * (
            h_a / np.maximum(whole.n_a[at, own], 1) + h_b / np.maximum(whole.n_b[at, own], 1)
        )
        return drawn_together(whole.middle[school, at, own][there], by_chance[there])

    def _margin(
        self,
        figure: int,
        pair: int,
        i: int,
        school: int,
        codes: NDArray[np.int8],
        sure: Bools,
        noise: dict[int, Noise],
        found: tuple[Any, ...],
    ) -> Margin:
        test = self.sheet.study.tests[self.tests[i]].id
        out = self.left_out(figure, pair, i)
        if out is not None:
            return Margin(test, out)
        low, high, p, adjusted, further = (x[i].item() for x in found)
        a, b = self.a[school, figure, pair, i].item(), self.b[school, figure, pair, i].item()
        drifted = self.drifted[figure, pair, i].item()
        # Without a drift the ratio is that of the cells to the last digit.
        ratio = b / a if not drifted else math.exp(self.middle[school, figure, pair, i].item())
        verdict = VERDICTS[codes[i]]
        certain = bool(sure[i])
        return Margin(
            test=test,
            left_out=None,
            a=a,
            b=b,
            n_a=int(self.n_a[figure, pair, i]),
            n_b=int(self.n_b[figure, pair, i]),
            raw_b_over_a=b / a - 1.0,
            drift_share=math.expm1(drifted),
            b_over_a=ratio - 1.0,
            a_over_b=1.0 / ratio - 1.0,
            a_behind_b=1.0 - 1.0 / ratio,
            noise=noise[int(self.scene[i])],
            interval=(math.expm1(low), math.expm1(high)) if certain else None,
            verdict=verdict,
            within=within_of(verdict, low, high) if certain else None,
            p=p if certain else None,
            p_adjusted=adjusted if certain else None,
            could_be_chance=adjusted > CHANCE if certain and verdict in ("ahead", "behind") else None,
            further_passes=further or None,
            band=self.sheet.study.method.equal_band,
        )
