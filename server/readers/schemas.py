"""Readers as the API speaks of them."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Literal

from answering import Out
from pydantic import Field, Strict, StringConstraints
from strict import ONE_LINE, Edit, In

Rate = Annotated[float, Field(gt=0, le=10_000)]
Money = Annotated[Decimal, Strict(False), Field(ge=0, max_digits=10, decimal_places=2)]
KwhPrice = Annotated[Decimal, Strict(False), Field(ge=0, max_digits=8, decimal_places=4)]


class ReaderIn(In):
    """A kind of reader. `notices` is the smallest margin that they would see, as a share; money is in `currency`."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80), ONE_LINE]
    resolution: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40), ONE_LINE] = ""
    display_hz: Rate
    variable: bool = False
    floor_fps: Rate
    floor_on: Literal["average_fps", "low_1"] = "average_fps"
    notices: Annotated[float, Field(gt=0, lt=1)] = 0.05
    hours_a_day: Annotated[float, Field(gt=0, le=24)] = 2.0
    years: Annotated[float, Field(gt=0, le=50)] = 4.0
    price_per_kwh: KwhPrice | None = None
    budget: Money | None = None
    currency: Annotated[str, StringConstraints(strip_whitespace=True, to_upper=True, pattern=r"^([A-Za-z]{3})?$")] = ""


class ReaderEdit(ReaderIn, Edit):
    """A reader in place of what they were."""


class ReaderOut(Out):
    """A reader, and in `words` what they are."""

    id: int
    name: str
    resolution: str
    display_hz: float
    variable: bool
    floor_fps: float
    floor_on: str
    notices: float
    hours_a_day: float
    years: float
    price_per_kwh: float | None
    budget: float | None
    currency: str
    words: str
    seen: str
