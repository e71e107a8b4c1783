"""What was thrown out, and which lane that helps: counts and directions, so that a reader sees it at a glance."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from rennbahn.comparing.model import Lane, Pass


@dataclass(frozen=True)
class Rejections:
    """The rejected passes of a lane.

    `raising` ran below what counts in their cell, so that leaving them out raises the lane; `lowering` above it;
    of the others nothing is known, since they have no such figure or nothing was accepted beside them.
    """

    lane: str
    count: int
    raising: int
    lowering: int

    @property
    def net(self) -> int:
        """How many more raise the lane than lower it."""
        return self.raising - self.lowering


def rejections_of(
    lanes: Sequence[Lane], accepted: Iterable[Pass], rejected: Sequence[Pass], figure: str
) -> list[Rejections]:
    """Rejections lane by lane, in the order of the lanes, by one figure."""
    cells: dict[tuple[str, str], list[float]] = {}
    for one in accepted:
        if figure in one.figures:
            cells.setdefault((one.lane, one.test), []).append(one.figures[figure])
    found = []
    for lane in lanes:
        own = [one for one in rejected if one.lane == lane.id]
        signs = [_side(one, cells.get((one.lane, one.test)), figure) for one in own]
        found.append(Rejections(lane.id, len(own), signs.count(-1), signs.count(1)))
    return found


def _side(one: Pass, accepted: Sequence[float] | None, figure: str) -> int:
    """-1 where a pass ran below the mean of what counts in its cell, 1 above it, 0 where nobody can tell."""
    if not accepted or figure not in one.figures:
        return 0
    mean = math.fsum(accepted) / len(accepted)
    return (one.figures[figure] > mean) - (one.figures[figure] < mean)


def rejections_words(found: Sequence[Rejections], names: dict[str, str]) -> str:
    """All rejections in a sentence; empty without one. Says so where they happen to favour a lane."""
    out = [one for one in found if one.count]
    if not out:
        return ""
    parts = [f"{names[one.lane]} {one.count}{_direction(one)}" for one in out]
    total = sum(one.count for one in out)
    said = f"{total} {'pass' if total == 1 else 'passes'} rejected: {', '.join(parts)}."
    favoured = favours(found)
    if favoured is None:
        return said
    return f"{said} What was left out happens to favour {names[favoured]}: look at the reasons."


def favours(found: Sequence[Rejections]) -> str | None:
    """The lane that rejections raise against all others; None where they are balanced or there is but one lane."""
    if len(found) < 2:
        return None
    ranked = sorted(found, key=lambda one: one.net, reverse=True)
    best, next_best = ranked[0], ranked[1]
    if best.net > next_best.net and best.net > 0:
        return best.lane
    # Passes above what counts thrown out of all lanes but one favour that one just as well.
    worst = ranked[-1]
    return best.lane if worst.net < 0 and all(one.net == worst.net for one in ranked[1:]) else None


def _direction(one: Rejections) -> str:
    parts = [f"{one.raising} below" if one.raising else "", f"{one.lowering} above" if one.lowering else ""]
    told = " and ".join(part for part in parts if part)
    return f" ({told} what counts)" if told else ""
