"""Parts and setups as the API speaks of them."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import Field, StringConstraints

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Value = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class PartIn(Schema):
    """A part by kind and name."""

    kind: str
    name: Name
    notes: str = ""


class PartOut(Schema):
    """A part, and in how many setups it is."""

    id: int
    kind: str
    name: str
    notes: str
    setups: int


class SettingIn(Schema):
    """A setting as name and value."""

    name: Name
    value: Value


class PartRef(Schema):
    """A part by kind and name; made if it is not there yet."""

    kind: str
    name: Name


class SetupIn(Schema):
    """A setup: parts by kind, settings by name."""

    name: Name
    parts: list[PartRef] = Field(default_factory=list, max_length=60)
    settings: list[SettingIn] = Field(default_factory=list, max_length=100)


class SetupOut(Schema):
    """The newest version of a setup, or the version asked for."""

    id: int
    version_id: int
    name: str
    version: int
    frozen: bool
    parts: list[PartRef]
    settings: list[SettingIn]


class KindOut(Schema):
    """A kind of part with its name on screen."""

    kind: str
    label: str
