"""What a study is to a reader, in words."""

from __future__ import annotations

from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.sentences import Naming, Sentence, figure_words, lanes_words, listed, some, tests_words
from rennbahn.display import fixed, percent, signed_percent
from rennbahn.kinds.holding import ABOVE, EDGE, holding_words
from rennbahn.kinds.readers import ForReader, LaneForReader, Reader, TestForReader


def _rate(value: float) -> str:
    return fixed(value, 1).removesuffix(".0")


def _floor(reader: Reader) -> str:
    """The floor with the figure that it is held on."""
    on = "on average" if reader.floor_on == AVERAGE else f"in the {figure_words(reader.floor_on)}"
    return f"{_rate(reader.floor_fps)} fps {on}"


def reader_words(reader: Reader) -> str:
    """A reader in a line: display, floor, what they would notice."""
    display = "variable up to" if reader.variable else "fixed at"
    return (
        f"display {display} {_rate(reader.display_hz)} Hz, playable from {_floor(reader)}, "
        f"notices {percent(reader.notices).removesuffix('.0')}%"
    )


def reader_sentence(found: ForReader, names: Naming, *, of_all: bool = False) -> Sentence:
    """Does it matter to this reader: of a ladder (`of_all`) which of its lanes, of two whether they part."""
    return lanes_sentence(found, names) if of_all else _pair_sentence(found, names)


def _pair_sentence(found: ForReader, names: Naming) -> Sentence:
    """Does it matter to this reader: across the floor first, then what their display shows."""
    counts, reader = found.counts, found.reader
    told = len(found.tests) - counts["no_number"]
    basis = ", ".join([tests_words(told), reader_words(reader)])
    whom = f"{reader.name}: "
    if not told:
        return Sentence(whom, "nothing to tell yet", ", no test in which both lanes have a rate", basis)
    also = []
    if counts["may_cross"]:
        also.append(f"{counts['may_cross']} on the edge of the floor")
    if counts["noticed"] and counts["crosses"]:
        also.append(f"{counts['noticed']} more that can be seen")
    if counts["both_below"]:
        also.append(f"{counts['both_below']} below the floor in both lanes")
    if counts["beyond_display"]:
        also.append(f"{counts['beyond_display']} faster than the display in both lanes")
    if counts["capped"]:
        also.append(f"{counts['capped']} held at a cap")
    if counts["open"]:
        also.append(f"{counts['open']} open")
    rest = f"; {listed(also)}" if also else ""
    pair = f"{names[found.b]} over {names[found.a]}{names.at(found.group)}"
    floor = f"{_rate(reader.floor_fps)} fps"
    if counts["crosses"]:
        word = f"it matters in {counts['crosses']} of {tests_words(told)}"
        after = f", {pair}: {_crossing(found, names, floor)}{rest}"
        return Sentence(whom, word, after, basis)
    if counts["noticed"]:
        word = f"it can be seen in {counts['noticed']} of {tests_words(told)}"
        return Sentence(whom, word, f", {pair}, and none is shown to cross {floor}{rest}", basis)
    if counts["may_cross"] or counts["open"]:
        return Sentence(whom, "not shown to matter", f", {pair}{rest}", basis)
    return Sentence(whom, "it does not matter", f", {pair}: none crosses {floor}, nothing can be seen{rest}", basis)


def _crossing(found: ForReader, names: Naming, floor: str) -> str:
    """Which lane alone holds the floor, and how often."""
    crossing = [one for one in found.tests if one.matters == "crosses"]
    only_b = sum(one.side_b == ABOVE for one in crossing)
    parts = [
        f"{count} in which only {names[lane]} holds {floor}"
        for lane, count in ((found.b, only_b), (found.a, len(crossing) - only_b))
        if count
    ]
    return " and ".join(parts)


def test_words(one: TestForReader, found: ForReader, names: Naming) -> str:
    """What a test is to the reader."""
    reader = found.reader
    floor = f"{_rate(reader.floor_fps)} fps"
    sides = {found.a: one.side_a, found.b: one.side_b}
    edge = [names[lane] for lane, side in sides.items() if side == EDGE]
    above = [names[lane] for lane, side in sides.items() if side == ABOVE]
    seen = "" if one.seen is None else f", {signed_percent(one.seen)}%".replace("-", "−")
    told = {
        "no_number": "no rate in one of the lanes", "capped": "held at a cap: nothing to see",
        "crosses": f"only {listed(above)} holds {floor}",
        "may_cross": f"on the edge of {floor}: {listed(edge)}" if edge else f"about {floor}, not told apart",
        "both_below": f"both below {floor}", "beyond_display": f"both faster than {_rate(reader.display_hz)} Hz shows",
        "noticed": f"can be seen{seen}", "not_noticed": "too little to see", "open": f"open{seen}",
    }  # fmt: skip
    return told[one.matters]


