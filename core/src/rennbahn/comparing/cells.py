"""Cells (a lane in a test) and the scatter of their passes, for all figures of a study at once.

A sheet holds arrays over figures F, lanes L and tests T. Comparisons pick lanes and tests from it by index, so that a
ladder of thirty lanes costs a few hundred array operations and not one per margin.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rennbahn.comparing.model import ACCEPTED, AVERAGE, CAPPED, CELL_SCHOOLS, FIGURES, WAITING, Study
from rennbahn.comparing.noise import NoiseOf, Scatter
from rennbahn.comparing.units import UNTOLD, Sessions, Units, sessions_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

#: How much wider the median of n passes scatters than their mean, from n = 3 (reading 29); of many it is sqrt(pi / 2).
_MEDIANS = (
    1.160178, 1.092153, 1.197568, 1.135102, 1.213725, 1.159934, 1.222666, 1.176123, 1.228327,
    1.187516, 1.232228, 1.195972, 1.235079, 1.202499, 1.237252, 1.207689, 1.238963, 1.211916,
)  # fmt: skip
_MEDIAN_FACTORS = np.array([1.0, 1.0, 1.0, *_MEDIANS, math.sqrt(math.pi / 2.0)])


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


class Sheet:
    """The accepted passes of a study as arrays over figures, lanes and tests, in the study's order.

    `n`, `mean`, `median`, `sd`, `low`, `high` have shape (F, L, T), NaN or 0 where a cell is empty; `accepted` (L, T)
    counts accepted passes, `capped` (L, T) says where at least half of them are, `sources` (L, T) is a set of bits.
    `hour` (F, L, T) is the mean hour of the bench over a cell's passes, NaN where one of them has none.
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
        flagged = np.array([CAPPED in one.flags for one in accepted], dtype=np.float64)
        self.capped = cell_is_capped(_sums(cell, flagged, shape), self.accepted)
        bit = {source: 1 << at for at, source in enumerate(dict.fromkeys(one.source for one in accepted))}
        sources = np.zeros(shape[0] * shape[1], dtype=np.int64)
        np.bitwise_or.at(sources, cell, np.array([bit[one.source] for one in accepted], dtype=np.int64))
        self.sources = sources.reshape(shape)
        values = np.array([[one.figures.get(f, math.nan) for f in self.figures] for one in accepted], dtype=np.float64)
        hours = np.array([math.nan if one.clock_h is None else one.clock_h for one in accepted], dtype=np.float64)
        self._noise: dict[tuple[tuple[int, ...], ...], NoiseOf] = {}
        values = values.reshape(len(accepted), len(self.figures))
        self._fill(cell, values, hours, shape)
        names = {name: at for at, name in enumerate(dict.fromkeys(one.session for one in accepted if one.session))}
        session = np.array([names.get(one.session or "", UNTOLD) for one in accepted], dtype=np.intp)
        self._passes = (values, hours, cell, session, shape)

    def _fill(self, cell: Ints, values: Floats, hours: Floats, shape: tuple[int, int]) -> None:
        figures = len(self.figures)
        self.n = np.zeros((figures, *shape), dtype=np.int64)
        self.mean, self.median, self.sd, self.low, self.high, self.hour, self._yy, self._tt, self._ty = (
            np.full((figures, *shape), math.nan) for _ in range(9)
        )
        for at in range(figures):
            there = ~np.isnan(values[:, at])
            own, x, hour = cell[there], values[there, at], hours[there]
            order = np.lexsort((x, own))
            own, x, hour = own[order], x[order], hour[order]
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
            middle = np.add.reduceat(hour, begins) / count
            hour = hour - np.repeat(middle, count)
            self.hour[at][place] = middle
            self._yy[at][place] = np.add.reduceat(logs * logs, begins)
            self._tt[at][place] = np.add.reduceat(hour * hour, begins)
            self._ty[at][place] = np.add.reduceat(hour * logs, begins)
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
    def waiting(self) -> Ints:
        """How many passes of each cell wait for a decision, shape (L, T)."""
        found = np.zeros((len(self.study.lanes), len(self.study.tests)), dtype=np.int64)
        for one in self.study.passes:
            if one.status == WAITING:
                found[self.lane_at[one.lane], self.test_at[one.test]] += 1
        return found

    @cached_property
    def scatter(self) -> Scatter:
        """What scatters within cells of two passes and more, by scene; of the average not in capped cells."""
        counting = self.n > 1
        if AVERAGE in self.figure_at:
            counting[self.figure_at[AVERAGE]] &= ~self.capped
        of_scene = np.zeros((len(self.scene), len(self.study.scenes)))
        of_scene[np.arange(len(self.scene)), self.scene] = 1.0
        return Scatter(*(np.where(counting, x, 0.0) @ of_scene for x in (self.n - 1.0, self._yy, self._tt, self._ty)))

    @cached_property
    def rounds(self) -> Units:
        """The passes of cells by round, in the study's order."""
        values, hours, cell, _, shape = self._passes
        return Units.of_rounds(values, hours, cell, shape)

    @cached_property
    def by_session(self) -> Units:
        """The passes of cells by session."""
        values, hours, cell, session, shape = self._passes
        return Units.of_sessions(values, hours, cell, session, shape)

    @cached_property
    def sessions(self) -> Sessions:
        """Where the passes of cells were run."""
        values, _, cell, session, shape = self._passes
        return sessions_of(values, cell, session, self.by_session, shape)

    def noise_of(self, lanes: Sequence[Sequence[int]]) -> NoiseOf:
        """The noise of sets of lanes over the whole study, whatever group of it is compared; remembered.

        The sets have as many lanes each: pairs, or one set of all that are compared at once.
        """
        sets = tuple(tuple(int(lane) for lane in some) for some in lanes)
        if sets not in self._noise:
            at = np.array(sets, dtype=np.intp).reshape(len(sets), len(sets[0]) if sets else 2)
            n, empty, clocked = self.n[:, at], self.n[:, at] == 0, ~np.isnan(self.hour[:, at])
            has_hours = (empty | clocked).all(axis=(-1, -2)) & clocked.any(axis=(-1, -2))
            self._noise[sets] = NoiseOf(
                self.scatter.of(at), has_hours, self._uneven(at, n), self.study.method.drift_allowance
            )
        return self._noise[sets]

    def _uneven(self, at: Ints, n: Ints) -> Bools:
        """Have two lanes of a set unequal numbers of passes in a test that is not left out? Shape (F, P)."""
        mixed = (self.sources & (self.sources - 1)) != 0
        stands = (n > 0) & ~mixed[at]
        if AVERAGE in self.figure_at:
            stands[self.figure_at[AVERAGE]] &= ~self.capped[at]
        if at.shape[1] == 2:
            both = self.sources[at[:, 0]] | self.sources[at[:, 1]]
            stands &= stands.all(axis=2, keepdims=True) & ((both & (both - 1)) == 0)[:, None, :]
        most = np.where(stands, n, 0).max(axis=2)
        least = np.where(stands, n, np.iinfo(np.int64).max).min(axis=2)
        found: Bools = ((most > least) & stands.any(axis=2)).any(axis=-1)
        return found


def median_factor(n: Ints | int, school: str = "median_pass") -> Floats:
    """How much wider the value of a cell of n passes scatters than their mean (reading 29): 1 under the school `mean`.

    Source: `n Var(median of n independent standard normal values)`, its root.
    """
    if school != "median_pass":
        return np.ones(np.shape(n))
    factor: Floats = _MEDIAN_FACTORS[np.minimum(n, len(_MEDIAN_FACTORS) - 1)]
    return factor


def cell_is_capped(capped: Any, accepted: Any) -> Any:
    """Whether cells are capped, by how many of their accepted passes are: at least half of them (reading 12)."""
    return (accepted > 0) & (2 * capped >= accepted)


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
