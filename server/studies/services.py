"""What one can do with a study. Each verb checks the role, changes in one transaction, and leaves an audit line."""

from __future__ import annotations

from collections.abc import Sequence

from bench.models import SetupVersion
from bench.services import freeze
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from scenes.services import condition_named

from studies.composing import (
    Caller,
    check_lanes,
    check_not_alike,
    new_test,
    plan_passes,
    setup_of,
    test_key,
    test_twice,
    tests_in,
    write_tests,
)
from studies.models import NEEDS_REASON, AuditLine, Lane, Pass, PassState, Study, StudyState, Test
from studies.schemas import AskedIn, Method, StudyIn, TestIn

#: From which states a pass may come to which.
_MOVES = {
    PassState.PLANNED: {PassState.DID_NOT_RUN},
    PassState.RECORDED: {PassState.ACCEPTED, PassState.REJECTED},
    PassState.ACCEPTED: {PassState.REJECTED, PassState.RECORDED},
    PassState.REJECTED: {PassState.ACCEPTED, PassState.RECORDED},
    PassState.DID_NOT_RUN: {PassState.PLANNED},
}


def create_study(user: Caller, data: StudyIn) -> Study:
    """Create a study with its lanes, tests and planned passes."""
    lead = require(user, Role.LEAD)
    check_lanes(data)
    with transaction.atomic():
        study = Study.objects.create(
            kind=data.kind,
            question=data.question,
            factor=data.factor,
            second_factor=data.second_factor,
            created_by=lead,
            passes_per_test=data.passes_per_test,
            **data.method.dict(),
        )
        lanes = [
            Lane.objects.create(
                study=study,
                position=position,
                name=lane.name,
                baseline=position == data.baseline,
                setup_version=setup_of(user, lane, position),
                levels=lane.levels,
                condition=condition_named(lane.condition) if lane.condition else None,
            )
            for position, lane in enumerate(data.lanes)
        ]
        check_not_alike(lanes)
        write_tests(study, data.tests)
        note(study, lead, "created the study")
    return study


def add_test(user: Caller, study_id: int, data: TestIn) -> Test:
    """Add a test with its planned passes."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        there = tests_in(study)
        if test_key(data) in there:
            raise test_twice(data)
        last = study.tests.aggregate(last=Max("position"))["last"]
        test = new_test(study, data, 0 if last is None else last + 1)
        test.save()
        plan_passes(study, [test])
        note(study, lead, "added a test", str(test))
    return test


def set_tests(user: Caller, study_id: int, tests: Sequence[TestIn]) -> Study:
    """Make these the tests of a study, in this order, with these numbers of passes and priorities.

    Passes that were run stay whatever is asked. Raises :class:`Conflict` where a test that has some would go.
    """
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        before = study.tests.count()
        write_tests(study, tests)
        note(study, lead, "changed the tests", f"{before} → {len(tests)}" if before != len(tests) else "")
    return study


def ask_otherwise(user: Caller, study_id: int, asked: AskedIn) -> Study:
    """Put the question in other words, or name another factor. A ready study has to be called ready again."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        was = (study.factor, study.second_factor)
        study.question, study.factor, study.second_factor = asked.question, asked.factor, asked.second_factor
        if was != (study.factor, study.second_factor):
            study.ready_at = None
        study.save()
        note(study, lead, "changed the question", f"{study.question} ({study.factor})")
    return study


def move_lane_on(user: Caller, lane_id: int) -> Lane:
    """Use the newest version of a lane's setup from now on. Passes that were run keep the version they had."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        found = Lane.objects.filter(pk=lane_id).first()
        if found is None:
            raise NotFound("lane")
        study = open_study(found.study_id)
        lane = study.lanes.select_related("setup_version__setup").get(pk=lane_id)
        newest = SetupVersion.objects.filter(setup=lane.setup_version.setup).order_by("-number")[:1].get()
        if newest.pk != lane.setup_version_id:
            words = f"{lane.name}: version {lane.setup_version.number} → {newest.number}"
            lane.setup_version = newest
            lane.save(update_fields=["setup_version"])
            study.ready_at = None
            study.save(update_fields=["ready_at"])
            check_not_alike(list(study.lanes.all()))
            note(study, lead, "moved a lane to its setup's newest version", words)
    return lane


def edit_method(user: Caller, study_id: int, method: Method) -> Study:
    """Declare another method. The figures follow when they are next asked for."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        changes = []
        for name, value in method.dict().items():
            if getattr(study, name) != value:
                changes.append(f"{name}: {getattr(study, name)} → {value}")
                setattr(study, name, value)
        if changes:
            study.save()
            note(study, lead, "changed the method", "; ".join(changes))
    return study


