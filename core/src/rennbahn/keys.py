"""Files from outside are read to the letter: a misspelt key would otherwise be taken for absent."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from rennbahn.errors import RennbahnError


def refuse_unknown(data: Mapping[str, Any], known: Collection[str], where: str, code: str) -> None:
    """Refuse what nobody reads. Raises :class:`RennbahnError` of that code, naming the key."""
    for key in data:
        if key not in known:
            told = ", ".join(sorted(known))
            raise RennbahnError(code, f"{where}: the key {key} is not known here (known: {told})", field=str(key))
