"""What one can ask of plans: is it fair, is it enough, does it fit."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import asdict

from page_marks import mark_of
from problems import NotFound
from rennbahn.inference.looks import SequentialRule
from rennbahn.plain import plain
from rennbahn.planning.order_tells import Telling
from rennbahn.planning.schedule import ORDERS, OrderName, Work
from rennbahn.planning.timeline import Slot, Timeline, plan
from rennbahn.planning.words import left_words, length_words
from studies.models import Study, StudyState
from studies.queries import with_lanes_and_tests

from planning import calendar
from planning.building import costs_of, dated, fairness_of, work_of
from planning.calendar import BenchTime
from planning.fair import changed_within, objections_out, pairings_out
from planning.judging import Judge, asked_of, needs_out, other_order, rule_of
from planning.models import Plan
from planning.noise import KINDS, learned_noise
from planning.schemas import (
    BlockOut,
    ChangeOut,
    DroppedOut,
    OutlineOut,
    OutlookOut,
    PlanDate,
    PlanIn,
    PlanOut,
    RuleOut,
    SceneNoiseOut,
    SessionOut,
    TellingOut,
)


def plan_of(study: Study) -> Plan:
    """The study's plan; one of defaults, not kept yet, where nobody planned it."""
    found = Plan.objects.filter(study=study).first()
    return found or Plan(study=study, starts_on=study.created_at.date())


def whole_plan(study_id: int) -> PlanOut:
    """Everything of a study's plan. Raises :class:`NotFound`."""
    study = one_study(study_id)
    kept = plan_of(study)
    costs = costs_of(kept.costs)
    work, when = planned_work(study, kept), bench_time(kept)
    chosen = laid_out(work, kept, kept.order, when)
    # The order by hand is compared with the others only where it was chosen.
    compared = [laid_out(work, kept, order, when) if order != kept.order else chosen for order in ORDERS]
    asked = asked_of(study)
    judge = Judge(study, kept, work, when, asked)
    fairness = fairness_of(study)
    told = judge.tells(chosen)
    tells: dict[str, Telling | None] = {one.order: told if one is chosen else judge.tells(one) for one in compared}
    return PlanOut(
        **plan_in(kept).dict(),
        study_id=study.pk,
        saved=not kept._state.adding,
        seen=plan_mark(kept),
        pairings=pairings_out(fairness),
        objections=objections_out(study, fairness),
        unsaid=list(fairness.unsaid),
        changed=changed_within(study),
        needs=needs_out(study, kept, asked),
        leading=study.leading,
        suite_resolvable=told.resolvable if told else None,
        drift_allowance=study.drift_allowance,
        drift_words=left_words(told, study.drift_allowance, study.between) if told else "",
        length_words=length_words(work.tests),
        control=judge.control(chosen, told),
        other_order=other_order(chosen, told, compared, tells),
        rule=_rule_out(kept),
        all_costs=asdict(costs),
        outlines=[outline(one, when, tells[one.order]) for one in compared],
        chosen=outline(chosen, when, told),
        sessions=_sessions(chosen, when),
        blocks=_blocks(work, chosen),
        dropped=[
            DroppedOut(test_id=int(work.tests[t].id), priority=work.tests[t].priority, because=chosen.because[t])
            for t in chosen.dropped
        ],
        gone=[int(work.lanes[lane].id) for lane in chosen.gone],
        unplaceable=len(chosen.unplaceable),
        late=_late(chosen),
    )


def one_study(study_id: int) -> Study:
    """A study with all that plans read. Raises :class:`NotFound`."""
    study = with_lanes_and_tests().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    return study


def plan_in(kept: Plan) -> PlanIn:
    """A plan's own settings."""
    names = [name for name in PlanIn.model_fields if name not in ("deadline", "control_test", "dates")]
    deadline = kept.deadline.replace(tzinfo=None) if kept.deadline else None
    own = {name: getattr(kept, name) for name in names}
    return PlanIn(**own, deadline=deadline, control_test=kept.control_test_id, dates=dates_of(kept))


def plan_mark(kept: Plan) -> str:
    """A mark of what a plan rests on, with its order by hand."""
    return mark_of([plan_in(kept), kept.sequence])


def bench_time(kept: Plan) -> BenchTime:
    """The plan's calendar, from now on."""
    quiet = (kept.quiet_from, kept.quiet_to) if kept.quiet_from is not None and kept.quiet_to is not None else None
    return BenchTime(
        kept.starts_on, kept.day_starts, kept.hours_a_day, frozenset(kept.weekdays), calendar.now(), quiet,
        frozenset(one.on for one in dates_of(kept) if one.kind == "off"),
    )  # fmt: skip


def dates_of(kept: Plan) -> list[PlanDate]:
    """The days that change what can be run."""
    return [PlanDate(**one) for one in kept.dates]


def planned_work(study: Study, kept: Plan) -> Work:
    """What is still to be run, with the dates that its plan has to keep."""
    return dated(study, work_of(study, costs_of(kept.costs)), dates_of(kept), bench_time(kept))


