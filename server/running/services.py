"""What one does at the bench: begin and end a session, and every act once. Roles and lines as in other services."""

from __future__ import annotations

import random
import uuid
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from django.utils import timezone
from people.access import require
from people.models import Role
from planning.building import costs_of, factors_of, work_of
from planning.models import Plan
from planning.queries import one_study, plan_of
from problems import Conflict, NotFound, Problem
from rennbahn.checks.record import read_back_agrees
from rennbahn.errors import RennbahnError
from rennbahn.running.costs import TAUGHT
from rennbahn.running.readback import questions_of
from studies.deciding import change_pass, change_passes, plan_pass, plan_repeats
from studies.models import BenchSession, Pass, PassRole, PassState, Study
from studies.record import note
from studies.services import open_study

from running.models import ActKind, ChangeTook, RunAct
from running.queries import open_session, really_run
from running.schemas import ActDone, ActIn, ActsIn, SessionEnd, SessionIn
from running.standing import lane_descriptions, sequence_and_day, sequence_for, standing_of

Caller = User | AnonymousUser
#: Nobody's clock is trusted farther than this from the server's; beyond it an act was done when it came.
_FARTHEST = timedelta(days=2)
#: Acts that anybody may do who may run; all others are the driver's.
_ANYBODY = {ActKind.NOTED, ActKind.ROOM, ActKind.DROVE}


def begin_session(user: Caller, study_id: int, data: SessionIn) -> BenchSession:
    """Begin a sitting at the bench. Raises :class:`Conflict` where one runs already."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        open_study(study_id)
        study = one_study(study_id)
        if BenchSession.objects.filter(study=study, ended_at=None).exists():
            raise Conflict("session_runs", "A session runs already.", hint="Take over its driving, or end it.")
        if data.simulated and really_run(study_id):
            raise Conflict(
                "really_run", "Passes of this study were really run.", field="simulated",
                hint="Simulated passes beside them would make it a study that cannot be finished. Copy it first.",
            )  # fmt: skip
        session = BenchSession.objects.create(
            study=study, begun_by=tester, driver=tester, room_c=data.room_c, simulated=data.simulated,
            speed=data.speed if data.simulated else 1.0, seed=data.seed or random.SystemRandom().randrange(1, 2**31),
        )  # fmt: skip
        kept = plan_of(study)
        work = work_of(study, costs_of(kept.costs))
        standing = standing_of(study_id, work, None)
        sequence, today = sequence_and_day(kept, work, kept.order, standing)
        session.sequence, session.controls = _framed(tester, kept, sequence, today)
        session.save(update_fields=["sequence", "controls"])
        room = "" if data.room_c is None else f"room {data.room_c:g} °C"
        what = "began a session on the simulated bench" if data.simulated else "began a session"
        note(study, tester, what, room)
        _act(session, tester, ActKind.DROVE, {})
    return session


def _framed(tester: User, kept: Plan, sequence: list[int], today: int) -> tuple[list[int], list[int]]:
    """The sequence with the control test run where the session begins and where the plan has it end, and those passes.

    Where the plan has a control pass there anyway, that one does. What is the same in every session shows which of
    them ran otherwise as a whole.
    """
    if kept.control_test_id is None or not today:
        return sequence, []
    ends = (sequence[0], sequence[today - 1])
    places = {
        pk: (lane, role == PassRole.CONTROL)
        for pk, lane, role in Pass.objects.filter(pk__in=ends).values_list("pk", "lane_id", "role")
    }
    framed, controls = list(sequence), []
    for at, pk in ((today, ends[1]), (0, ends[0])):
        lane, there = places[pk]
        if not there:
            one = plan_pass(tester, lane, kept.control_test_id, PassRole.CONTROL)
            framed.insert(at, one.pk)
            controls.append(one.pk)
    return framed, controls


def end_session(user: Caller, study_id: int, data: SessionEnd) -> BenchSession:
    """End the sitting. What was not run stays planned."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        session = _session(study_id)
        session.ended_at = timezone.now()
        session.notes = "\n".join(filter(None, (session.notes, data.notes)))
        session.save(update_fields=["ended_at", "notes"])
        # A control pass for this session that nobody ran says nothing in another one.
        Pass.objects.filter(pk__in=session.controls, state=PassState.PLANNED).delete()
        note(study, tester, "ended the session", data.notes.partition("\n")[0])
        _act(session, tester, ActKind.NOTED, {"words": "ended the session"})
    return session


def do_acts(user: Caller, study_id: int, data: ActsIn) -> list[ActDone]:
    """Do some acts, in order, each once. One that is refused says why and does not stop the others."""
    require(user, Role.TESTER)
    off = timezone.now() - _aware(data.now)
    return [_do(user, study_id, one, off) for one in data.acts]


