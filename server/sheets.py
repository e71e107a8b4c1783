"""CSV tables: cells that spreadsheets open without harm, and rows read with the place of whatever is wrong."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from answering import Out
from django.core.files.uploadedfile import UploadedFile
from django.http import HttpResponse
from problems import Problem
from rennbahn.capture.numbers import as_number
from rennbahn.errors import RennbahnError
from strict import SMALLEST, checked

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def safe_cell(text: str) -> str:
    """Text that a spreadsheet will not take for a formula, whatever a user called their things."""
    return f"'{text}" if text[:1] in _FORMULA else text


def bare_cell(text: str) -> str:
    """What :func:`safe_cell` made safe, as it was."""
    return text[1:] if text[:1] == "'" and text[1:2] in _FORMULA else text


class Imported(Out):
    """What became of the rows of a table."""

    added: int
    changed: int
    unchanged: int


def csv_answer(content: str, name: str) -> HttpResponse:
    """A table to be saved under a name."""
    response = HttpResponse(content, content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


#: A bench of this many things is large; more in one file is a mistake.
MOST_ROWS = 5_000
LARGEST_TABLE = 4 * 1024 * 1024


class RowProblem(Problem):
    """A row that cannot be taken, by its number among the data rows and the line of the file where it ends."""

    def __init__(self, row: int, line: int, error: RennbahnError) -> None:
        hint = error.hint or "Mend that row and hand the table in again: nothing of it was kept."
        super().__init__(error.code, error.message, field=error.field, hint=hint, row=row)
        self.line = line


@dataclass(frozen=True)
class Row:
    """A data row of a table: its number from 1, the line where it ends, and its cells by column."""

    number: int
    line: int
    cells: dict[str, str]

    def problem(self, error: RennbahnError) -> RowProblem:
        """The error, told with this row."""
        return RowProblem(self.number, self.line, error)


def table_file(file: UploadedFile[Any] | None) -> bytes:
    """The bytes of a table that came. Raises :class:`Problem` where none did, or one too large."""
    if file is None or (file.size or 0) > LARGEST_TABLE:
        raise Problem("no_table", "No table came, or one over 4 MB.", field="file", hint="Save the sheet as CSV.")
    content: bytes = file.read()
    return content


def rows_of(content: bytes, columns: Sequence[str], needed: Sequence[str], hint: str) -> Iterator[Row]:
    """The rows of a CSV table with comma, semicolon or tab; empty ones are passed over.

    Raises :class:`Problem` naming the column or line that cannot be taken; `hint` says where the columns are told.
    """
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise Problem("not_text", "The table is not UTF-8 text.", field="file", hint="Save it as CSV, UTF-8.") from None
    first = text.partition("\n")[0]
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=first.count), strict=True)
    try:
        header = [name.strip().lower() for name in next(reader, [])]
        _check_header(header, columns, needed, hint)
        for number, fields in enumerate(reader, start=1):
            if not any(field.strip() for field in fields):
                continue
            if number > MOST_ROWS or len(fields) > len(header):
                message = f"over {MOST_ROWS} rows" if number > MOST_ROWS else "more fields than the header has"
                raise RowProblem(number, reader.line_num, Problem("broken_row", message))
            cells = {name: bare_cell(field.strip()) for name, field in zip(header, fields, strict=False)}
            row = Row(number, reader.line_num, cells)
            try:
                row = Row(number, reader.line_num, {name: checked(text, name) for name, text in cells.items()})
            except RennbahnError as error:
                raise row.problem(error) from None
            yield row
    except csv.Error as error:
        hint = "Open the file at that line: a quote may be left open."
        raise Problem("broken_row", f"line {reader.line_num}: {error}", field="file", hint=hint) from None


def _check_header(header: list[str], columns: Sequence[str], needed: Sequence[str], hint: str) -> None:
    for name in header:
        if name not in columns:
            known = f"Columns are: {', '.join(columns)}."
            raise Problem("unknown_column", f"“{name[:60]}” is no column of this table.", field=name[:60], hint=known)
    for name in needed:
        if name not in header:
            raise Problem("missing_column", f"The table has no column “{name}”.", field=name, hint=hint)
    if len(set(header)) < len(header):
        raise Problem("ambiguous_column", "Two columns bear the same name.", field="file", hint="Take one of them out.")


def number_in(field: str, text: str, *, whole: bool = False) -> float:
    """A number as a person writes it, also with a decimal comma. Raises :class:`Problem` with the field."""
    value = as_number(text, "," if "," in text else ".")
    if not math.isfinite(value) or 0.0 < abs(value) < SMALLEST or (whole and value != int(value)):
        what = "whole number" if whole else "number"
        raise Problem("no_number", f"{field}: “{text[:40]}” is no {what}.", field=field)
    return value
