"""Rules that weigh a difference, kind by kind. Each says its reason in words and is symmetric in its two sides.

A rule sees the parts on both sides as lists: a second kit, drive or display is a difference as much as another one.
What would decide and is not written down, on one side or on both, is never called harmless.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from rennbahn.parts import kind_named
from rennbahn.parts.facts import FactValue
from rennbahn.planning.amounts import amounts_of
from rennbahn.planning.settings import Kind, is_off, is_stock, named
from rennbahn.worth import pcie

Weight = Literal["harmless", "mind", "spoils"]
Verdict = tuple[Weight, str]
Facts = Mapping[str, FactValue]

#: Within this many °C two rooms count as alike; cards lose about a percent of clock over ten.
ROOM_ALIKE_C = 2.0
#: Days between two versions from which they count as far apart: about one release cycle.
FAR_APART_DAYS = 45
#: The gravest first.
RANK: dict[Weight, int] = {"spoils": 0, "mind": 1, "harmless": 2}


@dataclass(frozen=True)
class PartDescription:
    """A part as the check sees it."""

    kind: str
    name: str
    facts: Facts = field(default_factory=dict)


Sides = Sequence[PartDescription]


def weigh_part(kind: str, a: Sides, b: Sides) -> Verdict:
    """The weight of a difference in the parts of a kind; a side without such a part is empty."""
    if not a or not b:
        return "mind", "it is written down for one lane only: say what the other has"
    left, right = _without_common(a, b)
    as_lists = kind == "memory" or max(len(a), len(b)) > 1
    verdicts = [_of_lists(kind, a, b)] if as_lists else []
    verdicts += [_of_two(kind, one, other) for one in left for other in right]
    return min(verdicts, key=lambda verdict: (RANK[verdict[0]], verdict[1]))


def same_parts(a: Sides, b: Sides) -> bool:
    """Are they the same parts, however their names are spaced or spelt large and small?"""
    return _without_common(a, b) == ([], [])


def weigh_setting(name: str, a: str, b: str) -> Verdict:
    """The weight of a difference in a setting of that name."""
    meant = named(name) or named(a) or named(b)
    if not a or not b:
        if meant is not None and meant.kind in _TUNED and not (is_off(a or b) or is_stock(a or b)):
            return "spoils", "one lane is tuned and the other is not: it answers another question"
        if meant is not None and meant.kind in _HOLDS and not (is_off(a or b) or is_stock(a or b)):
            return "spoils", "one lane says what holds or draws its frames and the other says nothing of it"
        return "mind", "it is written down for one lane only: look it up on the other machine"
    if meant is None:
        return "mind", "nobody has shown that this setting costs no frames"
    return _SETTINGS[meant.kind](a, b)


def _without_common(a: Sides, b: Sides) -> tuple[list[PartDescription], list[PartDescription]]:
    """What stands on one side only: parts of the same name and facts cancel out, each once."""

    def key(part: PartDescription) -> tuple[str, tuple[tuple[str, str], ...]]:
        return " ".join(part.name.casefold().split()), tuple(sorted((k, str(v)) for k, v in part.facts.items()))

    def rest(parts: Sides, others: Sides) -> list[PartDescription]:
        known = {key(part): part for part in parts}
        return [known[one] for one in (Counter(map(key, parts)) - Counter(map(key, others))).elements()]

    return rest(a, b), rest(b, a)


def _of_lists(kind: str, a: Sides, b: Sides) -> Verdict:
    """What the lists as a whole differ in: how many there are, and what they come to together."""
    if kind in ("card", "processor") and len(a) != len(b):
        return "spoils", f"another number of them: {min(len(a), len(b))} and {max(len(a), len(b))}"
    if kind == "memory":
        return _memory_together(a, b)
    if len(a) != len(b):
        return "mind", _MORE.get(kind, "one lane has more of them than the other")
    return "harmless", "there are as many of them"


_BANDWIDTH = "another number of sticks or channels changes bandwidth, which processors feel"
#: What one more of a kind may do.
_MORE = {
    "drive": "one lane has a drive more: say which of them the games are on",
    "display": "one lane drives a display more, which costs frames",
    "driver": "one lane has a driver more",
    "adapter": "one lane has an adapter more on the way",
}


def _memory_together(a: Sides, b: Sides) -> Verdict:
    """Kits of a machine work as one: sizes and sticks add up, the slowest sets the rate."""
    sizes = _sums("size_gb", a, b)
    if sizes and min(sizes) * 2 <= max(sizes):
        return "spoils", "one lane has half the memory or less: games that need more will hitch there"
    sticks = _sums("sticks", a, b)
    if (sticks and sticks[0] != sticks[1]) or (sticks is None and len(a) != len(b)):
        return "spoils", _BANDWIDTH
    if sizes is None:
        return "mind", "the size of some kit is not written down"
    if sizes[0] != sizes[1]:
        return "mind", "another amount of memory: harmless only while neither lane runs short"
    return "harmless", "the kits run alike"


def _sums(name: str, a: Sides, b: Sides) -> tuple[float, float] | None:
    values = [[part.facts.get(name) for part in side] for side in (a, b)]
    sums = [
        sum(float(one) for one in side if isinstance(one, (int, float)))
        for side in values
        if all(isinstance(one, (int, float)) for one in side)
    ]
    return (sums[0], sums[1]) if len(sums) == 2 else None


def _of_two(kind: str, one: PartDescription, other: PartDescription) -> Verdict:
    """One part against another. What is written down for one of them only is never harmless."""
    verdict = _RULES.get(kind, _unknown)(one.facts, other.facts)
    if kind in _VERSIONS and _stem(one.name) != _stem(other.name):
        graver: Verdict = _VERSIONS[kind]
        verdict = min(verdict, graver, key=lambda found: RANK[found[0]])
    if verdict[0] != "harmless":
        return verdict
    told = {fact.name: fact.label.lower() for fact in kind_named(kind).facts}
    one_sided = [told[name] for name in told if (name in one.facts) != (name in other.facts)]
    if one_sided:
        return "mind", f"for one lane only it is written down: {', '.join(one_sided)}"
    return verdict


#: What another product of a kind is, whatever the dates say: its name differs in more than its number.
_VERSIONS: dict[str, Verdict] = {
    "system": ("spoils", "another operating system schedules and draws in ways of its own"),
    "driver": ("mind", "a driver of another branch or maker, whatever its date"),
    "firmware": ("mind", "the firmware of another board, whatever its date"),
}


def _stem(name: str) -> tuple[str, ...]:
    """A name without its numbers: what stays from version to version."""
    return tuple(re.findall(r"[^\W\d_]{2,}", name.casefold()))


def _card(_a: Facts, _b: Facts) -> Verdict:
    return "spoils", "another graphics card is another result"


def _processor(_a: Facts, _b: Facts) -> Verdict:
    return "spoils", "another processor is another result wherever it holds the rate"


def _memory(a: Facts, b: Facts) -> Verdict:
    """One kit against another; what all kits of a lane come to is weighed with the lists."""
    if _differ("channels", a, b):
        return "spoils", _BANDWIDTH
    timed = [name for name in ("mt_per_s", "cl", "trcd", "trp", "tras", "ranks") if _differ(name, a, b)]
    if timed:
        return "mind", "another rate, rank or timing: processor-bound games feel it"
    return _harmless_if_known("the kits run alike", a, b, "size_gb", "mt_per_s", "cl")


def _dated(thing: str) -> Callable[[Facts, Facts], Verdict]:
    def rule(a: Facts, b: Facts) -> Verdict:
        if a.get("beta") or b.get("beta"):
            return "mind", f"a beta {thing} may go before the final one in speed or faults"
        days = _days_apart(a, b)
        if days is None:
            return "mind", f"another {thing}, with no date to say how far apart"
        if not days:
            return "mind", f"another {thing}; that both are of the same date does not make them the same"
        late = ": more than a release apart" if days > FAR_APART_DAYS else ""
        return "mind", f"another {thing}, {days} days apart{late}"

    return rule


def _build(a: Facts, b: Facts) -> Verdict:
    if a.get("beta") or b.get("beta"):
        return "spoils", "one lane runs a beta build of the game: it is not the same program"
    return "spoils", "another game build is another program: update both, then run"


def _display(a: Facts, b: Facts) -> Verdict:
    if _differ("built_in", a, b):
        return "spoils", "frames reach a laptop's own panel by another way than an outside display"
    if _differ("width_px", a, b) or _differ("height_px", a, b):
        return "mind", "another panel: with desktop and game resolution unequal, frames are scaled"
    if _differ("refresh_hz", a, b) or _differ("variable_refresh", a, b):
        return "mind", "another refresh: harmless only while nothing waits for the display"
    return _harmless_if_known("the displays ask for the same", a, b, "width_px", "height_px", "refresh_hz")


def _cooler(a: Facts, b: Facts) -> Verdict:
    heat = _numbers("max_heat_w", a, b)
    if heat and heat[0] == heat[1] and not _differ("type", a, b):
        return "harmless", "both coolers carry off the same heat"
    return "mind", "another cooler: what runs hotter clocks lower"


def _supply(a: Facts, b: Facts) -> Verdict:
    power = _numbers("power_w", a, b)
    if power is None:
        return "mind", "another supply, of unknown power"
    if min(power) < 0.75 * max(power):
        return "mind", "one supply is much weaker: a machine that comes near its limit clocks down or stops"
    return "harmless", "supplies of like power do not change frames"


def _case(a: Facts, b: Facts) -> Verdict:
    volumes = _numbers("volume_l", a, b)
    if volumes and volumes[0] == volumes[1] and not _differ("fans", a, b):
        return "harmless", "the cases are of one size with as many fans"
    return "mind", "another case: air and heat go other ways"


def _drive(a: Facts, b: Facts) -> Verdict:
    reading = _numbers("read_mb_s", a, b)
    if reading is None:
        return "mind", "another drive, of unknown rate: scenes that load on the way feel it"
    if min(reading) * 2 <= max(reading):
        return "mind", "one drive reads at half the rate or less: scenes that load on the way feel it"
    return "harmless", "drives of like rate do not change frames"


def _board(a: Facts, b: Facts) -> Verdict:
    rates = _links(a, b)
    if rates and rates[0] != rates[1]:
        return "spoils", "the boards give the card another link"
    return "mind", "another board: its firmware sets power limits and memory timings of its own"


def _adapter(a: Facts, b: Facts) -> Verdict:
    rates = _links(a, b)
    if rates is None:
        return "mind", "another adapter, of unknown link"
    if rates[0] != rates[1]:
        return "spoils", "the link of the card is another"
    return "harmless", "both pass on the same link"


def _machine(_a: Facts, _b: Facts) -> Verdict:
    return "spoils", "another machine: everything in it may be another"


def _unknown(_a: Facts, _b: Facts) -> Verdict:
    return "mind", "another part"


_RULES: dict[str, Callable[[Facts, Facts], Verdict]] = {
    "card": _card,
    "processor": _processor,
    "memory": _memory,
    "board": _board,
    "drive": _drive,
    "cooler": _cooler,
    "supply": _supply,
    "case": _case,
    "machine": _machine,
    "display": _display,
    "adapter": _adapter,
    "system": _dated("operating system"),
    "driver": _dated("driver"),
    "firmware": _dated("firmware"),
    "build": _build,
}


def _always(weight: Weight, reason: str) -> Callable[[str, str], Verdict]:
    return lambda _a, _b: (weight, reason)


def _room(a: str, b: str) -> Verdict:
    degrees = [[one.number for one in amounts_of(side) if one.unit in ("°C", "")] for side in (a, b)]
    if all(len(one) == 1 for one in degrees) and abs(degrees[0][0] - degrees[1][0]) <= ROOM_ALIKE_C:
        return "harmless", f"rooms within {ROOM_ALIKE_C:g} °C are alike"
    return "mind", "a warmer room means lower clocks where heat is the limit"


def _recorder(a: str, b: str) -> Verdict:
    if bool(a) and bool(b) and is_off(a) != is_off(b):
        return "spoils", "a recorder that runs in one lane alone takes frames from it"
    return "mind", "a recorder costs frames of its own"


_LIMITER = _always("spoils", "a limiter or sync holds one lane's rate and not the other's")
_TUNING = _always("spoils", "one lane is tuned otherwise: it answers another question")
#: Kinds of setting that tune a part, and those that hold or draw frames: said on one side only they are no silence.
_TUNED: frozenset[Kind] = frozenset({"voltage", "clock", "curve", "tuning", "power_limit", "memory_profile"})
_HOLDS: frozenset[Kind] = frozenset({"frame_limit", "frame_generation", "upscaling"})
_SETTINGS: Mapping[Kind, Callable[[str, str], Verdict]] = {
    "frame_limit": _LIMITER,
    "sync": _LIMITER,
    "variable_refresh": _LIMITER,
    "frame_generation": _always("spoils", "frames that nobody computed are counted in one lane and not in the other"),
    "upscaling": _always("spoils", "one lane draws fewer pixels than the other"),
    "voltage": _TUNING,
    "clock": _TUNING,
    "curve": _TUNING,
    "tuning": _TUNING,
    "power_limit": _always("spoils", "another power limit is another clock"),
    "memory_profile": _always("spoils", "another memory profile is another rate and timing, which processors feel"),
    "link": _always("spoils", "the link of the card is another"),
    "display_path": _always("spoils", "on another port, an external card's frames go back over the link"),
    "power_source": _always("spoils", "on battery a machine clocks otherwise than on the mains"),
    "power_plan": _always("spoils", "another power plan or mode is another clock"),
    "overlay": _always("mind", "an overlay costs frames of its own"),
    "recorder": _recorder,
    "memory_window": _always("spoils", "how much of the card's memory the processor sees changes rates, by game"),
    "background": _always("mind", "other programs take the processor for moments"),
    "room": _room,
    "fan": _always("mind", "other fans: what runs hotter clocks lower"),
    "game": _always("spoils", "the game is told something else"),
}


def _numbers(name: str, a: Facts, b: Facts) -> tuple[float, float] | None:
    left, right = a.get(name), b.get(name)
    if isinstance(left, (int, float)) and isinstance(right, (int, float)):
        return float(left), float(right)
    return None


def _differ(name: str, a: Facts, b: Facts) -> bool:
    """Known on both sides, and not the same; a flag that is not set is off."""
    left, right = a.get(name), b.get(name)
    if isinstance(left, bool) or isinstance(right, bool):
        return bool(left) != bool(right)
    return left is not None and right is not None and left != right


def _harmless_if_known(words: str, a: Facts, b: Facts, *names: str) -> Verdict:
    if all(name in a and name in b for name in names):
        return "harmless", words
    return "mind", "the facts that would show them alike are not written down"


def _links(a: Facts, b: Facts) -> tuple[float, float] | None:
    generations, lanes = _numbers("generation", a, b), _numbers("lanes", a, b)
    if generations is None or lanes is None:
        return None
    left, right = (pcie(int(g), int(n)) for g, n in zip(generations, lanes, strict=True))
    return left, right


def _days_apart(a: Facts, b: Facts) -> int | None:
    left, right = a.get("date"), b.get("date")
    if not isinstance(left, str) or not isinstance(right, str):
        return None
    return abs(_day_number(left) - _day_number(right))


def _day_number(text: str) -> int:
    """Days on the proleptic calendar, counted from a fixed day."""
    year, month, day = map(int, text.split("-"))
    year, month = (year - 1, month + 12) if month <= 2 else (year, month)
    return 365 * year + year // 4 - year // 100 + year // 400 + (153 * (month - 3) + 2) // 5 + day
