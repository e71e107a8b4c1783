"""For whom: what a difference is to one reader, on their display, at their floor, for their money.

A margin says what can be measured. A reader sees it only below the rate of their display, feels it where it takes a
game across their floor, and pays for it in money and power.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from rennbahn.comparing import Block
from rennbahn.comparing.cells import Bools, Sheet
from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import AVERAGE, CAPPED
from rennbahn.errors import RennbahnError
from rennbahn.kinds.fit import Fit, Interval, group_tests
from rennbahn.kinds.holding import ABOVE, BELOW, EDGE, held, side_of
from rennbahn.kinds.watts import watts_over
from rennbahn.worth import break_even_years, ownership

#: What a test is to a reader, the gravest first.
MATTERS = (
    "crosses",
    "may_cross",
    "noticed",
    "both_below",
    "open",
    "not_noticed",
    "beyond_display",
    "capped",
    "no_number",
)


@dataclass(frozen=True)
class Reader:
    """Somebody one writes for.

    `floor_on` says which figure the playable floor is held on: `average_fps`, or `low_1`. `notices` is the smallest
    margin that they would see, as a share. Money is in `currency`; what is None they have not said.
    """

    name: str
    display_hz: float
    variable: bool
    floor_fps: float
    floor_on: str = AVERAGE
    notices: float = 0.05
    hours_a_day: float = 2.0
    years: float = 4.0
    price_per_kwh: float | None = None
    budget: float | None = None
    currency: str = ""

    def __post_init__(self) -> None:
        if self.floor_on not in (AVERAGE, "low_1"):
            raise RennbahnError("bad_reader", "a floor is held on average_fps or low_1", field="floor_on")
        for field in ("display_hz", "floor_fps", "notices", "hours_a_day", "years"):
            if not getattr(self, field) > 0:
                raise RennbahnError("bad_reader", f"{field} must be above 0", field=field)


@dataclass(frozen=True)
class TestForReader:
    """What B over A is to a reader in one test. Rates in fps are of the figure that the floor is held on.

    `side_a` and `side_b` lie `above` the floor, `below` it, or on its `edge`, by their intervals. `seen` is the margin
    of the average that is left on the reader's display, a share with its ends. `matters` is one of :data:`MATTERS`.
    """

    __test__ = False

    test: str
    a: float | None
    a_low: float | None
    a_high: float | None
    b: float | None
    b_low: float | None
    b_high: float | None
    side_a: str | None
    side_b: str | None
    seen: float | None
    seen_low: float | None
    seen_high: float | None
    matters: str


@dataclass(frozen=True)
class LaneForReader:
    """A lane to a reader: in how many of `tests` it holds their floor, misses it or is on its edge, and in how many it
    surely runs above their display (`beyond`).

    Costs are in the reader's currency: `cost_owned` is the price with the energy of the reader's years.
    `holds` is whether it surely holds the floor, or surely does not, by what that means in the study.
    `break_even_years` is when it has made up for costing more than the baseline, where it ever does; `over_baseline`
    says by field how far it lies over the baseline, as a share.
    """

    lane: str
    tests: int
    above: int
    edge: int
    below: int
    beyond: int
    price: float | None
    within_budget: bool | None
    watts: float | None
    kwh_a_year: float | None
    energy_cost_a_year: float | None
    cost_owned: float | None
    break_even_years: float | None
    weight_g: float | None
    noise_dba: float | None
    over_baseline: dict[str, float]
    holds: bool | None = None


@dataclass(frozen=True)
class ForReader:
    """A study to a reader, in one group of tests: all lanes, and B over A test by test.

    `counts` says how many tests are what to them. `cheapest` is the lane with the lowest price, within the budget where
    there is one, that surely holds the floor: None also where it is not `whole`, since a planned test or lane lacks.
    `may_miss` says what holding means, `planned` of how many tests.
    """

    reader: Reader
    a: str
    b: str
    group: str | None
    figure: str
    lanes: tuple[LaneForReader, ...]
    tests: tuple[TestForReader, ...]
    counts: dict[str, int]
    cheapest: str | None
    whole: bool
    may_miss: int | None
    planned: int


def for_reader(
    sheet: Sheet, reader: Reader, pair: tuple[str, str], group: str | None = None, *, priced: bool = True
) -> ForReader:
    """What a study is to a reader. `priced` says that prices are in the reader's currency."""
    study = sheet.study
    numbers = group_tests(sheet, group)
    figure = AVERAGE if reader.floor_on == AVERAGE else f"low_1.{study.method.low_school}"
    floors = Fit(sheet, figure, range(len(study.lanes)), numbers)
    averages = floors if figure == AVERAGE else Fit(sheet, AVERAGE, range(len(study.lanes)), numbers)
    levels, rates = floors.cells(), averages.cells()
    at = {lane.id: i for i, lane in enumerate(study.lanes)}
    a, b = (at[lane] for lane in pair)
    margins: Sequence[Margin | None] = [None] * len(numbers)
    if AVERAGE in sheet.figure_at:
        margins = list(Block(sheet, (pair,), group).margins(AVERAGE))
    tests = tuple(
        _test(study.tests[number].id, levels[a][t], levels[b][t], (rates[a][t], rates[b][t]), margins[t], reader)
        for t, number in enumerate(numbers)
    )
    lanes = _lanes(reader, floors, levels, rates, averages, a, priced=priced)
    may_miss, whole = study.aims.may_miss, floors.composition().whole
    sides = _holding(floors, reader.floor_fps, may_miss)
    lanes = tuple(replace(one, holds=side) for one, side in zip(lanes, sides, strict=True))
    counts = {word: sum(one.matters == word for one in tests) for word in MATTERS}
    return ForReader(reader, *pair, group, reader.floor_on, lanes, tests, counts, _cheapest(lanes) if whole else None,
                     whole, may_miss, len(numbers))  # fmt: skip


