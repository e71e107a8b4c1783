"""Does a lane stay what it was? Game build, driver and settings are watched from pass to pass."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from rennbahn.planning.fairness import Difference, SetupDescription, difference_between, label_of, things_of


@dataclass(frozen=True)
class RunWith:
    """What one pass was run with; passes are given in the order they were run.

    `machine` is what stays one through all its changes: lanes that share a setup share it, and what changes between
    their passes has changed within the study.
    """

    lane: str
    game: str
    setup: SetupDescription
    machine: str = ""


@dataclass(frozen=True)
class Drifted:
    """A thing that changed within a lane while the study ran: from `change.a` to `change.b`, before pass `before`.

    `before` counts the passes given, from 0.
    """

    lane: str
    before: int
    change: Difference


def watch(passes: Iterable[RunWith]) -> tuple[Drifted, ...]:
    """Changes within each lane or machine, in the order they came. A game's build counts only where it is run."""
    last: dict[tuple[str, str], SetupDescription] = {}
    found: list[Drifted] = []
    for position, one in enumerate(passes):
        for sort in ("", one.game):
            seen: set[str] = set()
            for own in dict.fromkeys((f"lane {one.lane}", f"machine {one.machine or one.lane}")):
                before = last.get((own, sort))
                if before is not None and before is not one.setup:
                    changes = _changes(before, one.setup, one.game, bool(sort))
                    found += [Drifted(one.lane, position, change) for change in changes if change.key not in seen]
                    seen |= {change.key for change in changes}
                last[own, sort] = one.setup
    return tuple(found)


def _changes(before: SetupDescription, after: SetupDescription, game: str, builds: bool) -> list[Difference]:
    """Builds of this game alone, or everything but builds."""
    left, right = things_of(before), things_of(after)
    own = f"part:build:{' '.join(game.lower().split())}"
    found = []
    for key in [*left, *(key for key in right if key not in left)]:
        build = key.startswith("part:build")
        if build != builds or (build and key not in (own, "part:build")):
            continue
        change = difference_between(key, left.get(key), right.get(key), label_of(key, before, after))
        if change is not None:
            found.append(change)
    return found
