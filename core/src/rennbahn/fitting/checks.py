"""What part facts say of a place before anything is plugged in: link, power, size. What nobody told says nothing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rennbahn.display import fixed
from rennbahn.running.steps import CAUTIONS
from rennbahn.worth import pcie

#: Beyond this share less than expected a link is told as slower.
_SLOWER = 0.99


@dataclass(frozen=True)
class Fitted:
    """A part in a place: its kind, its name, its facts."""

    kind: str
    name: str
    facts: Mapping[str, object]

    def number(self, fact: str) -> float | None:
        """A fact as a number; None where nobody recorded it."""
        value = self.facts.get(fact)
        return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else None


@dataclass(frozen=True)
class Link:
    """A link by generation and lanes, and what it carries one way, GB/s."""

    generation: int
    lanes: int

    @property
    def gb_per_s(self) -> float:
        """One way."""
        return pcie(self.generation, self.lanes)

    @property
    def words(self) -> str:
        """As one says it."""
        return f"generation {self.generation}, {self.lanes} lane{'' if self.lanes == 1 else 's'}"


def expected_link(parts: Sequence[Fitted]) -> Link | None:
    """What a link of parts can be: the least of each, where two at least say what theirs is."""
    told = [(one.number("generation"), one.number("lanes")) for one in parts]
    generations = [one for one, _ in told if one is not None]
    lanes = [one for _, one in told if one is not None]
    if len(generations) < 2 or len(lanes) < 2:
        return None
    return Link(int(min(generations)), int(min(lanes)))


def link_words(expected: Link | None, seen: Link | None) -> str:
    """What was negotiated against what was to be expected; empty where neither is known."""
    if seen is None:
        return f"expected: {expected.words} ({fixed(expected.gb_per_s, 1)} GB/s one way)" if expected else ""
    said = f"negotiated: {seen.words} ({fixed(seen.gb_per_s, 1)} GB/s one way)"
    if expected is None:
        return said
    share = seen.gb_per_s / expected.gb_per_s
    if share < _SLOWER:
        return f"{said}, {fixed(100 * share, 0)}% of the expected {expected.words}"
    return f"{said}, as expected" if seen == expected else f"{said}; expected was {expected.words}"


def checks_of(parts: Sequence[Fitted]) -> tuple[str, ...]:
    """What speaks against a place by the recorded facts, in words."""
    found = []
    for one in parts:
        for other in parts:
            if one is not other:
                found += _power(one, other) + _size(one, other)
    return tuple(found)


def _power(card: Fitted, giver: Fitted) -> list[str]:
    draws = card.number("power_limit_w")
    gives = giver.number("power_w" if giver.kind == "supply" else "max_power_w")
    if card.kind != "card" or giver.kind not in ("adapter", "machine", "supply") or draws is None or gives is None:
        return []
    verb = "passes on" if giver.kind == "adapter" else "has"
    if draws <= gives:
        return []
    return [f"{card.name} draws up to {fixed(draws, 0)} W; {giver.name} {verb} at most {fixed(gives, 0)} W"]


#: What a part must leave room for: the fact of what goes in, that of what it goes into, its unit, and of which kinds.
_ROOMS = (
    ("card", "length_mm", ("case", "machine"), "card_length_mm", "is {} mm long", "takes cards up to {} mm"),
    ("card", "slots", ("case", "machine"), "card_slots", "is {} slots thick", "takes {}"),
    ("memory", "sticks", ("board",), "memory_slots", "has {} sticks", "has {} memory slots"),
    ("cooler", "height_mm", ("case",), "cooler_height_mm", "is {} mm high", "takes coolers up to {} mm"),
)


def _size(one: Fitted, room: Fitted) -> list[str]:
    found = []
    for kind, fact, rooms, most, is_words, has_words in _ROOMS:
        needs, has = one.number(fact), room.number(most)
        if one.kind == kind and room.kind in rooms and needs is not None and has is not None and needs > has:
            found.append(f"{one.name} {is_words.format(f'{needs:g}')}; {room.name} {has_words.format(f'{has:g}')}")
    return found


def cautions_of(parts: Sequence[Fitted]) -> tuple[str, ...]:
    """What is to be heeded before parts are put together, by what they are: the cautions of the bench."""
    kinds = {one.kind for one in parts}
    found = []
    if "adapter" in kinds:
        live = [one.name for one in parts if one.kind == "adapter" and one.facts.get("live_plugging") is True]
        said = f" Of {live[0]} its maker says so; card and host follow their own manuals." if live else ""
        found.append(CAUTIONS["adapter"] + said)
        found.append("Where card and host have a supply each, the adapter’s manual says which is switched on first.")
    if kinds & {"processor", "memory", "board", "card"}:
        found.append(CAUTIONS["swap"])
    return tuple(found)
