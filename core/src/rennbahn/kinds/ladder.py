"""A ladder: many lanes ranked, with what is shown of their order, tiers, and what holds a wanted rate."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from rennbahn.comparing.cells import Bools, Floats, Sheet
from rennbahn.comparing.composition import Gap
from rennbahn.comparing.model import Lane
from rennbahn.comparing.verdicts import AHEAD, BEHIND, EVEN, VERDICTS, verdicts_of_logs
from rennbahn.kinds.fit import Fit, Interval, group_tests, of_figure
from rennbahn.kinds.holding import held
from rennbahn.kinds.memory import Short, shorts_of
from rennbahn.kinds.watts import watts_over
from rennbahn.worth import extra_frame_cost


@dataclass(frozen=True)
class Rung:
    """A lane of a ladder: geometric mean in fps over the common tests with its own interval at the study's level.

    `ranks` are the best and the worst that it may have: with probability 0.95 those of all lanes hold together. Lanes
    whose order is not shown, or that are even within the band, share ranks. A `tier` begins where a lane is shown to be
    behind the first of the tier before. `outclassed_by` is the fastest lane that costs no more and gives no less. Money
    is in the unit of `price`.
    """

    lane: str
    fps: float
    low: float | None
    high: float | None
    ranks: tuple[int, int]
    tier: int
    outclassed_by: str | None
    price: float | None
    per_price: float | None
    cost_per_frame: float | None
    watts: float | None
    per_watt: float | None


@dataclass(frozen=True)
class LadderPair:
    """The margin of b over a, as a share, and of a over b (`reverse`), over the `tests` that both have.

    The intervals of all pairs hold at once.
    """

    a: str
    b: str
    margin: float
    low: float | None
    high: float | None
    verdict: str
    reverse: float
    reverse_low: float | None
    reverse_high: float | None
    tests: int


@dataclass(frozen=True)
class Need:
    """Which lanes hold a rate in fps, miss it, or are on its edge, by their intervals.

    It is held in the mean over the common tests (`may_miss` None), or in all of the planned tests but so many.
    `cheapest` is the cheapest lane that holds it: claimed of no ladder that lacks a planned test or a lane.
    """

    target: float
    group: str | None
    figure: str
    hold: tuple[str, ...]
    on_edge: tuple[str, ...]
    miss: tuple[str, ...]
    cheapest: str | None
    may_miss: int | None = None


@dataclass(frozen=True)
class ExtraFrame:
    """What one more fps costs from a lane to the next dearer one, of those that are not outclassed."""

    from_lane: str
    to_lane: str
    cost_per_extra_frame: float | None


@dataclass(frozen=True)
class LadderBlock:
    """A ladder over the tests of one group in one figure, from the fastest lane down.

    `tests` counts those that all its lanes have; `absent` are lanes without any result here, `shorts` lanes in tests
    that ask for more memory than they have.
    """

    group: str | None
    figure: str
    tests: int
    left_out: tuple[Gap, ...]
    absent: tuple[str, ...]
    lanes: tuple[Rung, ...]
    pairs: tuple[LadderPair, ...]
    needs: tuple[Need, ...]
    extra_frames: tuple[ExtraFrame, ...]
    shorts: tuple[Short, ...]


def ladder_of(sheet: Sheet, figure: str, group: str | None = None) -> LadderBlock:
    """The ladder of a group."""
    numbers = group_tests(sheet, group)
    everyone = Fit(sheet, figure, range(len(sheet.study.lanes)), numbers)
    there = np.flatnonzero(everyone.there.any(axis=1)).tolist()
    absent = tuple(lane.id for at, lane in enumerate(sheet.study.lanes) if at not in there)
    fit = Fit(sheet, figure, there, numbers)
    common, name = fit.common(), of_figure(figure)
    if not common.any():
        return LadderBlock(group, name, 0, tuple(fit.left_out()), absent, (), (), (), (), ())
    weights = fit.lane_weights(common)
    order = np.argsort(-fit.weighed(weights).middle, kind="stable")
    weights = weights[order]
    levels = fit.weighed(weights)
    a, b = np.triu_indices(len(order), 1)
    both = _both(fit, order[a], order[b])
    over = fit.weighed(_pair_weights(both, order[a], order[b], len(order)))
    reach = over.reach_at_once(len(order), fit.level)
    low, high = over.middle - reach, over.middle + reach
    codes = verdicts_of_logs(low, high, fit.method.equal_band)
    lanes = [sheet.study.lanes[fit.lanes[at]] for at in order]
    pairs = tuple(
        _pair(lanes[i].id, lanes[j].id, m, r, VERDICTS[code], count)
        for i, j, m, r, code, count in zip(
            a.tolist(),
            b.tolist(),
            over.middle.tolist(),
            reach.tolist(),
            codes.tolist(),
            both.sum(axis=1).tolist(),
            strict=True,
        )
    )
    count = len(order)
    table = np.full((count, count), EVEN, dtype=np.int8)
    table[a, b] = codes
    table[b, a] = np.select([codes == AHEAD, codes == BEHIND], [BEHIND, AHEAD], codes)
    own = zip(levels.middle.tolist(), levels.reach(fit.level).tolist(), strict=True)
    rates = [Interval.of(middle, reach).rate() for middle, reach in own]
    watts = watts_over(fit, common)[order]
    rungs, tiers = [], _tiers(table)
    for i, lane in enumerate(lanes):
        fps, lowest, highest = rates[i]
        price, draws = lane.facts.price, None if np.isnan(watts[i]) else float(watts[i])
        better = [
            j for j, other in enumerate(lanes) if j != i and _outclasses(other, lane, VERDICTS[table[i, j]])
        ]  # table[i, j]: lane j over lane i
        rungs.append(
            Rung(
                lane.id, fps, lowest, highest,
                # table[i, j] is lane j over lane i: the band asked first, lanes even with each other share ranks.
                (1 + int((table[i] == AHEAD).sum()), count - int((table[i] == BEHIND).sum())), tiers[i],
                lanes[better[0]].id if better else None, price,
                fps / price if price else None, price / fps if price else None,
                draws, fps / draws if draws else None,
            )
        )  # fmt: skip
    whole = not absent and bool(common.all())
    needs = tuple(_need(target, fit, order, rungs, whole=whole, group=group) for target in sheet.study.aims.targets)
    return LadderBlock(
        group,
        name,
        int(common.sum()),
        tuple(fit.left_out()),
        absent,
        tuple(rungs),
        pairs,
        needs,
        _extra_frames(rungs),
        shorts_of(fit),
    )


def _both(fit: Fit, a: NDArray[np.intp], b: NDArray[np.intp]) -> Bools:
    """Tests in which both lanes of each pair stand, from one source, shape (P, T)."""
    sources = fit.sources[a] | fit.sources[b]
    found: Bools = fit.there[a] & fit.there[b] & ((sources & (sources - 1)) == 0)
    return found


def _pair_weights(both: Bools, a: NDArray[np.intp], b: NDArray[np.intp], lanes: int) -> Floats:
    """Weights of b over a in the mean over the tests that both have, shape (P, L, T): what one lane lacks is no loss to
    the others."""
    weights = np.zeros((len(both), lanes, both.shape[1]))
    each, at = np.arange(len(both)), both / both.sum(axis=1, keepdims=True)
    weights[each, b] = at
    weights[each, a] = -at
    return weights


def _pair(a: str, b: str, middle: float, reach: float, verdict: str, tests: int) -> LadderPair:
    straight, turned = Interval.of(middle, reach).share(), Interval.of(-middle, reach).share()
    return LadderPair(a, b, *straight, verdict, *turned, tests)


def _tiers(table: NDArray[np.int8]) -> list[int]:
    """Tiers from the fastest lane down, from the verdicts of lane j over lane i."""
    tiers, first = [1], 0
    for lane in range(1, len(table)):
        if table[first, lane] == BEHIND:
            first = lane
            tiers.append(tiers[-1] + 1)
        else:
            tiers.append(tiers[-1])
    return tiers


def _outclasses(other: Lane, lane: Lane, verdict: str) -> bool:
    """Does another lane cost no more and give no less, one of the two surely? `verdict` is of the other over it."""
    theirs, own = other.facts.price, lane.facts.price
    if theirs is None or own is None or theirs > own:
        return False
    return verdict == "ahead" or (verdict == "even" and theirs < own)


def _need(
    target: float, fit: Fit, order: NDArray[np.intp], rungs: Sequence[Rung], *, whole: bool, group: str | None
) -> Need:
    may_miss = fit.study.aims.may_miss
    holds, misses = held(fit, target, may_miss)
    hold = [one for one, at in zip(rungs, order.tolist(), strict=True) if holds[at]]
    miss = [one for one, at in zip(rungs, order.tolist(), strict=True) if misses[at]]
    edge = [one for one in rungs if one not in hold and one not in miss]
    priced = [one for one in hold if one.price is not None]
    cheapest = min(priced, key=lambda one: (one.price or 0.0, -one.fps)).lane if priced and whole else None
    holding, on_edge, missing = (tuple(one.lane for one in part) for part in (hold, edge, miss))
    return Need(target, group, of_figure(fit.figure), holding, on_edge, missing, cheapest, may_miss)


def _extra_frames(rungs: Sequence[Rung]) -> tuple[ExtraFrame, ...]:
    priced = [one for one in rungs if one.price is not None and one.outclassed_by is None]
    steps = sorted(priced, key=lambda one: one.price or 0.0)
    return tuple(
        ExtraFrame(
            below.lane, above.lane,
            extra_frame_cost(below.price or 0.0, below.fps, above.price or 0.0, above.fps).cost_per_extra_frame,
        )
        for below, above in pairwise(steps)
    )  # fmt: skip
