"""What works together at all: hosts by adapters by cards, boards by processors, kits by boards.

A place of the matrix stands as its last attempt ended. What part facts say before anything is plugged in is told as a
check, never as a verdict: only an attempt is one.
"""

from rennbahn.fitting.attempts import (
    NOT_TRIED,
    OUTCOMES,
    STATE_WORDS,
    WORKING,
    Attempt,
    Place,
    Tried,
    helped_at,
    next_things,
    state_of,
)
from rennbahn.fitting.checks import Fitted, Link, cautions_of, checks_of, expected_link, link_words
from rennbahn.fitting.words import matrix_sentences

__all__ = [
    "NOT_TRIED",
    "OUTCOMES",
    "STATE_WORDS",
    "WORKING",
    "Attempt",
    "Fitted",
    "Link",
    "Place",
    "Tried",
    "cautions_of",
    "checks_of",
    "expected_link",
    "helped_at",
    "link_words",
    "matrix_sentences",
    "next_things",
    "state_of",
]
