"""How long a scene takes: what its card says, else what its passes say, else what a plan reckons with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median
from typing import Literal

#: What a plan reckons with where nobody said and nothing was measured, s. Nothing is ever doubted by it.
RECKONED_S = 60.0
#: How far a capture's length may be off its scene's, by kind: a benchmark ends by itself, a person by hand.
_TOLERANCE = {"benchmark": 0.05, "replay": 0.05, "scripted": 0.07, "route": 0.10, "live": 0.15}
#: Starting and stopping a logger by hand costs this much at either end, s.
_BY_HAND_S = 2.0
#: Passes agree on a length from this many on.
LEAST_PASSES = 3


def tolerance_s(kind: str, length_s: float) -> float:
    """How many seconds a capture of a scene of that kind and length may be off."""
    return max(_BY_HAND_S, _TOLERANCE.get(kind, _TOLERANCE["route"]) * length_s)


def usual_s(durations: Sequence[float], kind: str, length_s: float | None = None) -> float | None:
    """The length on which passes agree, in s: their median, where two thirds of at least three are near it.

    `length_s` is what the card says, by which it is told what is near. None where they do not agree.

    >>> usual_s([44.8, 45.1, 45.3, 70.0, 44.9, 45.0], "route")
    45.05
    """
    if len(durations) < LEAST_PASSES:
        return None
    usual = median(durations)
    allowed = tolerance_s(kind, usual if length_s is None else length_s)
    close = sum(abs(one - usual) <= allowed for one in durations)
    return usual if 3 * close >= 2 * len(durations) else None


def middle_s(durations: Sequence[float]) -> float:
    """The length that somebody confirms by these passes, in s."""
    return median(durations)


@dataclass(frozen=True)
class Length:
    """A length in s, and who says so."""

    seconds: float
    source: Literal["card", "measured", "reckoned"]

    @property
    def known(self) -> float | None:
        """The length where somebody gave it or passes agree on it."""
        return None if self.source == "reckoned" else self.seconds


def length_of(given_s: float | None, measured_s: float | None) -> Length:
    """How long a pass takes: what was given, else what was measured, else what is reckoned with."""
    if given_s:
        return Length(float(given_s), "card")
    return Length(measured_s, "measured") if measured_s else Length(RECKONED_S, "reckoned")
