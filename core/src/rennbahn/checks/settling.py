"""What doubts ask of whoever decides: which passes they hold back, and what settles them."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

#: Locks this close to each other, as a share, are the same cap.
SAME_CAP = 0.01

P = TypeVar("P", bound=Hashable)


def is_doubted(weak: Sequence[bool]) -> bool:
    """Whether a pass deserves another look, by how sure each of its doubts is: one that is unsure is told, no more."""
    return not all(weak)


@dataclass(frozen=True)
class Standing(Generic[P]):
    """A doubt as it stands: the passes that it is about, whether its check is unsure, whether somebody settled it, and
    whether it marks its passes: a doubt about a lane's habit does not.
    """

    passes: tuple[P, ...]
    weak: bool
    settled: bool
    marks: bool = True


def held_back(doubts: Iterable[Standing[P]]) -> set[P]:
    """Passes that are not accepted together with others: a check is sure about them, and nobody has settled that.

    >>> held_back([Standing((1, 2), weak=False, settled=True), Standing((2,), weak=False, settled=False)])
    {2}
    """
    return {one for doubt in doubts if doubt.marks and not doubt.settled and not doubt.weak for one in doubt.passes}


def held_alike(locks: Mapping[P, float], fps: float) -> list[P]:
    """Of passes by the rates at which they are held, those that are held by the cap of `fps`.

    >>> held_alike({"first": 119.9, "second": 120.3, "third": 60.0}, 120.0)
    ['first', 'second']
    """
    return [one for one, lock in locks.items() if abs(lock / fps - 1.0) <= SAME_CAP]


def is_real(agreeing: Iterable[bool]) -> bool:
    """Whether an odd pass may stand as odd, but real: a repeat of it agreed with it. `agreeing` says so of each."""
    return any(agreeing)
