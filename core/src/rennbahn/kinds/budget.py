"""A budget: what share of frames comes in time for a headset or a console-like target, and what holds the rest up."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from rennbahn.comparing.facts import BUDGET_SHARES
from rennbahn.comparing.model import ACCEPTED, AVERAGE, Pass, Study
from rennbahn.inference.looks import FALSE_CLAIMS
from rennbahn.inference.moderation import moderated

#: A lane holds a budget where at least this share of frames comes in time.
HELD = 0.99


@dataclass(frozen=True)
class BudgetCell:
    """A lane in a test against the budget: shares of frames, means over its passes.

    `inside` has an interval; `holds` is true where all of it is at least 99%, false where all of it is less, and null
    where neither is shown. `card_limit_fps` and `processor_limit_fps` are rates that each side could reach alone,
    `card_headroom` and `processor_headroom` what each leaves of the budget, as a share of it.
    """

    lane: str
    test: str
    passes: int
    inside: float | None
    low: float | None
    high: float | None
    processor_over: float | None
    card_over: float | None
    both_over: float | None
    longest_spell_s: float | None
    card_limit_fps: float | None
    processor_limit_fps: float | None
    card_headroom: float | None
    processor_headroom: float | None
    holds: bool | None


@dataclass(frozen=True)
class Inside:
    """The share of a cell's frames inside the budget with its interval; None without a capture or without noise."""

    inside: float | None
    low: float | None
    high: float | None

    @property
    def holds(self) -> bool | None:
        """True where the low end is at least 99%, false where the high end is under it, None where neither is shown."""
        if self.low is None or self.high is None:
            return None
        return True if self.low >= HELD else False if self.high < HELD else None


@dataclass(frozen=True)
class Hardest:
    """The most demanding test of a scene that a lane holds: of those that hold, the one with the lowest rate."""

    lane: str
    scene: str
    test: str | None


@dataclass(frozen=True)
class Holding:
    """The most demanding conditions under which a lane holds the budget in every scene, None where none is shown.

    `open` are conditions that are not shown to, and miss it nowhere.
    """

    lane: str
    conditions: str | None
    open: tuple[str, ...] = ()


@dataclass(frozen=True)
class BudgetResult:
    """All lanes and tests, test by test, against `budget_ms`; it is held from the share `held` of frames in time on.

    `holding` is by lane, where scenes were run under several conditions; empty elsewhere.
    """

    budget_ms: float
    held: float
    cells: tuple[BudgetCell, ...]
    hardest: tuple[Hardest, ...]
    holding: tuple[Holding, ...]


def budget_of(study: Study) -> BudgetResult:
    """How the lanes of a study meet its budget, of its target rate where none is said."""
    budget_ms = study.aims.budget_ms or 1000.0 / study.method.target_hz
    counting: dict[tuple[str, str], list[Pass]] = {}
    for one in study.passes:
        if one.status == ACCEPTED:
            counting.setdefault((one.lane, one.test), []).append(one)
    cells = [(lane.id, test.id, counting.get((lane.id, test.id), [])) for test in study.tests for lane in study.lanes]
    shares = [[x for one in passes if (x := one.facts.over_budget_share) is not None] for _, _, passes in cells]
    found = tuple(
        _cell(lane, test, passes, budget_ms, inside)
        for (lane, test, passes), inside in zip(cells, inside_of(shares, study.method.level), strict=True)
        if passes
    )
    return BudgetResult(budget_ms, HELD, found, tuple(_hardest(study, found)), tuple(_holding(study, found)))


def _cell(lane: str, test: str, passes: Sequence[Pass], budget_ms: float, inside: Inside) -> BudgetCell:
    card, processor, both = (_mean([getattr(p.facts, name) for p in passes]) for name in BUDGET_SHARES[1:])
    spells = [p.facts.longest_spell_s for p in passes if p.facts.longest_spell_s is not None]
    gpu, cpu = _mean([p.facts.gpu_busy_ms for p in passes]), _mean([p.facts.cpu_busy_ms for p in passes])
    return BudgetCell(
        lane, test, len(passes), inside.inside, inside.low, inside.high, processor, card, both,
        max(spells) if spells else None,
        1000.0 / gpu if gpu else None, 1000.0 / cpu if cpu else None,
        1.0 - gpu / budget_ms if gpu else None, 1.0 - cpu / budget_ms if cpu else None, inside.holds,
    )  # fmt: skip


