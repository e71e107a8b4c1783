"""Taking files in: kept byte for byte, read by a column map, measured at once, made into passes."""

from __future__ import annotations

import hashlib
from datetime import datetime, timedelta
from pathlib import PurePath
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import IntegrityError, transaction
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.capture import ColumnMap, propose_columns, propose_samples, read_capture, read_samples
from rennbahn.errors import CaptureRefused, RennbahnError
from rennbahn.measures import figures_of
from studies.models import Pass, PassState, Study
from studies.news import decided
from studies.record import note
from studies.services import decide_again, lane_and_test, open_study, record_pass

from intake.measuring import frames_of, keep_channels, keep_samples, measure, settings_for
from intake.models import (
    Arrival,
    ArrivalState,
    Capture,
    FileRole,
    Original,
    PassFile,
    Reported,
    SavedMap,
)
from intake.reported import reported_rows
from intake.schemas import Assignment, PlaceIn, Preview, Refusal, ReportedIn, TakeIn, Taken, WindowIn
from intake.schemas import ColumnMap as ColumnMapIn

Caller = User | AnonymousUser


def receive(user: Caller, study_id: int, upload: UploadedFile[Any], written_at: datetime | None = None) -> Arrival:
    """Keep a file and propose what it is. A file that is no capture is kept too, with the reason.

    `written_at` is when it was last written where it comes from. Raises :class:`Conflict` where the study has the same
    bytes already.
    """
    tester = require(user, Role.TESTER)
    content = upload.read()
    proposal, key, refusal = _proposal(content)
    with transaction.atomic():
        study = open_study(study_id)
        facts = {"proposal": proposal, "header_key": key, "refusal": refusal, "written_at": written_at}
        return _keep_file(tester, study, upload, content, facts)


def attach(user: Caller, pass_id: int, upload: UploadedFile[Any], role: str, offset_s: float | None = None) -> PassFile:
    """Put a file beside a pass, byte for byte: samples on a clock of their own, a picture, a clip, a note.

    Samples are read at once and the pass is measured with them, so it has to be decided again. Without `offset_s` they
    begin where the capture begins, unless their own clock lies within it.
    """
    tester = require(user, Role.TESTER)
    content = upload.read()
    with transaction.atomic():
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        study = open_study(one.test.study_id)
        proposal, key, _ = _proposal(content) if role == FileRole.SAMPLES else ({}, "", None)
        facts = {"state": ArrivalState.TAKEN, "proposal": proposal, "header_key": key}
        arrival = _keep_file(tester, study, upload, content, facts)
        file = PassFile.objects.create(on_pass=one, arrival=arrival, role=role)
        note(study, tester, f"put a {FileRole(role).label.lower()} file beside the pass", arrival.name, one)
        if role == FileRole.SAMPLES:
            _join_samples(tester, study, one, file, content, offset_s)
    return file


def report(user: Caller, pass_id: int, data: ReportedIn) -> Pass:
    """Record a pass whose result exists only as numbers: it is never mixed with measured ones."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        one = Pass.objects.filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        lane, test = lane_and_test(one.lane_id, one.test_id)
        study = open_study(test.study_id)
        return _report(tester, study, record_pass(tester, study, lane, test, one.number), data)


def report_all(user: Caller, study_id: int, content: bytes) -> int:
    """Record passes from a table of reported results: all rows or none. How many passes it recorded."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        rows = reported_rows(study, content)
        for lane, test, number, data in rows:
            _report(tester, study, record_pass(tester, study, lane, test, number), data)
    return len(rows)


def _report(tester: User, study: Study, one: Pass, data: ReportedIn) -> Pass:
    Reported.objects.create(on_pass=one, by=tester, **data.dict())
    note(study, tester, "entered a reported result", data.read_from, one)
    return one


def _join_samples(
    tester: User, study: Study, one: Pass, file: PassFile, content: bytes, offset_s: float | None
) -> None:
    capture = Capture.objects.select_for_update().filter(on_pass=one).first()
    if capture is None:
        raise Conflict(
            "no_capture", "Samples join a capture, and this pass has none yet.", hint="Take its frames first."
        )
    columns = propose_samples(content)
    samples = read_samples(content, columns)
    whole = frames_of(capture, windowed=False)
    if offset_s is None:
        begins = float(samples.clock_s[0])
        offset_s = 0.0 if 0.0 <= begins <= whole.duration_s else -begins
    keep_samples(capture, file, samples, columns.as_json(), offset_s)
    again = Capture.objects.get(pk=capture.pk)
    measure(again, frames_of(again), settings_for(study, one))
    decide_again(tester, study, one, "samples came")


def _keep_file(tester: User, study: Study, upload: UploadedFile[Any], content: bytes, facts: dict[str, Any]) -> Arrival:
    """Keep the bytes of a file. Raises :class:`Conflict` where the study has the same already."""
    name = PurePath((upload.name or "unnamed").replace("\\", "/")).name[:255]
    digest = hashlib.sha256(content).hexdigest()
    try:
        with transaction.atomic():
            arrival = Arrival.objects.create(
                study=study, name=name, size=len(content), sha256=digest, by=tester, **facts
            )
            Original.objects.create(arrival=arrival, content=content)
    except IntegrityError:
        raise _duplicate(study.pk, digest, name) from None
    return arrival


