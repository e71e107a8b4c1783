"""People as the API speaks of them."""

from __future__ import annotations

from answering import Out
from pydantic import Field
from strict import In


class PersonOut(Out):
    """Somebody who works here; `shut_s` is how long wrong passwords still keep the name shut, from anywhere."""

    name: str
    role: str
    shut_s: int


class UnlockIn(In):
    """Whose name is to be opened again."""

    name: str = Field(max_length=150)
