"""Intake: files in, passes with figures out."""

from __future__ import annotations

from typing import Any, Literal

from answering import json_answer
from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import File, Form, Query, Router, Status, UploadedFile
from people.access import user_of
from sheets import table_file
from strict import Moment
from studies.schemas import Changed

from intake import attaching, drawing, drawn, pack_queries, packs, queries, services, trimming
from intake.schemas import (
    ArrivalOut,
    ClockOffset,
    FilesIn,
    KnownIn,
    KnownOut,
    LoadOut,
    OffsetIn,
    PackDetail,
    PackIn,
    PackOut,
    PassDetail,
    PassOut,
    PlaceIn,
    Preview,
    PreviewIn,
    Recorded,
    ReportedIn,
    TakeIn,
    Taken,
    WindowsIn,
    WorkOut,
)
from intake.trace_schemas import AgreementOut, LayersOut, ShapeOut, TestTraces
from intake.uploads import whole_upload

router = Router(tags=["intake"])

#: A file that may be missing: one that was too large is dropped before it gets here.
FILE: Any = File(None)  # type: ignore[type-arg]


@router.get("/studies/{int:study_id}/files", response=list[ArrivalOut])
def files(request: HttpRequest, study_id: int, state: Literal["waiting", "set_aside"] = "waiting") -> list[ArrivalOut]:
    """Files that wait for a place, or those that were set aside."""
    return queries.arrivals_of(study_id, state)


@router.post("/studies/{int:study_id}/files/known", response=KnownOut)
def known(request: HttpRequest, study_id: int, payload: KnownIn) -> KnownOut:
    """Which of these files are there already, so that an upload that was broken off goes on where it was."""
    return KnownOut(sha256=queries.known_files(study_id, payload.sha256))


@router.post("/studies/{int:study_id}/files/set-aside", response=Changed)
def set_aside(request: HttpRequest, study_id: int, payload: FilesIn) -> Changed:
    """Put files that are no passes out of the way."""
    return Changed(changed=services.set_aside(user_of(request), study_id, payload.arrival_ids))


@router.post("/studies/{int:study_id}/files/bring-back", response=Changed)
def bring_back(request: HttpRequest, study_id: int, payload: FilesIn) -> Changed:
    """Let files wait for a place again that were set aside."""
    return Changed(changed=services.bring_back(user_of(request), study_id, payload.arrival_ids))


@router.post("/studies/{int:study_id}/files", response={201: ArrivalOut})
def hand_in(
    request: HttpRequest,
    study_id: int,
    file: UploadedFile | None = FILE,
    written_at: Form[Moment | None] = None,
) -> Status[ArrivalOut]:
    """Hand in one file. It is kept byte for byte. `written_at` is when it was last written where it comes from."""
    arrival = services.receive(user_of(request), study_id, whole_upload(request, file), written_at)
    return Status(201, queries.arrival_out(arrival))


@router.post("/studies/{int:study_id}/packs", response={201: PackOut})
def open_pack(request: HttpRequest, study_id: int, payload: PackIn) -> Status[PackOut]:
    """Begin a zip of many files, which is sent in pieces."""
    return Status(201, pack_queries.pack_out(packs.open_pack(user_of(request), study_id, payload.name, payload.zone)))


@router.post("/packs/{int:pack_id}/pieces/{int:position}", response=PackOut)
def add_piece(request: HttpRequest, pack_id: int, position: int, file: UploadedFile | None = FILE) -> PackOut:
    """Send the next piece of a pack; pieces count from 0."""
    return pack_queries.pack_out(packs.add_piece(user_of(request), pack_id, position, whole_upload(request, file)))


@router.post("/packs/{int:pack_id}/close", response=PackDetail)
def close_pack(request: HttpRequest, pack_id: int) -> PackDetail:
    """All pieces of a pack are there: the worker takes it in, one file after the other."""
    return pack_queries.pack_detail(packs.close_pack(user_of(request), pack_id).pk)


