"""Rounds and sessions: what shifts all tests of a lane together from one to the next (readings 39 and 40)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
Bools = NDArray[np.bool_]

#: A pass that tells no session.
UNTOLD = -1


@dataclass(frozen=True)
class Units:
    """Means of ln x (`z`) and of hours (`t`) over the passes of each cell in each unit, and how many (`m`) these are.

    Shape (F, L, T, K): figure, lane, test, round or session; 0 where a cell has no pass in a unit.
    """

    z: Floats
    t: Floats
    m: Floats

    @classmethod
    def of_rounds(cls, values: Floats, hours: Floats, cell: Ints, shape: tuple[int, int]) -> Units:
        """The k-th pass of a cell that has the figure is of round k. `values` (N, F), NaN where a pass has none."""
        there = ~np.isnan(values)
        # Which of its cell's passes each is, by figure: passes that lack the figure count for none.
        rank = np.empty(there.shape, dtype=np.intp)
        order = np.argsort(cell, kind="stable")
        begins = np.searchsorted(cell[order], cell[order], side="left") if len(cell) else order
        counted = np.cumsum(there[order], axis=0) - there[order]
        rank[order] = counted - counted[begins]
        most = int((rank + 1)[there].max(initial=1))
        return cls._filled(values, hours, cell, rank, there, shape, most)

    @classmethod
    def of_sessions(cls, values: Floats, hours: Floats, cell: Ints, session: Ints, shape: tuple[int, int]) -> Units:
        """Passes by session; `session` (N,) numbers them, :data:`UNTOLD` where none is told."""
        there = ~np.isnan(values) & (session != UNTOLD)[:, None]
        at = np.broadcast_to(session[:, None], values.shape)
        return cls._filled(values, hours, cell, at, there, shape, int(session.max(initial=0)) + 1)

    @classmethod
    def _filled(
        cls, values: Floats, hours: Floats, cell: Ints, at: Ints, there: Bools, shape: tuple[int, int], most: int
    ) -> Units:
        figures = values.shape[1]
        one, figure = np.nonzero(there)
        place = (figure, cell[one], at[one, figure])
        z, t, m = (np.zeros((figures, shape[0] * shape[1], most)) for _ in range(3))
        np.add.at(m, place, 1.0)
        np.add.at(z, place, np.log(values[one, figure]))
        np.add.at(t, place, np.nan_to_num(hours[one]))
        count = np.maximum(m, 1.0)
        whole = (figures, *shape, most)
        return cls((z / count).reshape(whole), (t / count).reshape(whole), m.reshape(whole))


@dataclass(frozen=True)
class Sessions:
    """Where the passes of cells were run. `told` (F, L): every pass of a lane with the figure tells its session; lanes
    without any pass tell nothing to the contrary. `there` (F, L, T, S) says which sessions a cell has passes in.
    """

    told: Bools
    there: Bools

    @property
    def only(self) -> Bools:
        """Cells whose passes are all of one session, as `there`: shape (F, L, T, S)."""
        found: Bools = self.there & (self.there.sum(axis=-1, keepdims=True) == 1)
        return found


def sessions_of(values: Floats, cell: Ints, session: Ints, units: Units, shape: tuple[int, int]) -> Sessions:
    """The sessions of cells; arrays as in :class:`Units`."""
    lane = cell // max(shape[1], 1)
    silent = ~np.isnan(values) & (session == UNTOLD)[:, None]
    told = np.ones((values.shape[1], shape[0]), dtype=np.bool_)
    one, figure = np.nonzero(silent)
    told[figure, lane[one]] = False
    return Sessions(told, units.m > 0)
