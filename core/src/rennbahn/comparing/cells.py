"""Cells (a lane in a test) and the noise of their passes."""

from __future__ import annotations

import math
import statistics
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from rennbahn.comparing.model import ACCEPTED, AVERAGE, CAPPED, FIGURES, Pass, Study
from rennbahn.planning.noise import FEWEST_FREEDOM, pooled_noise, sample_sd


@dataclass(frozen=True)
class Cell:
    """Accepted passes of one lane in one test, as one value of a figure in fps; `sd` is None for one pass."""

    lane: str
    test: str
    value: float
    n: int
    sd: float | None
    low: float
    high: float


@dataclass(frozen=True)
class Noise:
    """Pooled standard deviation of ln x within cells; None without a cell of two passes.

    `pool` says whose cells: the `scene`'s, or the whole `study`'s where the scene has too few. `owner` is that scene,
    so that two scenes that happen to be equally noisy stay two pools.
    """

    s: float | None
    df: int
    cells: int
    pool: str
    owner: str = ""

    @property
    def floor_percent(self) -> float | None:
        """The noise floor: one standard deviation as percent."""
        return None if self.s is None else math.expm1(self.s) * 100.0

    def as_json(self) -> dict[str, object]:
        """Plain data with the noise floor."""
        return {
            "s": self.s, "df": self.df, "cells": self.cells, "pool": self.pool,
            "noise_floor_percent": self.floor_percent,
        }  # fmt: skip


class Sheet:
    """The accepted passes of a study, sorted into cells once, for every figure and school."""

    def __init__(self, study: Study) -> None:
        self.study = study
        self.accepted: dict[tuple[str, str], list[Pass]] = defaultdict(list)
        self.last: dict[tuple[str, str], Pass] = {}
        for one in study.passes:
            self.last[one.lane, one.test] = one
            if one.status == ACCEPTED:
                self.accepted[one.lane, one.test].append(one)
        present = {figure for passes in self.accepted.values() for one in passes for figure in one.figures}
        self.figures = tuple(figure for figure in FIGURES if figure in present)
        self._noise: dict[str, dict[str, Noise]] = {}

    def values(self, lane: str, test: str, figure: str) -> list[float]:
        """Values of `figure` over the accepted passes of a cell that have it."""
        return [one.figures[figure] for one in self.accepted.get((lane, test), ()) if figure in one.figures]

    def capped(self, lane: str, test: str) -> bool:
        """A cell is capped when at least half of its accepted passes are (reading 12)."""
        passes = self.accepted.get((lane, test), [])
        return bool(passes) and 2 * sum(CAPPED in one.flags for one in passes) >= len(passes)

    def sources(self, lane: str, test: str) -> set[str]:
        """Where the figures of a cell come from."""
        return {one.source for one in self.accepted.get((lane, test), ())}

    def cell(self, lane: str, test: str, figure: str, school: str) -> Cell | None:
        """The cell's value under a cell school; None without an accepted pass that has the figure."""
        values = self.values(lane, test, figure)
        if not values:
            return None
        value = cell_value(values, school)
        spread = sample_sd(values) if len(values) > 1 else None
        return Cell(lane, test, value, len(values), spread, min(values), max(values))

    def cells(self, figure: str, school: str) -> list[Cell]:
        """All cells that have the figure, test by test in lane order."""
        found = (self.cell(lane.id, test.id, figure, school) for test in self.study.tests for lane in self.study.lanes)
        return [cell for cell in found if cell is not None]

    def noise(self, figure: str) -> dict[str, Noise]:
        """Noise of each scene for a figure, by scene (reading 13)."""
        if figure not in self._noise:
            self._noise[figure] = self._pooled(figure)
        return self._noise[figure]

    def _pooled(self, figure: str) -> dict[str, Noise]:
        by_scene: dict[str, list[list[float]]] = {scene.id: [] for scene in self.study.scenes}
        for test in self.study.tests:
            for lane in self.study.lanes:
                values = self.values(lane.id, test.id, figure)
                if len(values) < 2 or (figure == AVERAGE and self.capped(lane.id, test.id)):
                    continue
                by_scene[test.scene].append(values)
        study = _pool([cell for cells in by_scene.values() for cell in cells], "study")
        pooled = {}
        for scene, cells in by_scene.items():
            own = _pool(cells, "scene", scene)
            pooled[scene] = own if own.df >= FEWEST_FREEDOM else study
        return pooled


def cell_value(values: Sequence[float], school: str) -> float:
    """The value of a cell from one or more passes: their mean, or their median under `median_pass`."""
    return statistics.median(values) if school == "median_pass" else math.fsum(values) / len(values)


def _pool(cells: list[list[float]], name: str, owner: str = "") -> Noise:
    found = pooled_noise(cells)
    return Noise(found.s, found.df, found.cells, name, owner)
