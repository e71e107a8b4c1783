"""Numbers as an article says them: each tied to what it is of, and bare ones in prose found."""

from rennbahn.quoting.claims import Bare, bare_numbers
from rennbahn.quoting.excerpts import excerpts_words
from rennbahn.quoting.quotes import Quote, is_of_money, quotes_of
from rennbahn.quoting.record import Correction, corrections
from rennbahn.quoting.spoken import spoken

__all__ = [
    "Bare",
    "Correction",
    "Quote",
    "bare_numbers",
    "corrections",
    "excerpts_words",
    "is_of_money",
    "quotes_of",
    "spoken",
]
