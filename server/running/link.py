"""Files that a test machine sends by itself: each is kept, and belongs to the run of that machine whose time it covers.

Which run that is, the core says (:func:`rennbahn.running.belonging`); here is what follows from it. What nobody can say
for sure waits in the tray, with a proposal and why.
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import clock
from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from intake import reading
from intake.bounded import bounded
from intake.growing import grown_from
from intake.models import Arrival, ArrivalState, Capture
from intake.proposals import proposal_of
from intake.queries import columns_for
from intake.recording import NewFile
from intake.schemas import ColumnMap
from intake.services import columns_given, keep_file
from people.access import require
from people.models import BenchToken, Machine, Role
from problems import Conflict, NotFound, Problem
from rennbahn.errors import CaptureRefused, RennbahnError
from rennbahn.running import Belonging, FileSpan, RunSpan, belonging
from studies.models import BenchSession, Pass
from studies.record import note
from studies.services import open_study
from tuning.models import Log
from tuning.queries import log_at
from tuning.stepping import add_capture

from running.models import BenchRun
from running.placing import (
    columns_sent,
    join_samples,
    keep_broken_off,
    put_away,
    run_words,
    stays,
    take_as,
    take_grown,
    take_run,
    take_warm_up,
    wait_for,
)
from running.schemas import LinkTaken
from running.services import aware

#: Runs that began so long before a file's writing ended may be its own; sessions that ended so long ago take theirs.
_SINCE = timedelta(hours=8)
_LATE = timedelta(hours=2)
#: A file may be written so long before its session was noted as begun, or after it was ended.
_AROUND = timedelta(seconds=10)
_WHY = {
    "no_run": "no run was under way when it was written",
    "too_little": "it covers only {share:.0%} of {run}",
    "two_runs": "it covers more than one run, most of it {run}",
    "has_one": "the run it covers has a file already",
}


@dataclass(frozen=True)
class _Sent:
    """A file as it was sent: its bytes, what it seems to be, when its writing ended, and how much it holds."""

    name: str | None
    content: bytes
    written_at: datetime
    proposal: dict[str, Any]
    look: str
    refusal: dict[str, Any] | None
    columns: ColumnMap | None
    #: Seconds of frames, or of samples where there are no frames; None where neither can be read.
    length_s: float | None
    #: Why its frames cannot be read by its columns.
    unreadable: str = ""


def from_bench(
    token: BenchToken, upload: UploadedFile[Any], written_at: datetime, now: datetime, ahead_s: float | None = None
) -> LinkTaken:
    """Take a file whose times are by the test machine's own clock: they are put right by how far the server's is ahead.

    What the machine says is now tells less: the file took a while to come.

    Raises :class:`Conflict` (`no_session`) where the machine has no session it could belong to: it is sent again later.
    """
    off = clock.now() - aware(now) if ahead_s is None else timedelta(seconds=ahead_s)
    return take_from_bench(token, upload, aware(written_at) + off)


def take_from_bench(token: BenchToken, upload: UploadedFile[Any], written_at: datetime) -> LinkTaken:
    """The same of a file whose time is by the server's clock."""
    log = log_at(token.machine)
    if log is not None:
        return _of_a_step(token, log, upload, written_at)
    _adopt(token)
    if not _sessions_of(token.machine, written_at):
        raise Conflict(
            "no_session", f"No session runs at “{token.machine}” that this file could belong to.",
            hint=f"Begin one in Run, at “{token.machine}”; the file is sent again by itself.",
        )  # fmt: skip
    sent = _looked_at(token, upload, written_at)
    earlier = grown_from(token.machine, upload.name, sent.content)
    run, found = _run_of(token.machine, sent, earlier)
    session = run.session if run else _session_at(token.machine, written_at)
    taken = Capture.objects.filter(arrival=earlier, on_pass__session__isnull=False)
    grows = taken.select_related("on_pass__session").first() if earlier else None
    if grows is not None and grows.on_pass.session is not None:
        session = grows.on_pass.session
    facts = {"proposal": sent.proposal, "header_key": sent.look, "refusal": sent.refusal}
    told = {**facts, "machine": token.machine, "written_at": written_at}
    file = NewFile.put_down(upload.name, reading.keep(sent.content), told)
    try:
        with transaction.atomic():
            study = open_study(session.study_id)
            arrival = keep_file(token.user, study, file)
    except Conflict as error:
        if error.code != "duplicate_file":
            raise
        left = _left_untied(token, session.study_id, file.kept.sha256)
        if left is None:
            return LinkTaken(arrival_id=None, became="known", words=error.message)
        arrival, earlier = left, None
    if grows is not None and sent.columns is not None:
        return take_grown(token.user, session, grows, arrival, sent.columns)
    if earlier is not None:
        put_away(token.user, earlier)
    return _place(token.user, session, arrival, sent, found)


