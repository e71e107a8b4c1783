"""Files that a test machine sends by itself: each is kept, and tied to the run under way when it was written."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.utils import timezone
from intake.attaching import join
from intake.models import Arrival, ArrivalState, Capture, SavedMap
from intake.queries import own_map
from intake.schemas import Assignment, ColumnMap, TakeIn
from intake.services import receive, take
from people.access import require
from people.models import BenchToken, Role
from problems import Conflict, NotFound
from rennbahn.errors import RennbahnError
from studies.deciding import plan_pass
from studies.models import BenchSession, Pass, PassRole, PassState
from studies.services import open_study

from running.models import ActKind, RunAct
from running.schemas import LinkTaken
from running.services import note_at_bench

#: A file may be written so long after its run began or before it was noted that it did: keys are pressed by hand.
_EARLY = timedelta(seconds=4)
#: So long after a session ended its last files still belong to it.
_LATE = timedelta(hours=2)
#: A file of samples is written within this of its run's end.
_SAMPLES_LATE = timedelta(seconds=90)


def take_from_bench(
    token: BenchToken, upload: UploadedFile[Any], written_at: datetime, *, simulated: bool = False
) -> LinkTaken:
    """Keep a file and tie it to the run under way, by when it was written; else it waits in the tray.

    Raises :class:`Conflict` (`no_session`) where the person has no session it could belong to: it is sent again later.
    """
    user = token.user
    session = _session_of(user, written_at, simulated=simulated)
    try:
        arrival = receive(user, session.study_id, upload, written_at)
    except Conflict as error:
        if error.code != "duplicate_file":
            raise
        return LinkTaken(arrival_id=None, became="known", words=error.message)
    return tie(user, session, arrival, token.columns_name)


def _session_of(user: User, written_at: datetime, *, simulated: bool) -> BenchSession:
    """The session that a file belongs to: the one this person drives or began, as it was when the file was written."""
    own = BenchSession.objects.filter(simulated=simulated, study__removed_at=None, study__archived_at=None)
    mine = own.filter(driver=user) | own.filter(begun_by=user)
    session = mine.filter(ended_at=None).order_by("-begun_at").first()
    if session is None:
        session = mine.filter(begun_at__lte=written_at + _EARLY, ended_at__gte=written_at - _LATE).first()
    if session is None:
        raise Conflict(
            "no_session",
            "You have no session at the bench that this file could belong to.",
            hint="Begin one in Run; the file is sent again by itself.",
        )
    return session


def tie(user: User, session: BenchSession, arrival: Arrival, columns_name: str = "") -> LinkTaken:
    """Make a file what it was written as: the capture of the pass under way, a warm-up, or samples beside one."""
    if arrival.refusal is not None or not arrival.header_key:
        return _waits(session, user, arrival, "it is no capture as it stands")
    began = run_at(session, arrival.written_at)
    columns = columns_for(arrival, columns_name)
    if columns is None:
        joined = _join_samples(user, arrival, began)
        return joined or _waits(session, user, arrival, "what its columns mean is not known: say it once in Hand in")
    if began is None or began.pass_id is None:
        return _waits(session, user, arrival, "no run was under way when it was written")
    if began.data.get("warm_up"):
        return _take_warm_up(user, session, arrival, columns, began)
    one = Pass.objects.get(pk=began.pass_id)
    if one.state != PassState.PLANNED:
        return _waits(session, user, arrival, "the pass under way has a capture already")
    return take_as(user, session, arrival, columns, one)


def take_as(user: User, session: BenchSession, arrival: Arrival, columns: ColumnMap, one: Pass) -> LinkTaken:
    """Take a file as the capture of a pass, and join the samples that came before it."""
    place = Assignment(arrival_id=arrival.pk, lane_id=one.lane_id, test_id=one.test_id, number=one.number)
    taken = take(user, session.study_id, TakeIn(columns=columns, assignments=[place], save_as=""))[0]
    if taken.refusal is not None:
        _tell(session, user, one.pk, f"{arrival.name}: {taken.refusal.message}")
        return LinkTaken(arrival_id=arrival.pk, became="waiting", words=taken.refusal.message)
    _join_what_waits(user, session, Pass.objects.get(pk=one.pk))
    return LinkTaken(arrival_id=arrival.pk, became="pass", words=f"pass {one.number} of {one.test}, {one.lane}")


def from_bench(
    token: BenchToken, upload: UploadedFile[Any], written_at: datetime, now: datetime, *, simulated: bool
) -> LinkTaken:
    """Take a file whose times are by the test machine's own clock: they are put right by what it says is now."""
    off = timezone.now() - _aware(now)
    return take_from_bench(token, upload, _aware(written_at) + off, simulated=simulated)


def _aware(moment: datetime) -> datetime:
    return moment if timezone.is_aware(moment) else timezone.make_aware(moment)


