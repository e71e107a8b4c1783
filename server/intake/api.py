"""Intake: files in, passes with figures out."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import File, Router, Status, UploadedFile
from people.access import user_of
from problems import Problem

from intake import queries, services
from intake.schemas import (
    ArrivalOut,
    PassDetail,
    PassOut,
    PlaceIn,
    Preview,
    PreviewIn,
    TakeIn,
    Taken,
    TestTraces,
    WindowIn,
)
from intake.uploads import LARGEST_FILE, too_large_name

router = Router(tags=["intake"])

#: A file that may be missing: one that was too large is dropped before it gets here.
FILE: Any = File(None)  # type: ignore[type-arg]


@router.get("/studies/{int:study_id}/files", response=list[ArrivalOut])
def files(request: HttpRequest, study_id: int) -> list[ArrivalOut]:
    """Files that wait for a place."""
    return queries.arrivals_of(study_id)


@router.post("/studies/{int:study_id}/files", response={201: ArrivalOut})
def hand_in(
    request: HttpRequest,
    study_id: int,
    file: UploadedFile | None = FILE,
) -> Status[ArrivalOut]:
    """Hand in one file. It is kept byte for byte."""
    large = too_large_name(request)
    if large is not None or file is None:
        limit = f"{LARGEST_FILE // 2**20} MB"
        raise Problem(
            "too_large" if large else "no_file",
            f"“{large}” is larger than {limit} and was not kept." if large else "No file came with the request.",
            field="file",
            hint=f"Trim the recording in the logger or compress it with gzip or zstd: up to {limit} are taken.",
        )
    return Status(201, queries.arrival_out(services.receive(user_of(request), study_id, file)))


@router.post("/files/{int:arrival_id}/preview", response=Preview)
def preview(request: HttpRequest, arrival_id: int, payload: PreviewIn) -> Preview:
    """What a column map makes of a file."""
    return services.preview(user_of(request), arrival_id, payload.columns)


@router.post("/studies/{int:study_id}/take", response=list[Taken])
def take(request: HttpRequest, study_id: int, payload: TakeIn) -> list[Taken]:
    """Make files into recorded passes."""
    return services.take(user_of(request), study_id, payload)


@router.post("/files/{int:arrival_id}/set-aside", response=ArrivalOut)
def set_aside(request: HttpRequest, arrival_id: int) -> ArrivalOut:
    """Put a file that is no pass out of the way."""
    return queries.arrival_out(services.set_aside(user_of(request), arrival_id))


@router.get("/studies/{int:study_id}/passes", response=list[PassOut])
def passes(request: HttpRequest, study_id: int) -> list[PassOut]:
    """All passes of a study with their figures."""
    return queries.passes_of(study_id)


@router.get("/passes/{int:pass_id}", response=PassDetail)
def one_pass(request: HttpRequest, pass_id: int) -> PassDetail:
    """Every figure of one pass."""
    return queries.pass_detail(pass_id)


@router.get("/studies/{int:study_id}/tests/{int:test_id}/traces", response=TestTraces)
def traces(request: HttpRequest, study_id: int, test_id: int) -> TestTraces:
    """Frame times of all recorded passes of a test."""
    return queries.traces_of(study_id, test_id)


@router.put("/captures/{int:capture_id}/place", response=PassDetail)
def move(request: HttpRequest, capture_id: int, payload: PlaceIn) -> PassDetail:
    """Put a wrongly assigned capture where it belongs."""
    return queries.pass_detail(services.move_capture(user_of(request), capture_id, payload).on_pass_id)


@router.put("/captures/{int:capture_id}/window", response=PassDetail)
def window(request: HttpRequest, capture_id: int, payload: WindowIn) -> PassDetail:
    """Trim a capture to some seconds."""
    return queries.pass_detail(services.set_window(user_of(request), capture_id, payload).on_pass_id)


@router.get("/captures/{int:capture_id}/original")
def original(request: HttpRequest, capture_id: int) -> HttpResponse:
    """The file as it came, byte for byte."""
    name, content = queries.original_of(capture_id)
    response = HttpResponse(content, content_type="application/octet-stream")
    response.headers["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response