def _do(user: Caller, study_id: int, one: ActIn, off: timedelta) -> ActDone:
    tester = require(user, Role.TESTER)
    if RunAct.objects.filter(client_id=one.id).exists():
        return ActDone(id=one.id, done=True)
    try:
        with transaction.atomic():
            open_study(study_id)
            session = _session(study_id)
            kind = ActKind(one.kind)
            if session.driver_id != tester.pk and kind not in _ANYBODY:
                raise Conflict(
                    "not_driving", f"“{session.driver.get_username()}” drives just now.", hint="Take over, then go on."
                )
            facts = _DOING.get(kind, _nothing)(_Doing(tester, one_study(study_id), session, one))
            at = _aware(one.at) + off
            if abs(at - timezone.now()) > _FARTHEST:
                at = timezone.now()
            RunAct.objects.create(
                client_id=one.id, session=session, kind=kind, step=one.step, pass_id=one.pass_id, at=at, by=tester,
                data={**facts, **({"planned_s": one.planned_s} if one.planned_s is not None else {})},
            )  # fmt: skip
    except IntegrityError:
        # The same act came twice at once: the other one did it.
        if RunAct.objects.filter(client_id=one.id).exists():
            return ActDone(id=one.id, done=True)
        raise
    except RennbahnError as error:
        return ActDone(id=one.id, done=False, code=error.code, message=error.message, hint=error.hint or "")
    return ActDone(id=one.id, done=True)


class _Doing:
    """An act, and what it is done to."""

    def __init__(self, tester: User, study: Study, session: BenchSession, act: ActIn) -> None:
        self.tester, self.study, self.session, self.act = tester, study, session, act

    def one(self) -> Pass:
        """The pass that the act names. Raises :class:`NotFound`."""
        found = Pass.objects.filter(pk=self.act.pass_id or 0, test__study=self.study)
        one = found.select_related("lane", "test__scene__game", "test__condition").first()
        if one is None:
            raise NotFound("pass in this study")
        return one

    def planned(self) -> Pass:
        """The pass, which must still be to run."""
        one = self.one()
        if one.state != PassState.PLANNED:
            raise Conflict("pass_not_planned", f"The pass is {PassState(one.state).label.lower()} already.")
        return one


def _nothing(_: _Doing) -> dict[str, Any]:
    return {}


def _done(doing: _Doing) -> dict[str, Any]:
    act = doing.act
    if act.took_s is not None and act.cost in TAUGHT:
        ChangeTook.objects.create(session=doing.session, cost=act.cost, seconds=act.took_s)
    return {"took_s": act.took_s, "cost": act.cost}


def _read_back(doing: _Doing) -> dict[str, Any]:
    one = doing.planned()
    asked = questions_of(lane_descriptions(doing.study), str(one.lane_id), factors_of(doing.study))
    question = next((found for found in asked if found.setting == doing.act.setting), None)
    if question is None:
        raise Problem("no_question", f"{doing.act.setting!r} is nothing that is read back here.", field="setting")
    agrees = bool(doing.act.seen.strip()) and read_back_agrees(question.wanted, doing.act.seen)
    if not agrees:
        note(
            doing.study, doing.tester, "read back another value",
            f"{question.setting}: wanted {question.wanted}, seen {doing.act.seen or 'nothing'}", one,
        )  # fmt: skip
    return {
        "setting": question.setting, "wanted": question.wanted, "seen": doing.act.seen, "agrees": agrees,
        "lane_id": one.lane_id,
    }  # fmt: skip


def _anyway(doing: _Doing) -> dict[str, Any]:
    one = doing.planned()
    if not doing.act.words.strip():
        raise Problem("reason_needed", "Say why it is run anyway.", field="words")
    note(doing.study, doing.tester, "ran on although it read back otherwise", doing.act.words, one)
    return {"words": doing.act.words}


def _began(doing: _Doing) -> dict[str, Any]:
    one = doing.planned()
    back = (
        RunAct.objects.filter(session=doing.session, kind=ActKind.READ_BACK, data__lane_id=one.lane_id)
        .order_by("-pk")
        .values_list("data", flat=True)
        .first()
    )
    told = {name: back[name] for name in ("setting", "wanted", "seen")} if back else None
    return {"after_load": doing.act.after_load, "warm_up": doing.act.warm_up, "read_back": told}


def _ended(doing: _Doing) -> dict[str, Any]:
    return {"took_s": doing.act.took_s}


def _accepted(doing: _Doing) -> dict[str, Any]:
    change_pass(doing.tester, doing.one().pk, PassState.ACCEPTED)
    return {}


def _rejected(doing: _Doing) -> dict[str, Any]:
    act = doing.act
    change_pass(doing.tester, doing.one().pk, PassState.REJECTED, act.words, act.code)
    return {"code": act.code, "words": act.words}


