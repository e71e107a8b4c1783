"""Settings held against what the makers of the parts say must not be crossed.

A caution warns; it never proposes a value. Where no limit is recorded there is nothing to hold a setting against, which
is no leave to go on: the maker's manual and a qualified person decide.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from rennbahn.parts import kind_named
from rennbahn.planning.fairness import PartDescription, SetupDescription

_NUMBER = re.compile(r"(\d+(?:[.,]\d+)?)\s*(%|mV|[A-Za-z°]*)")


@dataclass(frozen=True)
class Caution:
    """A setting beyond a stated limit: both as they are written, the part that has the limit, and it in words."""

    setting: str
    value: str
    part: str
    words: str


@dataclass(frozen=True)
class _Limited:
    """Settings of a name are held against a limit of a kind of part; percents are of `delivered`."""

    name: re.Pattern[str]
    kind: str
    limit: str
    unit: str
    delivered: str = ""


# The first that fits: a processor's limit is named as such, any other power limit is the card's.
_LIMITED = (
    _Limited(re.compile(r"(processor|cpu|package).*power"), "processor", "max_power_w", "W", "power_limit_w"),
    _Limited(re.compile(r"power (limit|target)"), "card", "max_power_w", "W", "power_limit_w"),
    _Limited(re.compile(r"memory voltage|voltage of the memory"), "memory", "max_voltage_v", "V", "voltage_v"),
)


def cautions_of(setup: SetupDescription) -> tuple[Caution, ...]:
    """Settings of a setup that lie beyond a stated limit of one of its parts."""
    found = []
    for name, value in setup.settings.items():
        rule = next((one for one in _LIMITED if one.name.search(name.lower())), None)
        if rule is None:
            continue
        for part in setup.parts:
            if part.kind == rule.kind and _beyond(part, rule, value):
                limit = part.facts[rule.limit]
                fact = kind_named(rule.kind).fact(rule.limit)
                label = fact.label.lower() if fact else rule.limit
                words = f"{name} {value} is beyond the {label} of {limit} {rule.unit} that is recorded for {part.name}"
                found.append(Caution(name, value, part.name, words))
    return tuple(found)


def _beyond(part: PartDescription, rule: _Limited, value: str) -> bool:
    limit, number = part.facts.get(rule.limit), _NUMBER.search(value)
    if number is None or not isinstance(limit, (int, float)):
        return False
    amount, unit = float(number.group(1).replace(",", ".")), number.group(2)
    if unit == "%":
        delivered = part.facts.get(rule.delivered)
        return isinstance(delivered, (int, float)) and amount / 100 * delivered > limit
    if unit.lower() == "mv":
        amount /= 1000
    return amount > limit