def _of_a_step(token: BenchToken, log: Log, upload: UploadedFile[Any], written_at: datetime) -> LinkTaken:
    """A file of a machine at which somebody tunes is a quick pass of the step that was the last one as it was written.

    Raises :class:`Conflict` (`no_step`) before the first one; what is no capture is told at the machine.
    """
    steps = list(log.steps.order_by("-number"))
    if not steps:
        raise Conflict("no_step", f"“{log}” has no step yet.", hint="Take the first step; the file is sent again.")
    step = next((one for one in steps if one.at <= written_at), None)
    if step is None:
        return LinkTaken(arrival_id=None, became="refused", words=f"it was written before the first step of {log}")
    try:
        made = add_capture(token.user, step.pk, upload, token.columns_name)
    except Problem as error:
        return LinkTaken(arrival_id=None, became="refused", words=error.message)
    return LinkTaken(arrival_id=None, became="step", words=f"{made.fps:.1f} fps at step {step.number} of {log}")


def _left_untied(token: BenchToken, study_id: int, sha256: str) -> Arrival | None:
    """The same file, where a server was killed between keeping it and finding out which run it belongs to."""
    kept = Arrival.objects.filter(
        study=study_id, machine=token.machine, sha256=sha256, state=ArrivalState.WAITING,
        waits_why="", for_run_id=None, use=None,
    )  # fmt: skip
    return kept.first()


def _sessions_of(machine: Machine, written_at: datetime) -> Sequence[BenchSession]:
    """Sessions of a machine that a file could belong to: the one that runs, and those it ended not long before."""
    own = BenchSession.objects.filter(machine=machine, study__removed_at=None, study__archived_at=None)
    found = own.filter(ended_at=None) | own.filter(ended_at__gte=written_at - _LATE, begun_at__lte=written_at + _AROUND)
    return list(found.select_related("study", "driver").order_by("-begun_at"))


def _session_at(machine: Machine, written_at: datetime) -> BenchSession:
    """In whose tray a file waits: of the session that ran when it was written, else of the one that runs."""
    sessions = _sessions_of(machine, written_at)
    then = (
        one for one in sessions
        if one.begun_at <= written_at + _AROUND and (one.ended_at is None or one.ended_at >= written_at - _AROUND)
    )  # fmt: skip
    return next(then, sessions[0])


def _adopt(token: BenchToken) -> None:
    """A session that was begun without a machine becomes that of the one that sends its first file.

    Only where the person whose token it is has exactly one such session, and nobody sits at the machine.
    """
    if token.machine.simulated or BenchSession.objects.filter(machine=token.machine, ended_at=None).exists():
        return
    bare = BenchSession.objects.filter(machine=None, ended_at=None, simulated=False)
    own = list((bare.filter(driver=token.user) | bare.filter(begun_by=token.user))[:2])
    if len(own) == 1:
        with transaction.atomic():
            study = open_study(own[0].study_id)
            # Of two machines that send at once, one.
            still_bare = bare.filter(pk=own[0].pk)
            if still_bare.update(machine=token.machine):
                note(study, token.user, "the session is at a test machine", str(token.machine))


def _looked_at(token: BenchToken, upload: UploadedFile[Any], written_at: datetime) -> _Sent:
    content = upload.read()
    proposal, look, refusal = proposal_of(content)
    columns = None if refusal or not look else columns_for(proposal, look, token.columns_name)
    length_s, unreadable = None, ""
    try:
        if columns is not None:
            length_s = bounded(reading.length_of, content, columns_given(columns))
        elif look:
            samples = bounded(reading.samples, content)
            length_s = samples.ends_s - samples.begins_s
    except CaptureRefused as error:
        unreadable = error.message
    return _Sent(upload.name, content, written_at, proposal, look, refusal, columns, length_s, unreadable)


def _run_of(machine: Machine, sent: _Sent, earlier: Arrival | None) -> tuple[BenchRun | None, Belonging | None]:
    """The run whose time a file covers, and what was found."""
    if sent.length_s is None:
        return None, None
    runs = list(
        BenchRun.objects.filter(
            session__machine=machine, session__study__removed_at=None, session__study__archived_at=None,
            began_at__gte=sent.written_at - _SINCE, began_at__lte=sent.written_at + _AROUND,
        ).select_related("session__study", "session__driver")
    )  # fmt: skip
    if not runs:
        return None, Belonging(None, None, 0.0, "no_run")
    zero, speed = sent.written_at, runs[-1].session.speed
    frames = sent.columns is not None
    spans = [
        RunSpan(
            one.pk, (one.began_at - zero).total_seconds(),
            None if one.ended_at is None else (one.ended_at - zero).total_seconds(),
            has_file=frames and one.arrival_id is not None and one.arrival_id != (earlier and earlier.pk),
        )
        for one in runs
    ]  # fmt: skip
    found = belonging(FileSpan(0.0, sent.length_s / speed), spans)
    by_id = {one.pk: one for one in runs}
    return (by_id[found.run] if found.run is not None else None), found


