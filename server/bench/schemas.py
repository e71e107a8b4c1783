"""Parts, rigs and setups as the API speaks of them."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Any

from answering import Out
from pydantic import Field, Strict, StringConstraints
from strict import ONE_LINE, Day, Edit, In

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), ONE_LINE]
Short = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120), ONE_LINE]
#: As much as the value of a setting holds.
LONGEST_VALUE = 200
Value = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=LONGEST_VALUE), ONE_LINE]
Price = Annotated[Decimal, Strict(False), Field(ge=0, max_digits=10, decimal_places=2)]
Currency = Annotated[str, StringConstraints(strip_whitespace=True, to_upper=True, pattern=r"^([A-Za-z]{3})?$")]
Notes = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000)]


class FactOut(Out):
    """A fact of a kind of part: its type, unit and range."""

    name: str
    label: str
    type: str
    unit: str
    low: float | None
    high: float | None
    choices: list[str]
    stated_limit: bool


class KindOut(Out):
    """A kind of part with its name on screen and its facts."""

    kind: str
    label: str
    facts: list[FactOut]


class PartIn(In):
    """A part by kind and name. `facts` are those of its kind; a price needs its currency."""

    kind: str
    name: Name
    maker: Annotated[str, StringConstraints(strip_whitespace=True, max_length=80), ONE_LINE] = ""
    facts: dict[str, Any] = Field(default_factory=dict)
    price: Price | None = None
    currency: Currency = ""
    price_from: Short = ""
    price_day: Day | None = None
    weight_g: int | None = Field(default=None, ge=0, le=200_000)
    notes: Notes = ""


class PartEdit(PartIn, Edit):
    """A part in place of what it was."""


class DerivedOut(Out):
    """A value that follows from a part's facts."""

    name: str
    label: str
    value: float
    unit: str


class PartOut(Out):
    """A part with its facts, also in words, what follows from them, and in how many setups it is. `used` by a run."""

    id: int
    kind: str
    name: str
    maker: str
    facts: dict[str, Any]
    words: list[str]
    derived: list[DerivedOut]
    price: float | None
    currency: str
    price_from: str
    price_day: date | None
    weight_g: int | None
    notes: str
    setups: int
    used: bool
    seen: str


class SettingIn(In):
    """A setting as name and value."""

    name: Name
    value: Value


class PartRef(In):
    """A part by kind and name; made if it is not there yet."""

    kind: str
    name: Name


class PricedRef(PartRef):
    """A part with what it costs today: a part that has no price is given it, one that has keeps its own."""

    price: Price | None = None
    currency: Currency | None = None


class RigIn(In):
    """A machine built of parts."""

    name: Name
    parts: list[PartRef] = Field(default_factory=list, max_length=60)
    notes: Notes = ""


class RigEdit(RigIn, Edit):
    """A rig in place of what it was."""


class RigOut(RigIn):
    """A rig, and how many setups are built on it."""

    id: int
    setups: int
    seen: str


class SetupIn(In):
    """A setup: a rig with settings. On a rig, `parts` are those swapped for this setup; without one, all of them."""

    name: Name
    rig_id: int | None = None
    parts: list[PricedRef] = Field(default_factory=list, max_length=60)
    settings: list[SettingIn] = Field(default_factory=list, max_length=100)


class SetupEdit(SetupIn, Edit):
    """A setup in place of what it was."""


class TickIn(In):
    """A line of a setup sheet, seen to on a day or not after all."""

    on_day: Day
    line: Annotated[str, StringConstraints(min_length=1, max_length=400), ONE_LINE]
    done: bool


class TickOut(Out):
    """A line of a setup sheet that was seen to: by whom, and when."""

    on_day: date
    line: str
    who: str
    at: datetime


class PartUsed(PartRef):
    """A part of a setup; `swapped` where its kind is not filled as in the rig. `summary` says its telling facts."""

    id: int
    swapped: bool
    summary: str


class SetupOut(Out):
    """The newest version of a setup, or the version asked for."""

    id: int
    version_id: int
    name: str
    version: int
    frozen: bool
    newest: bool
    rig_id: int | None
    rig: str
    parts: list[PartUsed]
    settings: list[SettingIn]
    #: Settings beyond a stated limit of a part, in words.
    cautions: list[str]
    seen: str


class SheetOut(SetupOut):
    """A version as a sheet: with where each setting, by its name, and each kind of part is looked at."""

    where_settings: dict[str, str]
    where_parts: dict[str, str]


class SumIn(In):
    """What a sum is made of, by name; several stand beside each other."""

    of: Annotated[list[Annotated[dict[str, float], Field(max_length=8)]], Field(min_length=1, max_length=6)]


class AskedOut(Out):
    """A number that a sum asks for."""

    name: str
    words: str
    whole: bool
    usual: float | None


class SumOut(Out):
    """A sum of the trade."""

    name: str
    words: str
    of: list[AskedOut]


class SumLine(Out):
    """What comes out of a sum: in words, as a number with its unit, and the formula with the numbers in it."""

    words: str
    value: float
    shown: str
    unit: str
    how: str
