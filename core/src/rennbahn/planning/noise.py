"""The noise of passes, learned and to be planned with (measures, section 5).

What is learned of many scenes is moderated as findings moderate the scenes of one study, so that a scene seen twice is
neither believed nor ignored.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from rennbahn.inference.moderation import OWN, STUDY, moderated

Source = Literal["scene", "drawn", "all_scenes", "guess"]

#: Noise of the average by kind of scene, as a standard deviation of ln fps, until passes teach better: a built-in
#: benchmark repeats within half a percent, live play within two or three.
GUESSED_NOISE = {"benchmark": 0.004, "replay": 0.005, "scripted": 0.007, "route": 0.010, "live": 0.025}
#: How much more than the average the lows scatter, as a guess.
GUESSED_FACTOR = {"average_fps": 1.0, "low_1": 2.5, "low_0.1": 6.0}


@dataclass(frozen=True)
class Pooled:
    """Pooled standard deviation of ln x within `cells` cells, with `df` degrees of freedom; `s` None without any."""

    s: float | None
    df: int
    cells: int


@dataclass(frozen=True)
class Squares:
    """Sum of squares of ln x within `cells` cells, with `df` degrees of freedom. Two such sums add up to both's."""

    total: float
    df: int
    cells: int


def squares_within(cells: Iterable[Sequence[float]]) -> Squares:
    """The scatter of a positive figure within cells of passes; a cell of fewer than two says nothing."""
    known = [(len(values) - 1, sample_sd([math.log(value) for value in values])) for values in cells if len(values) > 1]
    return Squares(math.fsum(df * s * s for df, s in known), sum(df for df, _ in known), len(known))


def pooled(squares: Squares) -> Pooled:
    """The noise that a sum of squares stands for."""
    if not squares.df:
        return Pooled(None, 0, 0)
    return Pooled(math.sqrt(squares.total / squares.df), squares.df, squares.cells)


def sample_sd(values: Sequence[float]) -> float:
    """Sample standard deviation (n - 1) of two or more values."""
    mean = math.fsum(values) / len(values)
    return math.sqrt(math.fsum((value - mean) ** 2 for value in values) / (len(values) - 1))


@dataclass(frozen=True)
class Estimate:
    """Noise to plan with: `s` as a standard deviation of ln fps, known with `df` degrees of freedom (None: as stated).

    `source` says whose: the scene's own passes', drawn towards other scenes', all scenes' because it was run too
    seldom, or guessed because it was never run twice.
    """

    s: float
    source: Source
    df: float | None = None

    @property
    def percent(self) -> float:
        """The noise floor: one standard deviation as percent."""
        return math.expm1(self.s) * 100.0


def guessed(kind: str, figure: str) -> Estimate:
    """The stated guess for a scene of a kind that has not been run twice yet."""
    return Estimate(GUESSED_NOISE.get(kind, GUESSED_NOISE["route"]) * GUESSED_FACTOR[figure], "guess")


def learned(known: Mapping[int, Squares]) -> dict[int, Estimate]:
    """Noise of one figure of each scene that was ever run twice, from the squares of all scenes.

    The same rule as in findings decides how far a scene's own passes are believed.
    """
    scenes = [scene for scene, one in known.items() if one.df > 0]
    if not scenes:
        return {}
    found = moderated(
        np.array([known[scene].total for scene in scenes]), np.array([float(known[scene].df) for scene in scenes])
    )
    return {
        scene: Estimate(
            math.sqrt(float(found.v[at])),
            "scene" if found.pool[at] == OWN else "all_scenes" if found.pool[at] == STUDY else "drawn",
            float(found.df[at]),
        )
        for at, scene in enumerate(scenes)
    }
