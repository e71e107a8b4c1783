"""A simulated camera: pictures of a button that is pressed and a screen that answers, from a seed, with the truth.

Pictures are grey, 0 to 255. The world is exact in time; the camera has a rate of its own, exposes for a part of each
frame, reads its lines one after the other, and adds noise. A file on its way to a desk can lose or double frames.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]

WIDTH, HEIGHT = 160, 90
#: Where the button and the screen are: left, top, width, height, px.
BUTTON, SCREEN = (12, 30, 40, 44), (80, 14, 68, 60)
_GROUND, _CAP, _DARK, _BRIGHT = 70.0, 190.0, 30.0, 215.0
#: How wide the button is, and how far it goes down, px.
_CAP_SIZE, _TRAVEL = (28, 14), 12.0
#: Moments at which an exposure is looked at.
_MOMENTS = 4


@dataclass(frozen=True)
class TruePress:
    """When a press began to move, when it stood still, and when the screen answered, s."""

    began_s: float
    still_s: float
    answered_s: float
    released_s: float

    @property
    def latency_ms(self) -> float:
        """From the button's standing still to the answer."""
        return (self.answered_s - self.still_s) * 1000.0


@dataclass(frozen=True)
class Camera:
    """A camera: `fps` its true rate, `exposure` and `rolling` as shares of a frame, `noise` in grey levels.

    `flicker` is the share by which lamps make light swing, a hundred times a second. `keep_every` drops all frames but
    every so manieth, as a conversion does; `doubled` is the share of frames that come twice, the next being lost.
    """

    fps: float
    exposure: float = 0.5
    rolling: float = 0.3
    noise: float = 3.0
    flicker: float = 0.0
    keep_every: int = 1
    doubled: float = 0.0


@dataclass(frozen=True)
class World:
    """What is filmed: presses with their answers, and how long the screen takes to turn, s."""

    presses: tuple[TruePress, ...]
    turn_s: float = 0.003
    length_s: float = field(default=0.0)

    @property
    def end_s(self) -> float:
        """When the film ends."""
        last = max((one.released_s for one in self.presses), default=0.0)
        return self.length_s or last + 0.5

    def pressed(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far down the button is at moments, 0 to 1."""
        found = np.zeros_like(t)
        for one in self.presses:
            down = np.clip((t - one.began_s) / (one.still_s - one.began_s), 0.0, 1.0)
            up = np.clip((t - one.released_s) / 0.02, 0.0, 1.0)
            found = np.maximum(found, down * (1.0 - up))
        return found

    def bright(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """How bright the screen is at moments, 0 to 1: from an answer on until a while after the release."""
        found = np.zeros_like(t)
        for one in self.presses:
            on = np.clip((t - one.answered_s) / self.turn_s, 0.0, 1.0)
            off = np.clip((t - one.released_s - 0.15) / self.turn_s, 0.0, 1.0)
            found = np.maximum(found, on * (1.0 - off))
        return found


def world_of(rng: np.random.Generator, latencies_ms: NDArray[np.float64], apart_s: float = 0.9) -> World:
    """A world of presses at uneven moments, with these latencies."""
    presses, at = [], 0.4
    for latency in latencies_ms:
        began = at + float(rng.uniform(0.0, 0.2))
        still = began + float(rng.uniform(0.012, 0.03))
        released = still + max(float(latency) / 1000.0, 0.0) + float(rng.uniform(0.12, 0.2))
        presses.append(TruePress(began, still, still + float(latency) / 1000.0, released))
        at = released + apart_s * float(rng.uniform(0.5, 1.0))
    return World(tuple(presses))


def filmed(world: World, camera: Camera, rng: np.random.Generator) -> Iterator[Picture]:
    """The frames of a film, one after the other."""
    frames = math.floor(world.end_s * camera.fps)
    before: Picture | None = None
    lost = False
    for frame in range(0, frames, camera.keep_every):
        picture = _picture(world, camera, frame / camera.fps, rng)
        if lost and before is not None:
            # What was doubled took the place of this one.
            picture = before
        yield picture
        lost = camera.doubled > 0 and bool(rng.random() < camera.doubled)
        before = picture


def true_frames(world: World, camera: Camera) -> list[tuple[int, int]]:
    """Of each press the first frame in which the button stands still, and the first that has the answer."""
    step = camera.keep_every / camera.fps
    shown = camera.exposure * camera.keep_every / 2.0 / camera.fps
    return [
        (math.ceil(one.still_s / step), max(math.ceil((one.answered_s - shown) / step), 0)) for one in world.presses
    ]


def _picture(world: World, camera: Camera, begin: float, rng: np.random.Generator) -> Picture:
    """A frame that begins to be exposed at a moment, s: lines are read one after the other."""
    lines = np.arange(HEIGHT) / HEIGHT * camera.rolling / camera.fps
    moments = begin + lines[:, None] + (np.arange(_MOMENTS) + 0.5) / _MOMENTS * camera.exposure / camera.fps
    down, bright = world.pressed(moments), world.bright(moments)
    picture = np.full((HEIGHT, WIDTH), _GROUND)
    left, top, wide, tall = BUTTON
    x = left + (wide - _CAP_SIZE[0]) // 2
    rows = np.arange(HEIGHT)[:, None]
    upper = top + 6 + down * _TRAVEL
    # How much of a line the cap covers, averaged over the exposure: its edges lie between lines.
    cover = np.clip(np.minimum(rows + 1.0, upper + _CAP_SIZE[1]) - np.maximum(rows, upper), 0.0, 1.0).mean(axis=1)
    picture[:, x : x + _CAP_SIZE[0]] += (cover * (_CAP - _GROUND))[:, None]
    left, top, wide, tall = SCREEN
    shine = _DARK + bright.mean(axis=1) * (_BRIGHT - _DARK)
    picture[top : top + tall, left : left + wide] = shine[top : top + tall, None]
    if camera.flicker:
        picture *= 1.0 + camera.flicker * math.sin(2.0 * math.pi * 100.0 * begin)
    picture += rng.normal(0.0, camera.noise, picture.shape)
    found: Picture = np.clip(picture, 0.0, 255.0).astype(np.uint8)
    return found
