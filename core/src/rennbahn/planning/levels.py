"""Levels of a factor: what a lane stands for, as words and, where it is one, as a number with its unit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product

from rennbahn.planning.amounts import amount_alone


@dataclass(frozen=True)
class Level:
    """A level in words (`120 W`), with its number (120.0) and unit (`W`) where it has one."""

    words: str
    number: float | None = None
    unit: str = ""


def level_of(words: str) -> Level:
    """Read a level as it was typed: `120 W`, `+20 %`, `2,5 GHz`, `1,200 W`; anything else is a name.

    >>> level_of("2,5 GHz")
    Level(words='2,5 GHz', number=2.5, unit='GHz')
    >>> level_of("two sticks")
    Level(words='two sticks', number=None, unit='')
    """
    words = " ".join(words.split())
    found = amount_alone(words)
    return Level(words) if found is None else Level(words, *found)


def missing_cells(lanes: Sequence[Mapping[str, str]], factors: Sequence[str]) -> list[dict[str, str]]:
    """Crossings of levels that no lane of a grid stands for, in the order in which levels first appear.

    >>> missing_cells([{"card": "A", "link": "x8"}, {"card": "B", "link": "x4"}], ["card", "link"])
    [{'card': 'A', 'link': 'x4'}, {'card': 'B', 'link': 'x8'}]
    """
    levels = [list(dict.fromkeys(lane[factor] for lane in lanes if factor in lane)) for factor in factors]
    there = {tuple(lane.get(factor) for factor in factors) for lane in lanes}
    return [dict(zip(factors, cell, strict=True)) for cell in product(*levels) if cell not in there]