@router.delete("/packs/{int:pack_id}", response={204: None})
def drop_pack(request: HttpRequest, pack_id: int) -> Status[None]:
    """Throw away what there is of a pack that was never sent whole."""
    packs.drop_pack(user_of(request), pack_id)
    return Status(204, None)


@router.get("/studies/{int:study_id}/packs", response=list[PackOut])
def packs_of(request: HttpRequest, study_id: int) -> list[PackOut]:
    """The packs of a study, and how far each has come."""
    return pack_queries.packs_of(study_id)


@router.get("/packs/{int:pack_id}", response=PackDetail)
def one_pack(request: HttpRequest, pack_id: int) -> PackDetail:
    """What became of every file of a pack."""
    return pack_queries.pack_detail(pack_id)


@router.post("/packs/{int:pack_id}/cancel", response=PackDetail)
def cancel_pack(request: HttpRequest, pack_id: int) -> PackDetail:
    """Take in no more of a pack."""
    return pack_queries.pack_detail(packs.cancel_pack(user_of(request), pack_id).pk)


@router.post("/packs/{int:pack_id}/resume", response=PackDetail)
def resume_pack(request: HttpRequest, pack_id: int) -> PackDetail:
    """Go on with a pack that was cancelled."""
    return pack_queries.pack_detail(packs.resume_pack(user_of(request), pack_id).pk)


@router.post("/studies/{int:study_id}/reported", response=Recorded)
def report_all(request: HttpRequest, study_id: int, file: UploadedFile | None = FILE) -> Recorded:
    """Record passes from a table of results that exist only as numbers: all rows or none."""
    content = table_file(whole_upload(request, file))
    return attaching.report_all(user_of(request), study_id, content)


@router.post("/passes/{int:pass_id}/reported", response={201: PassDetail})
def report(request: HttpRequest, pass_id: int, payload: ReportedIn) -> Status[PassDetail]:
    """Record a pass whose result exists only as numbers."""
    return Status(201, queries.pass_detail(attaching.report(user_of(request), pass_id, payload).pk))


@router.post("/passes/{int:pass_id}/files", response={201: PassDetail})
def attach(
    request: HttpRequest,
    pass_id: int,
    role: Form[Literal["samples", "picture", "clip", "note"]],
    file: UploadedFile | None = FILE,
    offset_s: Form[ClockOffset | None] = None,
) -> Status[PassDetail]:
    """Put a file beside a pass: samples on a clock of their own, a picture, a clip, a note."""
    attaching.attach(user_of(request), pass_id, whole_upload(request, file), role, offset_s)
    return Status(201, queries.pass_detail(pass_id))


@router.post("/files/{int:arrival_id}/preview", response=Preview)
def preview(request: HttpRequest, arrival_id: int, payload: PreviewIn) -> Preview:
    """What a column map makes of a file."""
    return services.preview(user_of(request), arrival_id, payload.columns)


@router.post("/studies/{int:study_id}/take", response=list[Taken])
def take(request: HttpRequest, study_id: int, payload: TakeIn) -> list[Taken]:
    """Make files into recorded passes."""
    return services.take(user_of(request), study_id, payload)


@router.get("/studies/{int:study_id}/passes", response=list[PassOut])
def passes(request: HttpRequest, study_id: int) -> HttpResponse:
    """All passes of a study with their figures."""
    return json_answer(queries.passes_of(study_id))


@router.get("/work", response=list[WorkOut])
def work(request: HttpRequest) -> list[WorkOut]:
    """What the worker still has to measure again."""
    return queries.work_left()


@router.get("/passes/{int:pass_id}", response=PassDetail)
def one_pass(request: HttpRequest, pass_id: int) -> PassDetail:
    """Every figure of one pass."""
    return queries.pass_detail(pass_id)


@router.get("/studies/{int:study_id}/tests/{int:test_id}/traces", response=TestTraces)
def traces(request: HttpRequest, study_id: int, test_id: int) -> TestTraces:
    """The traces of all recorded passes of a test: their percentile curves, and where their frames are to be had."""
    return drawing.traces_of(study_id, test_id)


