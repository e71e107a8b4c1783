"""Which passes settle most in the time that is left: proposed from what is known of a study so far."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from answering import Out
from planning.building import lanes_of
from planning.models import Plan
from planning.queries import bench_time, one_study, plan_of, planned_work
from pydantic import Field
from rennbahn.comparing.margins import Pairing
from rennbahn.comparing.model import ACCEPTED, AVERAGE
from rennbahn.comparing.next_hour import Block, OpenTest, expected_as_planned, next_block
from rennbahn.planning.schedule import Work

from findings.record import StudyRecord, record_of


class NextPassesOut(Out):
    """Further passes of a test, in each of both lanes, and the chance that they settle its verdict."""

    test_id: int
    test: str
    passes: int
    chance: float


class LeftAloneOut(Out):
    """An open test that is not in the block, with the chance of a verdict that more passes have, and why."""

    test_id: int
    test: str
    chance: float
    why: str


class NextHourOut(Out):
    """The next block: further passes by test of two lanes, what they are expected to settle, and how long they take.

    `planned_expected` is what the passes that are planned would settle in the same time. `why_not` says why nothing is
    proposed; empty where something is.
    """

    why_not: str
    lane_ids: list[int]
    lanes: list[str]
    tests: list[NextPassesOut]
    left_alone: list[LeftAloneOut]
    expected: float
    seconds: float
    planned_expected: float
    left_s: float = Field(ge=0)
    level: float


@dataclass(frozen=True)
class _Pair:
    """Two lanes by their places in the work, the tests of theirs that are open, and the block that is best for them."""

    at: tuple[int, int]
    tests: list[OpenTest]
    block: Block


def next_hour_of(study_id: int, hours: float | None = None) -> NextHourOut:
    """What to run next in a study, within so many hours or until its deadline. Raises :class:`NotFound`."""
    study = one_study(study_id)
    kept = plan_of(study)
    work = planned_work(study, kept)
    left_s = _left(kept) if hours is None else hours * 3600.0
    record = record_of(study_id)
    rule = record.method.looks
    if rule is None:
        return _none(
            "This study looks once. To choose by what is seen so far, it has to say up to how many passes it looks: "
            "let passes be added while a verdict is open, in its plan.", left_s, record,
        )  # fmt: skip
    lanes = lanes_of(study)
    against = tuple((str(lanes[0].pk), str(lane.pk)) for lane in lanes[1:])
    chances = record.answered(("chances", against), lambda: _chances(record, against, rule.limit))
    pairs = [
        _Pair((0, other), tests, next_block(tests, left_s, _between(work, 0, other)))
        for other in range(1, len(lanes))
        if (tests := _open_tests(record, work, str(lanes[0].pk), str(lanes[other].pk), rule.limit, chances[other - 1]))
    ]
    if not pairs:
        return _none("No verdict is open that more passes could settle.", left_s, record)
    best = max(pairs, key=lambda pair: pair.block.a_minute)
    names = {str(test.pk): f"{test.scene.game.name}, {test.scene.name}" for test in record.tests}
    block, own = best.block, {one.id: one.chances for one in best.tests}
    left_alone = [
        LeftAloneOut(test_id=int(pk), test=names[pk], chance=chance, why=why)
        for found, why in (
            (block.given_up, "even all passes that the study allows would hardly settle it"),
            (block.out_of_time, "no pass of both lanes fits any more"),
        )
        for pk, chance in found.items()
    ]
    return NextHourOut(
        why_not="" if block.passes else "Nothing that fits would settle anything.",
        lane_ids=[lanes[at].pk for at in best.at],
        lanes=[lanes[at].name for at in best.at],
        tests=[
            NextPassesOut(test_id=int(pk), test=names[pk], passes=k, chance=float(own[pk][k - 1]))
            for pk, k in block.passes.items()
        ],
        left_alone=left_alone,
        expected=block.expected,
        seconds=block.seconds,
        planned_expected=_as_planned(best, work, block.seconds),
        left_s=left_s,
        level=rule.level,
    )


def _none(why: str, left_s: float, record: StudyRecord) -> NextHourOut:
    level = record.method.looks.level if record.method.looks else 0.05
    return NextHourOut(
        why_not=why, lane_ids=[], lanes=[], tests=[], left_alone=[], expected=0.0, seconds=0.0, planned_expected=0.0,
        left_s=left_s, level=level,
    )  # fmt: skip


def _chances(record: StudyRecord, pairs: tuple[tuple[str, str], ...], limit: int) -> list[dict[int, Any]]:
    """Of each pair, by the place of each open test: the chance that 1, .. `limit` further passes a lane settle it."""
    pairing = Pairing(record.sheet, pairs)
    return [pairing.chances(AVERAGE, limit, at) for at in range(len(pairs))]


def _open_tests(
    record: StudyRecord, work: Work, a: str, b: str, limit: int, chances: Mapping[int, Any]
) -> list[OpenTest]:
    """Tests of a pair whose verdict is open and that may have more passes."""
    counts = Counter((one.lane, one.test) for one in record.passes if one.status == ACCEPTED)
    planned = {one.id: one for one in work.tests}
    costs, found = work.costs, []
    for place, own_chances in chances.items():
        own = record.core.tests[place].id
        more = limit - max(counts[a, own], counts[b, own])
        if more > 0:
            test = planned[own]
            prepare = costs.load_s + costs.soak_s + test.warm_ups * test.length_s
            each = test.length_s + max(costs.between_s, costs.cool_s)
            found.append(OpenTest(own, own_chances[:more].tolist(), prepare, each, test.priority))
    return found


def _between(work: Work, a: int, b: int) -> float:
    """Seconds from one lane to the other."""
    change = work.changes.get((a, b))
    return change.seconds if change else 0.0


def _as_planned(pair: _Pair, work: Work, left_s: float) -> float:
    """What the passes that are planned of both lanes would settle in that time."""
    cells = Counter((one.lane, one.test) for one in work.passes)
    planned = {test.id: min(cells[lane, at] for lane in pair.at) for at, test in enumerate(work.tests)}
    return expected_as_planned(pair.tests, planned, left_s, _between(work, *pair.at))


def _left(kept: Plan) -> float:
    """Seconds at the bench until the deadline; without one, those of the next session."""
    when = bench_time(kept)
    sessions = when.sessions()
    if kept.deadline is None:
        return sessions[0].length_s if sessions else 0.0
    until = when.seconds(kept.deadline.replace(tzinfo=None))
    return sum(max(0.0, min(one.start_s + one.length_s, until) - one.start_s) for one in sessions)
