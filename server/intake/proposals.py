"""What a file seems to be, and why one was refused, as they are kept with it."""

from __future__ import annotations

from typing import Any

from rennbahn.errors import CaptureRefused, RennbahnError

from intake import reading
from intake.bounded import bounded
from intake.reading import Proposed
from intake.schemas import Refusal


def proposal_of(content: bytes) -> tuple[dict[str, Any], str, dict[str, Any] | None]:
    """What a file seems to be, the key of its header, and the refusal of what is no capture."""
    try:
        found = bounded(reading.propose, content)
    except CaptureRefused as error:
        return {}, "", refusal_of(error).dict()
    return proposal_from(found), found.look, None


def proposal_from(found: Proposed) -> dict[str, Any]:
    """What is kept of a proposal with the file."""
    return {
        "columns": found.columns, "names": found.names, "rows": found.rows, "reasons": found.reasons,
        "questions": found.questions,
    }  # fmt: skip


def refusal_of(error: RennbahnError) -> Refusal:
    row, line = (error.row, error.line) if isinstance(error, CaptureRefused) else (None, None)
    return Refusal(reason=error.code, message=error.message, row=row, line=line, hint=error.hint)
