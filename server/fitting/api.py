"""What works together at all."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router, Status, UploadedFile
from people.access import user_of
from sheets import csv_answer

from fitting import queries, services
from fitting.schemas import (
    AttemptIn,
    AttemptStrike,
    FitPlaceIn,
    MatrixEdit,
    MatrixIn,
    MatrixOut,
    MatrixRow,
    PlaceSetup,
)

router = Router(tags=["fitting"])
FILE: Any = File(None)  # type: ignore[type-arg]
WORDS: Any = Form("", max_length=300)  # type: ignore[type-arg]


@router.get("", response=list[MatrixRow])
def matrices(request: HttpRequest) -> list[MatrixRow]:
    """All fit matrices, newest first."""
    return queries.all_matrices()


@router.post("", response={201: MatrixOut})
def lay_out(request: HttpRequest, payload: MatrixIn) -> Status[MatrixOut]:
    """Lay a matrix out."""
    return Status(201, queries.matrix_out(services.save_matrix(user_of(request), payload).pk))


@router.get("/{int:matrix_id}", response=MatrixOut)
def matrix(request: HttpRequest, matrix_id: int) -> MatrixOut:
    """A matrix with all its places."""
    return queries.matrix_out(matrix_id)


@router.put("/{int:matrix_id}", response=MatrixOut)
def edit(request: HttpRequest, matrix_id: int, payload: MatrixEdit) -> MatrixOut:
    """Change a matrix: its words, or which parts stand on its axes."""
    return queries.matrix_out(services.save_matrix(user_of(request), payload, matrix_id).pk)


@router.get("/{int:matrix_id}/attempts.csv")
def table(request: HttpRequest, matrix_id: int) -> HttpResponse:
    """Every attempt as a table."""
    return csv_answer(*queries.matrix_csv(matrix_id))


@router.post("/{int:matrix_id}/attempts", response={201: MatrixOut})
def add_attempt(request: HttpRequest, matrix_id: int, payload: AttemptIn) -> Status[MatrixOut]:
    """Note an attempt at a place."""
    return Status(201, queries.matrix_out(services.add_attempt(user_of(request), matrix_id, payload).matrix_id))


@router.post("/{int:matrix_id}/setups", response={201: PlaceSetup})
def place_setup(request: HttpRequest, matrix_id: int, payload: FitPlaceIn) -> Status[PlaceSetup]:
    """A place that works as a setup, for a lane of a study."""
    made = services.place_setup(user_of(request), matrix_id, payload)
    return Status(201, PlaceSetup(setup_id=made.setup_id, name=made.setup.name))


@router.get("/{int:matrix_id}/photographs/{int:photograph_id}")
def photograph(request: HttpRequest, matrix_id: int, photograph_id: int) -> HttpResponse:
    """A photograph."""
    return queries.photograph(matrix_id, photograph_id)


@router.put("/attempts/{int:attempt_id}/struck", response=MatrixOut)
def strike(request: HttpRequest, attempt_id: int, payload: AttemptStrike) -> MatrixOut:
    """Strike an attempt out."""
    return queries.matrix_out(services.strike_attempt(user_of(request), attempt_id, payload).matrix_id)


@router.post("/attempts/{int:attempt_id}/photographs", response={201: MatrixOut})
def add_photograph(
    request: HttpRequest, attempt_id: int, words: str = WORDS, file: UploadedFile | None = FILE
) -> Status[MatrixOut]:
    """Keep a photograph of an attempt."""
    return Status(201, queries.matrix_out(services.add_photograph(user_of(request), attempt_id, file, words).matrix_id))
