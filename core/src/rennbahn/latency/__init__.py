"""Latency read from a fast camera's frames (docs/measures.md, section 7)."""

from __future__ import annotations

import math
from dataclasses import dataclass

#: A clip whose rate is this close to what is nominal (or to a half or quarter of it) is held to be just that.
_WITHIN = 0.01


@dataclass(frozen=True)
class CameraCheck:
    """The camera's true rate, its distance from the nominal rate as a share, and `ok`, `re_encoded` or `suspect`."""

    fps: float
    off: float
    state: str


@dataclass(frozen=True)
class InputLatency:
    """One reading in ms, with the standard uncertainty of reading both ends to a whole frame."""

    latency_ms: float
    standard_uncertainty_ms: float


def camera_check(frame_a: int, frame_b: int, clock_a: float, clock_b: float, nominal_fps: float) -> CameraCheck:
    """The rate of a clip from a stopwatch in the picture, in seconds at two frames (reading 23)."""
    fps = (frame_b - frame_a) / (clock_b - clock_a)
    off = fps / nominal_fps - 1.0
    if abs(off) <= _WITHIN:
        state = "ok"
    elif any(abs(fps * part / nominal_fps - 1.0) <= _WITHIN for part in (2, 4)):
        state = "re_encoded"
    else:
        state = "suspect"
    return CameraCheck(fps, off, state)


def input_latency(press_frame: int, response_frame: int, fps: float) -> InputLatency:
    """From press to response at the camera's true rate."""
    return InputLatency((response_frame - press_frame) / fps * 1000.0, 1000.0 / fps / math.sqrt(6.0))
