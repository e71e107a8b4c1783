"""Pages that were overtaken: whoever saves says which state they saw, and is told who changed what meanwhile."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any

import orjson
from problems import Conflict
from pydantic import BaseModel


def mark_of(state: Any) -> str:
    """A mark of plain data (also dates and models): another state has another mark."""
    plain = orjson.dumps(state, default=_plain, option=orjson.OPT_SORT_KEYS | orjson.OPT_NON_STR_KEYS)
    return hashlib.sha256(plain).hexdigest()[:16]


def _plain(value: Any) -> Any:
    return value.model_dump() if isinstance(value, BaseModel) else str(value)


class Overtaken(Conflict):
    """Somebody changed meanwhile what this change was made from."""

    def __init__(self, what: str, now: str, who_and_what: str) -> None:
        told = who_and_what or "Somebody else changed it"
        super().__init__(
            "changed_meanwhile",
            f"{told} after this page was loaded, so {what} was not saved.",
            field="seen",
            hint="What you typed is still here: save it over theirs, or keep theirs.",
        )
        self.now = now


def check_seen(what: str, seen: str, now: str, who_and_what: Callable[[], str] | str = "") -> None:
    """Raises :class:`Overtaken` where the state is no longer the one that was seen."""
    if seen != now:
        raise Overtaken(what, now, who_and_what() if callable(who_and_what) else who_and_what)
