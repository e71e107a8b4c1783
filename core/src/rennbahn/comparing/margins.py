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
from scipy.special import stdtr, stdtrit

from rennbahn.comparing.cells import Bools, Floats, Ints, Noise, Sheet
from rennbahn.comparing.model import AVERAGE, CAPPED, CELL_SCHOOLS
from rennbahn.plain import plain
from rennbahn.planning.passes import MOST_PASSES, passes_for_even, passes_needed, resolvable

VERDICTS = ("ahead", "behind", "even", "open")
AHEAD, BEHIND, EVEN, OPEN = range(4)
#: A verdict with the lanes the other way round, where it is another word.
TURNED = {"ahead": "behind", "behind": "ahead"}
#: An ahead or behind with a larger adjusted p could be chance.
CHANCE = 0.05
#: The median of many passes scatters wider than their mean by this.
MEDIAN_FACTOR = math.sqrt(math.pi / 2.0)
MEDIAN_FROM = 3
_TWO_SIDED = 0.975
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
    """B over A in one test, one figure. Margins are shares (0.05 is 5%), `interval` is that of `b_over_a` at 95%.

    Of a test left out there is only the reason. `band` is what counts as even, as a share.
    """

    test: str
    left_out: LeftOut | None
    a: float = math.nan
    b: float = math.nan
    n_a: int = 0
    n_b: int = 0
    b_over_a: float = math.nan
    a_over_b: float = math.nan
    a_behind_b: float = math.nan
    noise: Noise | None = None
    interval: tuple[float, float] | None = None
    verdict: str = "open"
    p: float | None = None
    p_adjusted: float | None = None
    could_be_chance: bool | None = None
    further_passes: int | None = None
    band: float = field(default=0.01, repr=False)

    @property
    def log_ratio(self) -> float:
        """ln(B/A)."""
        return math.log(self.b / self.a)

    @property
    def passes_needed(self) -> int | None:
        """Passes a lane that show a true margin of the equal band with probability 0.9."""
        return passes_needed(self.noise.s, self.band, self.noise.cells) if self.noise else None

    @property
    def passes_for_even(self) -> int | None:
        """Passes a lane that show evenness within the band with probability 0.9."""
        return passes_for_even(self.noise.s, self.band, self.noise.cells) if self.noise else None

    @property
    def resolvable(self) -> float | None:
        """The true margin that the passes there are show with probability 0.9."""
        return resolvable(self.noise.s, min(self.n_a, self.n_b), self.noise.cells) if self.noise else None

    def as_json(self) -> dict[str, Any]:
        """Plain data; of a test left out only `test` and `left_out`."""
        if self.left_out is not None:
            return {"test": self.test, "left_out": plain(self.left_out)}
        data: dict[str, Any] = plain(self)
        del data["band"]
        data["noise"] = self.noise.as_json() if self.noise else None
        return data | {
            "passes_needed": self.passes_needed,
            "passes_for_even": self.passes_for_even,
            "resolvable": self.resolvable,
        }


def verdict_of(interval: tuple[float, float] | None, band: float) -> str:
    """The verdict on an interval of the margin (reading 14): `even` first, then `ahead`, `behind`, else `open`."""
    if interval is None:
        return "open"
    return VERDICTS[int(verdicts_of_logs(math.log1p(interval[0]), math.log1p(interval[1]), band))]


def verdicts_of_logs(low: Floats | float, high: Floats | float, band: float) -> NDArray[np.int8]:
    """Codes of :data:`VERDICTS` for intervals of ln r; NaN ends are open."""
    edge = math.log1p(band)
    low, high = np.asarray(low), np.asarray(high)
    with np.errstate(invalid="ignore"):
        even = (low >= -edge) & (high <= edge)
        codes: NDArray[np.int8] = np.select([even, low > 0, high < 0], [EVEN, AHEAD, BEHIND], OPEN).astype(np.int8)
    return codes


def median_factor(n_a: Ints | int, n_b: Ints | int, school: str) -> Floats:
    """How much wider the standard error is than that of means (reading 29: from three passes in both lanes on)."""
    wider = (school == "median_pass") & (np.minimum(n_a, n_b) >= MEDIAN_FROM)
    factor: Floats = np.where(wider, MEDIAN_FACTOR, 1.0)
    return factor


def further_passes(
    ratio: float, s: float | None, df: int, n_a: int, n_b: int, band: float, school: str = "mean"
) -> int | None:
    """Further passes a lane that would settle an open verdict, all else equal (reading 15). None where none will do."""
    if s is None:
        return None
    one = np.ones(1)
    found = _further(one * math.log(ratio), one * s, one * df, one * n_a, one * n_b, band, school)
    return int(found[0]) or None


def _further(
    middle: Floats, s: Floats, df: Floats, n_a: Floats, n_b: Floats, band: float, school: str
) -> NDArray[np.int64]:
    """Smallest settling k of many margins at once, shape (M,); 0 where none up to 1,000 will do."""
    edge = math.log1p(band)

    def settled(k: NDArray[np.int64]) -> Bools:
        factor = median_factor(n_a + k, n_b + k, school)  # type: ignore[arg-type]
        error = factor * s * np.sqrt(1.0 / (n_a + k) + 1.0 / (n_b + k))
        reach = stdtrit(df + 2.0 * k, _TWO_SIDED) * error
        low, high = middle - reach, middle + reach
        found: Bools = ((low >= -edge) & (high <= edge)) | (low > 0) | (high < 0)
        return found

    # Once enough passes make the median wider, more passes only narrow the interval; before that, ask one by one.
    few = np.maximum(0, MEDIAN_FROM - np.minimum(n_a, n_b)).astype(np.int64)
    answer = np.zeros(len(middle), dtype=np.int64)
    for k in range(1, int(few.max(initial=0)) + 1):
        answer = np.where((answer == 0) & (few >= k) & settled(np.full(len(middle), k)), k, answer)
    low, high = few + 1, np.full(len(middle), MOST_PASSES + 1)
    while (low < high).any():
        at = (low + high) // 2
        does = settled(at)
        low, high = np.where(does | (low >= high), low, at + 1), np.where(does, at, high)
    found: NDArray[np.int64] = np.where(answer > 0, answer, np.where(low <= MOST_PASSES, low, 0))
    return found


