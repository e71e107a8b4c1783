"""Files from outside are read to the letter: a misspelt key would otherwise be taken for absent."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any, NoReturn

from rennbahn.errors import RennbahnError


def refuse_unknown(data: Mapping[str, Any], known: Collection[str], where: str, code: str) -> None:
    """Refuse what nobody reads. Raises :class:`RennbahnError` of that code, naming the key."""
    for key in data:
        if key not in known:
            told = ", ".join(sorted(known))
            raise RennbahnError(code, f"{where}: the key {key} is not known here (known: {told})", field=str(key))


@dataclass(frozen=True)
class Strict:
    """Reads plain data as JSON gives it, to the letter. Everything raises :class:`RennbahnError` of `code`."""

    code: str

    def object(self, data: Any, where: str, needed: Collection[str], may: Collection[str] = ()) -> Mapping[str, Any]:
        """An object that has every key of `needed` and none beside those and `may`."""
        told = self.mapping(data, where)
        refuse_unknown(told, {*needed, *may}, where, self.code)
        missing = next((key for key in sorted(needed) if key not in told), None)
        if missing is not None:
            self.refuse(missing, f"{where} lacks {missing}")
        return told

    def mapping(self, data: Any, where: str) -> Mapping[str, Any]:
        """An object."""
        if not isinstance(data, Mapping):
            self.refuse(where, f"{where} must be an object (got {data!r:.60})")
        return data

    def list(self, data: Any, field: str) -> list[Any]:
        """A list."""
        if not isinstance(data, list):
            self.refuse(field, f"{field} must be a list (got {data!r:.60})")
        return data

    def text(self, value: Any, field: str, where: str) -> str:
        """A text."""
        if not isinstance(value, str):
            self.refuse(field, f"{where}: {field} must be text (got {value!r:.60})")
        return value

    def one_of(self, value: Any, known: Collection[str], field: str, where: str) -> str:
        """One of the words that are known."""
        if not isinstance(value, str) or value not in known:
            self.refuse(field, f"{where}: {field} must be one of {', '.join(known)} (got {value!r:.60})")
        return value

    def number(
        self, value: Any, field: str, where: str, *, above: float | None = None, least: float | None = None
    ) -> float:
        """A finite number, above or no less than a bound."""
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
            self.refuse(field, f"{where}: {field} must be a number (got {value!r:.60})")
        if (above is not None and not value > above) or (least is not None and not value >= least):
            bound = f"above {above:g}" if above is not None else f"no less than {least:g}"
            self.refuse(field, f"{where}: {field} must be {bound} (got {value:g})")
        return float(value)

    def whole(self, value: Any, field: str, where: str, *, least: int = 0) -> int:
        """A whole number no less than a bound."""
        found = self.number(value, field, where, least=least)
        if found != int(found):
            self.refuse(field, f"{where}: {field} must be whole (got {value:g})")
        return int(found)

    def refuse(self, field: str, message: str) -> NoReturn:
        """Refuse what was told, naming the field."""
        raise RennbahnError(self.code, message, field=field)
