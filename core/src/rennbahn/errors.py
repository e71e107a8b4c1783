"""The named errors of the core. Each carries the facts that a caller needs to explain it."""

from __future__ import annotations

from typing import Any


class RennbahnError(Exception):
    """Base of all errors raised on purpose. `code` is stable, `message` is for people, `hint` says the remedy."""

    def __init__(self, code: str, message: str, *, field: str | None = None, hint: str | None = None) -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.field = field
        self.hint = hint

    def __reduce__(self) -> tuple[Any, ...]:
        # By its facts: it comes out of a process of its own, and constructors differ.
        return _again, (type(self), self.args, self.__dict__)


def _again(kind: type[RennbahnError], args: tuple[Any, ...], facts: dict[str, Any]) -> RennbahnError:
    error = kind.__new__(kind, *args)
    error.args = args
    error.__dict__.update(facts)
    return error


class CaptureRefused(RennbahnError):
    """A capture that cannot be read without guessing.

    `reason` is one of :data:`REASONS`; `row` counts data rows from 1, `line` counts lines of the file from 1
    (none for Parquet and Arrow).
    """

    def __init__(
        self,
        reason: str,
        message: str,
        *,
        row: int | None = None,
        line: int | None = None,
        hint: str | None = None,
    ) -> None:
        super().__init__(reason, message, hint=hint or REASONS.get(reason))
        self.reason = reason
        self.row = row
        self.line = line

    def sentence(self) -> str:
        """`row N (line M): reason`, as far as row and line are known."""
        where = ""
        if self.row is not None:
            where = f"row {self.row}" + (f" (line {self.line})" if self.line is not None else "") + ": "
        return where + self.message


#: Reason codes of a refused capture, each with its remedy.
REASONS = {
    "not_a_number": "Open the file at that row: the logger wrote something that is no number, or the column map "
    "names the wrong column or decimal sign.",
    "not_finite": "A frame cannot take forever: the logger lost its clock there. Record the pass again.",
    "zero": "Two frames cannot arrive at the same instant. Record the pass again.",
    "negative": "A frame cannot take less than no time. Check the column and unit, or record the pass again.",
    "over_limit": "A frame of more than a minute is a pause, or the unit in the column map is wrong.",
    "under_limit": "A frame of less than a nanosecond is none: check the unit and the column in the column map.",
    "out_of_range": "No sensor gives such a value: check the column and its unit in the column map, or leave it out.",
    "timestamps_backwards": "The clock ran backwards there: two recordings in one file, or the wrong column.",
    "broken_row": "The row has too few or too many fields, as when a recording was cut off. Record the pass again "
    "or take the rest of the row from the logger.",
    "missing_column": "Choose a column that the file has, or a column map made for this kind of file.",
    "ambiguous_column": "Two columns bear the same name; rename one in the logger's settings.",
    "no_frames": "The file holds no frame. Check that the logger was recording.",
    "unreadable": "The file is not what the column map says. Check that it is the capture itself.",
    "too_long": "Check the unit of the column: milliseconds taken for seconds make an hour of every few seconds. "
    "Else cut the pass out of the log.",
    "too_large": "Trim the recording in the logger, or split it into passes.",
}
