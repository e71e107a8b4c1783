"""Notes on what the eye gets: told, and their pictures given out."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from page_marks import mark_of
from problems import NotFound
from studies.models import Study

from findings.models import EyeNote, EyePicture


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
            "pictures": shown.get(one.pk, []), "seen": note_mark(one),
        }
        for one in notes
    ]  # fmt: skip


def picture(study_id: int, from_lane: int, to_lane: int, side: str) -> HttpResponse:
    """A picture as it was handed in. Raises :class:`NotFound`."""
    found = EyePicture.objects.filter(
        note__study=study_id, note__from_lane=from_lane, note__to_lane=to_lane, side=side
    ).first()
    if found is None:
        raise NotFound("picture")
    response = HttpResponse(found.held(), content_type=found.media_type)
    # Its address names its content, so that it never changes beneath it.
    response.headers["Cache-Control"] = "private, max-age=86400"
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Content-Disposition"] = "inline"
    return response


def note_mark(note: EyeNote) -> str:
    """A mark of what a note says."""
    return mark_of([note.pk, note.words])
