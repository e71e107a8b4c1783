"""Settings held against what the makers of the parts say must not be crossed.

A caution warns; it never proposes a value. What cannot be read where a limit is recorded is a caution itself. Where no
limit is recorded there is nothing to hold a setting against, which is no leave to go on: the maker's manual and a
qualified person decide.
"""

from __future__ import annotations

from dataclasses import dataclass

from rennbahn.parts import kind_named
from rennbahn.planning.amounts import amounts_of
from rennbahn.planning.fairness import SetupDescription
from rennbahn.planning.settings import Named, is_off, is_stock, named, settled, words_of
from rennbahn.planning.weighing import PartDescription


@dataclass(frozen=True)
class Caution:
    """A setting beyond a stated limit, or one that cannot be held against it: as they are written, and in words."""

    setting: str
    value: str
    part: str
    words: str


@dataclass(frozen=True)
class _Limited:
    """A limit of a kind of part, its unit, and the fact that says what is delivered."""

    kind: str
    limit: str
    unit: str
    delivered: str


def cautions_of(setup: SetupDescription) -> tuple[Caution, ...]:
    """Settings of a setup that lie beyond a stated limit of one of its parts, or that cannot be read against it."""
    found = []
    for name, value in setup.settings.items():
        meant = named(name) or named(value)
        rule = _limited(meant, name, value) if meant else None
        if rule is None or is_off(value) or is_stock(value):
            continue
        for part in setup.parts:
            if part.kind == rule.kind:
                words = _crossed(part, rule, name, value)
                if words:
                    found.append(Caution(name, value, part.name, words))
    return tuple(found)


def _limited(meant: Named, name: str, value: str) -> _Limited | None:
    """Which limit a setting is held against. A power limit that names no owner is the card's."""
    other = named(value)
    owner = meant.owner or (other.owner if other else "")
    if meant.kind == "power_limit" or (meant.kind in ("tuning", "clock") and "W" in _units(value)):
        kind = "processor" if owner == "processor" or _is_processors(name, value) else "card"
        return _Limited(kind, "max_power_w", "W", "power_limit_w")
    if meant.kind == "voltage" or (meant.kind in ("tuning", "memory_profile") and "V" in _units(value)):
        return _Limited("memory", "max_voltage_v", "V", "voltage_v") if owner == "memory" else None
    return None


def _units(value: str) -> set[str]:
    return {one.unit for one in amounts_of(value)}


def _is_processors(name: str, value: str) -> bool:
    """TDP and the letters of lasting and short limits mean the processor, wherever they stand."""
    return bool({"tdp", "ppt", "pl1", "pl2", "pl4", "tdc", "edc"} & {*words_of(name), *words_of(value)})


def _crossed(part: PartDescription, rule: _Limited, name: str, value: str) -> str:
    """What is wrong with a setting, in words; empty where nothing is."""
    limit, delivered = part.facts.get(rule.limit), part.facts.get(rule.delivered)
    if not isinstance(limit, (int, float)):
        return ""
    fact = kind_named(rule.kind).fact(rule.limit)
    told = f"the {fact.label.lower() if fact else rule.limit} of {limit:g} {rule.unit} that is recorded for {part.name}"
    numbers = settled(amounts_of(value), rule.unit, float(delivered) if isinstance(delivered, (int, float)) else None)
    if numbers is None:
        return f"{name} {value} cannot be held against {told}: write it as a number in {rule.unit}"
    return f"{name} {value} is beyond {told}" if max(numbers) > limit else ""
