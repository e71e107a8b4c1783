"""What does not show in one pass: lanes that should differ and do not, ranks that make no sense, shifted sessions."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import combinations, pairwise
from statistics import median

from rennbahn.checks.base import Check, Looked, percent
from rennbahn.checks.model import Context, Doubt
from rennbahn.checks.scatter import two_sided

#: So many other tests must tell lanes apart before one is called unlike them.
_FEWEST_TESTS = 3
_UNLIKE = 0.004
_CLEAR = 4.0
#: Labels of busy times and utilisation that say which side holds a run.
_SIDES = ("gpu", "cpu", "waiting", "not_gpu")
#: A rank against all other tests, at this level.
_ORDER = 0.002
#: A shift of a session at this level, and at least by so much.
_SHIFT = 0.003
_LEAST_SHIFT = 0.002
#: From so many cells on their own scatter tells how sure a shift is.
_FEWEST_PAIRS = 6
#: How much further a median scatters than a mean of normal values, and their standard deviation over the median
#: distance from their middle.
_OF_MEDIAN = 1.2533
_TO_SD = 1.4826
#: A bench that rested longer began a new session, h.
_REST_H = 2.0
#: Passes of one bench follow each other: clocks by which two overlap by more than this share of one are no time of day.
_OVERLAP = 0.5


@dataclass(frozen=True)
class Ratio:
    """ln of lane B over lane A in a test, with its standard error from noise."""

    test: str
    r: float
    error: float

    def alike(self, usual: float) -> bool:
        """Whether the lanes are as good as equal here, where they are usually that far apart."""
        return abs(self.r) <= 3.0 * self.error and abs(self.r) < abs(usual) / 4.0


def ratios_of(looked: Looked, a: str, b: str) -> list[Ratio]:
    """B over A in every test that has both; found once a pair."""
    if (a, b) not in looked.ratios:
        looked.ratios[a, b] = _found_ratios(looked, a, b)
    found: list[Ratio] = looked.ratios[a, b]
    return found


def _found_ratios(looked: Looked, a: str, b: str) -> list[Ratio]:
    context, scatter = looked.context, looked.averages
    found = []
    for test in context.tests:
        sides = [
            [
                scatter.log(o)
                for o in context.cells.get((lane, test.id), ())
                if scatter.has(o) and o.id not in scatter.out
            ]
            for lane in (a, b)
        ]
        if not sides[0] or not sides[1]:
            continue
        noise = scatter.noise_of(test.scene).s
        r = math.fsum(sides[1]) / len(sides[1]) - math.fsum(sides[0]) / len(sides[0])
        found.append(Ratio(test.id, r, noise * math.sqrt(1.0 / len(sides[0]) + 1.0 / len(sides[1]))))
    return found


class LikeAnotherLane(Check):
    """A lane equals another in one test alone, where a difference was to be expected."""

    id = "like_another_lane"
    asks = "Was the setting under test on in this test as well?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Lanes told apart by all other tests and not by this one."""
        context = looked.context
        told: set[tuple[str, str]] = set()
        for a, b in combinations([lane.id for lane in context.lanes], 2):
            ratios = ratios_of(looked, a, b)
            held = held_alike(looked, a, b, ratios)
            for one in ratios:
                others = [other for other in ratios if other.test != one.test and other.test not in held]
                if len(others) < _FEWEST_TESTS or (b, one.test) in told or one.test in held:
                    continue
                mean, spread = mean_and_spread([other.r for other in others])
                if any(abs(other.r) < _CLEAR * other.error or other.r * mean <= 0 for other in others):
                    continue
                error = math.sqrt((spread**2) * (1.0 + 1.0 / len(others)) + one.error**2)
                p = two_sided((one.r - mean) / error, float(len(others) - 1))
                if one.alike(mean) and p < _p_of_few(len(others)):
                    told.add((b, one.test))
                    names = context.lane_by_id[b].name, context.lane_by_id[a].name
                    yield Doubt(
                        self.id,
                        f"{names[0]} runs like {names[1]} here ({percent(math.expm1(one.r))} apart), while it is "
                        f"{percent(math.expm1(mean))} {'faster' if mean > 0 else 'slower'} in the other {len(others)} "
                        "tests: was the setting on? Read it back, run it again, or say what else limits here.",
                        None, b, one.test, self.weak,
                        {"margin": math.expm1(one.r), "elsewhere": math.expm1(mean), "tests": len(others), "p": p,
                         "like": a},
                    )  # fmt: skip


def _p_of_few(tests: int) -> float:
    """With few other tests their spread is hardly known, and a t of so few degrees reaches no small p."""
    return 0.05 if tests < 5 else 0.02


