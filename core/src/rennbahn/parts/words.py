"""Facts of a part in words, so that a line of them can be read without its form."""

from __future__ import annotations

from collections.abc import Mapping

from rennbahn.parts.facts import FactValue, fact_to_text
from rennbahn.parts.kinds import kind_named


def fact_words(kind: str, facts: Mapping[str, FactValue]) -> tuple[str, ...]:
    """Each fact in a few words, in the order of the definition. A flag that is off and a count of none say nothing."""
    words = []
    for fact in kind_named(kind).facts:
        value = facts.get(fact.name)
        if value is None or value is False or (fact.type == "whole" and value == 0):
            continue
        if value is True:
            words.append(fact.label.lower())
        elif fact.count:
            words.append(f"{value} {fact.count}{'' if value == 1 else 's'}")
        else:
            words.append(fact.words.format(fact_to_text(value), unit=fact.unit).strip())
    return tuple(words)
