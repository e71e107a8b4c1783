"""What a tester does about what works together. A lead lays the matrix out, and strikes out what was noted wrongly."""

from __future__ import annotations

import hashlib
from typing import Any

from bench.models import Part, SetupVersion
from bench.schemas import PricedRef, SetupIn
from bench.services import setup_like
from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from intake.bounded import bounded
from page_marks import check_seen
from people.access import require
from people.edits import last_edit, note_edit
from people.models import Role
from pictures import look_at
from problems import Conflict, NotFound, Problem
from rennbahn.fitting import WORKING, Attempt, state_of
from storing import place as put

from fitting.models import Axis, FitAttempt, Matrix, MatrixPart, Photograph
from fitting.queries import matrix_mark
from fitting.schemas import AttemptIn, AttemptStrike, FitPlaceIn, MatrixEdit, MatrixIn

Caller = User | AnonymousUser
LARGEST_PICTURE = 24 * 1024 * 1024
#: Of more, what to try next takes longer than one waits.
_MOST_PLACES = 600
_MOST_PHOTOGRAPHS = 12


def save_matrix(user: Caller, data: MatrixIn, matrix_id: int | None = None) -> Matrix:
    """Lay a matrix out, or change it. A part with attempts stays on its axis."""
    lead = require(user, Role.LEAD)
    if bool(data.via) != bool(data.via_are):
        raise Problem("between_half", "What is between has a name and parts, or neither.", field="via_are")
    if len(data.rows) * max(1, len(data.via)) * len(data.columns) > _MOST_PLACES:
        raise Problem("too_many_places", f"A matrix has at most {_MOST_PLACES} places.", field="rows")
    with transaction.atomic():
        matrix = Matrix(by=lead) if matrix_id is None else _locked(matrix_id)
        if isinstance(data, MatrixEdit):
            own = matrix.pk
            check_seen(f"“{matrix.title}”", data.seen, matrix_mark(matrix), lambda: last_edit("fit matrix", own))
        for name in ("title", "rows_are", "via_are", "columns_are"):
            setattr(matrix, name, getattr(data, name))
        matrix.save()
        for axis, wanted in ((Axis.ROW, data.rows), (Axis.VIA, data.via), (Axis.COLUMN, data.columns)):
            _write_axis(matrix, axis, wanted)
        note_edit(lead, "fit matrix", matrix.pk)
    return matrix


def _write_axis(matrix: Matrix, axis: Axis, wanted: list[int]) -> None:
    field = {Axis.ROW: "rows", Axis.VIA: "via", Axis.COLUMN: "columns"}[axis]
    if len(set(wanted)) < len(wanted):
        raise Problem("part_twice", "A part stands once on an axis.", field=field)
    if Part.objects.filter(pk__in=wanted).count() < len(wanted):
        raise Problem("part_missing", "One of them is no part of the bench.", field=field)
    there = {one.part_id: one for one in matrix.parts.filter(axis=axis)}
    for part_id, gone in there.items():
        if part_id not in wanted:
            if FitAttempt.objects.filter(**{axis.value: gone}).exists():
                raise Conflict(
                    "part_tried", f"“{gone}” was tried: it stays.", field=field,
                    hint="Begin another matrix without it.",
                )  # fmt: skip
            gone.delete()
    if axis is Axis.VIA and wanted and FitAttempt.objects.filter(matrix=matrix, via=None).exists():
        raise Conflict("tried_without", "Places were tried with nothing between.", field=field)
    for position, part_id in enumerate(wanted):
        MatrixPart.objects.update_or_create(matrix=matrix, axis=axis, part_id=part_id, defaults={"position": position})


