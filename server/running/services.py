"""What one does at the bench: begin and end a session, and every act once. Roles and lines as in other services."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from typing import Any

import clock
import one_database
from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from django.utils import timezone
from people.access import require
from people.house import zone
from people.models import Role
from planning.building import factors_of
from planning.models import Plan
from planning.queries import one_study, plan_of, planned_work
from problems import Conflict, NotFound, Problem
from rennbahn.checks.record import read_back_agrees
from rennbahn.errors import RennbahnError
from rennbahn.running.costs import ROTE_S, TAUGHT
from rennbahn.running.readback import questions_of
from studies.deciding import change_pass, change_passes, plan_repeats, planned_passes
from studies.models import BenchSession, Pass, PassState, Study
from studies.record import note
from studies.services import open_study

from running.models import ActKind, BenchRun, ChangeTook, RunAct
from running.schemas import ActDone, ActIn, ActsIn
from running.sitting import session_for
from running.standing import lane_descriptions, sequence_for, standing_of, work_here

Caller = User | AnonymousUser
#: Nobody's clock is trusted farther than this from the server's; beyond it an act was done when it came.
_FARTHEST = timedelta(days=2)
#: Acts that anybody may do who may run; all others are the driver's.
_ANYBODY = {ActKind.NOTED, ActKind.ROOM, ActKind.DROVE}


def do_acts(user: Caller, study_id: int, data: ActsIn) -> list[ActDone]:
    """Do some acts, in order, each once. One that is refused says why and does not stop the others."""
    require(user, Role.TESTER)
    off = clock.now() - aware(data.now)
    return [_do(user, study_id, one, off) for one in data.acts]


def _do(user: Caller, study_id: int, one: ActIn, off: timedelta) -> ActDone:
    tester = require(user, Role.TESTER)
    if RunAct.objects.filter(client_id=one.id).exists():
        return ActDone(id=one.id, done=True)
    try:
        with transaction.atomic():
            if one.database and one.database != one_database.mark():
                raise Conflict("brought_back", one_database.MESSAGE, hint="Note what you measured, and begin anew.")
            open_study(study_id)
            session = running_session(study_id, tester, one.session_id)
            kind = ActKind(one.kind)
            if session.driver_id != tester.pk and kind not in _ANYBODY:
                raise Conflict(
                    "not_driving", f"“{session.driver.get_username()}” drives just now.", hint="Take over, then go on."
                )
            at = aware(one.at) + off
            if abs(at - clock.now()) > _FARTHEST:
                at = clock.now()
            facts = _DOING.get(kind, _nothing)(_Doing(tester, one_study(study_id), session, one, at))
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

    def __init__(self, tester: User, study: Study, session: BenchSession, act: ActIn, at: datetime) -> None:
        self.tester, self.study, self.session, self.act, self.at = tester, study, session, act, at

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
            state = PassState(one.state).label.lower()
            raise Conflict(
                "pass_not_planned", f"Pass {one.number} of {one.test} in {one.lane} is {state} already.",
                hint="Nothing was lost: the screen shows what comes next.",
            )  # fmt: skip
        return one

    def run(self, **told: Any) -> BenchRun | None:
        """The run that began last of this session, where it is of this pass."""
        last = self.session.runs.order_by("-pk").first()
        same = last is not None and all(getattr(last, name) == value for name, value in told.items())
        return last if same else None


def _nothing(_: _Doing) -> dict[str, Any]:
    return {}


def _done(doing: _Doing) -> dict[str, Any]:
    act = doing.act
    run = doing.run(step=act.step, pass_id=act.pass_id)
    if run is not None and run.ended_at is None:
        _end(run, doing.at)
    if act.took_s is not None and act.took_s >= ROTE_S and act.cost in TAUGHT:
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
        "setting": question.setting, "wanted": question.wanted, "seen": doing.act.seen, "where": question.where,
        "by": doing.tester.get_username(), "agrees": agrees, "lane_id": one.lane_id,
    }  # fmt: skip


def _anyway(doing: _Doing) -> dict[str, Any]:
    one = doing.planned()
    if not doing.act.words.strip():
        raise Problem("reason_needed", "Say why it is run anyway.", field="words")
    note(doing.study, doing.tester, "ran on although it read back otherwise", doing.act.words, one)
    return {"words": doing.act.words}


def _began(doing: _Doing) -> dict[str, Any]:
    one = doing.planned()
    backs = RunAct.objects.filter(session=doing.session, kind=ActKind.READ_BACK, data__lane_id=one.lane_id)
    # What each setting of the lane said last: a first one that was wrong is not made good by a second that was right.
    last: dict[str, dict[str, Any]] = {}
    for act in backs.order_by("pk"):
        told = {name: act.data.get(name) for name in ("setting", "wanted", "seen", "where", "by")}
        last[str(act.data["setting"])] = {**told, "at": act.at.isoformat()}
    # Whatever was still under way is over: one machine runs one thing at a time. An earlier run of this pass is given
    # up for this one: should its file come yet, it takes nobody's place.
    for under_way in doing.session.runs.filter(ended_at=None):
        _end(under_way, doing.at, broken_off=under_way.broken_off)
    if not doing.act.warm_up:
        BenchRun.objects.filter(pass_id=one.pk, warm_up=False, arrival=None).update(broken_off=True)
    BenchRun.objects.create(
        session=doing.session, pass_id=one.pk, step=doing.act.step, warm_up=doing.act.warm_up,
        after_load=doing.act.after_load, read_backs=list(last.values()), began_at=doing.at,
    )  # fmt: skip
    return {"warm_up": doing.act.warm_up}


def _ended(doing: _Doing) -> dict[str, Any]:
    run = doing.run(pass_id=doing.act.pass_id)
    if run is not None and run.ended_at is None:
        _end(run, doing.at)
    return {"took_s": doing.act.took_s}


def _end(run: BenchRun, at: datetime, *, broken_off: bool = False) -> None:
    run.ended_at = run.ended_at or max(at, run.began_at)
    run.broken_off = broken_off
    run.save(update_fields=["ended_at", "broken_off"])


def _aborted(doing: _Doing) -> dict[str, Any]:
    """The run does not count, be it broken off or given up since no file came; what comes of it is kept as such."""
    run = doing.run(pass_id=doing.act.pass_id)
    if run is not None and run.arrival_id is None:
        _end(run, doing.at, broken_off=True)
    return {}


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
    _aborted(doing)
    return {"code": act.code, "words": act.words, "passes": ids}


def _later(doing: _Doing) -> dict[str, Any]:
    one = doing.planned()
    _aborted(doing)
    doing.session.sequence = [pk for pk in doing.session.sequence if pk != one.pk] + [one.pk]
    doing.session.save(update_fields=["sequence"])
    return {}


def _noted(doing: _Doing) -> dict[str, Any]:
    act = doing.act
    if not act.words.strip():
        raise Problem("note_empty", "A note needs words.", field="words")
    one = doing.one() if act.pass_id is not None else None
    note(doing.study, doing.tester, "noted at the bench", act.words, one)
    line = f"{timezone.localtime(timezone=zone()):%H:%M} {act.words}"
    doing.session.notes = "\n".join(filter(None, (doing.session.notes, line)))
    doing.session.save(update_fields=["notes"])
    return {"words": act.words}


def _ordered(doing: _Doing) -> dict[str, Any]:
    if doing.act.order is None:
        raise Problem("order_needed", "Say in which order the rest is run.", field="order")
    study = doing.study
    kept: Plan = plan_of(study)
    work = work_here(planned_work(study, kept), doing.session)
    standing = standing_of(study.pk, work, doing.session)
    doing.session.sequence = sequence_for(kept, work, doing.act.order, standing)
    doing.session.save(update_fields=["sequence"])
    note(study, doing.tester, "ordered the rest of the session anew", doing.act.order)
    return {"order": doing.act.order}


def _block(doing: _Doing) -> dict[str, Any]:
    """Run these passes next, all of the lane that stands before those of the other; what is planned of them is taken,
    the rest is planned. What was in line comes after them.
    """
    act, study, session = doing.act, doing.study, doing.session
    lanes = {lane.pk: lane for lane in study.lanes.all()}
    tests = {test.pk for test in study.tests.all()}
    if len(set(act.lanes)) != 2 or not act.passes or len({one.test_id for one in act.passes}) < len(act.passes):
        raise Problem("block_empty", "A block needs two lanes and the passes of tests, each once.", field="passes")
    if not set(act.lanes) <= set(lanes) or not {one.test_id for one in act.passes} <= tests:
        raise NotFound("lane and test in this study")
    if session.lanes and not set(act.lanes) <= set(session.lanes):
        raise Conflict(
            "lanes_taken", "Not both lanes of this block are run at this test machine.", field="lanes",
            hint="Run it where both are, or take the passes by hand.",
        )  # fmt: skip
    last = session.runs.order_by("-pk").first()
    stands = Pass.objects.filter(pk=last.pass_id or 0).values_list("lane", flat=True).first() if last else None
    order = sorted(act.lanes, key=lambda pk: (pk != stands, act.lanes.index(pk)))
    wanted = planned_passes(doing.tester, study, [(lane, x.test_id, x.passes) for lane in order for x in act.passes])
    session.sequence = [*wanted, *(pk for pk in session.sequence if pk not in set(wanted))]
    session.save(update_fields=["sequence"])
    names = " and ".join(lanes[pk].name for pk in order)
    note(study, doing.tester, "took the next block", f"{len(wanted)} passes of {names}")
    return {"passes": wanted}


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
    ActKind.ENDED: _ended, ActKind.ABORTED: _aborted, ActKind.ACCEPTED: _accepted, ActKind.REJECTED: _rejected,
    ActKind.REPEATED: _repeated, ActKind.SKIPPED: _skipped, ActKind.LATER: _later, ActKind.NOTED: _noted,
    ActKind.ORDERED: _ordered, ActKind.BLOCK: _block, ActKind.ROOM: _room, ActKind.DROVE: _drove,
}  # fmt: skip


def came_in(session: BenchSession, user: User, pass_id: int) -> None:
    """Let everybody at the bench know that a capture came. Called within the caller's transaction."""
    keep_line(session, user, ActKind.CAME, {}, pass_id)


def note_at_bench(session: BenchSession, user: User, words: str, pass_id: int | None = None) -> None:
    """Let everybody at the bench read something. Called within the caller's transaction."""
    keep_line(session, user, ActKind.NOTED, {"words": words}, pass_id)


def keep_line(session: BenchSession, user: User, kind: str, data: dict[str, Any], pass_id: int | None = None) -> None:
    RunAct.objects.create(
        client_id=uuid.uuid4(), session=session, kind=kind, pass_id=pass_id, data=data, at=clock.now(), by=user
    )


def running_session(study_id: int, tester: User, session_id: int | None) -> BenchSession:
    session = session_for(study_id, tester.get_username(), session_id)
    if session is None:
        ended = session_id is not None and BenchSession.objects.filter(pk=session_id, study=study_id).exists()
        raise Conflict(
            "no_session", "That session has ended." if ended else "No session runs in this study.",
            hint="Begin one in Run.",
        )  # fmt: skip
    return session


def aware(moment: datetime) -> datetime:
    return moment if timezone.is_aware(moment) else timezone.make_aware(moment)
