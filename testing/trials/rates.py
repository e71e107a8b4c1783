"""Shares that a trial finds, and how they are told."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Rate:
    """A share as it was found, of what is answered and of a hand; None where a hand has no such answer."""

    name: str
    found: float
    hand: float | None
    wanted: str


def tell(title: str, rates: Iterable[Rate]) -> None:
    """Print every rate in a line beneath a title."""
    print(f"{title:<76}answered     hand   wanted")
    for rate in rates:
        hand = "–" if rate.hand is None else f"{rate.hand:.1%}"
        print(f"  {rate.name:<74}{rate.found:8.1%} {hand:>8}   {rate.wanted}")