def _place(user: User, session: BenchSession, arrival: Arrival, sent: _Sent, found: Belonging | None) -> LinkTaken:
    """Make a file what it was written as: frames of a pass, a warm-up's, a broken-off run's, or samples beside one."""
    run = BenchRun.objects.select_related("session__driver").filter(pk=(found and found.run) or 0).first()
    if run is None:
        likely = found.proposed if found and sent.columns else None
        return stays(session, user, arrival, _why_not(arrival, sent, found), likely)
    if run.ended_at is None:
        # Whether it counts is not known yet, nor whether it is whole: it may be broken off, or grow.
        return wait_for(arrival, run, "its run is still going")
    return _placed(user, run, arrival, sent.columns)


def _placed(user: User, run: BenchRun, arrival: Arrival, columns: ColumnMap | None) -> LinkTaken:
    """Make a file what its run was, which is over."""
    if run.broken_off:
        return keep_broken_off(user, run, arrival, frames=columns is not None)
    if columns is None:
        return join_samples(user, arrival, run)
    return (take_warm_up if run.warm_up else take_run)(user, run, arrival, columns)


def _why_not(arrival: Arrival, sent: _Sent, found: Belonging | None) -> str:
    """Why a file belongs to no run for sure."""
    if arrival.refusal is not None or not arrival.header_key:
        return "it is no capture as it stands"
    if found is not None:
        likely = BenchRun.objects.filter(pk=found.proposed or 0).first()
        return _WHY[found.why].format(share=found.share, run=run_words(likely) if likely else "its run")
    if sent.columns is None:
        return "it waits until somebody says once, in Hand in, what its columns are"
    return sent.unreadable or "it cannot be read"


def place_what_waits(caller: User | AnonymousUser, study_id: int) -> None:
    """Files that came while their run was still going, and whose run is over by now. Each is tried once."""
    user = require(caller, Role.TESTER)
    waiting = Arrival.objects.filter(study=study_id, state=ArrivalState.WAITING, for_run_id__isnull=False)
    found = list(waiting.order_by("pk"))
    ended = BenchRun.objects.filter(pk__in=[one.for_run_id for one in found], ended_at__isnull=False)
    over = {one.pk: one for one in ended.select_related("session__driver", "session__machine")}
    for arrival in found:
        run = over.get(arrival.for_run_id or 0)
        columns = columns_sent(arrival) if run else None
        # Samples of a run that counts wait for its frames, which join them.
        if run is None or (columns is None and not run.broken_off):
            continue
        if Arrival.objects.filter(pk=arrival.pk, for_run_id=run.pk).update(for_run_id=None):
            # What was done at the bench is done, whatever becomes of a file.
            with contextlib.suppress(RennbahnError):
                _placed(user, run, arrival, columns)


def assign(caller: User | AnonymousUser, arrival_id: int, pass_id: int) -> LinkTaken:
    """A waiting file is the capture of this pass. Raises :class:`NotFound`, and :class:`Conflict` without columns."""
    user = require(caller, Role.TESTER)
    arrival = Arrival.objects.filter(pk=arrival_id, state=ArrivalState.WAITING).first()
    one = Pass.objects.select_related("test__scene__game", "test__condition", "lane").filter(pk=pass_id).first()
    if arrival is None or one is None or one.test.study_id != arrival.study_id:
        raise NotFound("file and pass in one study")
    columns = columns_for(arrival.proposal, arrival.header_key, "")
    if columns is None:
        raise Conflict(
            "columns_unknown", f"What the columns of “{arrival.name}” mean is not known.",
            hint="Say it once in Hand in; files of this logger are then read by themselves.",
        )  # fmt: skip
    sessions = BenchSession.objects.filter(study=arrival.study_id, ended_at=None)
    own = sessions.filter(machine=arrival.machine_id).first() or sessions.filter(driver=user).first()
    session = own or sessions.first()
    if session is None:
        raise Conflict("no_session", "No session runs in this study.", hint="Assign the file in Hand in.")
    run = session.runs.filter(pass_id=one.pk, warm_up=False, arrival=None).order_by("-pk").first()
    if run is None:
        return take_as(user, session, arrival, columns, one)
    if run.broken_off:
        # It was given up for want of a file: now it has one, and counts.
        BenchRun.objects.filter(pk=run.pk).update(broken_off=False)
    return take_run(user, run, arrival, columns)
