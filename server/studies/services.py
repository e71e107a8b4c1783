"""What one can do with a study. Each verb checks the role, changes in one transaction, and leaves an audit line."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from bench.models import SetupVersion
from bench.services import freeze
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.comparing.words import DID_NOT_RUN_REASONS, PASS_REASONS, REJECTED_REASONS
from scenes.models import CONDITION_FIELDS
from seen import check_seen, mark_of

from studies.composing import (
    Caller,
    add_lane_to,
    check_lanes,
    check_not_alike,
    check_size,
    plan_passes,
    write_tests,
)
from studies.models import (
    COUNTING,
    NEEDS_REASON,
    Lane,
    Pass,
    PassRole,
    PassState,
    Study,
    StudyKind,
    StudyState,
    Test,
)
from studies.news import decided, method_changed
from studies.record import last_said, note, note_each
from studies.schemas import AskedEdit, AskedIn, LaneIn, Method, MethodEdit, StudyIn, TestIn

_TESTS_CHANGED = "changed the tests"
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
                "condition_missing", f"Lane “{data.name}” says not what it tells the games.", field="condition"
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


def question_mark(study: Study) -> str:
    """A mark of what a study asks."""
    return mark_of([study.question, study.factor, study.second_factor])


def method_mark(study: Study) -> str:
    """A mark of how a study answers."""
    return mark_of([getattr(study, name) for name in Method.model_fields])


def tests_mark(tests: Sequence[Test]) -> str:
    """A mark of the tests of a study, with their order, passes and priorities."""
    return mark_of([[t.pk, t.scene_id, t.condition_id, t.priority, t.passes_wanted] for t in tests])


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
    with transaction.atomic():
        study = open_study(study_id)
        changes = []
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
            method_changed.send(Study, study=study)
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
        no_longer_ready(study, lead, "its baseline changed")
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
            method_changed.send(Study, study=study)
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


def change_pass(user: Caller, pass_id: int, state: str, reason: str = "", reason_code: str = "") -> Pass:
    """Accept a pass, reject it with a reason, take a decision back, or say why it did not run."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        one = Pass.objects.select_related("test").filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        study = open_study(one.test.study_id)
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").get(pk=pass_id)
        code, words = _reason(PassState(state), reason_code, reason)
        if (one.state, one.reason_code, one.reason) == (state, code, words):
            return one
        _move(one, PassState(state), code, words)
        one.save()
        note(study, tester, _WORDS[PassState(state)], _said(code, words), one)
        decided.send(Study, study=study, scenes={one.test.scene_id})
    return one


def change_passes(user: Caller, study_id: int, ids: Sequence[int], state: str, reason: str = "", code: str = "") -> int:
    """The same decision on several passes of a study, as one act: all of them or none. How many it changed."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        named = Pass.objects.filter(pk__in=ids, test__study=study)
        passes = list(named.select_related("lane", "test__scene__game", "test__condition"))
        if len(passes) < len(set(ids)):
            raise NotFound("pass in this study")
        code, words = _reason(PassState(state), code, reason)
        changed = [one for one in passes if (one.state, one.reason_code, one.reason) != (state, code, words)]
        for one in changed:
            _move(one, PassState(state), code, words)
        Pass.objects.bulk_update(changed, ["state", "reason", "reason_code"])
        note_each(study, tester, _WORDS[PassState(state)], changed, _said(code, words))
        if changed:
            decided.send(Study, study=study, scenes={one.test.scene_id for one in changed})
    return len(changed)


def _reason(wanted: PassState, code: str, words: str) -> tuple[str, str]:
    """The reason as it is kept: of what counts none, else a code, and words where the code alone says nothing."""
    if wanted not in NEEDS_REASON:
        return "", ""
    allowed = DID_NOT_RUN_REASONS if wanted == PassState.DID_NOT_RUN else REJECTED_REASONS
    code = code or ("other" if words else "")
    if not code or (code == "other" and not words):
        raise Problem("reason_needed", f"Say why the pass is {wanted.label.lower()}.", field="reason")
    if code not in allowed:
        said = ", ".join(PASS_REASONS[one] for one in allowed)
        label = wanted.label.lower()
        raise Problem("reason_unknown", f"A pass is {label} for one of these: {said}.", field="reason_code")
    return code, words


def _move(one: Pass, wanted: PassState, code: str, words: str) -> None:
    now = PassState(one.state)
    if wanted != now and wanted not in _MOVES[now]:
        raise Conflict(
            "wrong_state",
            f"A pass that is {now.label.lower()} cannot become {wanted.label.lower()}.",
            field="state",
        )
    one.state, one.reason_code, one.reason = wanted, code, words


def _said(code: str, words: str) -> str:
    return ": ".join(filter(None, (PASS_REASONS[code] if code and code != "other" else "", words)))


def plan_pass(user: Caller, lane_id: int, test_id: int, role: str = PassRole.COUNTED) -> Pass:
    """Plan one more pass: one that counts, the repeat of one that is doubted, a warm-up or a control."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        lane, test = lane_and_test(lane_id, test_id)
        study = open_study(test.study_id)
        one = Pass.objects.create(lane=lane, test=test, number=_next_number(lane, test), role=role)
        note(study, tester, "planned one more pass", "" if role == PassRole.COUNTED else PassRole(role).label, one)
    return one


