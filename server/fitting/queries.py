"""What one can ask about what works together."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import product

from django.db.models import Prefetch, QuerySet
from django.http import HttpResponse
from page_marks import mark_of
from problems import NotFound
from rennbahn.fitting import (
    STATE_WORDS,
    Attempt,
    Fitted,
    Link,
    Place,
    cautions_of,
    checks_of,
    expected_link,
    helped_at,
    link_words,
    matrix_sentences,
    next_things,
    state_of,
)
from rennbahn.parts import kind_named
from sheets import safe_cell

from fitting.models import Axis, FitAttempt, Matrix, MatrixPart, Photograph
from fitting.schemas import (
    AttemptOut,
    AxisPart,
    MatrixOut,
    MatrixRow,
    PhotographOut,
    PlaceOut,
    TriedOut,
)

Key = tuple[int, int | None, int]


def whole() -> QuerySet[Matrix]:
    """Matrices with all that is told of them, in a fixed number of queries."""
    attempts = FitAttempt.objects.select_related("by", "struck_by").prefetch_related(
        Prefetch("photographs", Photograph.objects.defer("content"))
    )
    return Matrix.objects.select_related("by").prefetch_related(
        Prefetch("parts", MatrixPart.objects.select_related("part")), Prefetch("attempts", attempts)
    )


def one_matrix(matrix_id: int) -> Matrix:
    """A matrix with all that is told of it. Raises :class:`NotFound`."""
    found = whole().filter(pk=matrix_id).first()
    if found is None:
        raise NotFound("fit matrix")
    return found


class _Told:
    """A matrix by its places."""

    def __init__(self, matrix: Matrix) -> None:
        self.matrix = matrix
        self.parts = {one.pk: one for one in matrix.parts.all()}
        self.names = _names(list(self.parts.values()))
        self.axes = {axis: [one for one in self.parts.values() if one.axis == axis] for axis in Axis}
        between: Sequence[MatrixPart | None] = self.axes[Axis.VIA] or [None]
        self.keys: list[Key] = [
            (row.pk, via.pk if via else None, column.pk)
            for row, via, column in product(self.axes[Axis.ROW], between, self.axes[Axis.COLUMN])
        ]
        self.at: dict[Key, list[FitAttempt]] = {key: [] for key in self.keys}
        for one in matrix.attempts.all():
            self.at.setdefault((one.row_id, one.via_id, one.column_id), []).append(one)
        self.core = {
            self.place(key): [Attempt(one.outcome, tuple(one.changed)) for one in own if not one.struck_why]
            for key, own in self.at.items()
        }
        self.helped = helped_at(self.core)

    def place(self, key: Key) -> Place:
        row, via, column = key
        return Place(self._name(row), self._name(column), self._name(via))

    def fitted(self, key: Key) -> list[Fitted]:
        own = [self.parts[one].part for one in key if one is not None]
        return [Fitted(part.kind, part.name, part.facts) for part in own]

    def sentences(self) -> tuple[str, ...]:
        return matrix_sentences({self.place(key): self.state(key) for key in self.keys})

    def state(self, key: Key) -> str:
        return state_of(self.core[self.place(key)])

    def _name(self, part: int | None) -> str:
        return self.names[part] if part is not None else ""


def _names(parts: Sequence[MatrixPart]) -> dict[int, str]:
    """What parts are called in words; those that are called alike on an axis with their kinds."""
    many = Counter((one.axis, one.part.name) for one in parts)
    return {
        one.pk: one.part.name if many[one.axis, one.part.name] == 1
        else f"{one.part.name} ({kind_named(one.part.kind).label.lower()})"
        for one in parts
    }  # fmt: skip


def all_matrices() -> list[MatrixRow]:
    """All matrices, newest first, each with what is to be said of it first."""
    rows = []
    for matrix in whole():
        told = _Told(matrix)
        rows.append(
            MatrixRow(id=matrix.pk, title=matrix.title, sentence=told.sentences()[0], places=len(told.keys),
                      by=matrix.by.get_username(), at=matrix.at)
        )  # fmt: skip
    return rows


def matrix_out(matrix_id: int) -> MatrixOut:
    """A matrix with all its places. Raises :class:`NotFound`."""
    matrix = one_matrix(matrix_id)
    told = _Told(matrix)
    rows, via, columns = ([_axis_part(one) for one in told.axes[axis]] for axis in (Axis.ROW, Axis.VIA, Axis.COLUMN))
    return MatrixOut(
        id=matrix.pk, title=matrix.title, rows_are=matrix.rows_are, via_are=matrix.via_are,
        columns_are=matrix.columns_are, rows=rows, via=via, columns=columns, sentences=list(told.sentences()),
        places=[_place_out(told, key) for key in told.keys], by=matrix.by.get_username(), at=matrix.at,
        seen=matrix_mark(matrix),
    )  # fmt: skip


def matrix_mark(matrix: Matrix) -> str:
    """A mark of what is said of a matrix beside its attempts."""
    parts = [[one.axis, one.position, one.part_id] for one in matrix.parts.all()]
    return mark_of([matrix.title, matrix.rows_are, matrix.via_are, matrix.columns_are, parts])


def _axis_part(one: MatrixPart) -> AxisPart:
    return AxisPart(id=one.part_id, name=one.part.name, kind=one.part.kind)


def _place_out(told: _Told, key: Key) -> PlaceOut:
    fitted, attempts, state = told.fitted(key), told.at[key], told.state(key)
    row, via, column = key
    expected = expected_link(fitted)
    seen = next((_link(one) for one in reversed(attempts) if not one.struck_why and _link(one)), None)
    return PlaceOut(
        row=told.parts[row].part_id, via=told.parts[via].part_id if via is not None else None,
        column=told.parts[column].part_id, state=state, words=STATE_WORDS[state], link=link_words(expected, seen),
        checks=list(checks_of(fitted)), cautions=list(cautions_of(fitted)),
        attempts=[_attempt_out(told.matrix.pk, one, expected) for one in attempts],
        next=[
            TriedOut(change=one.change, words=f"helped at {_places(one.helped)}")
            for one in next_things(told.place(key), told.core[told.place(key)], told.helped)
        ],
    )  # fmt: skip


def _places(places: Iterable[Place]) -> str:
    return "; ".join(" + ".join(filter(None, (one.row, one.via, one.column))) for one in places)


def _link(one: FitAttempt) -> Link | None:
    return Link(one.generation, one.lanes) if one.generation is not None and one.lanes is not None else None


def _attempt_out(matrix: int, one: FitAttempt, expected: Link | None) -> AttemptOut:
    link = _link(one)
    return AttemptOut(
        id=one.pk, outcome=one.outcome, changed=one.changed, seen=one.seen,
        link=link_words(expected, link) if link else "", by=one.by.get_username(), at=one.at,
        struck=f"{one.struck_by.get_username()}: {one.struck_why}" if one.struck_by else "",
        photographs=[
            PhotographOut(id=row.pk, words=row.words, width=row.width, height=row.height,
                          source=f"/api/fits/{matrix}/photographs/{row.pk}")
            for row in one.photographs.all()
        ],
    )  # fmt: skip


def photograph(matrix_id: int, photograph_id: int) -> HttpResponse:
    """A photograph. Raises :class:`NotFound`."""
    found = Photograph.objects.filter(pk=photograph_id, attempt__matrix=matrix_id).first()
    if found is None:
        raise NotFound("photograph")
    response = HttpResponse(found.held(), content_type=found.media_type)
    response.headers["Cache-Control"] = "private, max-age=86400"
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Content-Disposition"] = "inline"
    return response


def matrix_csv(matrix_id: int) -> tuple[str, str]:
    """Every attempt as a row, places that nobody tried too; and a name for the table."""
    found = matrix_out(matrix_id)
    names = {one.id: one.name for one in (*found.rows, *found.via, *found.columns)}
    out = io.StringIO()
    sheet = csv.writer(out)
    head = (found.rows_are, found.via_are or "between", found.columns_are)
    sheet.writerow([*map(safe_cell, head), "stands", "attempt", "ended", "changed", "seen", "link", "by", "struck out"])
    for place in found.places:
        where = [safe_cell(names.get(one or 0, "")) for one in (place.row, place.via, place.column)]
        if not place.attempts:
            sheet.writerow([*where, place.words, "", "", "", "", safe_cell(place.link), "", ""])
        for number, one in enumerate(place.attempts, start=1):
            sheet.writerow(
                [
                    *where, place.words, number, STATE_WORDS[one.outcome], safe_cell("; ".join(one.changed)),
                    safe_cell(one.seen), safe_cell(one.link), safe_cell(one.by), safe_cell(one.struck),
                ]
            )  # fmt: skip
    return out.getvalue(), f"fit-{matrix_id}.csv"
