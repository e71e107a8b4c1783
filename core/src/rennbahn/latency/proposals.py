"""Presses and answers as the curves of a film suggest them: for a person to look at, never a reading by itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rennbahn.latency.curves import Curve

Floats = NDArray[np.float64]

#: How long after a press its answer may come, s.
LONGEST_S = 0.8
#: What moves, or turns, by so many robust standard deviations is not noise; by twice that it is sure.
_SHOWN, _SURE = 6.0, 12.0
#: What moved goes on moving down to this: its last bit is small.
_GOES_ON = 3.0
#: Frames over which a level is taken.
_LEVEL = 6
#: Within a turn, this share of its height is its beginning.
_BEGINS = 0.1


@dataclass(frozen=True)
class Proposed:
    """A press that the curves suggest: frames of press and answer, and whether both stand out clearly."""

    press_frame: int
    answer_frame: int
    sure: bool


@dataclass(frozen=True)
class _Turn:
    """A change of brightness that stays: its first frame, its height with sign, and how far it is beyond noise."""

    frame: int
    height: float
    score: float


def proposed(button: Curve, answer: Curve, fps: float) -> tuple[Proposed, ...]:
    """Presses of a film by its curves: where the button came to stand, and where the screen turned next.

    A screen that turns back does so in the other direction; those turns are left aside.
    """
    stops = _stops(button)
    turns = _turns(answer)
    if not turns:
        return ()
    way = np.sign(turns[0].height)
    found: list[Proposed] = []
    used: set[int] = set()
    for turn in turns:
        if np.sign(turn.height) != way:
            continue
        before = [(frame, score) for frame, score in stops if 0 <= turn.frame - frame <= LONGEST_S * fps]
        if not before or before[-1][0] in used:
            continue
        frame, score = before[-1]
        used.add(frame)
        # Of two stops that both came shortly before, which one is answered nobody can say from curves.
        took = turn.frame - frame
        alone = len(before) < 2 or frame - before[-2][0] > max(took, 1)
        found.append(Proposed(frame, turn.frame, bool(alone and score >= _SURE and turn.score >= _SURE)))
    return tuple(found)


def _spread(values: Floats) -> tuple[float, float]:
    """Middle and robust standard deviation, never 0."""
    middle = float(np.median(values))
    return middle, max(1.4826 * float(np.median(np.abs(values - middle))), 1e-3)


def _stops(button: Curve) -> list[tuple[int, float]]:
    """Where the button came to stand after it moved: the last frame that differs from the one before, and how clearly
    it had moved.
    """
    if len(button.moved) < 3:
        return []
    still, spread = _spread(button.moved[1:])
    score = (button.moved - still) / spread
    moving = np.flatnonzero(score > _SHOWN)
    found = []
    for run in _runs(moving, 3):
        end = int(run[-1])
        while end + 1 < len(score) and score[end + 1] > _GOES_ON:
            end += 1
        found.append((end, float(score[run].max())))
    return found


def _runs(frames: NDArray[np.intp], gap: int) -> list[NDArray[np.intp]]:
    """Frames in runs that lie no more than `gap` apart."""
    if not len(frames):
        return []
    return np.split(frames, np.flatnonzero(np.diff(frames) > gap) + 1)


def _turns(answer: Curve) -> list[_Turn]:
    """Where the brightness turned from one level to another."""
    bright = answer.bright
    if len(bright) < 2 * _LEVEL + 2:
        return []
    windows = np.lib.stride_tricks.sliding_window_view(bright, _LEVEL)
    levels = np.median(windows, axis=1)
    # Level after less level before, for each frame that has both.
    jump = np.zeros(len(bright))
    count = len(bright) - 2 * _LEVEL
    jump[_LEVEL : _LEVEL + count] = levels[_LEVEL : _LEVEL + count] - levels[:count]
    noise = _noise(bright)
    found = []
    for run in _runs(np.flatnonzero(np.abs(jump) > _SHOWN * noise), _LEVEL):
        at = int(run[np.abs(jump[run]).argmax()])
        height = float(jump[at])
        found.append(_Turn(_begin(bright, at, height, noise), height, abs(height) / noise))
    return found


def _noise(bright: Floats) -> float:
    """How much brightness wavers from frame to frame where nothing turns."""
    _, spread = _spread(np.diff(bright))
    return float(max(spread / np.sqrt(2.0), 0.05))


def _begin(bright: Floats, at: int, height: float, noise: float) -> int:
    """The first frame of a turn: past the level before by a tenth of its height, and by more than noise."""
    first = max(at - _LEVEL, 0)
    before = float(np.median(bright[max(first - _LEVEL, 0) : first + 1]))
    least = max(_BEGINS * abs(height), 4.0 * noise)
    past = np.flatnonzero((bright[first : at + _LEVEL] - before) * np.sign(height) > least)
    return first + int(past[0]) if len(past) else at
