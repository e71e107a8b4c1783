"""Passes in their order laid out in time: what to change, when, and what fits before the deadline.

Time is in seconds from the plan's beginning; the core knows no calendar.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import accumulate
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from rennbahn.planning.order import ordered
from rennbahn.planning.schedule import COUNTED, ChangeKind, Costs, OrderName, PlannedPass, Session, Work

_DAY_S = 86_400.0


#: Which date leaves a test out: the deadline, a part that goes back, a game that is patched in the middle of it.
Because = Literal["deadline", "back", "patch"]


@dataclass(frozen=True)
class Change:
    """Something done before a pass, `seconds` long; `about` which part or setting (see :class:`LaneStep`)."""

    kind: ChangeKind
    words: str
    seconds: float
    about: str = ""


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
class Timeline:
    """A plan laid out. `dropped` are tests (numbers in the plan) left out to keep its dates, first dropped first, and
    `because` says of each which date that is.

    `total_s` is time at the bench; `end_s` is on the plan's clock. `fits` is false where even the most urgent test
    alone does not end in time, or no session is long enough for some pass (`unplaceable`).
    """

    slots: tuple[Slot, ...]
    total_s: float
    end_s: float
    counts: Mapping[ChangeKind, int]
    dropped: tuple[int, ...] = ()
    because: Mapping[int, Because] = field(default_factory=dict)
    unplaceable: tuple[PlannedPass, ...] = ()
    #: Lanes (numbers in the plan) of which nothing is laid out: a part of theirs went back before it begins.
    gone: tuple[int, ...] = ()
    fits: bool = True
    order: OrderName = "alternating"


@dataclass(frozen=True)
class Standing:
    """How a bench stands: number of the lane that is built, the game that runs, what each game was told last.

    One that is `off` begins a session.
    """

    lane: int | None = None
    game: str | None = None
    told: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    off: bool = False


@dataclass
class _Bench:
    """The state of the bench while a plan is laid out."""

    work: Work
    lane: int | None = None
    game: str | None = None
    #: What each game was told last: it keeps its settings when it is put away.
    told: dict[str, tuple[str, str]] = field(default_factory=dict)

    @classmethod
    def standing(cls, work: Work, now: Standing | None) -> _Bench:
        """A bench as it stands, or one that was just switched on."""
        return cls(work) if now is None else cls(work, now.lane, now.game, dict(now.told))

    def changes_to(self, one: PlannedPass) -> list[Change]:
        """What must be done before a pass, from how the bench stands."""
        work, costs = self.work, self.work.costs
        test, found = work.tests[one.test], []
        if self.lane is not None and self.lane != one.lane:
            between = work.changes.get((self.lane, one.lane))
            found += [Change(*step) for step in (between.steps if between else ())]
        # A machine that was opened, restarted or given a driver has no game running any more.
        stopped = any(change.kind in ("swap", "driver", "reboot") for change in found)
        told = work.told(one.lane, one.test)
        before = self.told.get(test.game, ("", ""))
        fresh = self.game != test.game or stopped
        if fresh:
            found.append(Change("load", f"load {test.game}", costs.load_s))
        if told != before:
            found.append(_tell(before, told, costs))
            if test.needs_restart and told[1] != before[1]:
                found.append(Change("restart", f"restart {test.game} for its settings", costs.restart_s))
                fresh = True
        if fresh and costs.soak_s:
            found.append(Change("soak", f"let {test.game} run under load until it is steady", costs.soak_s))
        rests = costs.cool_s - costs.between_s - sum(change.seconds for change in found)
        # What is done between two passes is rest as well; a machine that was just soaked shall not cool again.
        if not fresh and rests > 0.0:
            found.append(Change("cool", "let it cool", rests))
        if fresh and test.warm_ups:
            runs = "one uncounted run" if test.warm_ups == 1 else f"{test.warm_ups} uncounted runs"
            found.append(Change("warm_up", f"warm up: {runs}", test.warm_ups * test.length_s))
        return found

    def stand_at(self, one: PlannedPass) -> None:
        """The bench after a pass."""
        self.lane, self.game = one.lane, self.work.tests[one.test].game
        self.told[self.game] = self.work.told(one.lane, one.test)

    def put_away(self) -> None:
        """The machine is off between sessions; its lane stays built, and games remember what they were told."""
        self.game = None


def _tell(before: tuple[str, str], told: tuple[str, str], costs: Costs) -> Change:
    if told[0] != before[0]:
        extra = costs.menu_s if told[1] != before[1] else 0.0
        return Change("resolution", f"set {' '.join(told).strip()}", costs.resolution_s + extra)
    return Change("menu", f"set {told[1]}", costs.menu_s)


def plan(
    work: Work,
    order: OrderName,
    sessions: Sequence[Session],
    *,
    deadline_s: float | None = None,
    seed: int = 0,
    by_hand: Sequence[str] = (),
    now: Standing | None = None,
    keep_dates: bool = False,
) -> Timeline:
    """Order the passes and lay them out; where the deadline is too near, drop whole tests, least urgent first.

    A test is dropped from all lanes at once, so that no lane ends with fewer passes than another. Among tests of equal
    priority the last named goes first. One that still fits in the end is taken back in, the most urgent first.
    `now` is how the bench stands in the middle of a session. To `keep_dates` is to do the same for parts that go back,
    and to leave out the tests of which some passes would run before their game is patched and some after.
    """
    if keep_dates:
        # A lane whose part has gone back already is run by nobody: the others are compared without it.
        begins = sessions[0].start_s if sessions else 0.0
        gone = tuple(at for at, lane in enumerate(work.lanes) if lane.until_s is not None and lane.until_s <= begins)
        work = replace(work, passes=tuple(one for one in work.passes if one.lane not in gone))
    else:
        gone = ()
    found = _in_time(work, order, sessions, deadline_s, seed, by_hand, now, keep_dates=keep_dates)
    if keep_dates and "deadline" in found.because.values():
        late = _in_time(work, order, sessions, deadline_s, seed, by_hand, now, keep_dates=False).dropped
        found = replace(found, because={test: "deadline" if test in late else "back" for test in found.dropped})
    while keep_dates and (split := _split(work, found.slots)):
        rest = replace(work, passes=tuple(one for one in work.passes if one.test not in {*found.dropped, *split}))
        again = lay_out(rest, ordered(rest, order, seed, by_hand), sessions, order, now)
        found = replace(
            again, dropped=(*found.dropped, *split), because={**found.because, **dict.fromkeys(split, "patch")},
            fits=bool(again.slots) and not again.unplaceable,
        )  # fmt: skip
    return replace(found, gone=gone)


def _split(work: Work, slots: Sequence[Slot]) -> list[int]:
    """Tests of which passes lie on both sides of the patch of their game."""
    sides: dict[int, set[bool]] = {}
    for slot in slots:
        test = work.tests[slot.one.test]
        if test.patched_s is not None:
            known = sides.setdefault(slot.one.test, {True} if test.run_before else set())
            known.add(slot.end_s <= test.patched_s)
    return [test for test, found in sides.items() if len(found) > 1]


def _gone(work: Work, slots: Sequence[Slot]) -> bool:
    """Whether a lane would be run when a part of it has gone back."""
    until = [math.inf if lane.until_s is None else lane.until_s for lane in work.lanes]
    return any(slot.end_s > until[slot.one.lane] for slot in slots)


def _in_time(
    work: Work, order: OrderName, sessions: Sequence[Session], deadline_s: float | None, seed: int,
    by_hand: Sequence[str], now: Standing | None, *, keep_dates: bool,
) -> Timeline:  # fmt: skip
    """All passes laid out, or as many tests of them as end before the deadline, and before parts go back."""
    whole = lay_out(work, ordered(work, order, seed, by_hand), sessions, order, now)
    gone = keep_dates and _gone(work, whole.slots)
    late = deadline_s is not None and (whole.end_s > deadline_s or bool(whole.unplaceable))
    if not gone and not late:
        return whole
    limit_s = math.inf if deadline_s is None else deadline_s
    present = sorted({one.test for one in work.passes})
    leaving = sorted(present, key=lambda test: (-work.tests[test].priority, -test))

    def without(gone: Collection[int]) -> Timeline:
        rest = replace(work, passes=tuple(one for one in work.passes if one.test not in gone))
        return lay_out(rest, ordered(rest, order, seed, by_hand), sessions, order, now)

    def in_time(tried: Timeline) -> bool:
        early = tried.end_s <= limit_s and not (keep_dates and _gone(work, tried.slots))
        return early and (deadline_s is None or not tried.unplaceable)

    low, high = 0, len(leaving)
    while high - low > 1:
        middle = (low + high) // 2
        if in_time(without(set(leaving[:middle]))):
            high = middle
        else:
            low = middle
    dropped = leaving[:high]
    best = without(set(dropped))
    # A long test may have gone where a short one among the dropped still fits: the most urgent is asked first.
    least = _least_seconds(work)
    for test in reversed(leaving[:high]):
        room_s = _room(sessions, limit_s) - best.total_s
        if least[test] > room_s:
            continue
        tried = without({other for other in dropped if other != test})
        if in_time(tried):
            dropped, best = [other for other in dropped if other != test], tried
    reason: Because = "deadline" if late else "back"
    return replace(
        best, dropped=tuple(dropped), because=dict.fromkeys(dropped, reason),
        fits=bool(best.slots) and not best.unplaceable,
    )  # fmt: skip


def _least_seconds(work: Work) -> dict[int, float]:
    """What the passes of each test take at the very least."""
    found: Counter[int] = Counter()
    for one in work.passes:
        found[one.test] += 1
    return {test: count * (work.tests[test].length_s + work.costs.between_s) for test, count in found.items()}


def _room(sessions: Sequence[Session], limit_s: float) -> float:
    """Seconds of sessions before the deadline."""
    return math.fsum(min(one.length_s, max(0.0, limit_s - one.start_s)) for one in sessions)


def changes_before(work: Work, passes: Sequence[PlannedPass], now: Standing) -> list[tuple[Change, ...]]:
    """What is done before each of some passes, one after the other, from how the bench stands."""
    bench, found = _Bench.standing(work, now), []
    for number, one in enumerate(passes):
        changes = bench.changes_to(one)
        found.append(tuple([_start(work), *changes] if now.off and not number else changes))
        bench.stand_at(one)
    return found


def lay_out(
    work: Work,
    passes: Sequence[PlannedPass],
    sessions: Sequence[Session],
    order: OrderName,
    now: Standing | None = None,
) -> Timeline:
    """Passes one after another into sessions. A pass with its changes stays within one session.

    Sessions differ in length: the first may be what is left of a day. Where the bench stands in a session already
    (`now`), the first of them is not begun anew.
    """
    bench = _Bench.standing(work, now)
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
        if session < len(sessions) and used == 0.0 and (now is None or now.off or session):
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
        unplaceable=tuple(unplaceable),
        fits=not unplaceable,
        order=order,
    )


def hours_of(slots: Sequence[Slot], sessions: Sequence[Session]) -> NDArray[np.float64]:
    """Hours of the bench at the middle of each pass, counted since its session began; shape (N,)."""
    starts = np.array([session.start_s for session in sessions])
    at = np.array([slot.session for slot in slots], dtype=np.intp)
    middle = np.array([(slot.begin_s + slot.end_s) / 2.0 for slot in slots])
    hours: NDArray[np.float64] = (middle - starts[at]) / 3600.0 if len(slots) else middle
    return hours


def daily_sessions(count: int, hours: float) -> tuple[Session, ...]:
    """`count` sessions of some hours, a day apart."""
    return tuple(Session(day * _DAY_S, hours * 3600.0) for day in range(count))


def _start(work: Work) -> Change:
    return Change("start", "begin the session: machine on, checklist", work.costs.start_s)