def preview(user: Caller, arrival_id: int, columns: ColumnMapIn) -> Preview:
    """What a column map makes of a file, so that a wrong one shows before it is confirmed."""
    require(user, Role.TESTER)
    arrival = _arrival(arrival_id)
    capture = read_capture(_content(arrival), _core_map(columns))
    figures = figures_of(capture)
    if figures.rates is None or figures.lows is None:
        raise CaptureRefused("no_frames", "the file holds no frame")
    return Preview(
        frames=figures.frames,
        duration_s=capture.duration_s,
        average_fps=figures.rates.average_fps,
        low_1_fps=figures.lows["1"]["percentile"].fps,
        median_ms=figures.rates.percentile_ms["50"],
        slowest_ms=figures.rates.slowest_ms,
        flags=list(figures.flags),
    )


def take(user: Caller, study_id: int, data: TakeIn) -> list[Taken]:
    """Make files into recorded passes. Each stands for itself: a refused one says why and does not stop the others."""
    tester = require(user, Role.TESTER)
    columns = _core_map(data.columns)
    with transaction.atomic():
        open_study(study_id)
    taken = [_take_one(tester, study_id, assignment, columns) for assignment in data.assignments]
    if data.save_as and any(one.pass_id for one in taken):
        first = Arrival.objects.filter(pk__in=[a.arrival_id for a in data.assignments]).exclude(header_key="").first()
        if first is not None:
            SavedMap.objects.update_or_create(
                header_key=first.header_key,
                defaults={"name": data.save_as, "columns": columns.as_json(), "by": tester},
            )
    return taken


def set_aside(user: Caller, arrival_id: int) -> Arrival:
    """Put a file that is no pass out of the way. It stays in the record."""
    require(user, Role.TESTER)
    with transaction.atomic():
        open_study(_arrival(arrival_id).study_id)
        arrival = Arrival.objects.select_for_update().get(pk=arrival_id)
        if arrival.state == ArrivalState.TAKEN:
            raise Conflict("file_taken", f"“{arrival.name}” is a pass.", hint="Reject the pass, with a reason.")
        arrival.state = ArrivalState.SET_ASIDE
        arrival.save(update_fields=["state"])
    return arrival


def move_capture(user: Caller, capture_id: int, place: PlaceIn) -> Capture:
    """Put a capture that was assigned wrongly where it belongs; the pass it leaves is planned again."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        capture = _capture(capture_id)
        old = capture.on_pass
        study = open_study(old.test.study_id)
        lane, test = lane_and_test(place.lane_id, place.test_id)
        if test.study_id != study.pk:
            raise NotFound("lane and test in this study")
        if old.state not in (PassState.RECORDED, PassState.ACCEPTED):
            raise Conflict(
                "pass_decided",
                f"The pass is {PassState(old.state).label.lower()}.",
                hint="Take the decision back first, then move the file.",
            )
        if (old.lane_id, old.test_id) == (lane.pk, test.pk) and place.number in (None, old.number):
            return capture
        accepted = old.state == PassState.ACCEPTED
        # It is a run of the lane where it belongs, so it was run with that lane's setup.
        new = record_pass(tester, study, lane, test, place.number, old.ran_at)
        capture.on_pass = new
        capture.save(update_fields=["on_pass"])
        PassFile.objects.filter(on_pass=old).update(on_pass=new)
        new.recorded_at = old.recorded_at
        new.save(update_fields=["recorded_at"])
        old.state, old.recorded_at, old.ran_at = PassState.PLANNED, None, None
        old.setup_version, old.run_as = None, None
        old.save(update_fields=["state", "recorded_at", "ran_at", "setup_version", "run_as"])
        note(study, tester, "moved the capture", f"{capture.arrival.name} from {old}", new)
        if accepted:
            decided.send(Study, study=study, scenes={old.test.scene_id})
        measure(capture, frames_of(capture), settings_for(study, new))
    return capture


def set_window(user: Caller, capture_id: int, window: WindowIn) -> Capture:
    """Trim a capture to some seconds, without changing it, and measure it again."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        capture = _capture(capture_id)
        one = capture.on_pass
        study = open_study(one.test.study_id)
        start, stop = window.from_s, window.to_s
        if (start is None) != (stop is None) or (start is not None and stop is not None and start >= stop):
            raise Problem("bad_window", "The window needs a beginning before its end.", field="to_s")
        frames = frames_of(capture, windowed=False)
        if start is not None and stop is not None:
            frames = frames.trimmed(start, stop)
            if not len(frames):
                raise Problem("empty_window", "No frame lies within these seconds.", field="from_s")
        capture.window_from_s, capture.window_to_s = start, stop
        capture.save(update_fields=["window_from_s", "window_to_s"])
        measure(capture, frames, settings_for(study, one))
        words = "the whole capture" if start is None else f"{start:g} s to {stop:g} s"
        note(study, tester, "trimmed the pass", words, one)
        decide_again(tester, study, one, f"trimmed to {words}")
    return capture