def add_attempt(user: Caller, matrix_id: int, data: AttemptIn) -> FitAttempt:
    """Note an attempt, once however often it is sent."""
    tester = require(user, Role.TESTER)
    if (data.generation is None) != (data.lanes is None):
        raise Problem("link_half", "A link has a generation and lanes.", field="lanes", hint="Say both, or neither.")
    with transaction.atomic():
        matrix = _locked(matrix_id)
        known = FitAttempt.objects.filter(client_id=data.client_id, matrix=matrix).first()
        if known is not None:
            return known
        row, via, column = _place(matrix, FitPlaceIn(row=data.row, via=data.via, column=data.column))
        return FitAttempt.objects.create(
            matrix=matrix, row=row, via=via, column=column, by=tester,
            **data.model_dump(exclude={"row", "via", "column"}),
        )  # fmt: skip


def strike_attempt(user: Caller, attempt_id: int, data: AttemptStrike) -> FitAttempt:
    """Strike an attempt out: it stays, with why, and counts no more."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        found = FitAttempt.objects.select_for_update(of=("self",)).filter(pk=attempt_id).first()
        if found is None:
            raise NotFound("attempt")
        if not found.struck_why:
            found.struck_why, found.struck_by = data.why, lead
            found.save(update_fields=["struck_why", "struck_by"])
    return found


def add_photograph(user: Caller, attempt_id: int, upload: UploadedFile[Any] | None, words: str) -> FitAttempt:
    """Keep a photograph of an attempt. It is painted anew: where it was taken stays out."""
    require(user, Role.TESTER)
    if upload is None or (upload.size or 0) > LARGEST_PICTURE:
        raise Problem("no_picture", "No picture came, or one over 24 MB.", field="file", hint="Hand in a PNG or JPEG.")
    words = " ".join(words.split())
    if not words:
        raise Problem("no_words", "What does the picture show?", field="words", hint="Say it for who cannot see it.")
    attempt = FitAttempt.objects.filter(pk=attempt_id).first()
    if attempt is None:
        raise NotFound("attempt")
    found = bounded(look_at, upload.read())
    placed = put(found.content)
    with transaction.atomic():
        FitAttempt.objects.select_for_update(of=("self",)).get(pk=attempt_id)
        if attempt.photographs.count() >= _MOST_PHOTOGRAPHS:
            raise Conflict("too_many_photographs", f"An attempt has at most {_MOST_PHOTOGRAPHS} photographs.")
        Photograph.objects.get_or_create(
            attempt=attempt, sha256=hashlib.sha256(found.content).hexdigest(),
            defaults={"words": words, "media_type": found.media_type, "width": found.width, "height": found.height,
                      **placed.fields()},
        )  # fmt: skip
    return attempt


def place_setup(user: Caller, matrix_id: int, data: FitPlaceIn) -> SetupVersion:
    """The setup that a place which works is, for a lane of a study."""
    require(user, Role.LEAD)
    with transaction.atomic():
        matrix = _locked(matrix_id)
        row, via, column = _place(matrix, data)
        own = FitAttempt.objects.filter(matrix=matrix, row=row, via=via, column=column, struck_why="")
        if state_of([Attempt(one.outcome) for one in own]) not in WORKING:
            raise Conflict("does_not_work", "That does not work yet.", hint="Note the attempt in which it does.")
        parts = [one.part for one in (row, via, column) if one is not None]
        name = " + ".join(part.name for part in parts)[:120]
        return setup_like(user, SetupIn(name=name, parts=[PricedRef(kind=part.kind, name=part.name) for part in parts]))


def _place(matrix: Matrix, data: FitPlaceIn) -> tuple[MatrixPart, MatrixPart | None, MatrixPart]:
    there = {(one.axis, one.part_id): one for one in matrix.parts.select_related("part")}
    row, column = there.get((Axis.ROW, data.row)), there.get((Axis.COLUMN, data.column))
    via = there.get((Axis.VIA, data.via)) if data.via is not None else None
    has_via = any(axis == Axis.VIA for axis, _ in there)
    if row is None or column is None or (via is None) == has_via:
        raise NotFound("place in this matrix")
    return row, via, column


def _locked(matrix_id: int) -> Matrix:
    found = Matrix.objects.select_for_update(of=("self",)).filter(pk=matrix_id).first()
    if found is None:
        raise NotFound("fit matrix")
    return found
