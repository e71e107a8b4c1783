"""What one can do with a pass: plan one more, record it, decide on it. Roles, transactions and lines as in services."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from bench.services import freeze
from changed_rows import write_back
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.comparing.words import DID_NOT_RUN_REASONS, PASS_REASONS, REJECTED_REASONS
from scenes.models import CONDITION_FIELDS

from studies.acts import keep_act, put_states
from studies.composing import Caller
from studies.events import PassesDecided, StateChange, tell
from studies.models import (
    COUNTING,
    NEEDS_REASON,
    Decision,
    Lane,
    Pass,
    PassRole,
    PassState,
    Study,
    Test,
)
from studies.record import note, note_each
from studies.services import open_study

#: From which states a pass may come to which.
_MOVES = {
    PassState.PLANNED: {PassState.DID_NOT_RUN},
    PassState.RECORDED: {PassState.ACCEPTED, PassState.REJECTED},
    PassState.ACCEPTED: {PassState.REJECTED, PassState.RECORDED},
    PassState.REJECTED: {PassState.ACCEPTED, PassState.RECORDED},
    PassState.DID_NOT_RUN: {PassState.PLANNED},
}
_WORDS = {
    PassState.PLANNED: "planned the pass again",
    PassState.RECORDED: "took the decision back",
    PassState.ACCEPTED: "accepted the pass",
    PassState.REJECTED: "rejected the pass",
    PassState.DID_NOT_RUN: "noted that the pass did not run",
}
#: The same of an act, before the passes that it was done to.
_DID = {
    PassState.PLANNED: "planned again",
    PassState.RECORDED: "sent back",
    PassState.ACCEPTED: "accepted",
    PassState.REJECTED: "rejected",
    PassState.DID_NOT_RUN: "noted as not run",
}


def change_pass(user: Caller, pass_id: int, state: str, reason: str = "", reason_code: str = "") -> Pass:
    """Accept a pass, reject it with a reason, take a decision back, or say why it did not run."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        one = Pass.objects.select_related("test").filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        study = open_study(one.test.study_id)
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").get(pk=pass_id)
        decide(tester, study, [one], state, reason, reason_code)
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
        return decide(tester, study, passes, state, reason, code)[1]


def decide(
    tester: User, study: Study, passes: Sequence[Pass], state: str, reason: str = "", code: str = ""
) -> tuple[Decision | None, int]:
    """Make all of some passes what they are to be, as one act, and how many that changed; none without a change.

    Called with the study locked; the passes know their lane and their test with its scene.
    """
    code, words = _reason(PassState(state), code, reason)
    changed = [one for one in passes if (one.state, one.reason_code, one.reason) != (state, code, words)]
    if not changed:
        return None, 0
    why, before = _said(code, words), [one.state for one in changed]
    decision = keep_act(study, tester, _DID[PassState(state)], changed, why, state=state)
    for one in changed:
        _move(one, PassState(state), code, words)
    put_states(study, tester, changed, before, _WORDS[PassState(state)], why, decision)
    return decision, len(changed)


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


def plan_repeats(user: Caller, study_id: int, ids: Sequence[int]) -> list[Pass]:
    """Plan a pass that repeats each of some passes of a study, since they are doubted, as one act: all or none."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        named = Pass.objects.filter(pk__in=ids, test__study=study)
        firsts = list(named.select_related("lane", "test__scene__game", "test__condition").order_by("pk"))
        if len(firsts) < len(set(ids)):
            raise NotFound("pass in this study")
        return repeat(tester, study, firsts)[1]


def repeat(tester: User, study: Study, firsts: Sequence[Pass]) -> tuple[Decision, list[Pass]]:
    """The same of passes that are at hand, with the act it was. Called with the study locked."""
    cells = Pass.objects.filter(lane__in={one.lane_id for one in firsts}, test__in={one.test_id for one in firsts})
    last = {
        (lane, test): number
        for lane, test, number in cells.values("lane", "test").annotate(n=Max("number"))
        .values_list("lane", "test", "n").order_by()
    }  # fmt: skip
    planned = []
    for first in firsts:
        last[first.lane_id, first.test_id] += 1
        number = last[first.lane_id, first.test_id]
        planned.append(Pass(lane=first.lane, test=first.test, number=number, role=PassRole.REPEAT, repeats=first))
    Pass.objects.bulk_create(planned)
    note_each(study, tester, "asked for a repeat", planned)
    return keep_act(study, tester, "had run again", firsts, planned=[one.pk for one in planned]), planned


def plan_pass(user: Caller, lane_id: int, test_id: int, role: str = PassRole.COUNTED) -> Pass:
    """Plan one more pass: one that counts, a repeat, a warm-up or a control."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        lane, test = lane_and_test(lane_id, test_id)
        study = open_study(test.study_id)
        one = Pass.objects.create(lane=lane, test=test, number=_next_number(lane, test), role=role)
        note(study, tester, "planned one more pass", "" if role == PassRole.COUNTED else PassRole(role).label, one)
    return one


