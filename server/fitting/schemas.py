"""What works together, as the API speaks of it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from answering import Out
from pydantic import Field, Strict, StringConstraints
from strict import ONE_LINE, Edit, In, Whole

Title = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=160), ONE_LINE]
Label = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), ONE_LINE]
Change = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), ONE_LINE]
Outcome = Literal["works", "limited", "no_picture", "not_detected", "crashes"]
Parts = Annotated[list[int], Field(min_length=1, max_length=40)]


class MatrixIn(In):
    """A matrix by the parts on its axes; `via` is what is between, and may be empty."""

    title: Title
    rows_are: Label = "Hosts"
    via_are: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40), ONE_LINE] = ""
    columns_are: Label = "Cards"
    rows: Parts
    via: Annotated[list[int], Field(max_length=12)] = Field(default_factory=list)
    columns: Parts


class MatrixEdit(MatrixIn, Edit):
    """A matrix in place of what it was. A part with attempts stays."""


class AttemptIn(In):
    """An attempt at a place, by the ids of its parts."""

    client_id: Annotated[UUID, Strict(False)]
    row: int
    via: int | None = None
    column: int
    outcome: Outcome
    changed: Annotated[list[Change], Field(max_length=8)] = Field(default_factory=list)
    seen: Annotated[str, StringConstraints(strip_whitespace=True, max_length=600)] = ""
    generation: Annotated[int, Field(ge=1, le=5)] | None = None
    lanes: Annotated[int, Field(ge=1, le=16)] | None = None


class FitPlaceIn(In):
    """A place by the ids of its parts."""

    row: int
    via: int | None = None
    column: int


class AttemptStrike(Whole):
    """Why an attempt does not count."""

    why: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=300), ONE_LINE]


class AxisPart(Out):
    """A part on an axis."""

    id: int
    name: str
    kind: str


class PhotographOut(Out):
    """A photograph of an attempt."""

    id: int
    words: str
    width: int
    height: int
    source: str


class AttemptOut(Out):
    """An attempt."""

    id: int
    outcome: str
    changed: list[str]
    seen: str
    link: str
    by: str
    at: datetime
    struck: str
    photographs: list[PhotographOut]


class TriedOut(Out):
    """Something to try, and where it helped."""

    change: str
    words: str


class PlaceOut(Out):
    """A place: how it stands, what part facts say before, and what to try next."""

    row: int
    via: int | None
    column: int
    state: str
    words: str
    link: str
    checks: list[str]
    cautions: list[str]
    attempts: list[AttemptOut]
    next: list[TriedOut]


class MatrixRow(Out):
    """A matrix in the list of all."""

    id: int
    title: str
    sentence: str
    places: int
    by: str
    at: datetime


class MatrixOut(Out):
    """A matrix with all its places."""

    id: int
    title: str
    rows_are: str
    via_are: str
    columns_are: str
    rows: list[AxisPart]
    via: list[AxisPart]
    columns: list[AxisPart]
    sentences: list[str]
    places: list[PlaceOut]
    by: str
    at: datetime
    seen: str


class PlaceSetup(Out):
    """The setup that a place is."""

    setup_id: int
    name: str
