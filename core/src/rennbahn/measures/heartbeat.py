"""Stutters that keep time, though some are missed or added (measures, 3.1 and reading 6)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: A stutter within this share of the period lies on its beat.
ON_BEAT = 0.06
SHORTEST_PERIOD_S = 0.5
FEWEST_BEATS = 6
#: How many stutters ahead, and how many beats apart, the two may be that a line is drawn through.
_AHEAD = 6
_APART = 3
#: Lines times stutters that are looked at; of more stutters, lines are drawn through every m-th only.
_MOST_CELLS = 1_000_000
#: Cells of the table of lines by stutters that are looked at together.
_CHUNK = 1 << 19


@dataclass(frozen=True)
class Heartbeat:
    """A beat in the stutters. Period in seconds; `beats` from the first met to the last, `met` of them met."""

    found: bool
    period_s: float | None
    beats: int | None
    met: int | None
    stutters: int


def find_heartbeat(starts_s: Floats) -> Heartbeat:
    """Look for a beat in the starts of stutters, shape (S,), rising, in seconds."""
    count = len(starts_s)
    none = Heartbeat(False, None, None, None, count)
    if count < FEWEST_BEATS:
        return none
    origins, periods = _lines(starts_s)
    # Each line keeps its place in the order i, j, m, so that the first of equals wins.
    best: tuple[int, int, int] | None = None
    chunk = max(1, _CHUNK // count)
    for begin in range(0, len(periods), chunk):
        part = slice(begin, begin + chunk)
        # Most lines meet too few stutters to stand whatever their beats are, and are not looked at further.
        some = begin + np.flatnonzero(_on(starts_s, origins[part], periods[part]) >= max(FEWEST_BEATS, count / 2))
        if not len(some):
            continue
        met, spans = _met(starts_s, origins[some], periods[some])
        stands = (met >= FEWEST_BEATS) & (4 * met >= 3 * spans) & (2 * met >= count)
        for index in np.flatnonzero(stands):
            line = (int(some[index]), int(met[index]), int(spans[index]))
            # met^2 / beats compared crosswise, in whole numbers.
            if best is None or line[1] ** 2 * best[2] > best[1] ** 2 * line[2]:
                best = line
    if best is None:
        return none
    at, met_beats, span = best
    beat, on = _beats(starts_s, origins[at : at + 1], periods[at : at + 1])
    k, s = beat[0][on[0]], starts_s[on[0]]
    k = k - k.mean()
    return Heartbeat(True, float((k * (s - s.mean())).sum() / (k * k).sum()), span, met_beats, count)


def _lines(starts_s: Floats) -> tuple[Floats, Floats]:
    """Origin and period of each line through stutters i and j, one to three beats apart."""
    count = len(starts_s)
    every = -(-count * count * _AHEAD * _APART // _MOST_CELLS)
    origins, ahead, apart = np.indices((-(-count // every), _AHEAD, _APART)).reshape(3, -1)
    first = origins * every
    i, j, m = first, first + ahead + 1, apart + 1
    there = j < count
    i, j, m = i[there], j[there], m[there]
    periods = (starts_s[j] - starts_s[i]) / m
    enough = periods >= SHORTEST_PERIOD_S
    return starts_s[i[enough]], periods[enough]


def _beats(starts_s: Floats, origins: Floats, periods: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Nearest beat of each stutter on each line, shape (lines, S), and whether the stutter lies on it."""
    place = (starts_s[None, :] - origins[:, None]) / periods[:, None]
    beat = np.floor(place + 0.5)
    return beat, np.abs(place - beat) <= ON_BEAT


def _on(starts_s: Floats, origins: Floats, periods: Floats) -> NDArray[np.intp]:
    """How many stutters lie on beats of each line; a hair is allowed here for what :func:`_beats` decides."""
    place = (starts_s[None, :] - origins[:, None]) * (1.0 / periods)[:, None]
    place -= np.rint(place)
    on: NDArray[np.intp] = np.count_nonzero(np.abs(place) <= ON_BEAT + 1e-9, axis=1)
    return on


def _met(starts_s: Floats, origins: Floats, periods: Floats) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    beat, on = _beats(starts_s, origins, periods)
    # Starts rise, so beats do too: a beat is new where it lies above every beat met before.
    reached = np.maximum.accumulate(np.where(on, beat, -np.inf), axis=1)
    before = np.concatenate((np.full((len(beat), 1), -np.inf), reached[:, :-1]), axis=1)
    met = np.count_nonzero(on & (beat > before), axis=1)
    first = np.where(on, beat, np.inf).min(axis=1)
    return met, (reached[:, -1] - first).astype(np.int64) + 1
