"""A grid: two factors crossed. What does each do, and does the effect of one depend on the other?"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rennbahn.comparing.cells import Bools, Floats, Sheet
from rennbahn.comparing.composition import Gap
from rennbahn.errors import RennbahnError
from rennbahn.kinds.fit import Fit, Interval, Share, group_tests, of_figure

_FACTORS = 2
#: What a verdict on a ratio of ratios says.
DEPENDS = {"ahead": "depends", "behind": "depends", "even": "does_not_depend", "open": "open"}


@dataclass(frozen=True)
class Effect:
    """What a level of a factor does over its first, as a margin, averaged over the levels of the other factor."""

    factor: str
    level: str
    over: str
    margin: float
    low: float | None
    high: float | None
    verdict: str


@dataclass(frozen=True)
class Interaction:
    """A ratio of ratios less 1: the effect of the first factor's `level` at `at`, a level of the second, over the same
    effect at the second's first level. The verdict is depends, does_not_depend or open; of a grid larger than two by
    two it is the one furthest from 1, all of them at once.
    """

    value: float
    low: float | None
    high: float | None
    verdict: str
    level: str
    at: str


@dataclass(frozen=True)
class GridTest:
    """The same in one test."""

    test: str
    effects: tuple[Effect, ...]
    interaction: Interaction | None


@dataclass(frozen=True)
class Place:
    """A lane in the grid, by its level of each factor: geometric mean in fps over the common tests, with its ends."""

    lane: str
    first: str
    second: str
    value: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class GridBlock:
    """A grid over the tests of one group in one figure; `missing` are places of the grid without a lane."""

    group: str | None
    figure: str
    factors: tuple[str, str]
    levels: dict[str, tuple[str, ...]]
    missing: tuple[tuple[str, str], ...]
    count: int
    left_out: tuple[Gap, ...]
    effects: tuple[Effect, ...]
    interaction: Interaction | None
    places: tuple[Place, ...]
    tests: tuple[GridTest, ...]


class _Places:
    """Which lane stands where in the grid. Raises :class:`RennbahnError` where there are not two factors."""

    def __init__(self, fit: Fit) -> None:
        lanes = [fit.study.lanes[at] for at in fit.lanes]
        factors = list(dict.fromkeys(factor for lane in lanes for factor in lane.facts.levels))
        if len(factors) != _FACTORS or any(len(lane.facts.levels) != _FACTORS for lane in lanes):
            told = ", ".join(factors) or "none"
            raise RennbahnError(
                "bad_study", f"every lane of a grid has a level of each of two factors (factors: {told})", field="lanes"
            )
        self.factors = (factors[0], factors[1])
        self.levels = {factor: tuple(dict.fromkeys(lane.facts.levels[factor] for lane in lanes)) for factor in factors}
        self.lane = {(one.facts.levels[factors[0]], one.facts.levels[factors[1]]): i for i, one in enumerate(lanes)}
        if len(self.lane) != len(lanes):
            raise RennbahnError("bad_study", "two lanes stand in the same place of the grid", field="lanes")

    def missing(self) -> tuple[tuple[str, str], ...]:
        """Places without a lane."""
        first, second = (self.levels[factor] for factor in self.factors)
        return tuple((a, b) for a in first for b in second if (a, b) not in self.lane)

    def at(self, factor: int, level: str, other: str) -> int | None:
        """The lane at a level of a factor and one of the other."""
        return self.lane.get((level, other) if factor == 0 else (other, level))


def grid_of(sheet: Sheet, figure: str, group: str | None = None) -> GridBlock:
    """The grid over a group."""
    numbers = group_tests(sheet, group)
    fit = Fit(sheet, figure, range(len(sheet.study.lanes)), numbers)
    places, common = _Places(fit), fit.common()
    own = []
    for t in np.flatnonzero(common).tolist():
        alone = np.zeros(len(common), dtype=np.bool_)
        alone[t] = True
        effects, interaction = _answers(fit, places, alone)
        own.append(GridTest(fit.study.tests[fit.tests[t]].id, effects, interaction))
    effects, interaction = _answers(fit, places, common) if common.any() else ((), None)
    return GridBlock(
        group, of_figure(figure), places.factors, places.levels, places.missing(), int(common.sum()),
        tuple(fit.left_out()), effects, interaction, _rates(fit, places, common) if common.any() else (), tuple(own),
    )  # fmt: skip


def _rates(fit: Fit, places: _Places, tests: Bools) -> tuple[Place, ...]:
    """What every place of the grid gives over some tests."""
    found = fit.weighed(fit.lane_weights(tests))
    reach = found.reach(fit.level)
    told = []
    for (first, second), lane in places.lane.items():
        value, low, high = Interval.of(float(found.middle[lane]), float(reach[lane])).rate()
        told.append(Place(fit.name(lane), first, second, value, low, high))
    return tuple(told)


def _answers(fit: Fit, places: _Places, tests: Bools) -> tuple[tuple[Effect, ...], Interaction | None]:
    """Effects and interaction over some tests."""
    weights, band = fit.lane_weights(tests), fit.method.equal_band
    effects = []
    for number, factor in enumerate(places.factors):
        others = places.levels[places.factors[1 - number]]
        first, *rest = places.levels[factor]
        for level in rest:
            pairs = [(places.at(number, level, other), places.at(number, first, other)) for other in others]
            there = [(a, b) for a, b in pairs if a is not None and b is not None]
            if there:
                effect: Floats = sum((weights[a] - weights[b] for a, b in there), np.zeros(weights.shape[1:]))
                share = Share.of(fit.weighed(effect[None] / len(there)).one(fit.level), band)
                effects.append(Effect(factor, level, first, share.margin, share.low, share.high, share.verdict))
    return tuple(effects), _interaction(fit, places, weights)


def _interaction(fit: Fit, places: _Places, weights: Floats) -> Interaction | None:
    """The furthest ratio of ratios over the first levels of both factors; None where no four places meet."""
    (zero, *levels), (base, *others) = (places.levels[factor] for factor in places.factors)
    found = []
    for level in levels:
        for other in others:
            corners = [places.lane.get(at) for at in ((level, other), (zero, other), (level, base), (zero, base))]
            if all(at is not None for at in corners):
                a, b, c, d = (weights[at] for at in corners)
                found.append((level, other, a - b - c + d))
    if not found:
        return None
    estimates = fit.weighed(np.stack([one[2] for one in found]))
    # Bonferroni: of two by two there is but one.
    reach = estimates.reach(fit.level / len(found))
    furthest = int(np.argmax(np.abs(estimates.middle)))
    intervals = [Interval.of(float(m), float(r)) for m, r in zip(estimates.middle, reach, strict=True)]
    verdicts = [DEPENDS[one.verdict(fit.method.equal_band)] for one in intervals]
    verdict = "depends" if "depends" in verdicts else "open" if "open" in verdicts else "does_not_depend"
    if verdict == "depends":
        shown = [i for i, word in enumerate(verdicts) if word == "depends"]
        furthest = max(shown, key=lambda i: abs(intervals[i].middle))
    value, low, high = intervals[furthest].share()
    return Interaction(value, low, high, verdict, found[furthest][0], found[furthest][1])
