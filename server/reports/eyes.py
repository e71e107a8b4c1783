"""What the eye gets from one lane to another, as a block of a report: the note, and two pictures under a divider."""

from __future__ import annotations

import base64
import io
from dataclasses import dataclass
from typing import Any

from findings.models import EyeNote, EyePicture, Side
from PIL import Image
from problems import NotFound

#: How wide a picture is that a page of an article carries, px, and its quality of 100.
_WIDEST, _QUALITY = 1600, 84


@dataclass(frozen=True)
class EyeLook:
    """From which lane to which."""

    from_lane: int
    to_lane: int


def eye_shown(study: int, look: EyeLook) -> dict[str, Any]:
    """What such a block shows, in the form of `EyeShown`. Raises :class:`NotFound`."""
    note = (
        EyeNote.objects.filter(study=study, from_lane=look.from_lane, to_lane=look.to_lane)
        .select_related("from_lane", "to_lane", "by")
        .first()
    )
    if note is None:
        raise NotFound("note on what the eye gets")
    there = {one["side"]: one for one in note.pictures.values("side", "width", "height", "sha256")}
    address = f"/api/studies/{study}/eye-notes/{look.from_lane}/{look.to_lane}"
    sides = [
        {
            "lane": lane.name, "position": lane.position, "width": there[side]["width"],
            "height": there[side]["height"], "sha256": there[side]["sha256"],
            "source": f"{address}/{side}?mark={there[side]['sha256'][:12]}",
        }
        for side, lane in ((Side.FROM, note.from_lane), (Side.TO, note.to_lane))
        if side in there
    ]  # fmt: skip
    step = f"{note.from_lane.name} to {note.to_lane.name}"
    seen = " ".join(note.words.split())
    return {
        "step": step, "words": note.words, "by": note.by.get_username(), "sides": sides,
        "text": f"{step}: {seen}" if seen else f"{step}, as they look",
    }  # fmt: skip


def eye_mark(study: int, look: EyeLook) -> list[Any]:
    """What tells one state of such a block from another; a study's record knows nothing of it."""
    of = {"study": study, "from_lane": look.from_lane, "to_lane": look.to_lane}
    pictures = EyePicture.objects.filter(**{f"note__{name}": one for name, one in of.items()})
    return [*EyeNote.objects.filter(**of).values_list("pk", "words"), *pictures.values_list("side", "sha256")]


def carried(study: int, look: EyeLook, shown: dict[str, Any]) -> dict[str, Any]:
    """The same with the pictures within it, for a page that needs no server."""
    bytes_of = {
        one.sha256: one.held()
        for one in EyePicture.objects.filter(
            note__study=study, note__from_lane=look.from_lane, note__to_lane=look.to_lane
        )
    }
    sides = [{**side, "source": _carried(bytes_of[side["sha256"]])} for side in shown["sides"]]
    return {**shown, "sides": sides}


def _carried(content: bytes) -> str:
    """A picture as an address that holds it. It was painted anew when it came."""
    out = io.BytesIO()
    with Image.open(io.BytesIO(content)) as opened:
        picture = opened.convert("RGB")
    picture.thumbnail((_WIDEST, _WIDEST))
    picture.save(out, "JPEG", quality=_QUALITY, optimize=True, progressive=True)
    return f"data:image/jpeg;base64,{base64.b64encode(out.getvalue()).decode()}"
