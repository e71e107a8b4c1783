"""Reading the setting under test back from a second place: what, where, and what a run is worth without it."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rennbahn.planning.fairness import LaneDescription, factor_matches, label_of, things_of, written
from rennbahn.planning.settings import Kind, named

#: Where a setting of a kind is seen that is not where it was set.
_SEEN_IN: Mapping[Kind, str] = {
    "power_limit": "the power the sensor program shows while the game runs, not the page where it was set",
    "voltage": "the voltage the sensor program shows under load",
    "clock": "the clock the sensor program shows while the game runs",
    "curve": "clock and voltage in the sensor program under load",
    "tuning": "clock, power and voltage in the sensor program under load",
    "frame_limit": "the rate while looking at the sky: it must stop at the limit, or go beyond it where there is none",
    "sync": "the rate while looking at the sky: with sync off it goes beyond the display’s refresh",
    "variable_refresh": "the display’s own menu, which shows the rate it runs at",
    "frame_generation": "the rate the logger counts against the rate the game shows",
    "upscaling": "the rendered resolution in the game’s own overlay, or edges in a still picture",
    "memory_profile": "rate and timings in the system’s own tool, not in the firmware",
    "link": "generation and lanes in the sensor program while the card works",
    "display_path": "the cable: which socket the display hangs on",
    "power_source": "the plug and the system’s battery sign",
    "power_plan": "the system’s own power page, opened anew",
    "fan": "fan speed in the sensor program after five minutes under load",
    "background": "the system’s task list, sorted by load",
    "recorder": "the system’s task list",
    "overlay": "the picture itself",
    "room": "the thermometer, an arm’s length from the machine",
}  # fmt: skip
#: The same of a part.
_PART_SEEN_IN: Mapping[str, str] = {
    "card": "the system’s device list and the sensor program",
    "processor": "the system’s own page about the machine",
    "memory": "size, sticks and rate in the system’s own tool",
    "board": "the system’s own page about the machine",
    "drive": "the drive the game is installed on, in the system’s file page",
    "display": "the system’s display page: name, resolution, rate",
    "adapter": "the link in the sensor program while the card works",
    "system": "the system’s own page about its version",
    "driver": "the driver’s version in the system’s device list, not in its own window",
    "firmware": "the version on the system’s own page about the machine",
    "build": "the build number in the game’s own menu",
    "cooler": "the machine itself",
    "supply": "the machine itself",
    "machine": "its label",
    "case": "the machine itself",
}  # fmt: skip
_ELSEWHERE = "a second place: not where it was set"


@dataclass(frozen=True)
class Question:
    """A setting under test, what it should say in a lane, where to look, and what the other lanes say."""

    key: str
    setting: str
    wanted: str
    where: str
    others: tuple[str, ...] = ()


#: So many values are offered at most: one digit each.
_MOST_CHOICES = 5


def shuffled_choices(question: Question, seed: int) -> list[str]:
    """Values to choose from, in an order that is another for each `seed`: the wanted one among what other lanes say.

    Empty where no other lane says anything: then only typing tells what was seen.
    """
    if not question.others:
        return []
    mixed = random.Random(f"{seed} {question.key}")
    others = list(question.others)
    mixed.shuffle(others)
    found = [question.wanted, *others[: _MOST_CHOICES - 1]]
    mixed.shuffle(found)
    return found


def questions_of(lanes: Sequence[LaneDescription], lane: str, factors: Sequence[str]) -> tuple[Question, ...]:
    """What is read back in a lane: everything that the study's factors name, where lanes differ in it.

    Where nothing of the setups is named so, it is the lane itself that is asked for.
    """
    own = next(one for one in lanes if one.id == lane)
    things = {one.id: things_of(one.setup) for one in lanes}
    keys = list(dict.fromkeys(key for found in things.values() for key in found))
    asked = [key for key in keys if any(factor_matches(factor, key) for factor in factors)]
    found = []
    for key in asked:
        says = {one.id: written(things[one.id].get(key)) or "nothing" for one in lanes}
        if len(set(says.values())) > 1 or len(lanes) == 1:
            label = label_of(key, *(one.setup for one in lanes))
            others = tuple(dict.fromkeys(value for name, value in says.items() if value != says[lane]))
            found.append(Question(key, label, says[lane], _where(key), others))
    if not found and own.condition:
        others = tuple(dict.fromkeys(one.condition for one in lanes if one.condition != own.condition))
        found.append(Question("condition", "Condition", own.condition, "the game’s own menu, opened anew", others))
    return tuple(found)


def _where(key: str) -> str:
    sort, _, name = key.partition(":")
    return part_seen_in(name.split(":")[0]) if sort == "part" else setting_seen_in(name)


def setting_seen_in(name: str) -> str:
    """Where a setting of that name is seen that is not where it was set.

    >>> setting_seen_in("Power plan")
    'the system’s own power page, opened anew'
    """
    meant = named(name)
    return _SEEN_IN.get(meant.kind, _ELSEWHERE) if meant else _ELSEWHERE


def part_seen_in(kind: str) -> str:
    """Where a part of a kind is seen for what it is."""
    return _PART_SEEN_IN.get(kind, _ELSEWHERE)


def worth_of_mismatch(question: Question, seen: str, lane: str) -> str:
    """What a run would be worth now, in words."""
    if not seen.strip():
        return (
            f"{question.setting} was to be {question.wanted} and nobody saw it. A pass run now counts for {lane} on "
            "trust alone, and will be doubted."
        )
    like = next((other for other in question.others if other.casefold() == seen.strip().casefold()), None)
    of = "a pass of another lane under this one’s name" if like else "a pass of a setup that no lane has"
    return (
        f"{question.setting} was to be {question.wanted} and reads {seen}. A run now would be {of}: it would pull the "
        "lanes together or apart by something else than what the study asks."
    )