def mean_and_spread(values: list[float]) -> tuple[float, float]:
    """Mean and standard deviation of two values and more."""
    mean = math.fsum(values) / len(values)
    return mean, math.sqrt(math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1))


def held_alike(looked: Looked, a: str, b: str, ratios: list[Ratio]) -> set[str]:
    """Tests in which something holds both lanes that does not where they part: a cap, or the other side of the machine.

    Lanes are equal there for a reason, and what those tests say of a difference is nothing.
    """
    held = {one.test: _held_by(looked.context, a, b, one.test) for one in ratios}
    parting = [held[one.test] for one in ratios if abs(one.r) >= _CLEAR * one.error]
    usual = max(dict.fromkeys(parting), key=parting.count, default="")
    return {test for test, by in held.items() if by == "cap" or (by and usual and by != usual)}


def _held_by(context: Context, a: str, b: str, test: str) -> str:
    """What holds both lanes in a test, where all their passes say the same; empty elsewhere."""
    both = [*context.cells.get((a, test), ()), *context.cells.get((b, test), ())]
    if both and all(one.profile.cap != "none" for one in both):
        return "cap"
    labels = {one.profile.bound_by for one in both}
    label = labels.pop() if len(labels) == 1 else ""
    return label if label in _SIDES else ""


class Order(Check):
    """A ladder of lanes that makes no sense in this test alone."""

    id = "order"
    asks = "Do the lanes rank here as they do everywhere else?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Two lanes whose rank all other tests give differently, where there are three lanes and more."""
        context = looked.context
        if len(context.lanes) < 3:
            return
        found: dict[str, list[tuple[str, str, float, float, int]]] = {}
        for a, b in combinations([lane.id for lane in context.lanes], 2):
            ratios = ratios_of(looked, a, b)
            for one in ratios:
                others = [other for other in ratios if other.test != one.test]
                if len(others) < _FEWEST_TESTS or not one.error:
                    continue
                mean = math.fsum(other.r for other in others) / len(others)
                if one.r * mean >= 0 or any(other.r * mean <= 0 for other in others):
                    continue
                clear = median(abs(other.r) / other.error for other in others)
                if two_sided(one.r / one.error, 30.0) < _ORDER and clear > 3.0:
                    found.setdefault(one.test, []).append((a, b, one.r, mean, len(others)))
        for test, swaps in found.items():
            yield self._told(looked, test, swaps)

    def _told(self, looked: Looked, test: str, swaps: list[tuple[str, str, float, float, int]]) -> Doubt:
        """One doubt a test, about the lane that explains most of it."""
        context = looked.context
        counts: dict[str, float] = {}
        for a, b, r, mean, _ in swaps:
            for lane in (a, b):
                counts[lane] = counts.get(lane, 0.0) + abs(r - mean)
        off = self._off_expected(looked, test)
        lane = max(counts, key=lambda one: (counts[one], abs(off.get(one, 0.0))))
        if len(swaps) == 1:
            lane = max(swaps[0][:2], key=lambda one: abs(off.get(one, 0.0)))
        a, b, r, mean, tests = max(swaps, key=lambda swap: abs(swap[2]))
        ahead, behind = (b, a) if r > 0 else (a, b)
        names = context.lane_by_id[ahead].name, context.lane_by_id[behind].name
        return Doubt(
            self.id,
            f"{names[0]} is {percent(math.expm1(abs(r)))} ahead of {names[1]} here, which all other {tests} tests give "
            f"the other way round by {percent(math.expm1(abs(mean)))}. Look at both, run "
            f"{context.lane_by_id[lane].name} again.",
            None, lane, test, self.weak,
            {"ahead": ahead, "behind": behind, "margin": math.expm1(abs(r)), "elsewhere": -math.expm1(abs(mean)),
             "tests": tests},
        )  # fmt: skip

    def _off_expected(self, looked: Looked, test: str) -> dict[str, float]:
        """How far each lane is off what the other lanes and tests make one expect of it here, in ln."""
        context = looked.context
        lanes = [lane.id for lane in context.lanes if (lane.id, test) in context.cells]
        found = {}
        for lane in lanes:
            offs = []
            for other in lanes:
                if other != lane:
                    ratios = {one.test: one.r for one in ratios_of(looked, other, lane)}
                    rest = [r for name, r in ratios.items() if name != test]
                    if test in ratios and rest:
                        offs.append(ratios[test] - median(rest))
            if offs:
                found[lane] = median(offs)
        return found


