"""Film strips as the API speaks of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from answering import Out
from intake.trace_schemas import TracePassIn
from pydantic import Field
from strict import In

#: Two lanes are read beneath each other while something else is looked at.
MOST_LANES = 2

Clock = Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)]


class FilmIn(In):
    """Of which passes of a test, which stretch of their common clock (all of it without), and how it is shown."""

    test_id: int
    passes: list[TracePassIn] = Field(min_length=1, max_length=MOST_LANES)
    from_s: Clock | None = None
    to_s: Clock | None = None
    #: Pictures a second.
    rate: Literal[25, 30, 50, 60]
    #: Light letters for dark footage.
    letters: Literal["light", "dark"] = "light"


class FilmOut(Out):
    """A film strip: what it shows, how far it is, and in the end its size in bytes."""

    id: int
    test_id: int
    said: str
    rate: int
    letters: str
    state: str
    #: Pictures painted, of so many.
    done: int
    pictures: int
    words: str
    size: int
    at: datetime
    by: str
