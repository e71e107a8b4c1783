"""Taking files in: kept byte for byte, read by a column map, measured at once, made into passes."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import DatabaseError, transaction
from django.utils import timezone
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.capture import ColumnMap
from rennbahn.errors import CaptureRefused, RennbahnError
from studies.deciding import Run, lane_and_test, record_pass, run_as_of
from studies.events import CaptureMoved, CapturesCame, tell
from studies.models import Pass, PassState, Study
from studies.record import note
from studies.services import open_study

from intake import reading
from intake.bounded import bounded
from intake.limits import check_room
from intake.measuring import measure, settings_for, settings_from
from intake.models import (
    Arrival,
    ArrivalState,
    Capture,
    Original,
    PassFile,
    SavedMap,
)
from intake.proposals import proposal_of, refusal_of
from intake.queries import own_map
from intake.recording import NewFile, ReadFile, keep_files, record_files
from intake.schemas import Assignment, PlaceIn, Preview, Refusal, TakeIn, Taken
from intake.schemas import ColumnMap as ColumnMapIn
from intake.trimming import locked_captures

Caller = User | AnonymousUser
log = logging.getLogger(__name__)

#: Clocks differ, and zones are mistaken; beyond that a time is none.
_AHEAD = timedelta(days=1)


def receive(user: Caller, study_id: int, upload: UploadedFile[Any], written_at: datetime | None = None) -> Arrival:
    """Keep a file and propose what it is. A file that is no capture is kept too, with the reason.

    `written_at` is when it was last written where it comes from. Raises :class:`Conflict` where the study has the same
    bytes already.
    """
    tester = require(user, Role.TESTER)
    if written_at is not None and written_at > timezone.now() + _AHEAD:
        raise Problem(
            "not_yet", f"{written_at:%d %b %Y} is still to come.", field="written_at",
            hint="Put the clock right of the machine that it comes from.",
        )  # fmt: skip
    content = upload.read()
    proposal, key, refusal = proposal_of(content)
    facts = {"proposal": proposal, "header_key": key, "refusal": refusal, "written_at": written_at}
    file = NewFile.put_down(upload.name, reading.keep(content), facts)
    with transaction.atomic():
        return keep_file(tester, open_study(study_id), file)


def keep_file(tester: User, study: Study, file: NewFile) -> Arrival:
    """Keep the bytes of a file, the study locked.

    Raises :class:`Conflict` where the study has the same already, or too much waits.
    """
    check_room(study, file.facts.get("machine"))
    (arrival,) = keep_files(tester, study, [file])
    if isinstance(arrival, Conflict):
        raise arrival
    return arrival


def preview(user: Caller, arrival_id: int, columns: ColumnMapIn) -> Preview:
    """What a column map makes of a file, so that a wrong one shows before it is confirmed."""
    require(user, Role.TESTER)
    arrival = _arrival(arrival_id)
    found = bounded(reading.read, _content(arrival), own_columns(arrival, columns), {})
    figures = found.measured.figures
    if figures.rates is None or figures.lows is None:
        raise CaptureRefused("no_frames", "the file holds no frame")
    return Preview(
        frames=figures.frames,
        duration_s=found.duration_s,
        average_fps=figures.rates.average_fps,
        low_1_fps=figures.lows["1"]["percentile"].fps,
        median_ms=figures.rates.percentile_ms["50"],
        slowest_ms=figures.rates.slowest_ms,
        flags=list(figures.flags),
    )


def take(user: Caller, study_id: int, data: TakeIn) -> list[Taken]:
    """Make files into recorded passes. Each stands for itself: a refused one says why and does not stop the others.

    What became of each file is said in any case, also where something failed in the middle.
    """
    tester = require(user, Role.TESTER)
    _core_map(data.columns)
    with transaction.atomic():
        open_study(study_id)
    taken: list[Taken] = []
    trouble = ""
    for place in data.assignments:
        if trouble:
            taken.append(_not_tried(place, trouble))
            continue
        try:
            taken.append(_take_one(tester, study_id, place, data.columns))
        except DatabaseError as error:
            log.warning("taking a file failed: %s", error)
            trouble = "the database failed at a file before it"
            taken.append(_failed(place))
    if data.save_as and not trouble and any(one.pass_id for one in taken):
        first = Arrival.objects.filter(pk__in=[a.arrival_id for a in data.assignments]).exclude(header_key="").first()
        if first is not None:
            keep_map(tester, first, own_columns(first, data.columns), data.save_as)
    return taken


def keep_map(tester: User, arrival: Arrival, columns: dict[str, Any], name: str) -> None:
    """Keep a column map under a name, to be offered for files that look like this one."""
    told = {"name": name, "columns": columns, "by": tester}
    SavedMap.objects.update_or_create(header_key=arrival.header_key, defaults=told)


def _not_tried(place: Assignment, why: str) -> Taken:
    refusal = Refusal(reason="not_tried", message=f"The file was not tried: {why}.", hint="Take it again.")
    return Taken(arrival_id=place.arrival_id, name="", pass_id=None, refusal=refusal)


def _failed(place: Assignment) -> Taken:
    refusal = Refusal(
        reason="database_failed",
        message="The database failed at this file.",
        hint="Look whether it is a pass by now; if not, take it again.",
    )
    return Taken(arrival_id=place.arrival_id, name="", pass_id=None, refusal=refusal)


def set_aside(user: Caller, study_id: int, ids: Sequence[int]) -> int:
    """Put files that are no passes out of the way, as one act. They stay in the record. How many it was."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        files = _locked_files(study, ids)
        taken = next((file for file in files if file.state == ArrivalState.TAKEN), None)
        if taken is not None:
            raise Conflict("file_taken", f"“{taken.name}” is a pass.", hint="Reject the pass, with a reason.")
        return _put(tester, study, files, ArrivalState.SET_ASIDE, "set files aside")