def _mean(values: Sequence[float | None]) -> float | None:
    there = [x for x in values if x is not None]
    return math.fsum(there) / len(there) if there else None


def inside_of(over: Sequence[Sequence[float]], level: float = FALSE_CLAIMS) -> list[Inside]:
    """Shares of frames inside the budget of cells, from the shares over it in each pass (reading 42).

    Passes scatter alike on the arc sine of a share's root (Bartlett, "The square root transformation in analysis of
    variance", JRSS Suppl. 3:68, 1936), each cell's variance drawn towards that of the others (reading 13). A cell that
    is never late has no scatter to give, and would lend the others its stillness: it only takes theirs.

    >>> [one.holds for one in inside_of([[0.004, 0.006, 0.003], [0.0, 0.0, 0.0], [0.08, 0.1, 0.09]])]
    [True, True, False]
    """
    angles = [np.arcsin(np.sqrt(np.array(cell, dtype=np.float64))) for cell in over]
    never_late = [bool(len(x)) and not x.any() for x in angles]
    squares = np.array([float(((x - x.mean()) ** 2).sum()) if len(x) else 0.0 for x in angles])
    freedom = np.array([0.0 if still else max(len(x) - 1.0, 0.0) for x, still in zip(angles, never_late, strict=True)])
    noise = moderated(squares, freedom)
    found = []
    for x, still, v, df in zip(angles, never_late, noise.v.tolist(), noise.df.tolist(), strict=True):
        inside = 1.0 - math.fsum(np.sin(x) ** 2) / len(x) if len(x) else None
        if not len(x) or math.isnan(v) or not df >= 1:
            found.append(Inside(inside, *((1.0, 1.0) if still else (None, None))))
            continue
        reach = float(stdtrit(df, 1.0 - level / 2.0)) * math.sqrt(v / len(x))
        ends = np.clip([float(x.mean()) - reach, float(x.mean()) + reach], 0.0, math.pi / 2.0)
        low, high = (1.0 - np.sin(ends) ** 2).tolist()[::-1]
        found.append(Inside(inside, low, high))
    return found


def _hardest(study: Study, cells: Sequence[BudgetCell]) -> list[Hardest]:
    """By lane and scene."""
    rates = _rates(study)
    scene = {test.id: test.scene for test in study.tests}
    found = []
    for lane in study.lanes:
        for at in dict.fromkeys(scene.values()):
            own = [x for x in cells if x.lane == lane.id and scene[x.test] == at]
            held = [x for x in own if x.holds and (x.lane, x.test) in rates]
            hardest = min(held, key=lambda x: _average(rates[x.lane, x.test])) if held else None
            if own:
                found.append(Hardest(lane.id, at, hardest.test if hardest else None))
    return found


def _rates(study: Study) -> dict[tuple[str, str], list[float]]:
    """Average fps of the accepted passes of each lane and test."""
    rates: dict[tuple[str, str], list[float]] = {}
    for one in study.passes:
        if one.status == ACCEPTED and AVERAGE in one.figures:
            rates.setdefault((one.lane, one.test), []).append(one.figures[AVERAGE])
    return rates


def _holding(study: Study, cells: Sequence[BudgetCell]) -> list[Holding]:
    """By lane, over the conditions that every scene was run under; the slowest of them asks the most."""
    of_test = {test.id: test for test in study.tests}
    scenes = {test.scene for test in study.tests}
    everywhere = [
        name
        for name in dict.fromkeys(test.conditions for test in study.tests)
        if {test.scene for test in study.tests if test.conditions == name} == scenes
    ]
    if len(everywhere) < 2:
        return []
    rates, found = _rates(study), []
    for lane in study.lanes:
        held, unsure = [], []
        for name in everywhere:
            own = [one for one in cells if one.lane == lane.id and of_test[one.test].conditions == name]
            if len(own) == len(scenes) and all(one.holds and (one.lane, one.test) in rates for one in own):
                held.append((math.fsum(math.log(_average(rates[one.lane, one.test])) for one in own), name))
            elif not any(one.holds is False for one in own):
                unsure.append(name)
        found.append(Holding(lane.id, min(held)[1] if held else None, tuple(unsure)))
    return found


def _average(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values)
