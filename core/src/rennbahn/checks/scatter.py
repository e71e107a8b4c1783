"""How far passes of one cell lie apart by noise alone, learned from the passes themselves without trusting any of them.

What all cells have in common is told by their middle one, which a few bad passes do not move; a cell's own say is
bounded, and whoever is judged has none.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from statistics import median

from scipy.special import chdtri, stdtr

from rennbahn.checks.model import CheckedPass, Context
from rennbahn.planning.noise import Estimate, guessed

#: How far noise from elsewhere is trusted that does not say so, and a guess by kind of scene, as degrees of freedom.
_STATED_DF = 30.0
_GUESSED_DF = 3.0
#: How far what all scenes have in common speaks for one of them, and from how many cells it is asked.
_SHARED_DF = 4.0
_FEWEST_CELLS = 4
#: No cell scatters believably by more than this times what all have in common, as a variance.
_MOST = 12.0
#: No scene repeats better than this: what is called off shall matter to somebody.
_LEAST = {"average_fps": 0.001, "low_1": 0.002}

Value = Callable[[CheckedPass], float]
Cell = tuple[CheckedPass, ...]


@dataclass(frozen=True)
class Outlier:
    """A pass off the mean of the others of its cell: by how much in ln, how large noise is, and its p."""

    one: CheckedPass
    off: float
    noise: float
    p: float
    others: Cell


class Scatter:
    """The scatter of one figure of a study, and who lies beyond it.

    `alpha` is the share of good passes that may be called out. Passes in `without` are not looked at.
    """

    def __init__(self, context: Context, figure: str, value: Value, alpha: float, without: frozenset[str]) -> None:
        self.context, self.figure, self.alpha = context, figure, alpha
        cells = {place: tuple(o for o in cell if o.id not in without) for place, cell in context.cells.items()}
        self._logs = {one.id: math.log(value(one)) for cell in cells.values() for one in cell}
        self._cells = {place: cell for place, cell in cells.items() if len(cell) > 1}
        self._of_scene: dict[str, list[Cell]] = {}
        for (_, test), cell in self._cells.items():
            self._of_scene.setdefault(context.test_by_id[test].scene, []).append(cell)

    def log(self, one: CheckedPass) -> float:
        """ln of the figure of a pass."""
        return self._logs[one.id]

    def has(self, one: CheckedPass) -> bool:
        """Whether a pass is among those looked at."""
        return one.id in self._logs

    @cached_property
    def _sifted(self) -> tuple[list[Outlier], list[Cell]]:
        """Passes beyond noise, the most extreme of a cell first, and of each cell what is left without them."""
        found: list[Outlier] = []
        rest: list[Cell] = []
        for cell in self._cells.values():
            left = list(cell)
            while len(left) > 2:
                worst = max(left, key=lambda one: abs(self._off(one, left)))
                outlier = self._judged(worst, left, cell)
                if outlier.p >= self.alpha:
                    break
                found.append(outlier)
                left.remove(worst)
            rest.append(tuple(left))
        return found, rest

    @property
    def outliers(self) -> list[Outlier]:
        """Passes beyond noise, the most extreme of a cell first; what was found leaves its cell before the next."""
        return self._sifted[0]

    @cached_property
    def out(self) -> frozenset[str]:
        """Their ids."""
        return frozenset(found.one.id for found in self.outliers)

    @cached_property
    def apart(self) -> list[tuple[CheckedPass, CheckedPass, float, float]]:
        """Where just two passes are left that lie beyond noise: both, by how much in ln, and the p."""
        found = []
        for cell in self._sifted[1]:
            if len(cell) == 2:
                whole = self._cells[cell[0].lane, cell[0].test]
                noise = self._noise(self.context.test_by_id[cell[0].test].scene, whole, ())
                off = self._logs[cell[1].id] - self._logs[cell[0].id]
                p = two_sided(off / (noise.s * math.sqrt(2.0)), noise.df or _STATED_DF)
                if p < self.alpha:
                    found.append((cell[0], cell[1], off, p))
        return found

    def cell_of(self, one: CheckedPass) -> Cell:
        """The passes of a pass's cell that are looked at, itself among them; empty where it is alone."""
        return self._cells.get((one.lane, one.test), ())

    def noise_without(self, *judged: CheckedPass) -> Estimate:
        """The noise of the scene of some passes of one cell, none of which has a say in it."""
        cell = self.cell_of(judged[0])
        ids = {one.id for one in judged}
        by = [one for one in cell if one.id not in ids]
        return self._noise(self.context.test_by_id[judged[0].test].scene, cell, by)

    def noise_of(self, scene: str) -> Estimate:
        """Standard deviation of ln x of a scene with how well it is known, without those beyond noise."""
        if scene not in self._noises:
            self._noises[scene] = self._noise(scene, None, ())
        return self._noises[scene]

    @cached_property
    def _noises(self) -> dict[str, Estimate]:
        return {}

    @cached_property
    def _common(self) -> float | None:
        """The variance that all cells have in common, by the middle one of them; None with too few."""
        found = [
            _squares(logs) / (len(logs) - 1) / _middle_of_variance(len(logs) - 1)
            for cell in self._cells.values()
            if (logs := [self._logs[one.id] for one in cell])
        ]
        return max(median(found), _LEAST[self.figure] ** 2) if len(found) >= _FEWEST_CELLS else None

    def _noise(self, scene: str, replaced: Cell | None, by: Sequence[CheckedPass]) -> Estimate:
        """The noise of a scene, one cell of it replaced by some of its passes."""
        learned = self.context.noise.get(scene, {}).get(self.figure)
        if learned is not None:
            prior, prior_df = learned.s**2, learned.df or _STATED_DF
        elif self._common is not None:
            prior, prior_df = self._common, _SHARED_DF
        else:
            kind = self.context.scene_by_id[scene].kind
            prior, prior_df = guessed(kind, self.figure).s ** 2, _GUESSED_DF
        squares, freedom = 0.0, 0.0
        for cell in self._of_scene.get(scene, ()):
            known = by if cell is replaced else cell
            if len(known) > 1:
                own = _squares([self._logs[one.id] for one in known])
                squares += min(own, _MOST * prior * (len(known) - 1))
                freedom += len(known) - 1
        df = prior_df + freedom
        return Estimate(max(math.sqrt((prior_df * prior + squares) / df), _LEAST[self.figure]), "drawn", df)

    def _off(self, one: CheckedPass, cell: Sequence[CheckedPass]) -> float:
        others = [self._logs[other.id] for other in cell if other.id != one.id]
        return self._logs[one.id] - math.fsum(others) / len(others)

    def _judged(self, one: CheckedPass, cell: Sequence[CheckedPass], whole: Cell) -> Outlier:
        others = tuple(other for other in cell if other.id != one.id)
        noise = self._noise(self.context.test_by_id[one.test].scene, whole, others)
        off = self._off(one, cell)
        p = two_sided(off / (noise.s * math.sqrt(1.0 + 1.0 / len(others))), noise.df or _STATED_DF)
        return Outlier(one, off, noise.s, p, others)


def two_sided(t: float, df: float) -> float:
    """Two-sided p of a t value."""
    return float(2.0 * stdtr(df, -abs(t)))


def _squares(logs: Iterable[float]) -> float:
    listed = list(logs)
    mean = math.fsum(listed) / len(listed)
    return math.fsum((log - mean) ** 2 for log in listed)


def _middle_of_variance(df: int) -> float:
    """The median of a variance of `df` degrees of freedom whose mean is 1."""
    return float(chdtri(df, 0.5)) / df