def planned_passes(tester: User, study: Study, cells: Sequence[tuple[int, int, int]]) -> list[int]:
    """So many passes that are to run in each of some cells, by lane, test and number, in that order: those that are
    planned already, and as many more as it takes. Called with the study locked.
    """
    waiting: dict[tuple[int, int], list[int]] = {}
    last: dict[tuple[int, int], int] = {}
    named = Pass.objects.filter(lane__in={lane for lane, _, _ in cells}, test__in={test for _, test, _ in cells})
    for pk, lane, test, number, state in named.order_by("number").values_list("pk", "lane", "test", "number", "state"):
        last[lane, test] = number
        if state == PassState.PLANNED:
            waiting.setdefault((lane, test), []).append(pk)
    more = [
        Pass(lane_id=lane, test_id=test, number=last.get((lane, test), 0) + at)
        for lane, test, wanted in cells
        for at in range(1, wanted - len(waiting.get((lane, test), ())) + 1)
    ]
    Pass.objects.bulk_create(more)
    whole = Pass.objects.select_related("lane", "test__scene__game", "test__condition")
    note_each(study, tester, "planned one more pass", list(whole.filter(pk__in=[one.pk for one in more])))
    for one in more:
        waiting.setdefault((one.lane_id, one.test_id), []).append(one.pk)
    return [pk for lane, test, wanted in cells for pk in waiting.get((lane, test), ())[:wanted]]


@dataclass(frozen=True)
class Run:
    """A run that is to be recorded: of which lane and test, as which of their passes, and when it began.

    Without a number it is the first planned pass, or a new one.
    """

    lane: Lane
    test: Test
    number: int | None = None
    ran_at: datetime | None = None


def record_pass(tester: User, study: Study, run: Run) -> Pass:
    """Mark a pass as recorded, with what it was run with. Called with the study locked.

    Raises :class:`Conflict` where that pass has a capture already.
    """
    (one,) = record_passes(tester, study, [run])
    if isinstance(one, Conflict):
        raise one
    return one


def record_passes(tester: User, study: Study, runs: Sequence[Run]) -> list[Pass | Conflict]:
    """The same of many; of a run whose pass is recorded already, the reason is in its place."""
    cells: dict[tuple[int, int], list[Pass]] = {}
    named = Pass.objects.filter(lane__in={run.lane.pk for run in runs}, test__in={run.test.pk for run in runs})
    for one in named.select_for_update().order_by("number") if runs else ():
        cells.setdefault((one.lane_id, one.test_id), []).append(one)
    now, fates = timezone.now(), list[Pass | Conflict]()
    for run in runs:
        cell = cells.setdefault((run.lane.pk, run.test.pk), [])
        found = _pass_of(cell, run)
        fates.append(found)
        if isinstance(found, Conflict):
            continue
        if found._state.adding and found not in cell:
            cell.append(found)
        found.lane, found.test, found.state = run.lane, run.test, PassState.RECORDED
        found.setup_version, found.run_as = run.lane.setup_version, run_as_of(run.lane, run.test)
        found.recorded_at, found.ran_at = now, run.ran_at
    recorded = [one for one in fates if isinstance(one, Pass)]
    planned = [one for one in recorded if not one._state.adding]
    write_back(planned, ["state", "setup_version", "run_as", "recorded_at", "ran_at"])
    Pass.objects.bulk_create([one for one in recorded if one._state.adding])
    freeze(run.lane.setup_version for run in runs)
    note_each(study, tester, "recorded a pass", recorded)
    return fates


def _pass_of(cell: Sequence[Pass], run: Run) -> Pass | Conflict:
    """The pass of a cell that a run is; a new one where it has none."""
    if run.number is None:
        waits = (one for one in cell if one.state == PassState.PLANNED and one.role in COUNTING)
        one = next(waits, None)
    else:
        one = next((one for one in cell if one.number == run.number), None)
    if one is None:
        last = max((one.number for one in cell), default=0)
        return Pass(lane=run.lane, test=run.test, number=run.number or last + 1)
    if one.state == PassState.PLANNED:
        return one
    return Conflict(
        "pass_taken",
        f"Pass {one.number} of {run.test} in {run.lane} is {PassState(one.state).label.lower()} already.",
        field="number",
        hint="Give it the next free number; a doubted pass stays beside its repeat.",
    )


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
    tell(PassesDecided(study, (StateChange(one, PassState.ACCEPTED, PassState.RECORDED),)))


def lane_and_test(lane_id: int, test_id: int) -> tuple[Lane, Test]:
    """A lane and a test of one and the same study. Raises :class:`NotFound`."""
    lane = Lane.objects.select_related("setup_version", "condition").filter(pk=lane_id).first()
    test = Test.objects.select_related("scene__game", "condition").filter(pk=test_id).first()
    if lane is None or test is None or lane.study_id != test.study_id:
        raise NotFound("lane and test in one study")
    return lane, test


def _next_number(lane: Lane, test: Test) -> int:
    return (Pass.objects.filter(lane=lane, test=test).aggregate(last=Max("number"))["last"] or 0) + 1