def set_baseline(user: Caller, study_id: int, lane_id: int) -> Study:
    """Make another lane the baseline."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        lane = study.lanes.filter(pk=lane_id).first()
        if lane is None:
            raise NotFound("lane in this study")
        study.lanes.update(baseline=False)
        study.lanes.filter(pk=lane_id).update(baseline=True)
        note(study, lead, "changed the baseline", lane.name)
    return study


def finish_study(user: Caller, study_id: int) -> Study:
    """Close a study: its passes and method change no more. Recorded passes must be decided first."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        waiting = Pass.objects.filter(test__study=study, state=PassState.RECORDED).count()
        if waiting:
            raise Conflict(
                "passes_undecided",
                f"{waiting} recorded passes are neither accepted nor rejected." if waiting > 1 else
                "One recorded pass is neither accepted nor rejected.",
                hint="Decide on them in Passes, then finish.",
            )  # fmt: skip
        study.state = StudyState.FINISHED
        study.finished_at = timezone.now()
        study.save()
        note(study, lead, "finished the study")
    return study


def reopen_study(user: Caller, study_id: int) -> Study:
    """Open a finished study again."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = _locked(study_id)
        if study.state != StudyState.OPEN:
            study.state, study.finished_at = StudyState.OPEN, None
            study.save()
            note(study, lead, "opened the study again")
    return study


def change_pass(user: Caller, pass_id: int, state: str, reason: str = "") -> Pass:
    """Accept a pass, reject it with a reason, take a decision back, or say why it did not run."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        one = Pass.objects.select_related("lane", "test").filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        study = open_study(one.test.study_id)
        one = Pass.objects.select_for_update().get(pk=pass_id)
        wanted, now = PassState(state), PassState(one.state)
        if wanted == now and reason == one.reason:
            return one
        if wanted != now and wanted not in _MOVES[now]:
            raise Conflict(
                "wrong_state",
                f"A pass that is {now.label.lower()} cannot become {wanted.label.lower()}.",
                field="state",
            )
        if wanted in NEEDS_REASON and not reason:
            raise Problem("reason_needed", f"Say why the pass is {wanted.label.lower()}.", field="reason")
        one.state, one.reason = wanted, reason if wanted in NEEDS_REASON else ""
        one.save()
        note(study, tester, _WORDS[wanted], reason, one)
    return one


def plan_pass(user: Caller, lane_id: int, test_id: int) -> Pass:
    """Plan one more pass, as for a repeat of one that is doubted."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        lane, test = lane_and_test(lane_id, test_id)
        study = open_study(test.study_id)
        one = Pass.objects.create(lane=lane, test=test, number=_next_number(lane, test))
        note(study, tester, "planned one more pass", "", one)
    return one


def record_pass(tester: User, study: Study, lane: Lane, test: Test, number: int | None) -> Pass:
    """Mark a pass as recorded and freeze the setup it was run with. Called within the caller's transaction.

    Without a number it is the first planned one, or a new one. Raises :class:`Conflict` where that pass has a capture
    already.
    """
    passes = Pass.objects.select_for_update().filter(lane=lane, test=test)
    if number is None:
        one = passes.filter(state=PassState.PLANNED).order_by("number").first()
    else:
        one = passes.filter(number=number).first()
    if one is None:
        one = Pass(lane=lane, test=test, number=number or _next_number(lane, test))
    elif one.state != PassState.PLANNED:
        raise Conflict(
            "pass_taken",
            f"Pass {one.number} of {test} in {lane} is {PassState(one.state).label.lower()} already.",
            field="number",
            hint="Give it the next free number; a doubted pass stays beside its repeat.",
        )
    one.state = PassState.RECORDED
    one.setup_version, one.recorded_at = lane.setup_version, timezone.now()
    one.save()
    freeze(lane.setup_version)
    note(study, tester, "recorded a pass", "", one)
    return one


def open_study(study_id: int) -> Study:
    """The study, locked for a change. Raises :class:`Conflict` where it is finished."""
    study = _locked(study_id)
    if study.state == StudyState.FINISHED:
        raise Conflict("study_finished", "The study is finished and changes no more.", hint="A lead can open it again.")
    return study


def lane_and_test(lane_id: int, test_id: int) -> tuple[Lane, Test]:
    """A lane and a test of one and the same study. Raises :class:`NotFound`."""
    lane = Lane.objects.select_related("setup_version").filter(pk=lane_id).first()
    test = Test.objects.select_related("scene__game", "condition").filter(pk=test_id).first()
    if lane is None or test is None or lane.study_id != test.study_id:
        raise NotFound("lane and test in one study")
    return lane, test


_WORDS = {
    PassState.PLANNED: "planned the pass again",
    PassState.RECORDED: "took the decision back",
    PassState.ACCEPTED: "accepted the pass",
    PassState.REJECTED: "rejected the pass",
    PassState.DID_NOT_RUN: "noted that the pass did not run",
}


def _locked(study_id: int) -> Study:
    study = Study.objects.select_for_update().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    return study


def _next_number(lane: Lane, test: Test) -> int:
    return (Pass.objects.filter(lane=lane, test=test).aggregate(last=Max("number"))["last"] or 0) + 1


def note(study: Study, who: User, what: str, why: str = "", one: Pass | None = None) -> None:
    """Add a line to the study's record."""
    AuditLine.objects.create(study=study, on_pass=one, who=who, what=what, why=why[:300])
