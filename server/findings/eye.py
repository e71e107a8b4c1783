"""Notes on what the eye gets: kept, told, and their pictures given out."""

from __future__ import annotations

import hashlib
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.http import HttpResponse
from intake.bounded import bounded
from people.access import require
from people.models import Role
from problems import NotFound, Problem
from seen import check_seen, mark_of
from studies.models import Lane, Study
from studies.record import note as record

from findings import pictures
from findings.models import EyeNote, EyePicture, Side
from findings.schemas import EyeNoteIn

Caller = User | AnonymousUser
#: A picture of a whole display without loss is smaller.
LARGEST_PICTURE = 24 * 1024 * 1024


def eye_notes(study_id: int) -> list[dict[str, Any]]:
    """The notes of a study with what pictures there are, as `EyeNoteOut` has them. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    notes = EyeNote.objects.filter(study=study_id).select_related("by")
    shown: dict[int, list[dict[str, Any]]] = {}
    names = ("side", "name", "width", "height", "sha256")
    for row in EyePicture.objects.filter(note__study=study_id).values("note_id", *names):
        shown.setdefault(row.pop("note_id"), []).append(row)
    return [
        {
            "from_lane": one.from_lane_id, "to_lane": one.to_lane_id, "words": one.words, "by": one.by.get_username(),
            "pictures": shown.get(one.pk, []), "seen": _mark(one),
        }
        for one in notes
    ]  # fmt: skip


def keep_note(user: Caller, study_id: int, from_lane: int, to_lane: int, data: EyeNoteIn) -> list[dict[str, Any]]:
    """Write down what the eye gets from one lane to another."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        note = _note(tester, study_id, from_lane, to_lane)
        check_seen("the note", data.seen, _mark(note) if note.words else "", f"“{note.by.get_username()}” wrote")
        note.words, note.by = data.words, tester
        note.save()
        record(note.study, tester, "noted what the eye gets", f"{note}: {data.words}"[:300])
    return eye_notes(study_id)


def keep_picture(
    user: Caller, study_id: int, from_lane: int, to_lane: int, side: str, file: UploadedFile[Any] | None
) -> list[dict[str, Any]]:
    """Keep a picture of a side, in place of one that is there. Raises :class:`Problem` of what is none."""
    tester = require(user, Role.TESTER)
    if side not in Side.values:
        raise NotFound("side")
    if file is None or (file.size or 0) > LARGEST_PICTURE:
        raise Problem("no_picture", "No picture came, or one over 24 MB.", field="file", hint="Hand in a PNG or JPEG.")
    content = file.read()
    found = bounded(pictures.look_at, content)
    with transaction.atomic():
        note = _note(tester, study_id, from_lane, to_lane)
        EyePicture.objects.update_or_create(
            note=note, side=side,
            defaults={
                "name": (file.name or "picture")[:200], "media_type": found.media_type, "width": found.width,
                "height": found.height, "sha256": hashlib.sha256(content).hexdigest(), "content": content,
            },
        )  # fmt: skip
        record(note.study, tester, "kept a picture", f"{note}, {Side(side).label.lower()}: {file.name}"[:300])
    return eye_notes(study_id)


def picture(study_id: int, from_lane: int, to_lane: int, side: str) -> HttpResponse:
    """A picture as it was handed in. Raises :class:`NotFound`."""
    found = EyePicture.objects.filter(
        note__study=study_id, note__from_lane=from_lane, note__to_lane=to_lane, side=side
    ).first()
    if found is None:
        raise NotFound("picture")
    response = HttpResponse(bytes(found.content), content_type=found.media_type)
    # Its address names its content, so that it never changes beneath it.
    response.headers["Cache-Control"] = "private, max-age=86400"
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Content-Disposition"] = "inline"
    return response


def _note(user: User, study_id: int, from_lane: int, to_lane: int) -> EyeNote:
    lanes = {lane.pk: lane for lane in Lane.objects.select_for_update().filter(study=study_id)}
    if from_lane not in lanes or to_lane not in lanes or from_lane == to_lane:
        raise NotFound("step of this study")
    found, _ = EyeNote.objects.get_or_create(
        from_lane=lanes[from_lane], to_lane=lanes[to_lane], defaults={"study_id": study_id, "by": user}
    )
    return found


def _mark(note: EyeNote) -> str:
    return mark_of([note.pk, note.words])
