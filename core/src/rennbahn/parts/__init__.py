"""Parts: what each kind has to say of itself, checked against units and ranges, and what follows from it."""

from rennbahn.parts.definition import Fact, FactType, Kind
from rennbahn.parts.derived import Derived, derived
from rennbahn.parts.facts import checked_facts, fact_from_text, fact_to_text
from rennbahn.parts.kinds import KINDS, kind_meant, kind_named
from rennbahn.parts.words import fact_words

__all__ = [
    "KINDS",
    "Derived",
    "Fact",
    "FactType",
    "Kind",
    "checked_facts",
    "derived",
    "fact_from_text",
    "fact_to_text",
    "fact_words",
    "kind_meant",
    "kind_named",
]
