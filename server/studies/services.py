"""What one can do with a study. Each verb checks the role, changes in one transaction, and leaves an audit line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from bench.models import SetupVersion
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from page_marks import check_seen
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.inference.sessions import USUAL_BETWEEN

from studies.composing import (
    Caller,
    add_lane_to,
    check_lanes,
    check_not_alike,
    check_size,
    plan_passes,
    write_tests,
)
from studies.events import MethodChanged, tell
from studies.marks import method_mark, question_mark, tests_mark
from studies.models import (
    WAITS,
    Lane,
    Pass,
    PassState,
    Study,
    StudyKind,
    StudyState,
    Test,
)
from studies.record import last_said, note
from studies.schemas import AskedEdit, AskedIn, LaneIn, Method, MethodEdit, StudyIn, TestIn

_TESTS_CHANGED = "changed the tests"


def create_study(user: Caller, data: StudyIn) -> Study:
    """Create a study with its lanes, tests and planned passes."""
    lead = require(user, Role.LEAD)
    check_lanes(data)
    _check_between(data.method, "method.between_why")
    with transaction.atomic():
        study = Study.objects.create(
            kind=data.kind,
            question=data.question,
            factor=data.factor,
            second_factor=data.second_factor,
            created_by=lead,
            passes_wanted=data.passes_wanted,
            **data.method.dict(),
        )
        lanes = [
            add_lane_to(study, user, lane, position, baseline=position == data.baseline)
            for position, lane in enumerate(data.lanes)
        ]
        check_not_alike(lanes)
        write_tests(study, data.tests)
        note(study, lead, "created the study")
    return study


def add_lane(user: Caller, study_id: int, data: LaneIn) -> Lane:
    """Add a lane, with its planned passes. A ready study has to be called ready again."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        lanes = list(study.lanes.all())
        if study.kind == StudyKind.A_B:
            raise Conflict("two_lanes", "A against B has two lanes.", field="lanes", hint="A ladder takes more.")
        if data.name.lower() in {lane.name.lower() for lane in lanes}:
            raise Problem("lane_twice", "Lanes need names of their own.", field="name")
        if study.kind == StudyKind.SCALING and not data.condition:
            raise Problem(
                "condition_missing", f"Lane “{data.name}” does not say what it tells the games.", field="condition"
            )
        check_size(len(lanes) + 1, study.tests.values_list("passes_wanted", flat=True))
        lane = add_lane_to(study, user, data, max((lane.position for lane in lanes), default=-1) + 1)
        check_not_alike([*lanes, lane])
        plan_passes(study, list(study.tests.all()))
        note(study, lead, "added a lane", lane.name)
        no_longer_ready(study, lead, "it has another lane")
    return lane


def set_tests(user: Caller, study_id: int, tests: Sequence[TestIn], seen: str | None = None) -> Study:
    """Make these the tests of a study, in this order, with these numbers of passes and priorities.

    Passes that were run stay whatever is asked. Raises :class:`Conflict` where a test that has some would go.
    """
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        before = list(study.tests.select_related("scene__game", "condition"))
        if seen is not None:
            check_seen("your list of tests", seen, tests_mark(before), lambda: last_said(study, _TESTS_CHANGED))
        write_tests(study, tests)
        after = list(study.tests.select_related("scene__game", "condition"))
        said = _tests_changed(before, after)
        if {test.pk for test in before} != {test.pk for test in after}:
            no_longer_ready(study, lead, "its tests changed")
        if said:
            note(study, lead, _TESTS_CHANGED, said)
    return study


def _tests_changed(before: Sequence[Test], after: Sequence[Test]) -> str:
    """Which tests changed, in words: as many as a line of the record holds."""
    old, new = {test.pk: test for test in before}, {test.pk: test for test in after}
    said = [f"added {test}" for test in after if test.pk not in old]
    said += [f"left out {test}" for test in before if test.pk not in new]
    for test in after:
        was = old.get(test.pk)
        if was is not None and was.passes_wanted != test.passes_wanted:
            said.append(f"{test}: {was.passes_wanted} → {test.passes_wanted} passes")
        if was is not None and was.priority != test.priority:
            said.append(f"{test}: priority {was.priority} → {test.priority}")
    kept = [test.pk for test in before if test.pk in new]
    if kept != [test.pk for test in after if test.pk in old]:
        said.append("another order")
    words = "; ".join(said)
    return words if len(words) <= 300 else f"{words[:280].rpartition(';')[0]}; and more"


def no_longer_ready(study: Study, who: User, why: str) -> None:
    """What was read when the study was called ready is not what there is now."""
    if study.ready_at is not None:
        study.ready_at, study.ready_for = None, ""
        study.save(update_fields=["ready_at", "ready_for"])
        note(study, who, "is not ready any more", why)