@router.get("/captures/{int:capture_id}/trace")
def trace(
    request: HttpRequest,
    capture_id: int,
    stretches: int = Query(4000, ge=10, le=20_000),  # type: ignore[type-arg]
    from_s: float | None = Query(None, allow_inf_nan=False),  # type: ignore[type-arg]
    to_s: float | None = Query(None, allow_inf_nan=False),  # type: ignore[type-arg]
    key: str = "",
) -> HttpResponse:
    """Frame times as little-endian doubles: exact (1 or 0), count, then end clocks, shortest and longest frames.

    Exact frames come without the third part. `key` names what they were made by, so that an answer is kept for good.
    """
    response = HttpResponse(
        drawing.trace_of(capture_id, stretches, from_s, to_s), content_type="application/octet-stream"
    )
    response.headers["Cache-Control"] = _kept_by(key)
    return response


def _kept_by(key: str) -> str:
    """How long an answer may be kept: for good where it names what it was made by."""
    return "private, max-age=31536000, immutable" if key else "no-store"


@router.get("/captures/{int:capture_id}/layers", response=LayersOut)
def layers(request: HttpRequest, response: HttpResponse, capture_id: int, key: str = "") -> LayersOut:
    """Stutters, pauses, heartbeat, cap, the frames behind the lows, and samples. `key` as for a trace."""
    response.headers["Cache-Control"] = _kept_by(key)
    return drawing.layers(capture_id)


@router.get("/captures/{int:capture_id}/shape", response=ShapeOut)
def shape(request: HttpRequest, response: HttpResponse, capture_id: int, key: str = "") -> ShapeOut:
    """How often which frame time, the steps, and both sides' time against the budget. `key` as for a trace."""
    response.headers["Cache-Control"] = _kept_by(key)
    return drawing.shape(capture_id)


@router.get("/studies/{int:study_id}/tests/{int:test_id}/agreement", response=list[AgreementOut])
def agreement(
    request: HttpRequest,
    study_id: int,
    test_id: int,
    to: int,
    passes: Query[list[int]],
) -> list[AgreementOut]:
    """By how much the traces of these passes are moved to agree best with that of `to`."""
    return drawing.agreement(study_id, test_id, to, passes)


@router.put("/captures/{int:capture_id}/place", response=PassDetail)
def move(request: HttpRequest, capture_id: int, payload: PlaceIn) -> PassDetail:
    """Put a wrongly assigned capture where it belongs."""
    return queries.pass_detail(services.move_capture(user_of(request), capture_id, payload).on_pass_id)


@router.put("/captures/{int:capture_id}/windows", response=PassDetail)
def windows(request: HttpRequest, capture_id: int, payload: WindowsIn) -> PassDetail:
    """Trim a capture to one stretch of seconds or several."""
    return queries.pass_detail(trimming.set_windows(user_of(request), capture_id, payload).on_pass_id)


@router.get("/captures/{int:capture_id}/original")
def original(request: HttpRequest, capture_id: int) -> HttpResponse:
    """The file as it came, byte for byte."""
    return _file(*queries.original_of(capture_id))


@router.put("/files/{int:file_id}/offset", response=PassDetail)
def move_clock(request: HttpRequest, file_id: int, payload: OffsetIn) -> PassDetail:
    """Lay the clock of samples elsewhere beside their capture's."""
    file = attaching.shift_samples(user_of(request), file_id, payload.offset_s)
    return queries.pass_detail(file.on_pass_id)


@router.get("/files/{int:file_id}/load", response=LoadOut)
def load(request: HttpRequest, file_id: int) -> LoadOut:
    """Where the samples of a file show that their run begins, and what the pass drew by them."""
    return drawn.load_of(file_id)


@router.get("/files/{int:file_id}/content")
def file_content(request: HttpRequest, file_id: int) -> HttpResponse:
    """A file of a pass as it came, byte for byte."""
    return _file(*queries.file_of(file_id))


def _file(name: str, content: bytes) -> HttpResponse:
    response = HttpResponse(content, content_type="application/octet-stream")
    response.headers["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response
