"""Passes in their order laid out in time: what to change, when, what fits before the deadline, and what drift does.

Time is in seconds from the plan's beginning; the core knows no calendar. Drift acts over hours at the bench: what lies
between two sessions does not count.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import accumulate

import numpy as np

from rennbahn.planning.order import ordered
from rennbahn.planning.schedule import COUNTED, ChangeKind, OrderName, PlannedPass, Session, Work

#: The slow drift that orders are held against: a share of the rate an hour.
DRIFT_PER_HOUR = 0.01
_DAY_S = 86_400.0


@dataclass(frozen=True)
class Change:
    """Something done before a pass, `seconds` long."""

    kind: ChangeKind
    words: str
    seconds: float


@dataclass(frozen=True)
class Slot:
    """One pass in its place: the changes before it begin at `start_s`, the pass itself at `begin_s`."""

    one: PlannedPass
    session: int
    start_s: float
    begin_s: float
    end_s: float
    changes: tuple[Change, ...]


@dataclass(frozen=True)
class DriftBias:
    """What a drift of 1% an hour would add to the margins over the baseline lane, as shares.

    `worst` is the largest of any test in any lane, with its sign; `suite` the largest of the lanes' geometric means
    over tests.
    """

    worst: float
    suite: float


@dataclass(frozen=True)
class Timeline:
    """A plan laid out. `dropped` are tests (numbers in the plan) left out to meet the deadline, first dropped first.

    `total_s` is time at the bench; `end_s` is on the plan's clock. `fits` is false where even the most urgent test
    alone does not end in time, or no session is long enough for some pass (`unplaceable`).
    """

    slots: tuple[Slot, ...]
    total_s: float
    end_s: float
    counts: Mapping[ChangeKind, int]
    drift: DriftBias
    dropped: tuple[int, ...] = ()
    unplaceable: tuple[PlannedPass, ...] = ()
    fits: bool = True
    order: OrderName = "alternating"


@dataclass
class _Bench:
    """The state of the bench while a plan is laid out."""

    work: Work
    lane: int | None = None
    game: str | None = None
    told: tuple[str, str] = ("", "")

    def changes_to(self, one: PlannedPass) -> list[Change]:
        """What must be done before a pass, from how the bench stands."""
        work, costs = self.work, self.work.costs
        test, found = work.tests[one.test], []
        if self.lane is not None and self.lane != one.lane:
            between = work.changes.get((self.lane, one.lane))
            found += [Change(kind, words, seconds) for kind, words, seconds in (between.steps if between else ())]
        # A machine that was opened, restarted or given a driver has no game running any more.
        stopped = any(change.kind in ("swap", "driver", "reboot") for change in found)
        told = work.told(one.lane, one.test)
        if self.game != test.game or stopped:
            found.append(Change("load", f"load {test.game}", costs.load_s))
            if told != self.told:
                found.append(self._tell(told))
            fresh = True
        else:
            fresh = False
            if told != self.told:
                found.append(self._tell(told))
                if test.needs_restart and told[1] != self.told[1]:
                    found.append(Change("restart", f"restart {test.game} for its settings", costs.restart_s))
                    fresh = True
        if fresh and test.warm_ups:
            runs = "one uncounted run" if test.warm_ups == 1 else f"{test.warm_ups} uncounted runs"
            found.append(Change("warm_up", f"warm up: {runs}", test.warm_ups * test.length_s))
        return found

    def _tell(self, told: tuple[str, str]) -> Change:
        costs = self.work.costs
        if told[0] != self.told[0]:
            extra = costs.menu_s if told[1] != self.told[1] else 0.0
            return Change("resolution", f"set {' '.join(told).strip()}", costs.resolution_s + extra)
        return Change("menu", f"set {told[1]}", costs.menu_s)

    def stand_at(self, one: PlannedPass) -> None:
        """The bench after a pass."""
        self.lane, self.game = one.lane, self.work.tests[one.test].game
        self.told = self.work.told(one.lane, one.test)

    def put_away(self) -> None:
        """The machine is off between sessions; its lane stays built."""
        self.game, self.told = None, ("", "")


def plan(
    work: Work,
    order: OrderName,
    sessions: Sequence[Session],
    *,
    deadline_s: float | None = None,
    seed: int = 0,
    by_hand: Sequence[str] = (),
) -> Timeline:
    """Order the passes and lay them out; where the deadline is too near, drop whole tests, least urgent first.

    A test is dropped from all lanes at once, so that no lane ends with fewer passes than another. Among tests of equal
    priority the last named goes first.
    """
    whole = lay_out(work, ordered(work, order, seed, by_hand), sessions, order)
    if deadline_s is None or (whole.end_s <= deadline_s and not whole.unplaceable):
        return whole
    present = sorted({one.test for one in work.passes})
    leaving = sorted(present, key=lambda test: (-work.tests[test].priority, -test))

    def without(count: int) -> Timeline:
        gone = set(leaving[:count])
        rest = replace(work, passes=tuple(one for one in work.passes if one.test not in gone))
        return lay_out(rest, ordered(rest, order, seed, by_hand), sessions, order)

    low, high = 0, len(leaving)
    while high - low > 1:
        middle = (low + high) // 2
        tried = without(middle)
        if tried.end_s <= deadline_s and not tried.unplaceable:
            high = middle
        else:
            low = middle
    best = without(high)
    return replace(best, dropped=tuple(leaving[:high]), fits=bool(best.slots) and not best.unplaceable)


def lay_out(work: Work, passes: Sequence[PlannedPass], sessions: Sequence[Session], order: OrderName) -> Timeline:
    """Passes one after another into sessions. A pass with its changes stays within one session.

    Sessions differ in length: the first may be what is left of a day.
    """
    bench = _Bench(work)
    longest_from = list(accumulate((one.length_s for one in reversed(sessions)), max))[::-1]
    slots: list[Slot] = []
    unplaceable: list[PlannedPass] = []
    counts: Counter[ChangeKind] = Counter()
    session, used = 0, 0.0
    spent = 0.0
    for one in passes:
        changes = bench.changes_to(one)
        tail = work.tests[one.test].length_s + work.costs.between_s
        need = math.fsum(change.seconds for change in changes) + tail
        if session < len(sessions) and used == 0.0:
            changes = [_start(work), *changes]
            need += work.costs.start_s
        while session < len(sessions) and used + need > sessions[session].length_s:
            if used == 0.0 and need > longest_from[session]:
                break  # no session holds it, were it empty
            spent += used
            session, used = session + 1, 0.0
            bench.put_away()
            changes = [_start(work), *bench.changes_to(one)]
            need = math.fsum(change.seconds for change in changes) + tail
        if session >= len(sessions) or need > sessions[session].length_s:
            unplaceable.append(one)
            continue
        start = sessions[session].start_s + used
        begin = start + need - tail
        slots.append(Slot(one, session, start, begin, begin + work.tests[one.test].length_s, tuple(changes)))
        counts.update(change.kind for change in changes)
        used += need
        bench.stand_at(one)
    spent += used
    return Timeline(
        slots=tuple(slots),
        total_s=spent,
        end_s=slots[-1].end_s if slots else 0.0,
        counts={kind: counts.get(kind, 0) for kind in COUNTED},
        drift=drift_bias(work, slots, sessions),
        unplaceable=tuple(unplaceable),
        fits=not unplaceable,
        order=order,
    )


def drift_bias(
    work: Work, slots: Sequence[Slot], sessions: Sequence[Session], per_hour: float = DRIFT_PER_HOUR
) -> DriftBias:
    """What a linear drift of the rate would add to margins over the first lane.

    Each cell's rate is the mean of 1 + `per_hour` x hours over its passes' middles; the bias of a test is the ratio of
    its two cells, less 1. Tests with a single lane have none.
    """
    if not slots or len(work.lanes) < 2:
        return DriftBias(0.0, 0.0)
    lengths = np.array([session.length_s for session in sessions])
    starts = np.array([session.start_s for session in sessions])
    before = np.concatenate(([0.0], np.cumsum(lengths)))[:-1]
    at = np.array([slot.session for slot in slots])
    middle = np.array([(slot.begin_s + slot.end_s) / 2.0 for slot in slots])
    hours = (middle - starts[at] + before[at]) / 3600.0
    lane = np.array([slot.one.lane for slot in slots])
    test = np.array([slot.one.test for slot in slots])
    cell = lane * len(work.tests) + test
    size = len(work.lanes) * len(work.tests)
    count = np.bincount(cell, minlength=size).reshape(len(work.lanes), -1)
    total = np.bincount(cell, weights=1.0 + per_hour * (hours - hours.min()), minlength=size)
    with np.errstate(invalid="ignore"):
        rate = total.reshape(len(work.lanes), -1) / count
        logs = np.log(rate[1:] / rate[0])
    logs = np.where((count[1:] > 0) & (count[0] > 0), logs, np.nan)
    known = ~np.isnan(logs)
    if not known.any():
        return DriftBias(0.0, 0.0)
    worst = float(logs.flat[np.nanargmax(np.abs(logs))])
    tests = known.sum(axis=1)
    suites = np.where(known, logs, 0.0).sum(axis=1)[tests > 0] / tests[tests > 0]
    suite = float(suites[np.argmax(np.abs(suites))])
    return DriftBias(math.expm1(worst), math.expm1(suite))


def daily_sessions(count: int, hours: float) -> tuple[Session, ...]:
    """`count` sessions of some hours, a day apart."""
    return tuple(Session(day * _DAY_S, hours * 3600.0) for day in range(count))


def _start(work: Work) -> Change:
    return Change("start", "begin the session: machine on, checklist", work.costs.start_s)
