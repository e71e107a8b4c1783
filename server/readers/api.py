"""Readers."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Status
from people.access import user_of

from readers import queries, services
from readers.schemas import ReaderEdit, ReaderIn, ReaderOut

router = Router(tags=["readers"])


@router.get("", response=list[ReaderOut])
def readers(request: HttpRequest) -> list[ReaderOut]:
    """Whom the magazine writes for."""
    return queries.all_readers()


@router.post("", response={201: ReaderOut})
def add(request: HttpRequest, payload: ReaderIn) -> Status[ReaderOut]:
    """Add a reader."""
    return Status(201, queries.reader_out(services.save_reader(user_of(request), payload)))


@router.put("/{int:reader_id}", response=ReaderOut)
def edit(request: HttpRequest, reader_id: int, payload: ReaderEdit) -> ReaderOut:
    """Change a reader."""
    return queries.reader_out(services.save_reader(user_of(request), payload, reader_id))


@router.delete("/{int:reader_id}", response={204: None})
def remove(request: HttpRequest, reader_id: int) -> Status[None]:
    """Take a reader away."""
    services.remove_reader(user_of(request), reader_id)
    return Status(204, None)
