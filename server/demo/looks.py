"""Made-up pictures of a game under two presets: hills at dusk, with less and with more on them."""

from __future__ import annotations

import io
import math
import random

from PIL import Image, ImageDraw

_SIZE = (1280, 720)
_SKY = ((238, 196, 150), (92, 110, 140))
_HILLS = ((120, 126, 128), (88, 104, 98), (52, 74, 62))


def hills(detail: int, seed: int = 9) -> bytes:
    """A landscape as PNG; the more `detail`, the smoother its ridges and the more trees on them."""
    rng = random.Random(seed)  # noqa: S311 - a picture, no secret
    picture = Image.new("RGB", _SIZE)
    draw = ImageDraw.Draw(picture)
    width, height = _SIZE
    for y in range(height):
        share = y / height
        draw.line([(0, y), (width, y)], fill=tuple(round(a + (b - a) * share) for a, b in zip(*_SKY, strict=True)))
    for layer, colour in enumerate(_HILLS):
        waves = [(rng.uniform(0.5, 2.5), rng.uniform(0.0, 6.3), rng.uniform(18, 52)) for _ in range(5)]
        base = height * (0.45 + 0.17 * layer)

        def ridge(x: float, waves: list[tuple[float, float, float]] = waves, base: float = base) -> float:
            return base - sum(size * math.sin(rate * x / 160.0 + at) for rate, at, size in waves) / 2.0

        step = max(4, 120 // detail)
        line = [(at, ridge(at)) for at in range(0, width + step, step)]
        draw.polygon([(0, height), *line, (width, height)], fill=colour)
        dark = tuple(round(0.7 * part) for part in colour)
        for _ in range(detail * 14):
            x = rng.uniform(0, width)
            foot, tall = ridge(x) + rng.uniform(4, 60), rng.uniform(10, 26)
            draw.polygon([(x - tall / 3, foot), (x + tall / 3, foot), (x, foot - tall)], fill=dark)
    out = io.BytesIO()
    picture.save(out, "PNG", optimize=True)
    return out.getvalue()