test_words.__test__ = False  # type: ignore[attr-defined]


_PATIENCE = 3.0


def lane_words(one: LaneForReader, found: ForReader, names: Naming) -> str:
    """A lane's price and running, held against the baseline's; empty where nothing is known of them."""
    reader, words = found.reader, []
    money = reader.currency
    if one.within_budget is False:
        words.append(f"beyond the budget of {fixed(reader.budget or 0.0, 0)} {money}")
    base = next(other for other in found.lanes if other.lane == found.a)
    if one.lane != base.lane and one.cost_owned is not None and base.cost_owned is not None:
        more = one.cost_owned - base.cost_owned
        word = "more" if more >= 0 else "less"
        words.append(
            f"{fixed(abs(more), 0)} {money} {word} than {names[base.lane]} over {_rate(reader.years)} years of use"
        )
    # Nobody waits for a part to make up for its price much longer than they keep it.
    if one.break_even_years is not None and one.break_even_years <= _PATIENCE * reader.years:
        words.append(f"makes up for its price after {fixed(one.break_even_years, 1)} years")
    return "; ".join(words)


def cheapest_words(found: ForReader, names: Naming) -> str:
    """What this reader needs, where prices are known."""
    if all(one.price is None for one in found.lanes):
        return ""
    floor, within = _held_floor(found), _within(found.reader)
    if not found.whole:
        return f"Which lane is the cheapest that holds {floor} is not said while tests or lanes are missing."
    if found.cheapest is None:
        return f"No lane surely holds {floor}{within}."
    price = next(one.price for one in found.lanes if one.lane == found.cheapest)
    money = " ".join(filter(None, (fixed(price or 0.0, 0), found.reader.currency)))
    return f"Cheapest{within} that holds {floor}: {names[found.cheapest]}, {money}."


def _held_floor(found: ForReader) -> str:
    """The floor with what holding it means in the study."""
    reader, means = found.reader, holding_words(found.may_miss, found.planned)
    average = found.may_miss is None and found.figure == AVERAGE
    return f"{_rate(reader.floor_fps)} fps {means}" if average else f"{_floor(reader)} {means}"


def _within(reader: Reader) -> str:
    return f" within {fixed(reader.budget, 0)} {reader.currency}" if reader.budget is not None else ""


def lanes_sentence(found: ForReader, names: Naming) -> Sentence:
    """What a ladder is to this reader: all its lanes that they can pay, never two that nobody chose."""
    reader, floor = found.reader, _held_floor(found)
    able = [one for one in found.lanes if one.within_budget is not False and one.tests]
    within, at = _within(reader), names.at(found.group)
    basis = ", ".join([tests_words(found.planned), f"{lanes_words(len(able))}{within}", reader_words(reader)])
    whom = f"{reader.name}: "
    if not able:
        return Sentence(whom, "nothing to tell yet", f", no lane{within} has a rate", basis)
    holds = [names[one.lane] for one in able if one.holds]
    edge, miss = (sum(one.holds is side for one in able) for side in (None, False))
    rest = "".join((f", {edge} on the edge" if edge else "", f", {miss} below it" if miss else ""))
    if found.cheapest is not None:
        more = f"; {len(holds) - 1} more hold it" if len(holds) > 1 else ""
        after = f" is the cheapest{within} that holds {floor}{at}{more}{rest}"
        return Sentence(whom, names[found.cheapest], after, basis)
    if holds:
        verb = "hold" if len(holds) > 1 else "holds"
        after = f" {verb} {floor}{at}: {some(holds, 'lanes')}{rest}"
        return Sentence(whom, f"{len(holds)} of {lanes_words(len(able))}", after, basis)
    if found.whole and miss == len(able):
        return Sentence(whom, "no lane", f"{within} holds {floor}{at}", basis)
    return Sentence(whom, "no lane is shown", f" to hold {floor}{at}{rest}", basis)
