"""Parts as a CSV table, out and in. Every fact of every kind has a column; a part fills those of its own kind."""

from __future__ import annotations

import csv
import io
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from people.access import require
from people.models import Role
from problems import Problem
from pydantic import ValidationError
from rennbahn.errors import RennbahnError
from rennbahn.parts import KINDS, fact_from_text, fact_to_text, kind_named
from sheets import Imported, number_in, rows_of, safe_cell

from bench.models import Part
from bench.schemas import PartIn
from bench.services import add_part, edit_part

_OWN = ("kind", "name", "maker", "price", "currency", "price_from", "price_day", "weight_g", "notes")
_FACTS = tuple(dict.fromkeys(fact.name for kind in KINDS for fact in kind.facts))


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
               part.price_from, part.price_day or "", "" if part.weight_g is None else part.weight_g,
               part.notes]  # fmt: skip
        sheet.writerow([safe_cell(str(value)) for value in [*own, *(fact_to_text(part.facts.get(n)) for n in facts)]])
    return out.getvalue()


def import_parts(user: User | AnonymousUser, content: bytes) -> Imported:
    """Add and change parts by a table: all rows or none. An empty cell says nothing and changes nothing.

    Raises :class:`sheets.RowProblem` at the first row that cannot be taken.
    """
    require(user, Role.LEAD)
    added = changed = unchanged = 0
    with transaction.atomic():
        known = {(part.kind, part.name.lower()): part for part in Part.objects.all()}
        for row in rows_of(content, (*_OWN, *_FACTS), ("kind", "name"), "Export the parts to see the columns."):
            try:
                cells = dict(row.cells)
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
                raise row.problem(error) from None
    return Imported(added=added, changed=changed, unchanged=unchanged)


def _price(text: str) -> str:
    """A price to the cent, as it is written but for a decimal comma."""
    number_in("price", text)
    return text.replace(",", ".")


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
            values[name] = int(number_in(name, text, whole=True))
        elif name == "price":
            values[name] = _price(text)
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