def _repeated(doing: _Doing) -> dict[str, Any]:
    """One more pass of the same cell, next; the doubted one stays beside it."""
    one = doing.one()
    (new,) = plan_repeats(doing.tester, doing.study.pk, [one.pk])
    doing.session.sequence = [new.pk, *doing.session.sequence]
    doing.session.save(update_fields=["sequence"])
    return {"repeat": new.pk}


def _skipped(doing: _Doing) -> dict[str, Any]:
    """The pass did not run, and neither will what follows from it."""
    one, act = doing.planned(), doing.act
    rest = Pass.objects.filter(lane=one.lane_id, test__study=doing.study, state=PassState.PLANNED)
    if act.following == "cell":
        rest = rest.filter(test=one.test_id)
    elif act.following == "game":
        rest = rest.filter(test__scene__game=one.test.scene.game_id)
    elif act.following == "":
        rest = rest.filter(pk=one.pk)
    ids = list(rest.values_list("pk", flat=True))
    change_passes(doing.tester, doing.study.pk, ids, PassState.DID_NOT_RUN, act.words, act.code)
    return {"code": act.code, "words": act.words, "passes": ids}


def _later(doing: _Doing) -> dict[str, Any]:
    one = doing.planned()
    doing.session.sequence = [pk for pk in doing.session.sequence if pk != one.pk] + [one.pk]
    doing.session.save(update_fields=["sequence"])
    return {}


def _noted(doing: _Doing) -> dict[str, Any]:
    act = doing.act
    if not act.words.strip():
        raise Problem("note_empty", "A note needs words.", field="words")
    one = doing.one() if act.pass_id is not None else None
    note(doing.study, doing.tester, "noted at the bench", act.words, one)
    line = f"{timezone.localtime():%H:%M} {act.words}"
    doing.session.notes = "\n".join(filter(None, (doing.session.notes, line)))
    doing.session.save(update_fields=["notes"])
    return {"words": act.words}


def _ordered(doing: _Doing) -> dict[str, Any]:
    if doing.act.order is None:
        raise Problem("order_needed", "Say in which order the rest is run.", field="order")
    study = doing.study
    kept: Plan = plan_of(study)
    work = work_of(study, costs_of(kept.costs))
    standing = standing_of(study.pk, work, doing.session)
    doing.session.sequence = sequence_for(kept, work, doing.act.order, standing)
    doing.session.save(update_fields=["sequence"])
    note(study, doing.tester, "ordered the rest of the session anew", doing.act.order)
    return {"order": doing.act.order}


def _room(doing: _Doing) -> dict[str, Any]:
    if doing.act.room_c is None:
        raise Problem("room_needed", "Say how warm the room is, in °C.", field="room_c")
    doing.session.room_c = doing.act.room_c
    doing.session.save(update_fields=["room_c"])
    note(doing.study, doing.tester, "noted the room", f"{doing.act.room_c:g} °C")
    return {"room_c": doing.act.room_c}


def _drove(doing: _Doing) -> dict[str, Any]:
    if doing.session.driver_id != doing.tester.pk:
        doing.session.driver = doing.tester
        doing.session.save(update_fields=["driver"])
        note(doing.study, doing.tester, "took over at the bench")
    return {}


_DOING: Mapping[str, Callable[[_Doing], dict[str, Any]]] = {
    ActKind.DONE: _done, ActKind.READ_BACK: _read_back, ActKind.ANYWAY: _anyway, ActKind.BEGAN: _began,
    ActKind.ENDED: _ended, ActKind.ACCEPTED: _accepted, ActKind.REJECTED: _rejected, ActKind.REPEATED: _repeated,
    ActKind.SKIPPED: _skipped, ActKind.LATER: _later, ActKind.NOTED: _noted, ActKind.ORDERED: _ordered,
    ActKind.ROOM: _room, ActKind.DROVE: _drove,
}  # fmt: skip


def came_in(session: BenchSession, user: User, pass_id: int) -> None:
    """Let everybody at the bench know that a capture came. Called within the caller's transaction."""
    _act(session, user, ActKind.CAME, {}, pass_id)


def note_at_bench(session: BenchSession, user: User, words: str, pass_id: int | None = None) -> None:
    """Let everybody at the bench read something. Called within the caller's transaction."""
    _act(session, user, ActKind.NOTED, {"words": words}, pass_id)


def _act(session: BenchSession, user: User, kind: str, data: dict[str, Any], pass_id: int | None = None) -> None:
    RunAct.objects.create(
        client_id=uuid.uuid4(), session=session, kind=kind, pass_id=pass_id, data=data, at=timezone.now(), by=user
    )


def _session(study_id: int) -> BenchSession:
    session = open_session(study_id)
    if session is None:
        raise Conflict("no_session", "No session runs in this study.", hint="Begin one in Run.")
    return session


def _aware(moment: datetime) -> datetime:
    return moment if timezone.is_aware(moment) else timezone.make_aware(moment)