def _holding(floors: Fit, floor_fps: float, may_miss: int | None) -> list[bool | None]:
    """Whether each lane surely holds a rate, or surely does not; a lane without any result shows neither."""
    there = np.flatnonzero(floors.there.any(axis=1)).tolist()
    found: list[bool | None] = [None] * len(floors.lanes)
    if there:
        fit = Fit(floors.sheet, floors.figure, floors.lanes[there].tolist(), floors.tests.tolist())
        holds, misses = held(fit, floor_fps, may_miss)
        for at, yes, no in zip(there, holds.tolist(), misses.tolist(), strict=True):
            found[at] = True if yes else False if no else None
    return found


def _test(
    test: str,
    a: Interval | None,
    b: Interval | None,
    averages: tuple[Interval | None, Interval | None],
    margin: Margin | None,
    reader: Reader,
) -> TestForReader:
    sides = side_of(a, reader.floor_fps), side_of(b, reader.floor_fps)
    shown = [side_of(one, reader.display_hz) for one in averages]
    seen = _seen(averages, margin, reader.display_hz)
    middle, low, high = seen
    verdict = margin.verdict if margin is not None else "open"
    # Two sides of a floor are no difference by themselves: the lanes must be shown to part as well.
    even, shown_apart = verdict == "even", verdict in ("ahead", "behind")
    edge = reader.notices / (1.0 + reader.notices)
    if a is None or b is None or (margin is not None and margin.left_out is not None):
        capped = margin is not None and margin.left_out is not None and margin.left_out.reason == CAPPED
        matters = "capped" if capped else "no_number"
    elif {ABOVE, BELOW} == set(sides) and shown_apart:
        matters = "crosses"
    elif (EDGE in sides or {ABOVE, BELOW} == set(sides)) and not even:
        matters = "may_cross"
    elif shown == [ABOVE, ABOVE]:
        matters = "beyond_display"
    elif sides == (BELOW, BELOW):
        matters = "both_below"
    elif low is None or high is None:
        matters = "open"
    elif low > reader.notices or high < -edge:
        matters = "noticed"
    elif -edge <= low and high <= reader.notices:
        matters = "not_noticed"
    else:
        matters = "open"
    nothing: tuple[float | None, float | None, float | None] = (None, None, None)
    rate_a, rate_b = (one.rate() if one else nothing for one in (a, b))
    return TestForReader(test, *rate_a, *rate_b, *sides, middle, low, high, matters)


