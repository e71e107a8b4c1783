"""What was measured on other days: how unlike sessions are, margins between them, and steps in a part's history.

Definitions are those of docs/measures.md, section 11. What returns after days is less alike; by how much is known here.
"""

from rennbahn.history.answer import History, Margin, Moved, history_of
from rennbahn.history.between import KNOWN_DF, KNOWN_SD, BetweenSessions, between_of
from rennbahn.history.model import Cell, HistoryAsked
from rennbahn.history.read import history_from_json
from rennbahn.history.sentences import between_words, margin_words, sentences_of, step_words

__all__ = [
    "KNOWN_DF",
    "KNOWN_SD",
    "BetweenSessions",
    "Cell",
    "History",
    "HistoryAsked",
    "Margin",
    "Moved",
    "between_of",
    "between_words",
    "history_from_json",
    "history_of",
    "margin_words",
    "sentences_of",
    "step_words",
]
