"""Data packages: out, and back in as studies."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, StreamingHttpResponse
from intake.uploads import whole_upload
from ninja import File, Router, Status, UploadedFile
from people.access import user_of

from packages import queries, services
from packages.making import package_of
from packages.schemas import BroughtIn, BroughtOut

router = Router(tags=["packages"])
FILE: Any = File(None)  # type: ignore[type-arg]


@router.get("/studies/{int:study_id}/package")
def package(request: HttpRequest, study_id: int) -> StreamingHttpResponse:
    """The data package of a study: captures byte for byte, tables, findings. `rennbahn verify` computes all again."""
    response = StreamingHttpResponse(package_of(study_id), content_type="application/zip")
    response.headers["Content-Disposition"] = f'attachment; filename="study-{study_id}.zip"'
    # It is packed already, and goes out as it is made.
    response.headers["Content-Encoding"] = "identity"
    return response


@router.get("/packages", response=list[BroughtOut])
def brought(request: HttpRequest) -> list[BroughtOut]:
    """The packages that whoever asks has brought, newest first."""
    return queries.brought_by(user_of(request))


@router.post("/packages", response={201: BroughtOut})
def begin(request: HttpRequest, payload: BroughtIn) -> Status[BroughtOut]:
    """Begin to send a package, which is read back as a study. Its pieces follow."""
    user = user_of(request)
    return Status(201, queries.one_brought(user, services.begin(user, payload.name).pk))


@router.get("/packages/{int:brought_id}", response=BroughtOut)
def one(request: HttpRequest, brought_id: int) -> BroughtOut:
    """How far a package is."""
    return queries.one_brought(user_of(request), brought_id)


@router.post("/packages/{int:brought_id}/pieces/{int:position}", response=BroughtOut)
def piece(request: HttpRequest, brought_id: int, position: int, file: UploadedFile | None = FILE) -> BroughtOut:
    """Send the next piece; one that is there already may come again."""
    user = user_of(request)
    services.add_piece(user, brought_id, position, whole_upload(request, file))
    return queries.one_brought(user, brought_id)


@router.post("/packages/{int:brought_id}/close", response=BroughtOut)
def close(request: HttpRequest, brought_id: int) -> BroughtOut:
    """Have a package read back that was sent whole."""
    services.close(user_of(request), brought_id)
    return queries.one_brought(user_of(request), brought_id)


@router.delete("/packages/{int:brought_id}", response={204: None})
def drop(request: HttpRequest, brought_id: int) -> Status[None]:
    """Throw away what was never sent whole."""
    services.drop(user_of(request), brought_id)
    return Status(204, None)
