"""Margins between two lanes, test by test, with interval, verdict and chance."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from scipy.special import stdtr, stdtrit

from rennbahn.comparing.cells import Noise, Sheet
from rennbahn.comparing.model import AVERAGE, CAPPED, Test
from rennbahn.plain import plain
from rennbahn.planning.passes import MOST_PASSES, passes_for_even, passes_needed, resolvable, smallest_of

VERDICTS = ("ahead", "behind", "even", "open")
#: An ahead or behind with a larger adjusted p could be chance.
CHANCE = 0.05
#: The median of many passes scatters wider than their mean by this.
MEDIAN_FACTOR = math.sqrt(math.pi / 2.0)
MEDIAN_FROM = 3
_TWO_SIDED = 0.975


@dataclass(frozen=True)
class LeftOut:
    """Why a test takes no part: `reason`, and the lane it is due to where it is due to one."""

    lane: str | None
    reason: str


@dataclass(frozen=True)
class Margin:
    """B over A in one test, one figure. Margins are shares (0.05 is 5%), `interval` is that of `b_over_a` at 95%.

    Of a test left out there is only the reason.
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
    passes_needed: int | None = None
    passes_for_even: int | None = None
    resolvable: float | None = None

    @property
    def log_ratio(self) -> float:
        """ln(B/A)."""
        return math.log(self.b / self.a)

    def as_json(self) -> dict[str, Any]:
        """Plain data; of a test left out only `test` and `left_out`."""
        if self.left_out is not None:
            return {"test": self.test, "left_out": plain(self.left_out)}
        data: dict[str, Any] = plain(self)
        data["noise"] = self.noise.as_json() if self.noise else None
        return data


def verdict_of(interval: tuple[float, float] | None, band: float) -> str:
    """The verdict on an interval of the margin (reading 14): `even` first, then `ahead`, `behind`, else `open`."""
    if interval is None:
        return "open"
    return _verdict_of_logs(math.log1p(interval[0]), math.log1p(interval[1]), band)


def _verdict_of_logs(low: float, high: float, band: float) -> str:
    edge = math.log1p(band)
    if low >= -edge and high <= edge:
        return "even"
    if low > 0:
        return "ahead"
    return "behind" if high < 0 else "open"


def standard_error(s: float, n_a: int, n_b: int, school: str) -> float:
    """Standard error of ln(B/A) (reading 29: the median of three or more passes is wider)."""
    factor = MEDIAN_FACTOR if school == "median_pass" and min(n_a, n_b) >= MEDIAN_FROM else 1.0
    return factor * s * math.sqrt(1.0 / n_a + 1.0 / n_b)


def further_passes(
    ratio: float, s: float | None, df: int, n_a: int, n_b: int, band: float, school: str = "mean"
) -> int | None:
    """Further passes a lane that would settle an open verdict, all else equal (reading 15). None where none will do."""
    if s is None:
        return None
    middle, edge = math.log(ratio), math.log1p(band)

    def settled(k: int) -> bool:
        reach = float(stdtrit(df + 2 * k, _TWO_SIDED)) * standard_error(s, n_a + k, n_b + k, school)
        return (middle - reach >= -edge and middle + reach <= edge) or middle - reach > 0 or middle + reach < 0

    # Once enough passes make the median wider, more passes only narrow the interval; before that, ask one by one.
    few = max(0, MEDIAN_FROM - min(n_a, n_b))
    first = next((k for k in range(1, few + 1) if settled(k)), None)
    return first if first is not None else smallest_of(settled, few + 1, MOST_PASSES)


def adjusted_p(p: Sequence[float]) -> list[float]:
    """Benjamini & Hochberg, "Controlling the False Discovery Rate", JRSS B 1995: adjusted p in the order given."""
    order = sorted(range(len(p)), key=lambda i: p[i])
    adjusted = [1.0] * len(p)
    least = 1.0
    for rank in range(len(p), 0, -1):
        index = order[rank - 1]
        least = min(least, p[index] * len(p) / rank)
        adjusted[index] = least
    return adjusted


def left_out(sheet: Sheet, test: str, a: str, b: str, figure: str) -> LeftOut | None:
    """Why a test takes no part in a comparison of lanes, if it does not (reading 33)."""
    for lane in (a, b):
        if not sheet.accepted.get((lane, test)):
            last = sheet.last.get((lane, test))
            return LeftOut(lane, last.status if last else "not_tested")
    if len(sheet.sources(a, test) | sheet.sources(b, test)) > 1:
        return LeftOut(None, "sources_differ")
    for lane in (a, b):
        if figure == AVERAGE and sheet.capped(lane, test):
            return LeftOut(lane, CAPPED)
        if not sheet.values(lane, test, figure):
            return LeftOut(lane, "not_reported")
    return None


def margins(sheet: Sheet, a: str, b: str, figure: str, school: str) -> list[Margin]:
    """Margins of lane B over lane A in every test, in the study's order, for one figure under one cell school."""
    found = [_margin(sheet, test, a, b, figure, school) for test in sheet.study.tests]
    tested = [i for i, margin in enumerate(found) if margin.p is not None]
    for i, p in zip(tested, adjusted_p([p for m in found if (p := m.p) is not None]), strict=True):
        decided = found[i].verdict in ("ahead", "behind")
        found[i] = replace(found[i], p_adjusted=p, could_be_chance=p > CHANCE if decided else None)
    return found


def _margin(sheet: Sheet, tested: Test, a: str, b: str, figure: str, school: str) -> Margin:
    test = tested.id
    out = left_out(sheet, test, a, b, figure)
    if out is not None:
        return Margin(test, out)
    cell_a, cell_b = sheet.cell(a, test, figure, school), sheet.cell(b, test, figure, school)
    if cell_a is None or cell_b is None:  # left_out has answered for empty cells
        return Margin(test, LeftOut(None, "not_reported"))
    noise = sheet.noise(figure)[tested.scene]
    band = sheet.study.method.equal_band
    ratio = cell_b.value / cell_a.value
    interval, verdict, p, further = None, "open", None, None
    if noise.s is not None:
        error = standard_error(noise.s, cell_a.n, cell_b.n, school)
        reach = float(stdtrit(noise.df, _TWO_SIDED)) * error
        middle = math.log(ratio)
        interval = (math.expm1(middle - reach), math.expm1(middle + reach))
        verdict = _verdict_of_logs(middle - reach, middle + reach, band)
        p = _two_sided_p(middle, error, noise.df)
        if verdict == "open":
            further = further_passes(ratio, noise.s, noise.df, cell_a.n, cell_b.n, band, school)
    return Margin(
        test=test,
        left_out=None,
        a=cell_a.value,
        b=cell_b.value,
        n_a=cell_a.n,
        n_b=cell_b.n,
        b_over_a=ratio - 1.0,
        a_over_b=cell_a.value / cell_b.value - 1.0,
        a_behind_b=1.0 - cell_a.value / cell_b.value,
        noise=noise,
        interval=interval,
        verdict=verdict,
        p=p,
        further_passes=further,
        passes_needed=passes_needed(noise.s, band, noise.cells),
        passes_for_even=passes_for_even(noise.s, band, noise.cells),
        resolvable=resolvable(noise.s, min(cell_a.n, cell_b.n), noise.cells),
    )


def _two_sided_p(middle: float, error: float, df: int) -> float:
    if error == 0.0:
        return 1.0 if middle == 0.0 else 0.0
    return 2.0 * float(stdtr(df, -abs(middle) / error))
