"""What a plan can tell: how much its tests need, what its order leaves open, and what would leave less."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from intake.queries import RAN_COLUMNS, hours_of
from rennbahn.inference.looks import FALSE_CLAIMS, SequentialRule
from rennbahn.inference.sessions import Between
from rennbahn.plain import plain
from rennbahn.planning.needs import Asked, Expected, Need, needs_of
from rennbahn.planning.noise import guessed
from rennbahn.planning.order_tells import (
    Method,
    Ran,
    Telling,
    another_order,
    narrower_a_minute,
    propose_control,
    telling,
)
from rennbahn.planning.schedule import OrderName, Work
from rennbahn.planning.timeline import Timeline
from studies.models import COUNTING, Pass, PassState, Study, Test

from planning.calendar import BenchTime
from planning.models import Order, Plan
from planning.noise import KINDS, learned_noise
from planning.schemas import ControlOut, NeedOut, OtherOrderOut, TellingOut


def rule_of(kept: Plan) -> SequentialRule | None:
    """The plan's rule of adding passes while a verdict is open, if it has one."""
    return None if kept.most_passes is None else SequentialRule(kept.most_passes)


def asked_of(study: Study) -> list[Asked]:
    """The tests of a study with what is known of their noise."""
    tests = list(study.tests.all())
    noise = learned_noise(study.low_school, {test.scene_id for test in tests})
    found = []
    for test in tests:
        own = noise.scenes.get(test.scene_id)
        estimates = {kind: (own and own.estimates.get(kind)) or guessed(test.scene.kind, kind) for kind in KINDS}
        found.append(Asked(str(test.scene_id), estimates, test.passes_wanted))
    return found


def needs_out(study: Study, kept: Plan, asked: Sequence[Asked]) -> list[NeedOut]:
    """What each test needs."""
    found = needs_of(asked, study.leading, kept.margin, study.equal_band)
    return [_need_out(test, need) for test, need in zip(study.tests.all(), found, strict=True)]


def _need_out(test: Test, need: Need) -> NeedOut:
    facts = plain(need)
    own = need.estimate
    facts.pop("estimate")
    return NeedOut(test_id=test.pk, source=own.source, noise_percent=own.percent, known_df=own.df, **facts)


class Judge:
    """What orders of a study's passes can tell, with those that ran already."""

    def __init__(self, study: Study, kept: Plan, work: Work, when: BenchTime, asked: list[Asked]) -> None:
        rule = rule_of(kept)
        level = rule.level if rule else FALSE_CLAIMS
        between = None if study.between is None else Between(study.between)
        self.method = Method(Expected(asked, study.leading), study.drift_allowance, level, between)
        self.kept, self.work, self.sessions = kept, work, when.sessions()
        self.ran = _ran(study, work)

    def tells(self, timeline: Timeline) -> Telling | None:
        """What an order can tell."""
        return telling(self.work, timeline, self.sessions, self.method, self.ran)

    def control(self, chosen: Timeline, now: Telling | None) -> ControlOut | None:
        """The control passes that would help the chosen order most, of a test that is run in it."""
        if self.kept.order == Order.BY_HAND:
            return None
        order: OrderName = self.kept.order  # type: ignore[assignment]
        run = replace(self.work, passes=tuple(one for one in self.work.passes if one.test not in chosen.dropped))
        found = propose_control(run, order, self.sessions, self.method, self.ran, seed=self.kept.seed)
        if found is None or now is None:
            return None
        test = int(self.work.tests[found.test].id)
        return ControlOut(
            test_id=test, seconds=found.seconds, tells=TellingOut(**plain(found.telling)),
            narrower_a_minute=narrower_a_minute(now, found.telling, found.seconds),
        )  # fmt: skip


def other_order(
    chosen: Timeline, now: Telling | None, compared: Sequence[Timeline], tells: Mapping[str, Telling | None]
) -> OtherOrderOut | None:
    """An order that leaves less open than the chosen one, and no more tests out."""
    if now is None:
        return None
    others: dict[str, tuple[float, Telling]] = {
        one.order: (one.total_s - chosen.total_s, told)
        for one in compared
        if one.order != chosen.order and len(one.dropped) <= len(chosen.dropped) and one.fits >= chosen.fits
        and (told := tells[one.order]) is not None
    }  # fmt: skip
    name = another_order(now, others)
    if name is None:
        return None
    seconds, then = others[name]
    return OtherOrderOut(
        order=name, seconds=seconds, tells=TellingOut(**plain(then)),
        narrower_a_minute=narrower_a_minute(now, then, seconds),
    )  # fmt: skip


def _ran(study: Study, work: Work) -> list[Ran]:
    """Accepted passes whose hour of the bench is known."""
    at_lane = {int(lane.id): at for at, lane in enumerate(work.lanes)}
    at_test = {int(test.id): at for at, test in enumerate(work.tests)}
    rows = list(
        Pass.objects.filter(
            test__study=study, state=PassState.ACCEPTED, role__in=COUNTING, ran_at__isnull=False
        ).values_list("lane_id", "test_id", *RAN_COLUMNS)
    )
    hours = hours_of([own for _, _, *own in rows])
    return [
        Ran(at_lane[lane], at_test[test], hour, session or "")
        for (lane, test, *_), hour, session in zip(rows, hours.of, hours.sessions, strict=True)
        if hour is not None
    ]
