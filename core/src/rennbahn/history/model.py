"""Cells of many days: a part in a test in a session, with the passes that counted."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from rennbahn.inference.moderation import moderated

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Cell:
    """A part in a test in a session; `passes` are average fps of its accepted passes, above 0.

    `date` is a day as text (2026-09-30). Driver and build are empty where nobody said.
    """

    part: str
    test: str
    session: str
    date: str
    passes: tuple[float, ...]
    driver: str = ""
    build: str = ""

    @property
    def level(self) -> float:
        """The mean of its passes, fps."""
        return math.fsum(self.passes) / len(self.passes)

    @property
    def setup(self) -> tuple[str, str, str, str]:
        """Of which setup version in which test it is: what returns in another session is the same of it."""
        return self.part, self.driver, self.build, self.test

    @cached_property
    def logs(self) -> Floats:
        """ln of its passes."""
        return np.log(np.asarray(self.passes, dtype=np.float64))

    @property
    def squares(self) -> float:
        """Squares of ln x about their mean, within the cell."""
        return float(((self.logs - self.logs.mean()) ** 2).sum()) if len(self.passes) > 1 else 0.0


@dataclass(frozen=True)
class HistoryAsked:
    """Cells, and pairs of them (by index, of one test) that are to be held against each other, B over A."""

    cells: tuple[Cell, ...]
    pairs: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True)
class Noise:
    """The variance of ln x of a pass in a test with its degrees of freedom."""

    v: float
    df: float


def noises_of(cells: Iterable[Cell]) -> dict[str, Noise]:
    """The noise of each test over all cells (reading 13 with tests for scenes); tests without any are left out."""
    squares: dict[str, float] = {}
    freedom: dict[str, int] = {}
    for one in cells:
        squares[one.test] = squares.get(one.test, 0.0) + one.squares
        freedom[one.test] = freedom.get(one.test, 0) + len(one.passes) - 1
    if not any(freedom.values()):
        return {}
    found = moderated(np.array(list(squares.values())), np.array(list(freedom.values()), dtype=np.float64))
    return {test: Noise(float(found.v[at]), float(found.df[at])) for at, test in enumerate(squares)}
