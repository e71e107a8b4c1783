"""Cells (a lane in a test) and the noise of their passes, for all figures of a study at once.

A sheet holds arrays over figures F, lanes L and tests T. Comparisons pick lanes and tests from it by index, so that a
ladder of thirty lanes costs a few hundred array operations and not one per margin.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from rennbahn.comparing.model import ACCEPTED, AVERAGE, CAPPED, CELL_SCHOOLS, FIGURES, Study
from rennbahn.planning.noise import FEWEST_FREEDOM

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


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

    `pool` says whose cells: the `scene`'s, or the whole `study`'s where the scene has too few.
    """

    s: float | None
    df: int
    cells: int
    pool: str

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


@dataclass(frozen=True)
class Pools:
    """Noise by figure and scene, arrays of shape (F, G): `s` is NaN without any; `own` where it is the scene's own."""

    s: Floats
    df: Ints
    cells: Ints
    own: Bools


class Sheet:
    """The accepted passes of a study as arrays over figures, lanes and tests, in the study's order.

    `n`, `mean`, `median`, `sd`, `low`, `high` have shape (F, L, T), NaN or 0 where a cell is empty; `accepted` (L, T)
    counts accepted passes, `capped` (L, T) says where at least half of them are, `sources` (L, T) is a set of bits.
    """

    def __init__(self, study: Study) -> None:
        self.study = study
        self.lane_at = {lane.id: at for at, lane in enumerate(study.lanes)}
        self.test_at = {test.id: at for at, test in enumerate(study.tests)}
        self.scene_at = {scene.id: at for at, scene in enumerate(study.scenes)}
        #: The scene of each test, shape (T,).
        self.scene = np.array([self.scene_at[test.scene] for test in study.tests], dtype=np.intp)
        accepted = [one for one in study.passes if one.status == ACCEPTED]
        present = {figure for one in accepted for figure in one.figures}
        self.figures = tuple(figure for figure in FIGURES if figure in present)
        self.figure_at = {figure: at for at, figure in enumerate(self.figures)}
        #: Status of the last pass in each cell that has any.
        self.last = {(one.lane, one.test): one.status for one in study.passes}
        shape = (len(study.lanes), len(study.tests))
        cell = np.array([self.lane_at[one.lane] * shape[1] + self.test_at[one.test] for one in accepted], dtype=np.intp)
        self.accepted = np.bincount(cell, minlength=shape[0] * shape[1]).reshape(shape)
        # A cell is capped when at least half of its accepted passes are (reading 12).
        flagged = np.array([CAPPED in one.flags for one in accepted], dtype=np.float64)
        self.capped = (self.accepted > 0) & (2 * _sums(cell, flagged, shape) >= self.accepted)
        bit = {source: 1 << at for at, source in enumerate(dict.fromkeys(one.source for one in accepted))}
        sources = np.zeros(shape[0] * shape[1], dtype=np.int64)
        np.bitwise_or.at(sources, cell, np.array([bit[one.source] for one in accepted], dtype=np.int64))
        self.sources = sources.reshape(shape)
        values = np.array([[one.figures.get(f, math.nan) for f in self.figures] for one in accepted], dtype=np.float64)
        self._fill(cell, values.reshape(len(accepted), len(self.figures)), shape)

    def _fill(self, cell: Ints, values: Floats, shape: tuple[int, int]) -> None:
        figures = len(self.figures)
        self.n = np.zeros((figures, *shape), dtype=np.int64)
        self.mean, self.median, self.sd, self.low, self.high, self._squares = (
            np.full((figures, *shape), math.nan) for _ in range(6)
        )
        for at in range(figures):
            there = ~np.isnan(values[:, at])
            own, x = cell[there], values[there, at]
            order = np.lexsort((x, own))
            own, x = own[order], x[order]
            if not len(own):
                continue
            begins = np.flatnonzero(np.diff(own, prepend=-1))
            count = np.diff(begins, append=len(own))
            place = np.unravel_index(own[begins], shape)
            first = x[begins]
            self.n[at][place] = count
            # As differences from a cell's first value, so that equal passes have exactly no spread.
            off = x - np.repeat(first, count)
            mean_off = np.add.reduceat(off, begins) / count
            self.mean[at][place] = first + mean_off
            self.sd[at][place] = _sd(off - np.repeat(mean_off, count), begins, count)
            logs = np.log(x / np.repeat(first, count))
            logs -= np.repeat(np.add.reduceat(logs, begins) / count, count)
            self._squares[at][place] = np.add.reduceat(logs * logs, begins)
            self.median[at][place] = (x[begins + (count - 1) // 2] + x[begins + count // 2]) / 2.0
            self.low[at][place], self.high[at][place] = first, x[begins + count - 1]

    def values(self, school: str) -> Floats:
        """The value of each cell under a cell school, shape (F, L, T)."""
        return self.median if school == "median_pass" else self.mean

    def cells(self, figure: str, school: str) -> list[Cell]:
        """All cells that have the figure, test by test in lane order."""
        at = self.figure_at[figure]
        value, n, sd = (x[at].T.tolist() for x in (self.values(school), self.n, self.sd))
        low, high = self.low[at].T.tolist(), self.high[at].T.tolist()
        return [
            Cell(lane.id, test.id, value[t][i], n[t][i], sd[t][i] if n[t][i] > 1 else None, low[t][i], high[t][i])
            for t, test in enumerate(self.study.tests)
            for i, lane in enumerate(self.study.lanes)
            if n[t][i]
        ]

    @cached_property
    def pools(self) -> Pools:
        """Noise of each scene for each figure (reading 13): its own from 8 degrees of freedom on, else the study's."""
        scenes = len(self.study.scenes)
        counting = self.n > 1
        if AVERAGE in self.figure_at:
            counting[self.figure_at[AVERAGE]] &= ~self.capped
        of_scene = np.zeros((len(self.scene), scenes))
        of_scene[np.arange(len(self.scene)), self.scene] = 1.0
        df = (np.where(counting, self.n - 1, 0).sum(axis=1) @ of_scene).astype(np.int64)
        cells = (counting.sum(axis=1) @ of_scene).astype(np.int64)
        squares = np.where(counting, self._squares, 0.0).sum(axis=1) @ of_scene
        own = df >= FEWEST_FREEDOM
        df = np.where(own, df, df.sum(axis=1, keepdims=True))
        cells = np.where(own, cells, cells.sum(axis=1, keepdims=True))
        squares = np.where(own, squares, squares.sum(axis=1, keepdims=True))
        s: Floats = np.sqrt(np.where(df > 0, squares, math.nan) / np.maximum(df, 1))
        return Pools(s, df, cells, own)

    def noise(self, figure: str) -> dict[str, Noise]:
        """Noise of each scene for a figure, by scene."""
        at, pools = self.figure_at[figure], self.pools
        return {scene.id: self.noise_at(at, g, pools) for g, scene in enumerate(self.study.scenes)}

    def noise_at(self, figure: int, scene: int, pools: Pools) -> Noise:
        """Noise of one scene for one figure, by their indices."""
        s = float(pools.s[figure, scene])
        own = bool(pools.own[figure, scene])
        return Noise(
            None if math.isnan(s) else s,
            int(pools.df[figure, scene]),
            int(pools.cells[figure, scene]),
            "scene" if own else "study",
        )


def cell_value(values: list[float], school: str) -> float:
    """The value of a cell from one or more passes: their mean, or their median under `median_pass`."""
    if school == CELL_SCHOOLS[1]:
        return float(np.median(values))
    return math.fsum(values) / len(values)


def _sums(cell: NDArray[np.intp], weights: Floats, shape: tuple[int, int]) -> Floats:
    return np.asarray(np.bincount(cell, weights=weights, minlength=shape[0] * shape[1]), dtype=np.float64).reshape(
        shape
    )


def _sd(off: Floats, begins: Ints, count: Ints) -> Floats:
    with np.errstate(invalid="ignore", divide="ignore"):
        spread: Floats = np.sqrt(np.add.reduceat(off * off, begins) / (count - 1))
    return spread
