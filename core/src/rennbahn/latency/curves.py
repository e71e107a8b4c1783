"""Curves of a film: how bright a region is in each frame, and how much of it moved since the frame before."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Region:
    """A part of a picture, px."""

    left: int
    top: int
    width: int
    height: int

    def of(self, picture: NDArray[np.uint8]) -> NDArray[np.float32]:
        """What it shows of a grey picture, shape (rows, columns). Empty where it lies outside."""
        return picture[self.top : self.top + self.height, self.left : self.left + self.width].astype(np.float32)


@dataclass(frozen=True)
class Curve:
    """Of a region, a value a frame, grey levels: its mean brightness, and the mean change from the frame before at the
    same brightness, so that lamps that flicker move nothing (the first frame has none: 0).
    """

    bright: Floats
    moved: Floats


def curves_of(pictures: Iterable[NDArray[np.uint8]], regions: Iterable[Region]) -> tuple[Curve, ...]:
    """The curves of regions over the frames of a film, read once, one frame held at a time."""
    watched = tuple(regions)
    bright: list[list[float]] = [[] for _ in watched]
    moved: list[list[float]] = [[] for _ in watched]
    before: list[NDArray[np.float32] | None] = [None] * len(watched)
    for picture in pictures:
        for at, region in enumerate(watched):
            now = region.of(picture)
            mean = float(now.mean()) if now.size else 0.0
            alike = now / mean if mean else now
            last = before[at]
            bright[at].append(mean)
            moved[at].append(float(np.abs(alike - last).mean()) * mean if last is not None and now.size else 0.0)
            before[at] = alike
    return tuple(Curve(np.array(b), np.array(m)) for b, m in zip(bright, moved, strict=True))
