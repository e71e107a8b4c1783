"""What a tester does about findings: notes on what the eye gets, with their pictures."""

from __future__ import annotations

import hashlib
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from intake.bounded import bounded
from page_marks import check_seen
from people.access import require
from people.models import Role
from pictures import look_at
from problems import NotFound, Problem
from storing import let_go, place
from studies.models import Lane
from studies.record import note as record
from studies.services import open_study

from findings.eye_notes import eye_notes, note_mark
from findings.models import EyeNote, EyePicture, Side
from findings.schemas import EyeNoteIn

Caller = User | AnonymousUser
#: A picture of a whole display without loss is smaller.
LARGEST_PICTURE = 24 * 1024 * 1024


def keep_note(user: Caller, study_id: int, from_lane: int, to_lane: int, data: EyeNoteIn) -> list[dict[str, Any]]:
    """Write down what the eye gets from one lane to another."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        open_study(study_id)
        note = _note(tester, study_id, from_lane, to_lane)
        check_seen("the note", data.seen, note_mark(note) if note.words else "", f"“{note.by.get_username()}” wrote")
        note.words, note.by = data.words, tester
        note.save()
        record(note.study, tester, "noted what the eye gets", f"{note}: {data.words}"[:300])
    return eye_notes(study_id)


def keep_picture(
    user: Caller, study_id: int, from_lane: int, to_lane: int, side: str, file: UploadedFile[Any] | None, seen: str = ""
) -> list[dict[str, Any]]:
    """Keep a picture of a side, in place of the one that was `seen` there. Raises :class:`Problem` of what is none.

    It is painted anew: what else a file may carry, as where it was taken, stays out.
    """
    tester = require(user, Role.TESTER)
    if side not in Side.values:
        raise NotFound("side")
    if file is None or (file.size or 0) > LARGEST_PICTURE:
        raise Problem("no_picture", "No picture came, or one over 24 MB.", field="file", hint="Hand in a PNG or JPEG.")
    content = file.read()
    found = bounded(look_at, content)
    placed = place(found.content)
    with transaction.atomic():
        open_study(study_id)
        note = _note(tester, study_id, from_lane, to_lane)
        there, stored = EyePicture.objects.filter(note=note, side=side).values_list("sha256", "stored").first() or (
            "",
            "",
        )
        check_seen("the picture", seen, there, lambda: "Somebody handed in another")
        let_go([stored])
        EyePicture.objects.update_or_create(
            note=note, side=side,
            defaults={
                "name": (file.name or "picture")[:200], "media_type": found.media_type, "width": found.width,
                "height": found.height, "sha256": hashlib.sha256(found.content).hexdigest(), **placed.fields(),
            },
        )  # fmt: skip
        record(note.study, tester, "kept a picture", f"{note}, {Side(side).label.lower()}: {file.name}"[:300])
    return eye_notes(study_id)


def _note(user: User, study_id: int, from_lane: int, to_lane: int) -> EyeNote:
    lanes = {lane.pk: lane for lane in Lane.objects.select_for_update().filter(study=study_id)}
    if from_lane not in lanes or to_lane not in lanes or from_lane == to_lane:
        raise NotFound("step of this study")
    found, _ = EyeNote.objects.get_or_create(
        from_lane=lanes[from_lane], to_lane=lanes[to_lane], defaults={"study_id": study_id, "by": user}
    )
    return found