def adjusted_p(p: Sequence[float]) -> list[float]:
    """Benjamini & Hochberg, "Controlling the False Discovery Rate", JRSS B 1995: adjusted p in the order given."""
    order = np.argsort(np.asarray(p, dtype=np.float64), kind="stable")
    ranked = np.asarray(p, dtype=np.float64)[order] * len(p) / np.arange(1, len(p) + 1)
    least = np.minimum(np.minimum.accumulate(ranked[::-1])[::-1], 1.0)
    adjusted = np.empty(len(p))
    adjusted[order] = least
    return adjusted.tolist()


class Pairing:
    """Pairs (A, B) of lanes over some tests, every figure, both cell schools.

    `kept` (F, P, T) says which tests take part and `code` why the others do not; `a`, `b` (S, F, P, T) are the cells'
    values and `middle` ln(B/A), 0 where left out; `n_a`, `n_b` (F, P, T).
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
        self.middle = np.log(self.b / self.a)
        pools = sheet.pools
        self.scene = sheet.scene[self.tests]
        self.s, self.df = pools.s[:, self.scene], pools.df[:, self.scene]

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
    def quantile(self) -> Floats:
        """The t quantile of each test's noise, shape (F, T); NaN without any."""
        with np.errstate(invalid="ignore"):
            found: Floats = stdtrit(np.where(self.df > 0, self.df, math.nan), _TWO_SIDED)
            return found

    def reach(self, school: int, figure: int) -> Floats:
        """Half the interval of ln r, shape (P, T)."""
        found: Floats = self.quantile[figure] * self.error(school, figure)
        return found

    def error(self, school: int, figure: int) -> Floats:
        """Standard error of ln r, shape (P, T)."""
        n_a, n_b = np.maximum(self.n_a[figure], 1), np.maximum(self.n_b[figure], 1)
        found: Floats = median_factor(n_a, n_b, CELL_SCHOOLS[school]) * self.s[figure] * np.sqrt(1.0 / n_a + 1.0 / n_b)
        return found

    def verdicts(self, school: int, figure: int) -> NDArray[np.int8]:
        """Codes of the verdicts, shape (P, T), meant where a test is kept."""
        middle, reach = self.middle[school, figure], self.reach(school, figure)
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
        middle, error = self.middle[cell_school, at, pair], self.error(cell_school, at)[pair]
        reach = self.quantile[at] * error
        low, high = np.expm1(middle - reach), np.expm1(middle + reach)
        codes = self.verdicts(cell_school, at)[pair]
        kept, sure = self.kept[at, pair], self.kept[at, pair] & ~np.isnan(reach)
        p = np.full(len(kept), math.nan)
        with np.errstate(invalid="ignore", divide="ignore"):
            exact = np.where(middle[sure] == 0, 0.0, -np.inf)
            t = np.where(error[sure] > 0, -np.abs(middle[sure]) / error[sure], exact)
        p[sure] = 2.0 * stdtr(self.df[at][sure], t)
        adjusted = np.full(len(kept), math.nan)
        adjusted[sure] = adjusted_p(p[sure].tolist())
        further = np.zeros(len(kept), dtype=np.int64)
        open_ones = sure & (codes == OPEN)
        further[open_ones] = _further(
            middle[open_ones], self.s[at][open_ones], self.df[at][open_ones], self.n_a[at, pair][open_ones],
            self.n_b[at, pair][open_ones], method.equal_band, CELL_SCHOOLS[cell_school],
        )  # fmt: skip
        return [
            self._margin(at, pair, i, cell_school, codes, sure, (low, high, p, adjusted, further))
            for i in range(len(kept))
        ]

    def _margin(
        self,
        figure: int,
        pair: int,
        i: int,
        school: int,
        codes: NDArray[np.int8],
        sure: Bools,
        found: tuple[Any, ...],
    ) -> Margin:
        test = self.sheet.study.tests[self.tests[i]].id
        out = self.left_out(figure, pair, i)
        if out is not None:
            return Margin(test, out)
        low, high, p, adjusted, further = (x[i].item() for x in found)
        a, b = self.a[school, figure, pair, i].item(), self.b[school, figure, pair, i].item()
        verdict, method = VERDICTS[codes[i]], self.sheet.study.method
        certain = bool(sure[i])
        chance = None
        if certain and verdict in ("ahead", "behind"):
            # Who looks after every pass makes more claims by chance: each must hold at the rule's stricter level.
            chance = adjusted > CHANCE or (method.looks is not None and not method.looks.holds(p))
        return Margin(
            test=test,
            left_out=None,
            a=a,
            b=b,
            n_a=int(self.n_a[figure, pair, i]),
            n_b=int(self.n_b[figure, pair, i]),
            b_over_a=b / a - 1.0,
            a_over_b=a / b - 1.0,
            a_behind_b=1.0 - a / b,
            noise=self.sheet.noise_at(figure, int(self.scene[i]), self.sheet.pools),
            interval=(low, high) if certain else None,
            verdict=verdict,
            p=p if certain else None,
            p_adjusted=adjusted if certain else None,
            could_be_chance=chance,
            further_passes=further or None,
            band=method.equal_band,
        )