def _take_one(tester: User, study_id: int, place: Assignment, columns: ColumnMap) -> Taken:
    arrival = Arrival.objects.filter(pk=place.arrival_id, study_id=study_id).first()
    if arrival is None:
        refusal = Refusal(reason="not_found", message="There is no such file in this study.")
        return Taken(arrival_id=place.arrival_id, name="", pass_id=None, refusal=refusal)
    try:
        with transaction.atomic():
            # One order of locks everywhere: the study, then its files and passes.
            study = open_study(study_id)
            arrival = Arrival.objects.select_for_update().get(pk=arrival.pk)
            if arrival.state != ArrivalState.WAITING:
                raise Conflict("file_taken", f"“{arrival.name}” is {ArrivalState(arrival.state).label.lower()}.")
            frames = read_capture(_content(arrival), columns)
            lane, test = lane_and_test(place.lane_id, place.test_id)
            if test.study_id != study_id:
                raise NotFound("lane and test in this study")
            # A logger writes the last frame when the run ends, so the run began its own length before.
            began = arrival.written_at and arrival.written_at - timedelta(seconds=frames.duration_s)
            one = record_pass(tester, study, lane, test, place.number, began)
            capture = Capture.objects.create(
                on_pass=one, arrival=arrival, columns=columns.as_json(), source_flags=list(frames.source_flags)
            )
            PassFile.objects.create(on_pass=one, arrival=arrival, role=FileRole.FRAMES)
            keep_channels(capture, frames)
            measure(capture, frames, settings_for(study, one))
            arrival.state, arrival.refusal = ArrivalState.TAKEN, None
            arrival.save(update_fields=["state", "refusal"])
    except RennbahnError as error:
        refusal = _refusal(error)
        if isinstance(error, CaptureRefused):
            Arrival.objects.filter(pk=arrival.pk).update(refusal=refusal.dict())
        return Taken(arrival_id=arrival.pk, name=arrival.name, pass_id=None, refusal=refusal)
    return Taken(arrival_id=arrival.pk, name=arrival.name, pass_id=one.pk, refusal=None)


def _proposal(content: bytes) -> tuple[dict[str, Any], str, dict[str, Any] | None]:
    try:
        proposal = propose_columns(content)
    except CaptureRefused as error:
        return {}, "", _refusal(error).dict()
    columns = proposal.columns.as_json() if proposal.columns else None
    dialect = {k: v for k, v in (columns or {}).items() if k != "map"}
    # Files of one logger may differ in what stands before the header, never in the header itself.
    look = {k: v for k, v in dialect.items() if k != "skip_lines"}
    key = hashlib.sha256(repr((proposal.names, sorted(look.items()), dialect.get("skip_lines"))).encode()).hexdigest()
    data = {
        "columns": columns,
        "names": [name[:200] for name in proposal.names[:200]],
        "rows": [[field[:60] for field in row[:200]] for row in proposal.rows],
        "reasons": list(proposal.reasons),
    }
    return data, key, None


def _refusal(error: RennbahnError) -> Refusal:
    row, line = (error.row, error.line) if isinstance(error, CaptureRefused) else (None, None)
    return Refusal(reason=error.code, message=error.message, row=row, line=line, hint=error.hint)


def _duplicate(study_id: int, digest: str, name: str) -> Conflict:
    first = Arrival.objects.filter(study_id=study_id, sha256=digest).exclude(state=ArrivalState.SET_ASIDE).first()
    earlier = first.name if first else "an earlier file"
    capture = Capture.objects.filter(arrival=first).select_related("on_pass").first() if first else None
    where = f", which is {capture.on_pass}" if capture else ""
    return Conflict(
        "duplicate_file",
        f"“{name}” holds the same bytes as “{earlier}”{where}: the same file is not two passes.",
        hint="Hand in the capture of the other run, or set the earlier file aside.",
    )


def _core_map(columns: ColumnMapIn) -> ColumnMap:
    return ColumnMap.from_json(columns.dict(exclude_none=True))


def _content(arrival: Arrival) -> bytes:
    return bytes(Original.objects.get(pk=arrival.pk).content)


def _arrival(arrival_id: int) -> Arrival:
    arrival = Arrival.objects.filter(pk=arrival_id).first()
    if arrival is None:
        raise NotFound("file")
    return arrival


def _capture(capture_id: int) -> Capture:
    capture = (
        Capture.objects.select_related(
            "arrival", "on_pass__lane__condition", "on_pass__test__scene__game", "on_pass__test__condition"
        )
        .select_for_update(of=("self",))
        .filter(pk=capture_id)
        .first()
    )
    if capture is None:
        raise NotFound("capture")
    return capture
