"""What stands beside captures: files in roles, results that exist only as numbers. Roles and lines as in services."""

from __future__ import annotations

from collections import Counter
from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from people.access import require
from people.models import Role
from problems import Conflict, NotFound
from rennbahn.capture.load import load_in
from studies.deciding import Run, decide_again, lane_and_test, record_pass, record_passes
from studies.events import CapturesCame, CaptureSeenAnew, tell
from studies.models import Pass, Study
from studies.record import note, note_each
from studies.services import open_study

from intake import reading
from intake.bounded import bounded
from intake.measuring import at_rest, keep_samples, measure, settings_for
from intake.models import Arrival, ArrivalState, Capture, FileRole, PassFile, Reported, SampleSet
from intake.proposals import proposal_of
from intake.recording import NewFile
from intake.reported import reported_rows
from intake.schemas import Recorded, RecordedOf, ReportedIn
from intake.services import Caller, keep_file

#: Files of one run are written within this of each other, s.
_FARTHEST_APART_S = 120.0


def attach(user: Caller, pass_id: int, upload: UploadedFile[Any], role: str, offset_s: float | None = None) -> PassFile:
    """Put a file beside a pass, byte for byte: samples on a clock of their own, a picture, a clip, a note.

    Samples are read at once and the pass is measured with them, so it has to be decided again. Without `offset_s` they
    begin where the capture begins, unless their own clock lies within it.
    """
    tester = require(user, Role.TESTER)
    content = upload.read()
    proposal, key, _ = proposal_of(content) if role == FileRole.SAMPLES else ({}, "", None)
    samples = bounded(reading.samples, content) if role == FileRole.SAMPLES else None
    facts = {"state": ArrivalState.TAKEN, "proposal": proposal, "header_key": key}
    placed = NewFile.put_down(upload.name, reading.keep(content), facts)
    with transaction.atomic():
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        study = open_study(one.test.study_id)
        arrival = keep_file(tester, study, placed)
        file = PassFile.objects.create(on_pass=one, arrival=arrival, role=role)
        note(study, tester, f"put a {FileRole(role).label.lower()} file beside the pass", arrival.name, one)
        if samples is not None:
            _join_samples(study, one, file, samples, offset_s)
            decide_again(tester, study, one, "samples came")
    return file


def join(user: Caller, arrival_id: int, pass_id: int) -> PassFile:
    """Put a file that came by itself beside a pass, as samples on a clock of their own.

    Their clock is laid beside the capture's by when both files were written last, as far as both say. What was decided
    about the pass stands: its frames are the same.
    """
    tester = require(user, Role.TESTER)
    arrival = Arrival.objects.select_related("original").filter(pk=arrival_id).first()
    if arrival is None:
        raise NotFound("file")
    samples = bounded(reading.samples, arrival.original.whole())
    with transaction.atomic():
        study = open_study(arrival.study_id)
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").filter(pk=pass_id).first()
        if one is None or one.test.study_id != study.pk:
            raise NotFound("pass in this study")
        locked = Arrival.objects.select_for_update().get(pk=arrival.pk)
        if locked.state != ArrivalState.WAITING:
            raise Conflict("file_taken", f"“{locked.name}” is {ArrivalState(locked.state).label.lower()}.")
        file = PassFile.objects.create(on_pass=one, arrival=locked, role=FileRole.SAMPLES)
        locked.state, locked.refusal = ArrivalState.TAKEN, None
        locked.save(update_fields=["state", "refusal"])
        note(study, tester, "put a samples file beside the pass", locked.name, one)
        _join_samples(study, one, file, samples, _offset_by_files(one, locked, samples))
    return file


