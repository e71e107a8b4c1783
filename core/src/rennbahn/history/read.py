"""Cells of many days as JSON: read to the letter, or refused by field."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import numpy as np

from rennbahn.history.model import Cell, HistoryAsked
from rennbahn.keys import Strict

_STRICT = Strict("bad_history")
_DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")


def history_from_json(data: Any) -> HistoryAsked:
    """The cells that a file describes. Raises :class:`RennbahnError` (`bad_history`) naming cell and field."""
    told = _STRICT.object(data, "the history", {"cells"}, {"pairs"})
    cells = [_cell(at, one) for at, one in enumerate(_STRICT.list(told["cells"], "cells"))]
    pairs = [_pair(at, one, cells) for at, one in enumerate(_STRICT.list(told.get("pairs") or [], "pairs"))]
    return HistoryAsked(tuple(cells), tuple(pairs))


def _cell(at: int, data: Any) -> Cell:
    where = f"cell {at}"
    told = _STRICT.object(data, where, {"part", "test", "session", "date", "passes"}, {"driver", "build"})
    part, test, session, day = (_STRICT.text(told[key], key, where) for key in ("part", "test", "session", "date"))
    try:
        there = _DAY.fullmatch(day) is not None and not np.isnat(np.datetime64(day, "D"))
    except ValueError:
        there = False
    if not there:
        _STRICT.refuse("date", f"{where}: date must be a day as 2026-09-30 (got {day!r:.40})")
    rates = _STRICT.list(told["passes"], "passes")
    if not rates:
        _STRICT.refuse("passes", f"{where} has no pass")
    return Cell(
        part, test, session, day, tuple(_STRICT.number(one, "passes", where, above=0.0) for one in rates),
        _STRICT.text(told.get("driver") or "", "driver", where), _STRICT.text(told.get("build") or "", "build", where),
    )  # fmt: skip


def _pair(at: int, data: Any, cells: Sequence[Cell]) -> tuple[int, int]:
    where = f"pair {at}"
    told = _STRICT.list(data, where)
    if len(told) != 2:
        _STRICT.refuse("pairs", f"{where} must name two cells by index (got {data!r:.60})")
    a, b = (_STRICT.whole(one, "pairs", where) for one in told)
    missing = next((one for one in (a, b) if one >= len(cells)), None)
    if missing is not None:
        _STRICT.refuse("pairs", f"{where} names cell {missing}, of {len(cells)} counted from 0")
    if a == b:
        _STRICT.refuse("pairs", f"{where} holds cell {a} against itself")
    if cells[a].test != cells[b].test:
        _STRICT.refuse("pairs", f"{where}: cells {a} and {b} are of two tests, {cells[a].test} and {cells[b].test}")
    return a, b