def assign(caller: User | AnonymousUser, arrival_id: int, pass_id: int) -> LinkTaken:
    """A waiting file is the capture of this pass. Raises :class:`NotFound`, and :class:`Conflict` without columns."""
    user = require(caller, Role.TESTER)
    arrival = Arrival.objects.filter(pk=arrival_id, state=ArrivalState.WAITING).first()
    one = Pass.objects.select_related("test__scene__game", "test__condition", "lane").filter(pk=pass_id).first()
    if arrival is None or one is None or one.test.study_id != arrival.study_id:
        raise NotFound("file and pass in one study")
    session = BenchSession.objects.filter(study=arrival.study_id, ended_at=None).first()
    columns = columns_for(arrival, "")
    if columns is None:
        raise Conflict(
            "columns_unknown", f"What the columns of “{arrival.name}” mean is not known.",
            hint="Say it once in Hand in; files of this logger are then read by themselves.",
        )  # fmt: skip
    if session is None:
        raise Conflict("no_session", "No session runs in this study.", hint="Assign the file in Hand in.")
    return take_as(user, session, arrival, columns, one)


def columns_for(arrival: Arrival, columns_name: str) -> ColumnMap | None:
    """By which column map a file is read: the one that is named, one saved for such files, or what is proposed."""
    saved = SavedMap.objects.filter(name=columns_name).first() if columns_name else None
    saved = saved or SavedMap.objects.filter(header_key=arrival.header_key).first()
    if saved is not None:
        return ColumnMap(**own_map(arrival, saved.columns))
    proposed = arrival.proposal.get("columns")
    return ColumnMap(**proposed) if proposed and not arrival.proposal.get("questions") else None


def run_at(session: BenchSession, moment: datetime | None) -> RunAct | None:
    """The run that was under way then: the last that had begun, unless it was broken off before."""
    if moment is None:
        return None
    began = RunAct.objects.filter(session=session, kind=ActKind.BEGAN, at__lte=moment + _EARLY).order_by("-at").first()
    if began is None:
        return None
    broken = RunAct.objects.filter(
        session=session, kind__in=(ActKind.ABORTED, ActKind.SKIPPED), pk__gt=began.pk, pass_id=began.pass_id,
        at__lt=moment - _EARLY,
    )  # fmt: skip
    return None if broken.exists() else began


def _take_warm_up(user: User, session: BenchSession, arrival: Arrival, columns: ColumnMap, began: RunAct) -> LinkTaken:
    """A warm-up run is recorded and never counted: it shows how cold the game was."""
    cell = Pass.objects.select_related("lane", "test").get(pk=began.pass_id or 0)
    with transaction.atomic():
        open_study(session.study_id)
        one = plan_pass(user, cell.lane_id, cell.test_id, PassRole.WARM_UP)
        one.session = session
        one.save(update_fields=["session"])
    found = take_as(user, session, arrival, columns, one)
    if found.became != "pass":
        with transaction.atomic():
            open_study(session.study_id)
            Pass.objects.filter(pk=one.pk, state=PassState.PLANNED).delete()
        return found
    return LinkTaken(arrival_id=arrival.pk, became="warm_up", words=f"a warm-up run of {one.test}, {one.lane}")


def _waits(session: BenchSession, user: User, arrival: Arrival, why: str) -> LinkTaken:
    """A file stays in the tray, and the bench is told."""
    _tell(session, user, None, f"{arrival.name} waits: {why}")
    return LinkTaken(arrival_id=arrival.pk, became="waiting", words=why)


def _join_samples(user: User, arrival: Arrival, began: RunAct | None) -> LinkTaken | None:
    """A file of samples joins the run during which it was written; one that came before its frames waits for them."""
    if began is None or began.pass_id is None:
        return None
    run = Pass.objects.filter(pk=began.pass_id)
    if began.data.get("warm_up"):
        # A warm-up is a pass of its own, which came in since it began.
        cell = run.values("lane_id", "test_id")[0]
        run = Pass.objects.filter(
            **cell, session=began.session_id, role=PassRole.WARM_UP, recorded_at__gte=began.at
        ).order_by("-pk")
    one = run.filter(capture__isnull=False).first()
    if one is None:
        return LinkTaken(arrival_id=arrival.pk, became="waiting", words="it waits for the frames of its pass")
    try:
        join(user, arrival.pk, one.pk)
    except RennbahnError:
        return None
    return LinkTaken(arrival_id=arrival.pk, became="samples", words="samples beside the pass")


def _join_what_waits(user: User, session: BenchSession, one: Pass) -> None:
    """Join samples that came before the frames of their pass did."""
    capture = Capture.objects.select_related("arrival").filter(on_pass=one).first()
    if capture is None or capture.arrival.written_at is None:
        return
    written = capture.arrival.written_at
    waiting = Arrival.objects.filter(
        study=session.study_id, state=ArrivalState.WAITING, refusal__isnull=True,
        written_at__gte=written - timedelta(seconds=capture.length_s), written_at__lte=written + _SAMPLES_LATE,
    )  # fmt: skip
    for arrival in waiting:
        if columns_for(arrival, "") is None:
            try:
                join(user, arrival.pk, one.pk)
            except RennbahnError:
                continue


def _tell(session: BenchSession, user: User, pass_id: int | None, words: str) -> None:
    """Let the bench know of a file that nobody could place."""
    with transaction.atomic():
        note_at_bench(session, user, words, pass_id)


def bench_clock(session: BenchSession, moment: datetime) -> datetime:
    """When that was by the bench's own clock: a simulated bench lives faster than true time."""
    return session.begun_at + (moment - session.begun_at) * session.speed
