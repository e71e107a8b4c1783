"""A budget: what share of frames comes in time for a headset or a console-like target, and what holds the rest up."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from rennbahn.comparing.facts import BUDGET_SHARES
from rennbahn.comparing.model import ACCEPTED, AVERAGE, Pass, Study
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
class Hardest:
    """The most demanding test of a scene that a lane holds: of those that hold, the one with the lowest rate."""

    lane: str
    scene: str
    test: str | None


@dataclass(frozen=True)
class Holding:
    """The most demanding conditions under which a lane holds the budget in every scene, None where it never does."""

    lane: str
    conditions: str | None


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
    ends = _intervals([[_over(one) for one in passes] for _, _, passes in cells], study.method.level)
    found = tuple(
        _cell(lane, test, passes, budget_ms, between)
        for (lane, test, passes), between in zip(cells, ends, strict=True)
        if passes
    )
    return BudgetResult(budget_ms, HELD, found, tuple(_hardest(study, found)), tuple(_holding(study, found)))


def _over(one: Pass) -> float | None:
    return one.facts.over_budget_share


def _cell(
    lane: str, test: str, passes: Sequence[Pass], budget_ms: float, between: tuple[float | None, float | None]
) -> BudgetCell:
    over, card, processor, both = (_mean([getattr(p.facts, name) for p in passes]) for name in BUDGET_SHARES)
    spells = [p.facts.longest_spell_s for p in passes if p.facts.longest_spell_s is not None]
    gpu, cpu = _mean([p.facts.gpu_busy_ms for p in passes]), _mean([p.facts.cpu_busy_ms for p in passes])
    low, high = between
    holds = None
    if low is not None and high is not None:
        holds = True if low >= HELD else False if high < HELD else None
    return BudgetCell(
        lane, test, len(passes), None if over is None else 1.0 - over, low, high, processor, card, both,
        max(spells) if spells else None,
        1000.0 / gpu if gpu else None, 1000.0 / cpu if cpu else None,
        1.0 - gpu / budget_ms if gpu else None, 1.0 - cpu / budget_ms if cpu else None, holds,
    )  # fmt: skip


def _mean(values: Sequence[float | None]) -> float | None:
    there = [x for x in values if x is not None]
    return math.fsum(there) / len(there) if there else None


def _intervals(over: Sequence[Sequence[float | None]], level: float) -> list[tuple[float | None, float | None]]:
    """Intervals of the share inside of every cell.

    Passes scatter alike on the arc sine of a share's root (Bartlett, "The square root transformation in analysis of
    variance", JRSS Suppl. 3:68, 1936), each cell's variance drawn towards that of the others (reading 13).
    """
    angles = [np.arcsin(np.sqrt(np.array([x for x in cell if x is not None], dtype=np.float64))) for cell in over]
    squares = np.array([float(((x - x.mean()) ** 2).sum()) if len(x) else 0.0 for x in angles])
    freedom = np.array([max(len(x) - 1, 0) for x in angles], dtype=np.float64)
    noise = moderated(squares, freedom)
    found: list[tuple[float | None, float | None]] = []
    for x, v, df in zip(angles, noise.v.tolist(), noise.df.tolist(), strict=True):
        if not len(x) or math.isnan(v) or not df >= 1:
            found.append((None, None))
            continue
        reach = float(stdtrit(df, 1.0 - level / 2.0)) * math.sqrt(v / len(x))
        ends = np.clip([float(x.mean()) - reach, float(x.mean()) + reach], 0.0, math.pi / 2.0)
        low, high = (1.0 - np.sin(ends) ** 2).tolist()[::-1]
        found.append((low, high))
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
        held = []
        for name in everywhere:
            own = [one for one in cells if one.lane == lane.id and of_test[one.test].conditions == name]
            if len(own) == len(scenes) and all(one.holds and (one.lane, one.test) in rates for one in own):
                held.append((math.fsum(math.log(_average(rates[one.lane, one.test])) for one in own), name))
        found.append(Holding(lane.id, min(held)[1] if held else None))
    return found


def _average(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values)
