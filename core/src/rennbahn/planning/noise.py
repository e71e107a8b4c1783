"""The noise of passes: how much runs of the same thing scatter (measures, section 5)."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

#: A scene's own noise is used from this many degrees of freedom on, else that of more scenes together.
FEWEST_FREEDOM = 8


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


def pooled_noise(cells: Iterable[Sequence[float]]) -> Pooled:
    """The noise of a positive figure over cells of passes."""
    return pooled(squares_within(cells))


def sample_sd(values: Sequence[float]) -> float:
    """Sample standard deviation (n - 1) of two or more values."""
    mean = math.fsum(values) / len(values)
    return math.sqrt(math.fsum((value - mean) ** 2 for value in values) / (len(values) - 1))
