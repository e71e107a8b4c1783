"""Attempts at places of a matrix, how each stands, and what to try next where it does not work."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

#: How an attempt can end, from best to worst.
OUTCOMES = ("works", "limited", "no_picture", "not_detected", "crashes")
NOT_TRIED = "not_tried"
#: Those in which one can go on to measure.
WORKING = frozenset(OUTCOMES[:2])
STATE_WORDS = {
    "works": "works",
    "limited": "works with limits",
    "no_picture": "no picture",
    "not_detected": "not detected",
    "crashes": "crashes",
    NOT_TRIED: "not tried",
}
#: Further things to try than these are noise.
_MOST = 5


@dataclass(frozen=True)
class Attempt:
    """One attempt: how it ended, and what was changed for it (firmware, driver, cable, order of powering)."""

    outcome: str
    changed: tuple[str, ...] = ()


@dataclass(frozen=True)
class Place:
    """A place of a matrix by the names along its axes; `via` is empty where there is nothing between."""

    row: str
    column: str
    via: str = ""

    def shares(self, other: Place) -> tuple[str, ...]:
        """What two places have in common."""
        pairs = ((self.row, other.row), (self.via, other.via), (self.column, other.column))
        return tuple(one for one, two in pairs if one and one == two)


@dataclass(frozen=True)
class Tried:
    """Something to try, where it helped, and what those places have in common with this one."""

    change: str
    helped: tuple[Place, ...]
    shared: tuple[str, ...]


def state_of(attempts: Sequence[Attempt]) -> str:
    """How a place stands: as its last attempt ended."""
    return attempts[-1].outcome if attempts else NOT_TRIED


def helped_at(all_places: Mapping[Place, Sequence[Attempt]]) -> list[tuple[Place, str]]:
    """The changes with which places came to work, each with its place."""
    return [(place, change) for place, attempts in all_places.items() for change in _helped(attempts)]


def next_things(place: Place, own: Sequence[Attempt], helped: Sequence[tuple[Place, str]]) -> tuple[Tried, ...]:
    """What to try next at a place that does not work: what `helped` elsewhere (see :func:`helped_at`).

    Only places count that share a row, a column or what is between, and only changes that were not tried here. What
    helped at more of them comes first, then what helped at places that share more.
    """
    if not own or state_of(own) in WORKING:
        return ()
    here = {_plain(change) for one in own for change in one.changed}
    found: dict[str, list[tuple[Place, str]]] = {}
    for other, change in helped:
        if other != place and place.shares(other) and _plain(change) not in here:
            found.setdefault(_plain(change), []).append((other, change))
    told = []
    for hits in found.values():
        places = tuple(dict.fromkeys(other for other, _ in hits))
        shared = tuple(dict.fromkeys(name for other in places for name in place.shares(other)))
        told.append(Tried(hits[0][1], places, shared))
    told.sort(key=lambda one: (-len(one.helped), -max(len(place.shares(other)) for other in one.helped), one.change))
    return tuple(told[:_MOST])


def _helped(attempts: Sequence[Attempt]) -> list[str]:
    """The changes with which a place that had failed came to work, or that its first attempt needed to."""
    return [
        change
        for before, one in zip((None, *attempts), attempts, strict=False)
        if one.outcome in WORKING and (before is None or before.outcome not in WORKING)
        for change in one.changed
    ]


def _plain(change: str) -> str:
    return " ".join(change.casefold().split())