def _seen(
    averages: tuple[Interval | None, Interval | None], margin: Margin | None, display_hz: float
) -> tuple[float | None, float | None, float | None]:
    """What of a margin is left on a display: no rate counts for more than its own."""
    a, b = averages
    if a is None or b is None or margin is None or margin.left_out is not None:
        return None, None, None
    most = math.log(display_hz)

    def left(log_margin: float) -> float:
        # A is held where it was measured, and B by the margin over it.
        return math.expm1(min(a.middle + log_margin, most) - min(a.middle, most))

    middle = left(margin.log_ratio)
    if margin.interval is None:
        return middle, None, None
    low, high = (math.log1p(end) for end in margin.interval)
    return middle, left(low), left(high)


def _lanes(
    reader: Reader,
    floors: Fit,
    levels: Sequence[Sequence[Interval | None]],
    rates: Sequence[Sequence[Interval | None]],
    averages: Fit,
    baseline: int,
    *,
    priced: bool,
) -> tuple[LaneForReader, ...]:
    common: Bools = averages.common()
    watts = watts_over(averages, common) if common.any() else np.full(len(levels), math.nan)
    owned = [
        None
        if math.isnan(draws)
        else ownership(
            float(draws), reader.hours_a_day, reader.price_per_kwh, lane.facts.price if priced else None, reader.years
        )
        for draws, lane in zip(watts.tolist(), floors.study.lanes, strict=True)
    ]
    found = []
    for i, lane in enumerate(floors.study.lanes):
        sides = [side_of(one, reader.floor_fps) for one in levels[i] if one is not None]
        facts, own = lane.facts, owned[i]
        price = facts.price if priced else None
        fits = None if price is None or reader.budget is None else price <= reader.budget
        found.append(
            LaneForReader(
                lane.id, len(sides), sides.count(ABOVE), sides.count(EDGE), sides.count(BELOW),
                sum(side_of(one, reader.display_hz) == ABOVE for one in rates[i] if one is not None),
                price, fits, None if own is None else float(watts[i]),
                own.kwh_a_year if own else None, own.energy_cost_a_year if own else None,
                own.cost_owned if own else None, None, facts.weight_g, facts.noise_dba, {},
            )
        )  # fmt: skip
    return tuple(_beside(one, found[baseline]) for one in found)


#: What is held against the baseline in percent; decibels are not.
_HELD = ("price", "watts", "kwh_a_year", "energy_cost_a_year", "cost_owned", "weight_g")


def _beside(one: LaneForReader, base: LaneForReader) -> LaneForReader:
    """A lane with what the baseline's costs make of its own."""
    if one is base:
        return one
    pairs = {name: (getattr(base, name), getattr(one, name)) for name in _HELD}
    over = {name: own / theirs - 1.0 for name, (theirs, own) in pairs.items() if theirs and own is not None}
    years = None
    if one.price is not None and base.price is not None:
        running = base.energy_cost_a_year, one.energy_cost_a_year
        if running[0] is not None and running[1] is not None:
            years = break_even_years(base.price, running[0], one.price, running[1])
    return replace(one, break_even_years=years, over_baseline=over)


def _cheapest(lanes: Sequence[LaneForReader]) -> str | None:
    """Of equal prices the first."""
    able = [one for one in lanes if one.holds and one.price is not None and one.within_budget is not False]
    return min(able, key=lambda one: one.price or 0.0).lane if able else None