class Offset(Check):
    """A session or day shifted as a whole."""

    id = "offset"
    asks = "Was the bench the same in every session?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Sessions whose passes, control passes first, lie off the same cells' passes of other sessions."""
        session = sessions_of(looked.context)
        left = list(dict.fromkeys(session.values()))
        # One that is shifted makes the others look shifted the other way: it leaves before they are asked.
        while len(left) > 1:
            found = [(name, shift) for name in left if (shift := self._shift(looked, session, name, left)) is not None]
            if not found:
                return
            name, shift = min(found, key=lambda one: one[1].p)
            left.remove(name)
            way = "faster" if shift.ln > 0 else "slower"
            yield Doubt(
                self.id,
                f"Session {name} ran {percent(math.expm1(shift.ln))} {way} than the others as a whole, by {shift.by}: "
                "the room, a background program or an update. Look at what changed; run lanes again that were in it "
                "alone.",
                None, None, None, self.weak,
                {"session": name, "shift": math.expm1(shift.ln), "cells": shift.cells, "p": shift.p, "by": shift.by},
            )  # fmt: skip

    def _shift(self, looked: Looked, session: dict[str, str], name: str, left: list[str]) -> _Shift | None:
        """By how much a session is off the others that are left, where it is: by control passes, else by all."""
        found = list(self._pairs(looked, session, name, left))
        for by, pairs in (
            ("control passes", [pair for pair in found if pair[2]]),
            ("all tests", [pair for pair in found if not pair[2]]),
        ):
            shift = _shift_of(pairs, by)
            if shift is not None and shift.p < _SHIFT / len(left) and abs(shift.ln) >= _LEAST_SHIFT:
                return shift
        return None

    def _pairs(
        self, looked: Looked, session: dict[str, str], name: str, left: list[str]
    ) -> Iterator[tuple[float, float, bool]]:
        """Of each cell with passes in this session and in others: shift, standard error, whether of controls."""
        context, scatter = looked.context, looked.averages
        for (_, test), cell in context.cells.items():
            known = [one for one in cell if scatter.has(one) and session.get(one.id) in left]
            inside = [one for one in known if session[one.id] == name]
            outside = [one for one in known if session[one.id] != name]
            if not inside or not outside:
                continue
            noise = scatter.noise_of(context.test_by_id[test].scene).s
            shift = _mean(scatter.log(one) for one in inside) - _mean(scatter.log(one) for one in outside)
            yield (
                shift,
                noise * math.sqrt(1.0 / len(inside) + 1.0 / len(outside)),
                any(one.control for one in cell),
            )


@dataclass(frozen=True)
class _Shift:
    """A shift in ln, the p of there being none, by what and by how many cells."""

    ln: float
    p: float
    by: str
    cells: int


def _shift_of(pairs: list[tuple[float, float, bool]], by: str) -> _Shift | None:
    """The shift that cells have in common: by how they scatter around it, or by noise where they are few."""
    if not pairs:
        return None
    if len(pairs) >= _FEWEST_PAIRS:
        # Each scatters as it does, its own noise being inflated by the very shift. By the middle one, and how far the
        # others lie from it, one odd cell hides no shift and makes none.
        offs = [off for off, _, _ in pairs]
        middle = median(offs)
        error = _OF_MEDIAN * _TO_SD * median(abs(off - middle) for off in offs) / math.sqrt(len(offs))
        p = two_sided(middle / error, float(len(pairs) - 1)) if error else float(middle == 0.0)
        return _Shift(middle, p, by, len(pairs))
    weights = [1.0 / error**2 for _, error, _ in pairs]
    mean = math.fsum(w * off for w, (off, _, _) in zip(weights, pairs, strict=True)) / math.fsum(weights)
    p = two_sided(mean * math.sqrt(math.fsum(weights)), 6.0 + 2.0 * len(pairs))
    return _Shift(mean, p, by, len(pairs))


def _mean(values: Iterable[float]) -> float:
    listed = list(values)
    return math.fsum(listed) / len(listed)


def sessions_of(context: Context) -> dict[str, str]:
    """The session of each pass: as it says, else by its clock.

    Clocks by which no two passes ran at once are one time: whatever the order of the list, a rest begins a session.
    Else each session has a clock of its own, and begins where that falls back from one pass to the next.
    """
    found: dict[str, str] = {one.id: one.session for one in context.passes if one.session is not None}
    timed = [(one.clock_h, one) for one in context.passes if one.session is None and one.clock_h is not None]
    in_time = sorted(timed, key=lambda pair: pair[0])
    one_time = all(
        after - before >= _OVERLAP * min(a.profile.duration_s, b.profile.duration_s) / 3600.0
        for (before, a), (after, b) in pairwise(in_time)
    )
    number, last = 1, math.inf if one_time else -math.inf
    for clock, one in in_time if one_time else timed:
        if clock > last + _REST_H if one_time else clock < last:
            number += 1
        last = clock
        found[one.id] = str(number)
    return found


def checks() -> Iterator[Check]:
    """All checks of this family."""
    yield from (LikeAnotherLane(), Order(), Offset())
