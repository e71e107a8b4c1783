"""A ladder in words: who is first, what holds a wanted rate, whose memory runs out."""

from __future__ import annotations

from dataclasses import replace

from rennbahn.comparing.composition import Composition
from rennbahn.comparing.model import AVERAGE, Method
from rennbahn.comparing.sentences import Claim, Naming, Sentence, figure_words, listed, of_planned, tests_words
from rennbahn.comparing.words import interval_words, level_words
from rennbahn.display import fixed, fps, percent
from rennbahn.kinds.holding import holding_words
from rennbahn.kinds.ladder import LadderBlock, LadderPair, Need
from rennbahn.kinds.memory import Short
from rennbahn.kinds.words import nothing_yet


def ladder_sentence(block: LadderBlock, made: Composition, names: Naming, method: Method) -> Sentence:
    """Who is first, by how much, or who shares the first place."""
    if not block.lanes:
        return nothing_yet("Ladder", block.tests)
    over = f" {names.within(block.figure, block.group)}"
    count = len(block.lanes)
    basis = [of_planned(made), f"{count} lanes ranked at once, {level_words(method)}s"]
    first = [one.lane for one in block.lanes if one.ranks[0] == 1]
    among = tuple(one.lane for one in block.lanes)
    claim = Claim("first", tuple(first), made.tests, block.figure, block.group, among)
    if count == 1:
        only = block.lanes[0]
        return Sentence(f"{names[only.lane]}: ", f"{fps(only.fps)} fps", over + ", alone on the ladder", basis[0])
    even = all(pair.verdict == "even" for pair in block.pairs if {pair.a, pair.b} <= set(first))
    band = f"within {percent(method.equal_band)}% of each other"
    if len(first) == count and even:
        claims = (replace(claim, says="even"),)
        return Sentence(f"These {count} lanes: ", "even", f"{over}, {band}", ", ".join(basis), claims=claims)
    if len(first) in (0, count):
        # Where lanes lack unlike tests, pairs may go round in a circle.
        circle = f" is first{over}: each is behind another over the tests that both have"
        what, after = ("No lane", circle) if not first else ("No order", f" of these {count} lanes is shown{over}")
        return Sentence("", what, after, ", ".join(basis), claims=(replace(claim, says="open"),))
    if len(first) > 1:
        shared = listed([names[one] for one in first])
        why = f"they are {band}" if even else "their order is not shown"
        claims = (replace(claim, says="shared"), *((replace(claim, says="even", among=tuple(first)),) if even else ()))
        return Sentence(f"{shared}: ", "first place shared", f"{over}, {why}", ", ".join(basis), claims=claims)
    (top,), second = first, next(one.lane for one in block.lanes if one.lane not in first)
    pair = pair_of(block, top, second)
    margin, low, high = _over(pair, top)
    if low is not None and high is not None:
        basis.insert(0, interval_words((low, high)))
    # Lanes that lack a test are held against each other over the tests that both have.
    of_pair = f" over {pair.tests} tests" if pair.tests != len(made.tests) else ""
    after = f" of {count} lanes{over}, {percent(margin)}% ahead of {names[second]}{of_pair}"
    ahead = replace(claim, says="ahead", lanes=(top, second), among=(), low=low, high=high)
    return Sentence(f"{names[top]}: ", "first", after, ", ".join(basis), claims=(claim, ahead))


def pair_of(block: LadderBlock, one: str, other: str) -> LadderPair:
    """The pair of two lanes, whichever is listed first."""
    return next(pair for pair in block.pairs if {pair.a, pair.b} == {one, other})


def _over(pair: LadderPair, top: str) -> tuple[float, float | None, float | None]:
    """The margin of a lane of a pair over the other, with its ends."""
    if pair.b == top:
        return pair.margin, pair.low, pair.high
    return pair.reverse, pair.reverse_low, pair.reverse_high


def need_words(need: Need, made: Composition, names: Naming) -> str:
    """What holds a wanted rate, what that means, and who is on its edge."""
    rate = fixed(need.target, 1).removesuffix(".0")
    if need.figure != AVERAGE:
        what = f"a {figure_words(need.figure)} of {rate} fps"
    else:
        what = f"{rate} fps" if need.may_miss is None else f"an average of {rate} fps"
    what = f"For {what} {holding_words(need.may_miss, len(made.planned))}{names.at(need.group)}"
    if need.may_miss is None and not made.whole:
        what += f", as far as {tests_words(len(made.tests))} of {len(made.planned)} can tell"
    if need.cheapest:
        told = f"{what}: {names[need.cheapest]} is the cheapest that holds it"
    elif need.hold:
        held = listed([names[one] for one in need.hold])
        told = f"{what}: {held} {'hold' if len(need.hold) > 1 else 'holds'} it"
        told += "" if made.whole else "; which is the cheapest is not said while tests or lanes are missing"
    elif made.whole and len(need.miss) == len(made.lanes):
        told = f"{what}: no lane holds it"
    else:
        told = f"{what}: no lane is shown to hold it"
    edge = f"; on the edge: {listed([names[one] for one in need.on_edge])}" if need.on_edge else ""
    return f"{told}{edge}."


def need_claims(need: Need, made: Composition) -> tuple[Claim, ...]:
    """What :func:`need_words` claims."""
    tests = made.tests if need.may_miss is None else made.planned
    claim = Claim("holds", (), tests, need.figure, need.group, made.lanes, level=need.target)
    held = tuple(replace(claim, lanes=(lane,)) for lane in need.hold)
    missed = tuple(replace(claim, says="misses", lanes=(lane,)) for lane in need.miss)
    cheapest = (replace(claim, says="cheapest", lanes=(need.cheapest,), of_all=True),) if need.cheapest else ()
    return (*cheapest, *held, *missed)


def short_words(short: Short, names: Naming) -> str:
    """Memory asked against memory fitted, and what it costs."""
    asked, fitted = (fixed(size, 1).removesuffix(".0") for size in (short.asked_gb, short.fitted_gb))
    told = f"{names[short.lane]}: {names.tests[short.test]} asks for {asked} GB of memory, {fitted} are fitted"
    if short.lost is None:
        return f"{told}."
    ends = interval_words((short.low, short.high)) if short.low is not None and short.high is not None else ""
    what = "memory runs out, its rate" if short.runs_out else "its rate"
    side = "below" if short.lost < 0 else "above"
    ends = f" ({ends})" if ends else ""
    return f"{told}; {what} is {percent(abs(short.lost))}% {side} what it is worth elsewhere{ends}."
