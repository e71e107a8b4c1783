"""Parts as a CSV table, out and in. Every fact of every kind has a column; a part fills those of its own kind."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from people.access import require
from people.models import Role
from problems import Problem
from pydantic import ValidationError
from rennbahn.capture.numbers import as_number
from rennbahn.errors import RennbahnError
from rennbahn.parts import KINDS, fact_from_text, fact_to_text, kind_named
from sheets import bare_cell, safe_cell

from bench.models import Part
from bench.schemas import Imported, PartIn
from bench.services import add_part, edit_part

_OWN = ("kind", "name", "maker", "price", "currency", "price_from", "weight_g", "notes")
_FACTS = tuple(dict.fromkeys(fact.name for kind in KINDS for fact in kind.facts))
#: A bench of this many parts is large; more in one file is a mistake.
MOST_ROWS = 5000
LARGEST_TABLE = 4 * 1024 * 1024


class RowProblem(Problem):
    """A row that cannot be taken, by its number among the data rows and the line of the file where it ends."""

    def __init__(self, row: int, line: int, error: RennbahnError) -> None:
        hint = error.hint or "Mend that row and hand the table in again: nothing of it was kept."
        super().__init__(error.code, error.message, field=error.field, hint=hint)
        self.row, self.line = row, line


def parts_csv() -> str:
    """All parts as CSV, with the columns that any of them fills and all that every part has."""
    parts = list(Part.objects.order_by("kind", "name"))
    filled = {name for part in parts for name in part.facts}
    facts = [name for name in _FACTS if name in filled]
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow([*_OWN, *facts])
    for part in parts:
        own = [part.kind, part.name, part.maker, "" if part.price is None else part.price, part.currency,
               part.price_from, "" if part.weight_g is None else part.weight_g, part.notes]  # fmt: skip
        sheet.writerow([safe_cell(str(value)) for value in [*own, *(fact_to_text(part.facts.get(n)) for n in facts)]])
    return out.getvalue()


def import_parts(user: User | AnonymousUser, content: bytes) -> Imported:
    """Add and change parts by a table: all rows or none. An empty cell says nothing and changes nothing.

    Raises :class:`RowProblem` at the first row that cannot be taken.
    """
    require(user, Role.LEAD)
    added = changed = unchanged = 0
    with transaction.atomic():
        known = {(part.kind, part.name.lower()): part for part in Part.objects.all()}
        for row, line, cells in _rows(content):
            try:
                kind, name = cells.pop("kind", ""), cells.get("name", "")
                part = known.get((kind_named(kind).id, name.lower()))
                data = _part_in(kind, cells, part)
                if part is None:
                    part = add_part(user, data)
                    known[kind, part.name.lower()] = part
                    added += 1
                elif data == _part_in(kind, {}, part):
                    unchanged += 1
                else:
                    known[kind, part.name.lower()] = edit_part(user, part.pk, data)
                    changed += 1
            except RennbahnError as error:
                raise RowProblem(row, line, error) from None
    return Imported(added=added, changed=changed, unchanged=unchanged)


def _rows(content: bytes) -> Iterator[tuple[int, int, dict[str, str]]]:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise Problem("not_text", "The table is not UTF-8 text.", field="file", hint="Save it as CSV, UTF-8.") from None
    first = text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    try:
        header = [name.strip() for name in next(reader, [])]
        _check_header(header)
        for row, fields in enumerate(reader, start=1):
            if not any(field.strip() for field in fields):
                continue
            if row > MOST_ROWS or len(fields) > len(header):
                message = f"over {MOST_ROWS} rows" if row > MOST_ROWS else "more fields than the header has"
                raise RowProblem(row, reader.line_num, Problem("broken_row", message))
            yield row, reader.line_num, dict(zip(header, (bare_cell(field.strip()) for field in fields), strict=False))
    except csv.Error as error:
        hint = "Open the file at that line: a quote may be left open."
        raise Problem("broken_row", f"line {reader.line_num}: {error}", field="file", hint=hint) from None


def _check_header(header: list[str]) -> None:
    missing = [name for name in ("kind", "name") if name not in header]
    if missing:
        message = f"The table has no column “{missing[0]}”."
        raise Problem("missing_column", message, field=missing[0], hint="Export the parts to see the columns.")
    for name in header:
        if name not in (*_OWN, *_FACTS):
            hint = f"Columns are: {', '.join((*_OWN, *_FACTS))}."
            raise Problem("unknown_column", f"No part has “{name}”.", field=name, hint=hint)
    if len(set(header)) < len(header):
        raise Problem("ambiguous_column", "Two columns bear the same name.", field="file", hint="Take one of them out.")


def _number(field: str, text: str, kind: type[int] | type[str]) -> Any:
    """A number as a person writes it, also with a decimal comma."""
    value = as_number(text, "," if "," in text else ".")
    if not math.isfinite(value) or (kind is int and value != int(value)):
        raise Problem("no_number", f"{field}: “{text[:40]}” is no number.", field=field)
    return int(value) if kind is int else text.strip().replace(",", ".")


def _part_in(kind: str, cells: dict[str, str], part: Part | None) -> PartIn:
    """What a row says, over what is known of the part."""
    definition = kind_named(kind)
    values: dict[str, Any] = {}
    facts: dict[str, Any] = {}
    if part is not None:
        values = {name: getattr(part, name) for name in _OWN[1:]}
        facts = dict(part.facts)
    for name, text in cells.items():
        if text == "":
            continue
        fact = definition.fact(name)
        if fact is not None:
            facts[name] = fact_from_text(fact, text)
        elif name == "weight_g":
            values[name] = _number(name, text, int)
        elif name == "price":
            values[name] = _number(name, text, str)
        elif name in _OWN:
            values[name] = text
        else:
            message = f"A {definition.label.lower()} has no {name}."
            raise Problem("unknown_fact", message, field=f"facts.{name}", hint="Leave that cell empty.")
    try:
        return PartIn(kind=kind, facts=facts, **values)
    except ValidationError as error:
        fault = error.errors()[0]
        field = ".".join(map(str, fault["loc"]))
        raise Problem("invalid", f"{field}: {fault['msg']}", field=field) from None
