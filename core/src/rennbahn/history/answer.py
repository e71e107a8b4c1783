"""Cells of many days held against each other, and where a part's history steps (measures.md 11)."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from scipy.special import stdtrit

from rennbahn.comparing.verdicts import OPEN, VERDICTS, verdicts_of_logs
from rennbahn.history.between import BetweenSessions, between_of
from rennbahn.history.model import Cell, HistoryAsked, Noise, noises_of

#: Margins within this count as even.
BAND = 0.01
_LEVEL = 0.05


@dataclass(frozen=True)
class Margin:
    """Cell B over cell A (by index), as a margin with its interval; no ends without noise.

    `widened_by` is how much wider half the interval of ln is than it would be within one session, as a share.
    """

    a: int
    b: int
    margin: float
    low: float | None
    high: float | None
    verdict: str
    widened_by: float | None


@dataclass(frozen=True)
class Moved:
    """A step that is shown in a part's history: from one cell to the next (by index), as a margin with its interval."""

    part: str
    test: str
    from_: int
    to: int
    margin: float
    low: float
    high: float


@dataclass(frozen=True)
class History:
    """All that is told of cells of many days."""

    between: BetweenSessions
    margins: tuple[Margin, ...]
    steps: tuple[Moved, ...]


@dataclass(frozen=True)
class _Ends:
    """ln of B over A with half its interval, and half of what it would be within a session."""

    log: float
    half: float | None
    alone: float | None


def history_of(asked: HistoryAsked) -> History:
    """Hold the pairs that are asked for against each other, and every part in a test against itself over time."""
    cells = asked.cells
    noises = noises_of(cells)
    between = between_of(cells, noises)
    margins = tuple(_margin(cells, pair, noises, between) for pair in asked.pairs)
    return History(between, margins, _steps(cells, noises, between))


def _ends(a: Cell, b: Cell, noise: Noise | None, between: BetweenSessions, level: float) -> _Ends:
    log = math.log(b.level / a.level)
    if noise is None or noise.df < 1:
        return _Ends(log, None, None)
    own = noise.v * (1.0 / len(a.passes) + 1.0 / len(b.passes))
    alone = _t(noise.df, level) * math.sqrt(own)
    if a.session == b.session:
        return _Ends(log, alone, alone)
    part = 2.0 * between.v
    whole = own + part
    df = whole**2 / (own**2 / noise.df + part**2 / between.df)
    # More degrees of freedom must not make what is less alike look more certain.
    return _Ends(log, max(_t(df, level) * math.sqrt(whole), alone), alone)


def _margin(
    cells: tuple[Cell, ...], pair: tuple[int, int], noises: Mapping[str, Noise], between: BetweenSessions
) -> Margin:
    a, b = (cells[at] for at in pair)
    ends = _ends(a, b, noises.get(a.test), between, _LEVEL)
    share = math.expm1(ends.log)
    if ends.half is None or ends.alone is None:
        return Margin(*pair, share, None, None, VERDICTS[OPEN], None)
    low, high = ends.log - ends.half, ends.log + ends.half
    verdict = VERDICTS[int(verdicts_of_logs(low, high, BAND))]
    widened = ends.half / ends.alone - 1.0 if ends.alone else 0.0
    return Margin(*pair, share, math.expm1(low), math.expm1(high), verdict, widened)


def _steps(cells: tuple[Cell, ...], noises: Mapping[str, Noise], between: BetweenSessions) -> tuple[Moved, ...]:
    """Neighbouring times of a part in a test, at a level that all neighbours of the whole history share."""
    by_history: dict[tuple[str, str], list[int]] = {}
    for at, one in enumerate(cells):
        by_history.setdefault((one.part, one.test), []).append(at)
    neighbours = [
        (key, pair)
        for key, own in by_history.items()
        for pair in pairwise(sorted(own, key=lambda at: (cells[at].date, at)))
    ]
    found = []
    for (part, test), (a, b) in neighbours:
        ends = _ends(cells[a], cells[b], noises.get(test), between, _LEVEL / len(neighbours))
        if ends.half is not None and abs(ends.log) > ends.half:
            low, high = math.expm1(ends.log - ends.half), math.expm1(ends.log + ends.half)
            found.append(Moved(part, test, a, b, math.expm1(ends.log), low, high))
    return tuple(found)


def _t(df: float, level: float) -> float:
    return float(stdtrit(df, 1.0 - level / 2.0))