def ask_otherwise(user: Caller, study_id: int, asked: AskedIn) -> Study:
    """Put the question in other words, or name another factor. A ready study has to be called ready again."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        if isinstance(asked, AskedEdit):
            now = question_mark(study)
            check_seen("your question", asked.seen, now, lambda: last_said(study, "changed the question"))
        was = (study.factor, study.second_factor)
        study.question, study.factor, study.second_factor = asked.question, asked.factor, asked.second_factor
        study.save()
        note(study, lead, "changed the question", f"{study.question} ({study.factor})")
        if was != (study.factor, study.second_factor):
            no_longer_ready(study, lead, "its factor changed")
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
            check_not_alike(list(study.lanes.all()))
            note(study, lead, "moved a lane to its setup's newest version", words)
            no_longer_ready(study, lead, "a lane has another setup")
    return lane


def edit_method(user: Caller, study_id: int, method: Method) -> Study:
    """Declare another method. What was measured by another is measured again by the worker."""
    lead = require(user, Role.LEAD)
    _check_between(method, "between_why")
    with transaction.atomic():
        study = open_study(study_id)
        changes, before = [], _method_of(study)
        if isinstance(method, MethodEdit):
            now = method_mark(study)
            check_seen("your method", method.seen, now, lambda: last_said(study, "changed the method"))
        for name in Method.model_fields:
            value = getattr(method, name)
            if getattr(study, name) != value:
                changes.append(f"{name}: {getattr(study, name)} → {value}")
                setattr(study, name, value)
        if changes:
            study.save()
            note(study, lead, "changed the method", "; ".join(changes))
            tell(MethodChanged(study, before, _method_of(study)))
    return study


def _check_between(method: Method, field: str) -> None:
    """What a person states of sessions has a reason. Raises :class:`Problem`."""
    if method.between != USUAL_BETWEEN and not method.between_why:
        raise Problem(
            "reason_needed",
            "Say why sessions differ by that, or why nothing is stated of them.",
            field=field,
            hint=f"Without a reason {100 * USUAL_BETWEEN:g}% is taken.",
        )


def _method_of(study: Study) -> dict[str, Any]:
    return {name: getattr(study, name) for name in Method.model_fields}


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
        no_longer_ready(study, lead, "its baseline changed")
    return study


def finish_study(user: Caller, study_id: int) -> Study:
    """Close a study: its passes and method change no more. Recorded passes must be decided first."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        waiting = Pass.objects.filter(WAITS, test__study=study).count()
        if waiting:
            raise Conflict(
                "passes_undecided",
                f"{waiting} recorded passes are neither accepted nor rejected." if waiting > 1 else
                "One recorded pass is neither accepted nor rejected.",
                hint="Decide on them in Passes, then finish.",
            )  # fmt: skip
        counting = Pass.objects.filter(test__study=study, state__in=(PassState.ACCEPTED, PassState.REJECTED))
        if counting.filter(session__simulated=True).exists() and counting.exclude(session__simulated=True).exists():
            raise Conflict(
                "simulated_and_real",
                "Some passes of this study were run on the simulated bench and some on a real one.",
                hint="No finding stands on both. Run the simulated ones again in a study of their own.",
            )
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
            tell(MethodChanged(study, _method_of(study), _method_of(study)))
    return study


def archive_study(user: Caller, study_id: int, *, away: bool) -> Study:
    """Put a study away, or take it out again. Put away it changes no more and is not on the desk."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = _locked(study_id)
        if (study.archived_at is not None) != away:
            study.archived_at = timezone.now() if away else None
            study.save(update_fields=["archived_at"])
            note(study, lead, "put the study away" if away else "took the study out again")
    return study


def remove_study(user: Caller, study_id: int) -> None:
    """Take a study away of which nothing was run yet. Raises :class:`Conflict` where something was."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = _locked(study_id)
        run = Pass.objects.filter(test__study=study).exclude(state=PassState.PLANNED).exists()
        if run or study.arrivals.exists():
            raise Conflict(
                "study_has_passes",
                "The study has files or passes that were run, so it stays.",
                hint="Put it away: it leaves the desk and keeps its record.",
            )
        study.removed_at = timezone.now()
        study.save(update_fields=["removed_at"])
        note(study, lead, "removed the study")


def open_study(study_id: int) -> Study:
    """The study, locked for a change. Raises :class:`Conflict` where it is finished."""
    study = _locked(study_id)
    if study.archived_at is not None:
        raise Conflict("study_archived", "The study was put away and changes no more.", hint="A lead can take it out.")
    if study.state == StudyState.FINISHED:
        raise Conflict("study_finished", "The study is finished and changes no more.", hint="A lead can open it again.")
    return study


def _locked(study_id: int) -> Study:
    study = Study.objects.select_for_update().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    return study
