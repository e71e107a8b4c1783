"""What is known over time, in sentences that can be copied as they are."""

from __future__ import annotations

from collections.abc import Sequence

from rennbahn.display import percent, signed_percent
from rennbahn.history.answer import History, Margin, Moved
from rennbahn.history.between import BetweenSessions
from rennbahn.history.model import Cell, HistoryAsked

#: Under this share a margin is as sure as within a session, to whoever reads it.
_HARDLY = 0.05


def sentences_of(asked: HistoryAsked, found: History) -> tuple[str, ...]:
    """Steps first, then margins, then how unlike sessions are."""
    cells = asked.cells
    told = [step_words(cells, one) for one in found.steps]
    told += [margin_words(cells, one) for one in found.margins]
    return (*told, between_words(found.between))


def between_words(between: BetweenSessions) -> str:
    """How unlike sessions of one setup are, and from what that is known."""
    sd = f"{percent(between.sd)}%"
    if not between.from_cells:
        return f"Sessions of one setup are taken to differ by {sd}: nothing was measured in two of them yet."
    cells = "1 cell" if between.from_cells == 1 else f"{between.from_cells} cells"
    return f"Sessions of one setup differ by {sd} (one standard deviation), as {cells} measured in two and more show."


def margin_words(cells: Sequence[Cell], one: Margin) -> str:
    """A margin between two cells, with what other days add to its interval."""
    a, b = cells[one.a], cells[one.b]
    said = f"{_named(b, a)} over {_named(a, b)} in {a.test}: {signed_percent(one.margin)}%"
    if one.low is None or one.high is None:
        return f"{said}, open: no test of it has two passes in a cell, so there is no interval."
    passes = f"{len(b.passes)} and {len(a.passes)} passes"
    said += f" (95% interval {signed_percent(one.low)}% to {signed_percent(one.high)}%, {passes}), {one.verdict}."
    if one.widened_by is None or one.widened_by < _HARDLY:
        return said
    wider = f"{round(100 * one.widened_by)}%"
    return f"{said} Since they are of two sessions the interval is {wider} wider; a control pass would narrow it."


def step_words(cells: Sequence[Cell], one: Moved) -> str:
    """A step in a part's history, with what changed between."""
    a, b = cells[one.from_], cells[one.to]
    moved = (("driver", a.driver, b.driver), ("build", a.build, b.build))
    changed = [f"{name} {old or 'not named'} to {new or 'not named'}" for name, old, new in moved if old != new]
    why = "; ".join(changed) or "neither driver nor build changed"
    return (
        f"{one.part} in {one.test} stepped by {signed_percent(one.margin)}% (95% interval {signed_percent(one.low)}% "
        f"to {signed_percent(one.high)}%, over all neighbours of the history) between {a.date} and {b.date}: {why}."
    )


def _named(one: Cell, other: Cell) -> str:
    """A cell by what tells it from another."""
    if one.part != other.part:
        return one.part
    beside = ((one.driver, other.driver), (one.build, other.build))
    told = [value for value, of_other in beside if value and value != of_other]
    return f"{one.part} ({', '.join(told) or one.date})"
