"""Cells of many days as text to read."""

from __future__ import annotations

from rennbahn.display import fps
from rennbahn.history.answer import History
from rennbahn.history.model import HistoryAsked
from rennbahn.history.sentences import sentences_of
from rennbahn.tables import aligned


def history_text(asked: HistoryAsked, found: History) -> str:
    """Sentences, then the cells in the order of their days."""
    rows = [
        [str(at), one.date, one.part, one.test, one.driver or "–", one.build or "–", one.session, fps(one.level),
         str(len(one.passes))]
        for at, one in sorted(enumerate(asked.cells), key=lambda each: (each[1].part, each[1].test, each[1].date))
    ]  # fmt: skip
    heads = ("cell", "day", "part", "test", "driver", "build", "session", "fps", "passes")
    return "\n\n".join(["\n".join(sentences_of(asked, found)), *([aligned(heads, rows)] if rows else [])])
