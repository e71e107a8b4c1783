"""Is a file a picture that may be shown? It is opened in a process with bounds, and never trusted by its name."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

from PIL import Image, UnidentifiedImageError
from rennbahn.errors import CaptureRefused

#: Forms of pictures that every browser shows.
FORMS = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}
#: Twice what the largest display at hand shows.
MOST_PIXELS = 70_000_000


_AS_GOOD_AS: dict[str, dict[str, Any]] = {
    "PNG": {"compress_level": 6}, "JPEG": {"quality": 97, "subsampling": 0}, "WEBP": {"lossless": True, "quality": 40},
}  # fmt: skip


@dataclass(frozen=True)
class Seen:
    """What a picture is: its form by its content, its size in pixels, and its pixels written anew."""

    media_type: str
    width: int
    height: int
    content: bytes


def look_at(content: bytes) -> Seen:
    """A picture decoded whole, so that what is kept can be shown. Raises :class:`CaptureRefused`."""
    try:
        with Image.open(io.BytesIO(content), formats=list(FORMS)) as picture:
            width, height = picture.size
            if width * height > MOST_PIXELS:
                raise CaptureRefused("too_large", f"the picture has {width} × {height} pixels; at most 70 million")
            form = str(picture.format)
            if getattr(picture, "n_frames", 1) > 1:
                raise CaptureRefused("no_picture", "the file holds moving pictures; one still picture is wanted")
            picture.load()
            content = _painted_anew(picture, form)
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise CaptureRefused("no_picture", "the file is no PNG, JPEG or WebP picture, or it is cut off") from error
    return Seen(FORMS[form], width, height, content)


def _painted_anew(picture: Image.Image, form: str) -> bytes:
    """The pixels and nothing else; of forms that lose, as little as can be."""
    plain = picture if picture.mode in ("RGB", "RGBA", "L") else picture.convert("RGBA" if form != "JPEG" else "RGB")
    plain.info.clear()
    out = io.BytesIO()
    plain.save(out, form, **_AS_GOOD_AS[form])
    return out.getvalue()
