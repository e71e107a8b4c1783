"""Sitting down at a bench and leaving it: at which test machine, with which lanes, in which order."""

from __future__ import annotations

import random

import clock
from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from people.access import require
from people.models import Machine, Role
from planning.models import Plan
from planning.queries import one_study, plan_of, planned_work
from problems import Conflict, NotFound
from studies.deciding import plan_pass
from studies.models import HIDDEN, BenchSession, Pass, PassRole, PassState, Study
from studies.record import note
from studies.services import open_study
from tuning.models import Log

from running.models import ActKind
from running.queries import really_run
from running.schemas import SessionEnd, SessionIn
from running.services import keep_line, running_session
from running.standing import sequence_and_day, standing_of, work_here

Caller = User | AnonymousUser


def begin_session(user: Caller, study_id: int, data: SessionIn) -> BenchSession:
    """Begin a sitting at the bench. Raises :class:`Conflict` where one runs already."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        open_study(study_id)
        study = one_study(study_id)
        _check_free(study, data)
        if data.simulated and really_run(study_id):
            raise Conflict(
                "really_run", "Passes of this study were really run.", field="simulated",
                hint="Simulated passes beside them would make it a study that cannot be finished. Copy it first.",
            )  # fmt: skip
        session = BenchSession.objects.create(
            study=study, machine=_machine(data), lanes=_lanes(study, data), begun_by=tester, driver=tester,
            room_c=data.room_c, simulated=data.simulated,
            speed=data.speed if data.simulated else 1.0, seed=data.seed or random.SystemRandom().randrange(1, 2**31),
        )  # fmt: skip
        if data.simulated:
            session.machine = Machine.objects.create(name=f"simulated bench {session.pk}", simulated=True)
            session.save(update_fields=["machine"])
        kept = plan_of(study)
        work = work_here(planned_work(study, kept), session)
        standing = standing_of(study_id, work, session)
        sequence, today = sequence_and_day(kept, work, kept.order, standing)
        session.sequence, session.controls = _framed(tester, kept, sequence, today)
        session.save(update_fields=["sequence", "controls"])
        told = ["" if data.simulated or session.machine is None else f"at {session.machine}"]
        told.append("" if data.room_c is None else f"room {data.room_c:g} °C")
        what = "began a session on the simulated bench" if data.simulated else "began a session"
        note(study, tester, what, ", ".join(filter(None, told)))
        keep_line(session, tester, ActKind.DROVE, {})
    return session


def _check_free(study: Study, data: SessionIn) -> None:
    """Raises :class:`Conflict` where somebody sits at that machine already, or runs these lanes at another."""
    others = list(BenchSession.objects.filter(study=study, ended_at=None).select_related("machine", "driver", "study"))
    if data.machine_id is not None:
        log = Log.objects.filter(machine=data.machine_id).first()
        if log is not None and not data.simulated:
            raise Conflict(
                "machine_taken", f"“{log}” is worked on at that machine: what it sends would be a pass of it.",
                field="machine_id", hint="Leave the machine at the tuning log first.",
            )  # fmt: skip
        there = BenchSession.objects.filter(ended_at=None, machine=data.machine_id)
        others = list(there.exclude(study=study).select_related("machine", "driver", "study")) + others
    for other in others:
        same = other.study_id != study.pk or other.machine_id == data.machine_id
        if same or other.simulated or data.simulated or not data.lanes or not other.lanes:
            where = f"at “{other.machine}”" if other.machine and not other.simulated else "in this study"
            named = "a study that is kept to others" if other.study_id in HIDDEN.get() else f"“{other.study}”"
            whose = "" if other.study_id == study.pk else f", in {named}"
            raise Conflict(
                "session_runs", f"A session of “{other.driver.get_username()}” runs {where} already{whose}.",
                field="machine_id",
                hint="Take over its driving, or end it. At two test machines at once, each session names its lanes.",
            )  # fmt: skip
        if set(other.lanes) & set(data.lanes):
            raise Conflict(
                "lanes_taken", f"Some of these lanes are run at “{other.machine}” just now.", field="lanes",
                hint="Name lanes that are run here alone.",
            )  # fmt: skip


def _machine(data: SessionIn) -> Machine | None:
    if data.machine_id is None or data.simulated:
        return None
    found = Machine.objects.filter(pk=data.machine_id, simulated=False).first()
    if found is None:
        raise NotFound("test machine")
    return found


def _lanes(study: Study, data: SessionIn) -> list[int]:
    """The lanes that are run there, in the study's order; none where it is all of them."""
    own = list(study.lanes.values_list("pk", flat=True))
    if set(data.lanes) - set(own):
        raise NotFound("lane in this study")
    return [] if set(data.lanes) == set(own) else [pk for pk in own if pk in set(data.lanes)]


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
        session = running_session(study_id, tester, data.session_id)
        session.ended_at = clock.now()
        session.notes = "\n".join(filter(None, (session.notes, data.notes)))
        session.save(update_fields=["ended_at", "notes"])
        # A control pass for this session that nobody ran says nothing in another one.
        Pass.objects.filter(pk__in=session.controls, state=PassState.PLANNED).delete()
        session.runs.filter(ended_at=None).update(ended_at=session.ended_at, broken_off=True)
        note(study, tester, "ended the session", data.notes.partition("\n")[0])
        keep_line(session, tester, ActKind.NOTED, {"words": "ended the session"})
    return session
