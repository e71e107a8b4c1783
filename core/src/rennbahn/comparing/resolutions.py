"""What a game is told to draw: sizes as people write them, and which lane draws natively what an upscaled one draws."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

from rennbahn.planning.settings import is_off

#: Sizes inside upscaling are rounded to whole pixels and multiples of eight: within this share they are the same.
SAME_PIXELS = 0.02


@dataclass(frozen=True)
class Drawing:
    """What a condition tells the game to draw: size and upscaling as typed, and all else the picture depends on."""

    resolution: str = ""
    upscaling: str = ""
    preset: str = ""
    ray_tracing: str = ""
    api: str = ""


def pixels_of(resolution: str) -> tuple[int, int] | None:
    """Width and height out of a resolution as people write it; None where that is not two numbers.

    >>> pixels_of("2560 × 1440"), pixels_of("1440p")
    ((2560, 1440), None)
    """
    sides = [int(x) for x in "".join(c if c.isdigit() else " " for c in resolution).split()]
    return (sides[0], sides[1]) if len(sides) == 2 and min(sides) > 0 else None


def inside_pixels(told: Drawing) -> float | None:
    """How many pixels an upscaled picture is drawn with: by a size, or by a share of each side; None without either.

    >>> round(inside_pixels(Drawing("3840 × 2160", "performance, 50 %")))
    2073600
    """
    if not told.upscaling or is_off(told.upscaling):
        return None
    # A share first: its whole part and its fraction are two numbers too.
    share = re.search(r"(\d+(?:[.,]\d+)?)\s*%", told.upscaling)
    if share is not None:
        outside = pixels_of(told.resolution)
        return None if outside is None else math.prod(outside) * (float(share[1].replace(",", ".")) / 100.0) ** 2
    size = pixels_of(told.upscaling)
    return None if size is None else float(math.prod(size))


def chain_of(told: Drawing | None) -> str:
    """What steps of a scaling are held against each other within: the size of the picture as it is put out."""
    if told is None:
        return ""
    size = pixels_of(told.resolution)
    return f"{size[0]} x {size[1]}" if size else " ".join(told.resolution.split()).casefold()


def native_of(lane: int, told: Sequence[Drawing | None]) -> int | None:
    """Which lane draws natively what an upscaled one draws inside, all else told alike; None of a native lane.

    Lanes are named by their place; None stands for one that imposes no condition.
    """
    own = told[lane]
    inside = None if own is None else inside_pixels(own)
    return None if own is None or inside is None else _native_with(lane, told, own, inside)


def native_at_output_of(lane: int, told: Sequence[Drawing | None]) -> int | None:
    """Which lane draws natively the size that an upscaled one puts out, all else told alike; None of a native lane."""
    own = told[lane]
    if own is None or not own.upscaling or is_off(own.upscaling):
        return None
    outside = pixels_of(own.resolution)
    return None if outside is None else _native_with(lane, told, own, float(math.prod(outside)))


def _native_with(lane: int, told: Sequence[Drawing | None], own: Drawing, wanted: float) -> int | None:
    for at, other in enumerate(told):
        if other is None or at == lane or (other.upscaling and not is_off(other.upscaling)):
            continue
        pixels = pixels_of(other.resolution)
        alike = (other.preset, other.ray_tracing, other.api) == (own.preset, own.ray_tracing, own.api)
        if alike and pixels is not None and abs(pixels[0] * pixels[1] / wanted - 1.0) <= SAME_PIXELS:
            return at
    return None
