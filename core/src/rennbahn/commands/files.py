"""JSON in and out."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from rennbahn.errors import RennbahnError

#: Some file was refused.
REFUSED = 2


def load(path: str) -> Any:
    """What a file holds. Raises :class:`RennbahnError` (`unreadable`)."""
    try:
        return json.loads(Path(path).read_text(encoding="utf-8"))
    except OSError as error:
        raise RennbahnError("unreadable", f"cannot be opened: {error.strerror}") from None
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise RennbahnError("unreadable", f"is no JSON: {error}") from None


def emit(data: object) -> None:
    """One document on a line."""
    print(json.dumps(data, ensure_ascii=False, allow_nan=False))
