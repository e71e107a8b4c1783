"""What a fact of a part is: its name, its type, its unit and what values it can have."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

FactType = Literal["number", "whole", "text", "choice", "flag", "date"]


@dataclass(frozen=True)
class Fact:
    """One fact that matters for a kind of part.

    `low` and `high` bound numbers, both included; `choices` are the values of a choice. `stated_limit` marks what the
    maker says must not be crossed. A `date` is text of the form 2026-09-12. `words` say the fact beside others, `{}`
    being its value; `count` is what a whole number counts, one of it.
    """

    name: str
    label: str
    type: FactType = "number"
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: tuple[str, ...] = ()
    stated_limit: bool = False
    words: str = "{} {unit}"
    count: str = ""


@dataclass(frozen=True)
class Kind:
    """A kind of part: its name in data, its name on screen, and its facts in the order of a form."""

    id: str
    label: str
    facts: tuple[Fact, ...]

    def fact(self, name: str) -> Fact | None:
        """The fact of that name."""
        return next((fact for fact in self.facts if fact.name == name), None)
