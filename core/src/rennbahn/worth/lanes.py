"""What the lanes of a study cost, weigh and sound like: the parts in which they differ, counted once each."""

from __future__ import annotations

import functools
import operator
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

from rennbahn.worth import together_dba

Lane = TypeVar("Lane")

#: Parts that are no thing: they cost nothing beside what they run on, and weigh nothing.
SOFTWARE = ("system", "driver", "firmware", "build")


@dataclass(frozen=True)
class Owned:
    """A part of a setup: which one it is, of what kind, and where they are known its price, its weight in g and its
    noise in dB(A)."""

    key: int
    kind: str
    price: float | None = None
    currency: str = ""
    weight_g: float | None = None
    noise_dba: float | None = None

    @property
    def is_hardware(self) -> bool:
        """Whether it is a thing one can buy and weigh."""
        return self.kind not in SOFTWARE


def own_parts(lanes: Mapping[Lane, Sequence[Owned]]) -> dict[Lane, list[Owned]]:
    """By lane, the parts in which the lanes differ: each as often as a setup has it more than all others do."""
    counted = {lane: Counter(part.key for part in parts) for lane, parts in lanes.items()}
    shared: Counter[int] = functools.reduce(operator.and_, counted.values()) if counted else Counter()
    found = {}
    for lane, parts in lanes.items():
        known = {part.key: part for part in parts}
        found[lane] = [known[key] for key in (counted[lane] - shared).elements()]
    return found


def prices(own: Mapping[Lane, Sequence[Owned]]) -> tuple[dict[Lane, float], str]:
    """By lane, what its own hardware costs together, and the currency.

    Nothing where any hardware of any lane has no price, or where money of two currencies would be summed: a sum of
    which something is missing is no price.
    """
    hardware = {lane: [part for part in parts if part.is_hardware] for lane, parts in own.items()}
    currencies = {part.currency for parts in hardware.values() for part in parts}
    whole = all(parts and all(part.price is not None for part in parts) for parts in hardware.values())
    if len(currencies) != 1 or not whole:
        return {}, ""
    cost = {lane: float(sum(part.price or 0.0 for part in parts)) for lane, parts in hardware.items()}
    return cost, currencies.pop()


def weight_g(own: Sequence[Owned]) -> float | None:
    """What a lane's own hardware weighs together in g; None where any of it has no weight."""
    weights = [part.weight_g for part in own if part.is_hardware]
    if not weights or any(one is None for one in weights):
        return None
    return float(sum(one or 0.0 for one in weights))


def noise_dba(own: Sequence[Owned]) -> float | None:
    """How loud a lane's own parts are together in dB(A), as far as it is known; None where nothing is."""
    known = [part.noise_dba for part in own if part.noise_dba is not None]
    return together_dba(known) if known else None