def bring_back(user: Caller, study_id: int, ids: Sequence[int]) -> int:
    """Let files wait for a place again that were set aside, as one act. How many it was."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        files = [file for file in _locked_files(study, ids) if file.state == ArrivalState.SET_ASIDE]
        there = {
            file.sha256: file.name
            for file in Arrival.objects.filter(study=study, sha256__in=[file.sha256 for file in files]).exclude(
                state=ArrivalState.SET_ASIDE
            )
        }
        for file in files:
            if file.sha256 in there:
                raise Conflict(
                    "duplicate_file",
                    f"“{there[file.sha256]}” came since and holds the same bytes as “{file.name}”.",
                    hint="Leave this one set aside.",
                )
            there[file.sha256] = file.name
        return _put(tester, study, files, ArrivalState.WAITING, "brought files back")


def _locked_files(study: Study, ids: Sequence[int]) -> list[Arrival]:
    found = list(Arrival.objects.select_for_update().filter(pk__in=ids, study=study).order_by("pk"))
    if len(found) < len(set(ids)):
        raise NotFound("file in this study")
    return found


def _put(tester: User, study: Study, files: Sequence[Arrival], state: ArrivalState, what: str) -> int:
    changed = [file for file in files if file.state != state]
    Arrival.objects.filter(pk__in=[file.pk for file in changed]).update(state=state)
    if changed:
        names = ", ".join(file.name for file in changed[:5])
        note(study, tester, what, names + (f" and {len(changed) - 5} more" if len(changed) > 5 else ""))
    return len(changed)


def move_capture(user: Caller, capture_id: int, place: PlaceIn) -> Capture:
    """Put captures that were assigned wrongly where they belong; the passes that they leave are planned again.

    Raises :class:`Conflict` where a pass cannot let its capture go: none is moved then.
    """
    tester = require(user, Role.TESTER)
    if place.lane_id is None and place.test_id is None:
        raise Problem("no_place", "Say to which lane or which test it belongs.", field="lane_id")
    if place.also and place.number is not None:
        raise Problem(
            "one_number", "Several captures are no single pass.", field="number", hint="Leave the number open."
        )
    with transaction.atomic():
        study, captures = locked_captures([capture_id, *place.also])
        for capture in captures:
            _move(tester, study, capture, place)
    return captures[0]


def _move(tester: User, study: Study, capture: Capture, place: PlaceIn) -> None:
    old = capture.on_pass
    lane, test = lane_and_test(place.lane_id or old.lane_id, place.test_id or old.test_id)
    if test.study_id != study.pk:
        raise NotFound("lane and test in this study")
    if old.state not in (PassState.RECORDED, PassState.ACCEPTED):
        raise Conflict(
            "pass_decided",
            f"{old} is {PassState(old.state).label.lower()}.",
            hint="Take the decision back first, then move the file.",
        )
    if (old.lane_id, old.test_id) == (lane.pk, test.pk) and place.number in (None, old.number):
        return
    was = old.state
    # It is a run of the lane where it belongs, so it was run with that lane's setup.
    new = record_pass(tester, study, Run(lane, test, place.number, old.ran_at))
    capture.on_pass = new
    capture.save(update_fields=["on_pass"])
    PassFile.objects.filter(on_pass=old).update(on_pass=new)
    # When and how it was run at the bench is the run's, wherever it belongs; what the cell is told is the cell's.
    new.recorded_at, new.session = old.recorded_at, old.session
    if "bench" in (old.run_as or {}):
        new.run_as = {**(new.run_as or {}), "bench": (old.run_as or {})["bench"]}
    new.save(update_fields=["recorded_at", "session", "run_as"])
    old.state, old.recorded_at, old.ran_at = PassState.PLANNED, None, None
    old.setup_version, old.run_as, old.session = None, None, None
    old.save(update_fields=["state", "recorded_at", "ran_at", "setup_version", "run_as", "session"])
    note(study, tester, "moved the capture", f"{capture.arrival.name} from {old}", new)
    measure(capture, settings_for(study, new))
    tell(CaptureMoved(study, old, new, was))


def own_columns(arrival: Arrival, columns: ColumnMapIn) -> dict[str, Any]:
    """A column map as plain data; where it leaves open where the header stands, it is where it stands in this file."""
    own = columns_given(columns)
    return own_map(arrival.proposal, own) if columns.skip_lines is None else own


def columns_given(columns: ColumnMapIn) -> dict[str, Any]:
    """A column map as plain data, as it was given."""
    return _core_map(columns).as_json()


def _take_one(tester: User, study_id: int, place: Assignment, columns: ColumnMapIn) -> Taken:
    arrival = Arrival.objects.select_related("study", "original").filter(pk=place.arrival_id, study=study_id).first()
    if arrival is None:
        refusal = Refusal(reason="not_found", message="There is no such file in this study.")
        return Taken(arrival_id=place.arrival_id, name="", pass_id=None, refusal=refusal)
    try:
        one = _record_one(tester, arrival, place, own_columns(arrival, columns))
    except RennbahnError as error:
        refusal = refusal_of(error)
        if isinstance(error, CaptureRefused):
            Arrival.objects.filter(pk=arrival.pk).update(refusal=refusal.dict())
        return Taken(arrival_id=arrival.pk, name=arrival.name, pass_id=None, refusal=refusal)
    return Taken(arrival_id=arrival.pk, name=arrival.name, pass_id=one.pk, refusal=None)


def _record_one(tester: User, arrival: Arrival, place: Assignment, columns: dict[str, Any]) -> Pass:
    """Read a file and record it, if all is still as it was. Raises :class:`RennbahnError`."""
    if arrival.state != ArrivalState.WAITING:
        raise Conflict("file_taken", f"“{arrival.name}” is {ArrivalState(arrival.state).label.lower()}.")
    # Read and measured before anything is locked: another's act shall not wait for a file.
    lane, test = lane_and_test(place.lane_id, place.test_id)
    settings = settings_from(arrival.study, run_as_of(lane, test))
    found = bounded(reading.read, arrival.original.whole(), columns, settings)
    with transaction.atomic():
        # One order of locks everywhere: the study, then its files and passes.
        study = open_study(arrival.study_id)
        locked = Arrival.objects.select_for_update().get(pk=arrival.pk)
        (one,) = record_files(tester, study, [ReadFile(locked, place, columns, found, settings)])
        if isinstance(one, RennbahnError):
            raise one
        tell(CapturesCame(study, (one.pk,)))
    return one


def _core_map(columns: ColumnMapIn) -> ColumnMap:
    return ColumnMap.from_json(columns.dict(exclude_none=True))


def _content(arrival: Arrival) -> bytes:
    return Original.objects.select_related("arrival").get(pk=arrival.pk).whole()


def _arrival(arrival_id: int) -> Arrival:
    arrival = Arrival.objects.filter(pk=arrival_id).first()
    if arrival is None:
        raise NotFound("file")
    return arrival