def record_pass(
    tester: User, study: Study, lane: Lane, test: Test, number: int | None, ran_at: datetime | None = None
) -> Pass:
    """Mark a pass as recorded, with what it was run with. Called within the caller's transaction, the study locked.

    Without a number it is the first planned one, or a new one. Raises :class:`Conflict` where that pass has a capture
    already.
    """
    passes = Pass.objects.select_for_update().filter(lane=lane, test=test)
    if number is None:
        one = passes.filter(state=PassState.PLANNED, role__in=COUNTING).order_by("number").first()
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
    one.setup_version, one.run_as = lane.setup_version, run_as_of(lane, test)
    one.recorded_at, one.ran_at = timezone.now(), ran_at
    one.save()
    freeze(lane.setup_version)
    note(study, tester, "recorded a pass", "", one)
    return one


def run_as_of(lane: Lane, test: Test) -> dict[str, Any]:
    """What a pass is run with beside its setup: the condition that the game is told, and the caps one knows of.

    It is kept with the pass, so that editing a game or a condition later changes nothing about what was run.
    """
    condition, game = lane.condition or test.condition, test.scene.game
    caps = []
    if game.engine_cap_fps:
        caps.append({"name": "engine cap", "fps": game.engine_cap_fps, "refresh": False})
    if condition.frame_limit_fps:
        caps.append({"name": "frame limit", "fps": condition.frame_limit_fps, "refresh": False})
    return {
        "condition": {name: getattr(condition, name) for name in CONDITION_FIELDS},
        "limited_to_fps": condition.frame_limit_fps,
        "known_caps": caps,
    }


def decide_again(tester: User, study: Study, one: Pass, why: str) -> None:
    """Send an accepted pass back to be decided, since what it holds has changed. Called with the study locked."""
    if one.state != PassState.ACCEPTED:
        return
    one.state = PassState.RECORDED
    one.save(update_fields=["state"])
    note(study, tester, "has to be decided again", why, one)
    decided.send(Study, study=study, scenes={one.test.scene_id})


def open_study(study_id: int) -> Study:
    """The study, locked for a change. Raises :class:`Conflict` where it is finished."""
    study = _locked(study_id)
    if study.archived_at is not None:
        raise Conflict("study_archived", "The study was put away and changes no more.", hint="A lead can take it out.")
    if study.state == StudyState.FINISHED:
        raise Conflict("study_finished", "The study is finished and changes no more.", hint="A lead can open it again.")
    return study


def lane_and_test(lane_id: int, test_id: int) -> tuple[Lane, Test]:
    """A lane and a test of one and the same study. Raises :class:`NotFound`."""
    lane = Lane.objects.select_related("setup_version", "condition").filter(pk=lane_id).first()
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
