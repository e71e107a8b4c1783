"""Checking facts against their definition, and reading and writing them as text."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping

from rennbahn.errors import RennbahnError
from rennbahn.parts.definition import Fact
from rennbahn.parts.kinds import kind_named

FactValue = float | int | str | bool
_LONGEST_TEXT = 120
_DATE = re.compile(r"(\d{4})-(\d{2})-(\d{2})")
_DAYS = (31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)
_YES, _NO = ("yes", "true", "1"), ("no", "false", "0")


def checked_facts(kind: str, raw: Mapping[str, object]) -> dict[str, FactValue]:
    """The facts of a part of `kind`, in the order of their definition; what is empty or None is left out.

    Raises :class:`RennbahnError` with the field `facts.<name>`: `unknown_fact` where the kind has no such fact,
    `wrong_fact` where a value has another type or lies outside its range, `facts_disagree` where two contradict.
    """
    definition = kind_named(kind)
    known = {fact.name for fact in definition.facts}
    for name in raw:
        if name not in known:
            raise RennbahnError(
                "unknown_fact",
                f"A {definition.label.lower()} has no fact {name!r}.",
                field=f"facts.{name}",
                hint=f"It has: {', '.join(fact.name for fact in definition.facts)}.",
            )
    facts: dict[str, FactValue] = {}
    for fact in definition.facts:
        value = raw.get(fact.name)
        if value is None or value == "":
            continue
        facts[fact.name] = _checked(fact, value)
    _agree(facts)
    return facts


def fact_from_text(fact: Fact, text: str) -> object:
    """The value that a text stands for, still to be checked. Numbers take a decimal point, flags yes or no."""
    text = text.strip()
    if fact.type == "flag" and text:
        if text.lower() in _YES + _NO:
            return text.lower() in _YES
        raise _wrong(fact, "yes or no", text)
    if fact.type in ("number", "whole") and text:
        try:
            return float(text)
        except ValueError:
            raise _wrong(fact, "a number", text) from None
    return text


def fact_to_text(value: FactValue | None) -> str:
    """A value as :func:`fact_from_text` reads it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return value if isinstance(value, str) else repr(_tidy(value))


def _checked(fact: Fact, value: object) -> FactValue:
    if fact.type == "flag":
        if not isinstance(value, bool):
            raise _wrong(fact, "yes or no", value)
        return value
    if fact.type in ("number", "whole"):
        return _checked_number(fact, value)
    if not isinstance(value, str):
        raise _wrong(fact, "text", value)
    text = value.strip()
    if fact.type == "date" and not _is_date(text):
        raise _wrong(fact, "a date such as 2026-09-12", value)
    if fact.type == "choice" and text not in fact.choices:
        raise _wrong(fact, f"one of {', '.join(fact.choices)}", value)
    if len(text) > _LONGEST_TEXT:
        raise _wrong(fact, f"at most {_LONGEST_TEXT} characters", f"{text[:20]}…")
    return text


def _checked_number(fact: Fact, value: object) -> float | int:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        raise _wrong(fact, "a number", value)
    if fact.type == "whole" and float(value) != int(value):
        raise _wrong(fact, "a whole number", value)
    low, high = fact.low, fact.high
    if (low is not None and value < low) or (high is not None and value > high):
        raise _wrong(fact, f"{_tidy(low or 0)} to {_tidy(high or 0)}{f' {fact.unit}' if fact.unit else ''}", value)
    return int(value) if fact.type == "whole" else _tidy(value)


def _agree(facts: Mapping[str, FactValue]) -> None:
    """A value as delivered beyond the maker's own limit is a slip of the pen, or a danger."""
    for name, limit in (("power_limit_w", "max_power_w"), ("voltage_v", "max_voltage_v")):
        value, most = facts.get(name), facts.get(limit)
        if isinstance(value, (int, float)) and isinstance(most, (int, float)) and value > most:
            raise RennbahnError(
                "facts_disagree",
                f"{name} is {_tidy(value)}, over the stated limit {limit} of {_tidy(most)}.",
                field=f"facts.{name}",
                hint="Check both in the maker's manual; never go beyond a stated limit.",
            )


def _is_date(text: str) -> bool:
    found = _DATE.fullmatch(text)
    if found is None:
        return False
    year, month, day = map(int, found.groups())
    leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
    return 1 <= month <= 12 and 1 <= day <= _DAYS[month - 1] and (leap or (month, day) != (2, 29))


def _tidy(value: float) -> float | int:
    return int(value) if float(value).is_integer() else value


def _wrong(fact: Fact, wanted: str, got: object) -> RennbahnError:
    return RennbahnError("wrong_fact", f"{fact.label}: must be {wanted} (got {got}).", field=f"facts.{fact.name}")
