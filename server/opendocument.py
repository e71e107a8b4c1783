"""The same tables as OpenDocument sheets: numbers as numbers, words as words, never a formula."""

from __future__ import annotations

import csv
import io
import re

from django.http import HttpResponse
from odfdo import Document, Row, Table
from sheets import bare_cell

#: How numbers are written by us: plain, or very small.
_NUMBER = re.compile(r"-?(0|[1-9]\d*)(\.\d+)?(e-\d+)?")
_MEDIA = "application/vnd.oasis.opendocument.spreadsheet"


def ods_of(content: str, title: str) -> bytes:
    """A CSV table as a sheet. Its cells have types, so that no word of it can be taken for a formula."""
    document = Document("spreadsheet")
    document.body.clear()
    table = Table(title)
    for cells in csv.reader(io.StringIO(content, newline="")):
        row = Row()
        row.set_values([_typed(cell) for cell in cells])
        table.append(row)
    document.body.append(table)
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def ods_answer(content: str, name: str) -> HttpResponse:
    """A CSV table as a sheet to be saved under a name."""
    response = HttpResponse(ods_of(content, name.removesuffix(".ods")), content_type=_MEDIA)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def _typed(cell: str) -> str | float | None:
    if cell == "":
        return None
    # A name may read as a number, as endless, or as none: 1e5 is a game, 007 a card.
    return float(cell) if _NUMBER.fullmatch(cell) else bare_cell(cell)