def shift_samples(user: Caller, file_id: int, offset_s: float) -> PassFile:
    """Lay the clock of samples elsewhere beside their capture's; the pass is measured with them and decided again."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        file = PassFile.objects.select_related("on_pass__test", "arrival").filter(pk=file_id).first()
        if file is None:
            raise NotFound("file")
        study = open_study(file.on_pass.test.study_id)
        kept = SampleSet.objects.select_for_update().filter(file=file).first()
        if kept is None:
            raise Conflict("no_samples", f"“{file.arrival.name}” holds no samples, so it has no clock to be moved.")
        if kept.offset_s == offset_s:
            return file
        before, kept.offset_s = kept.offset_s, offset_s
        kept.save(update_fields=["offset_s"])
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").get(pk=file.on_pass_id)
        note(study, tester, "moved the clock of samples", f"{file.arrival.name}: {before:g} s → {offset_s:g} s", one)
        measure(Capture.objects.get(pk=kept.capture_id), settings_for(study, one))
        decide_again(tester, study, one, "the clock of its samples was moved")
        tell(CaptureSeenAnew(study, one, f"samples at {before:g} s", f"samples at {offset_s:g} s"))
    return file


def _offset_by_files(one: Pass, arrival: Arrival, samples: reading.CrunchedSamples) -> float | None:
    """What lays the samples' clock on the capture's, by when both files were written; None where they do not say."""
    capture = Capture.objects.select_related("arrival").filter(on_pass=one).first()
    if capture is None or arrival.written_at is None or capture.arrival.written_at is None:
        return None
    ended_apart_s = (arrival.written_at - capture.arrival.written_at).total_seconds()
    if abs(ended_apart_s) > _FARTHEST_APART_S:
        return None
    return ended_apart_s + capture.length_s - samples.ends_s


def report(user: Caller, pass_id: int, data: ReportedIn) -> Pass:
    """Record a pass whose result exists only as numbers: it is never mixed with measured ones."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        one = Pass.objects.filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        lane, test = lane_and_test(one.lane_id, one.test_id)
        study = open_study(test.study_id)
        return _report(tester, study, record_pass(tester, study, Run(lane, test, one.number)), data)


def report_all(user: Caller, study_id: int, content: bytes) -> Recorded:
    """Record passes from a table of reported results: all rows or none. What it recorded, by lane."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        rows = reported_rows(study, content)
        passes = []
        for one in record_passes(tester, study, [row.run for row in rows]):
            if isinstance(one, Conflict):
                raise one
            passes.append(one)
        Reported.objects.bulk_create(
            Reported(on_pass=one, by=tester, **row.data.dict()) for one, row in zip(passes, rows, strict=True)
        )
        for source in dict.fromkeys(row.data.read_from for row in rows):
            of_it = [one for one, row in zip(passes, rows, strict=True) if row.data.read_from == source]
            note_each(study, tester, "entered a reported result", of_it, source)
        tell(CapturesCame(study, tuple(one.pk for one in passes)))
    lanes = Counter(row.run.lane.name for row in rows)
    return Recorded(
        recorded=len(rows), tests=len({row.run.test.pk for row in rows}),
        lanes=[RecordedOf(lane=lane, passes=number) for lane, number in lanes.items()],
    )  # fmt: skip


def _report(tester: User, study: Study, one: Pass, data: ReportedIn) -> Pass:
    Reported.objects.create(on_pass=one, by=tester, **data.dict())
    note(study, tester, "entered a reported result", data.read_from, one)
    tell(CapturesCame(study, (one.pk,)))
    return one


def _join_samples(
    study: Study, one: Pass, file: PassFile, samples: reading.CrunchedSamples, offset_s: float | None
) -> None:
    capture = Capture.objects.select_for_update(of=("self",)).select_related("current").filter(on_pass=one).first()
    if capture is None:
        raise Conflict(
            "no_capture", "Samples join a capture, and this pass has none yet.", hint="Take its frames first."
        )
    if offset_s is None:
        length_s = at_rest(capture).whole().duration_s
        load = load_in(samples.whole(), length_s)
        plain = 0.0 if 0.0 <= samples.begins_s <= length_s else -samples.begins_s
        offset_s = plain if load is None else load.offset_s
    keep_samples(capture, file, samples, offset_s)
    measure(Capture.objects.get(pk=capture.pk), settings_for(study, one))
    tell(CaptureSeenAnew(study, one, "no such samples", file.arrival.name))
