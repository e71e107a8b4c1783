"""A check: one kind of doubt, with a stable id."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from statistics import median
from typing import Any, ClassVar, Literal

import numpy as np

from rennbahn.checks.model import CheckedPass, Context, Doubt
from rennbahn.checks.scatter import Scatter

#: The share of good passes that the comparison of siblings may call out, for the average and for the low.
ALPHA_AVERAGE = 0.005
ALPHA_LOW = 0.003
#: Slopes of so many passes tell how they scatter; with fewer this is taken, and never less than that.
_FEWEST_OFFS = 4
_USUAL_SPREAD = 0.01
_LEAST_SPREAD = 0.002
#: The median distance from the middle of three normal values, without the middle itself, is 1 / 1.2 of one deviation.
_OF_NORMAL = 1.2


class Check:
    """Base of all checks. `id` is stable, `asks` the question in words; `weak` where it is known to be unsure."""

    id: ClassVar[str]
    asks: ClassVar[str]
    weak: ClassVar[bool] = False

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """What deserves another look."""
        raise NotImplementedError

    def on(self, one: CheckedPass, words: str, **evidence: object) -> Doubt:
        """A doubt about a pass."""
        return Doubt(self.id, words, one.id, one.lane, one.test, self.weak, evidence)


@dataclass(frozen=True)
class Looked:
    """A context with what several checks ask of it, found once."""

    context: Context

    @cached_property
    def averages(self) -> Scatter:
        """The scatter of averages."""
        return Scatter(self.context, "average_fps", lambda one: one.profile.average_fps, ALPHA_AVERAGE, self.unfit)

    @cached_property
    def lows(self) -> Scatter:
        """The scatter of 1% lows."""
        return Scatter(self.context, "low_1", lambda one: one.profile.low_1_fps, ALPHA_LOW, self.unfit)

    @cached_property
    def unfit(self) -> frozenset[str]:
        """Passes whose rate says nothing about the others: hardly any frames."""
        return frozenset(one.id for one in self.context.passes if "too_short" in one.profile.flags)

    @cached_property
    def ends(self) -> dict[str, tuple[float | None, float | None]]:
        """Where the scene begins and ends within captures, as far as it was asked."""
        return {}

    @cached_property
    def ratios(self) -> dict[tuple[str, str], list[Any]]:
        """Ratios of lanes by test, as far as they were asked for."""
        return {}

    @cached_property
    def slopes(self) -> dict[str, Slopes]:
        """How the rate of each pass goes from third to third, where it is long enough to tell."""
        return {one.id: s for one in self.context.passes if (s := slopes_of(one.profile.fps)) is not None}

    def slope_spread(self, which: Literal["first", "last"]) -> tuple[float, float]:
        """How far good passes of a cell lie apart in that: a robust standard deviation with its degrees of freedom."""
        offs: list[float] = []
        for cell in self.context.cells.values():
            found = [getattr(self.slopes[one.id], which) for one in cell if one.id in self.slopes]
            if len(found) > 1:
                middle = median(found)
                # The middle pass is off by nothing, of any cell.
                offs += sorted(abs(s - middle) for s in found)[1:]
        if len(offs) < _FEWEST_OFFS:
            return _USUAL_SPREAD, 4.0
        return max(_OF_NORMAL * median(offs), _LEAST_SPREAD), min(30.0, float(len(offs)))


@dataclass(frozen=True)
class Slopes:
    """ln of the mean rate of the last third over the first, and of the first third over the rest."""

    last: float
    first: float


def slopes_of(fps: Sequence[float]) -> Slopes | None:
    """Slopes of a course of rates; None where a third of it is too short to tell."""
    third = len(fps) // 3
    if third < 4:
        return None
    values = np.array(fps)
    first, rest, last = (float(part.mean()) for part in (values[:third], values[third:], values[-third:]))
    if min(first, rest, last) <= 0:
        return None
    return Slopes(math.log(last / first), math.log(first / rest))


def percent(share: float) -> str:
    """A share as unsigned percent with one decimal, for sentences."""
    return f"{abs(share) * 100.0:.1f}%"


def seconds(value: float) -> str:
    """Seconds for sentences: whole from ten on."""
    return f"{value:.0f} s" if value >= 10.0 else f"{value:.1f} s"