def laid_out(work: Work, kept: Plan, order: str, when: BenchTime) -> Timeline:
    """The work in an order, within the plan's time."""
    name: OrderName = order  # type: ignore[assignment]
    deadline = when.seconds(kept.deadline.replace(tzinfo=None)) if kept.deadline else None
    return plan(
        work, name, when.sessions(), deadline_s=deadline, seed=kept.seed, by_hand=[str(pk) for pk in kept.sequence],
        keep_dates=True,
    )  # fmt: skip


def outlooks() -> list[OutlookOut]:
    """Of every open study with a deadline and passes to run: does it end in time?"""
    plans = Plan.objects.filter(
        deadline__isnull=False, study__state=StudyState.OPEN, study__archived_at=None, study__removed_at=None
    )
    kept = {one.study_id: one for one in plans}
    found = []
    for study in with_lanes_and_tests().filter(pk__in=kept).order_by("pk"):
        own = kept[study.pk]
        work, when = planned_work(study, own), bench_time(own)
        if not work.passes:
            continue
        laid = laid_out(work, own, own.order, when)
        deadline = own.deadline.replace(tzinfo=None) if own.deadline else dt.datetime.max
        found.append(
            OutlookOut(
                study_id=study.pk, ends=when.moment(laid.end_s) if laid.slots else None, deadline=deadline,
                dropped=len(laid.dropped), late=_late(laid),
            )
        )  # fmt: skip
    return found


def noise_of_scenes() -> list[SceneNoiseOut]:
    """How well each scene repeats, under the default school of lows."""
    return [
        SceneNoiseOut(
            scene_id=scene,
            passes=known.passes,
            cells=known.noise[KINDS[0]].cells,
            studies=known.studies,
            percent={kind: one.percent for kind, one in known.estimates.items()},
        )
        for scene, known in learned_noise("percentile").scenes.items()
    ]


def rule_for(study: Study) -> SequentialRule | None:
    """The study's rule of adding passes while a verdict is open, if it has one."""
    return rule_of(plan_of(study))


def outline(timeline: Timeline, when: BenchTime, told: Telling | None) -> OutlineOut:
    """A timeline in a few numbers, and what it can tell."""
    return OutlineOut(
        order=timeline.order,
        passes=len(timeline.slots),
        total_s=timeline.total_s,
        ends=when.moment(timeline.end_s) if timeline.slots else None,
        counts={str(kind): number for kind, number in timeline.counts.items()},
        tells=TellingOut(**plain(told)) if told else None,
        dropped=len(timeline.dropped),
        fits=timeline.fits,
    )


def _rule_out(kept: Plan) -> RuleOut | None:
    rule = rule_of(kept)
    if rule is None:
        return None
    return RuleOut(first=rule.first, limit=rule.limit, looks=rule.looks, level=rule.level)


def _late(timeline: Timeline) -> bool:
    return bool(timeline.dropped) or not timeline.fits


def _sessions(timeline: Timeline, when: BenchTime) -> list[SessionOut]:
    """The sessions that are used."""
    ends: dict[int, float] = {}
    for slot in timeline.slots:
        ends[slot.session] = slot.end_s
    sessions = when.sessions()
    return [
        SessionOut(
            day=when.moment(sessions[number].start_s).date(),
            starts=when.moment(sessions[number].start_s),
            start_s=sessions[number].start_s,
            length_s=sessions[number].length_s,
            used_s=end - sessions[number].start_s,
        )
        for number, end in ends.items()
    ]


def _blocks(work: Work, timeline: Timeline) -> list[BlockOut]:
    """Slots of one lane and game that follow each other in a session, together."""
    blocks: list[BlockOut] = []
    positions: Mapping[int, int] = {s: i for i, s in enumerate(dict.fromkeys(x.session for x in timeline.slots))}
    last: Slot | None = None
    for slot in timeline.slots:
        game = work.tests[slot.one.test].game
        test = int(work.tests[slot.one.test].id)
        if last is not None and _together(work, last, slot):
            block = blocks[-1]
            block.pass_ids.append(int(slot.one.id))
            if test not in block.tests:
                block.tests.append(test)
            block.end_s = slot.end_s
            block.inner_changes += sum(change.kind != "cool" for change in slot.changes)
        else:
            blocks.append(
                BlockOut(
                    pass_ids=[int(slot.one.id)],
                    lane_id=int(work.lanes[slot.one.lane].id),
                    game=game,
                    tests=[test],
                    session=positions[slot.session],
                    start_s=slot.start_s,
                    begin_s=slot.begin_s,
                    end_s=slot.end_s,
                    changes=[ChangeOut(kind=c.kind, words=c.words, seconds=c.seconds) for c in slot.changes],
                    inner_changes=0,
                )
            )
        last = slot
    return blocks


def _together(work: Work, one: Slot, other: Slot) -> bool:
    same_game = work.tests[one.one.test].game == work.tests[other.one.test].game
    return same_game and one.one.lane == other.one.lane and one.session == other.session


def slots_of(study_id: int) -> tuple[Study, Work, Sequence[Slot], BenchTime]:
    """A study's timeline, pass by pass, for exports. Raises :class:`NotFound`."""
    study = one_study(study_id)
    kept = plan_of(study)
    work, when = planned_work(study, kept), bench_time(kept)
    return study, work, laid_out(work, kept, kept.order, when).slots, when
