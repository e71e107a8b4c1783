"""The answer to each kind of question in a sentence, which claims no more than its intervals support.

Names of lanes are anybody's words, also plurals: no verb has to agree with them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rennbahn.comparing.model import AVERAGE, Method
from rennbahn.comparing.words import Sentence, figure_words, interval_words, level_words, raised, tests_words
from rennbahn.display import fixed, fps, ms, percent, signed_percent
from rennbahn.kinds.budget import HELD, BudgetResult
from rennbahn.kinds.fit import Share
from rennbahn.kinds.grid import Effect, GridBlock, Interaction
from rennbahn.kinds.ladder import LadderBlock, Need
from rennbahn.kinds.memory import Short
from rennbahn.kinds.proxy import Gauge
from rennbahn.kinds.scaling import ScalingBlock, Step
from rennbahn.kinds.several import SeveralBlock
from rennbahn.kinds.sweep import SweepBlock

Names = Mapping[str, str]

_NOTHING = "no test in which every lane has an accepted pass"


def listed(words: Sequence[str]) -> str:
    """`a`, `a and b`, `a, b and c`."""
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def _in(figure: str) -> str:
    return f"in {figure_words(figure)}"


def _nothing(what: str, tests: int) -> Sentence:
    return Sentence(f"{what}: ", "nothing to tell yet", f", {_NOTHING}" if not tests else "", "")


def ladder_sentence(block: LadderBlock, names: Names, method: Method) -> Sentence:
    """Who is first, by how much, or who shares the first place."""
    if not block.lanes:
        return _nothing("Ladder", block.tests)
    over = f" {_in(block.figure)}"
    basis = [tests_words(block.tests), f"{len(block.lanes)} lanes ranked at once, {level_words(method)}s"]
    first = [one for one in block.lanes if one.ranks[0] == 1]
    if len(block.lanes) == 1:
        only = block.lanes[0]
        return Sentence(f"{names[only.lane]}: ", f"{fps(only.fps)} fps", over + ", alone on the ladder", basis[0])
    among = {one.lane for one in first}
    even = all(pair.verdict == "even" for pair in block.pairs if {pair.a, pair.b} <= among)
    band = f"within {percent(method.equal_band)}% of each other"
    if len(first) == len(block.lanes):
        if even:
            return Sentence(f"These {len(first)} lanes: ", "even", f"{over}, {band}", ", ".join(basis))
        return Sentence("", "No order", f" of these {len(first)} lanes is shown{over}", ", ".join(basis))
    if len(first) > 1:
        shared = listed([names[one.lane] for one in first])
        why = f"they are {band}" if even else "their order is not shown"
        return Sentence(f"{shared}: ", "first place shared", f"{over}, {why}", ", ".join(basis))
    top, second = block.lanes[0], block.lanes[1]
    pair = next(one for one in block.pairs if one.a == top.lane and one.b == second.lane)
    margin = pair.reverse
    if pair.reverse_low is not None and pair.reverse_high is not None:
        basis.insert(0, interval_words((pair.reverse_low, pair.reverse_high)))
    return Sentence(
        f"{names[top.lane]}: ", "first", f", {percent(margin)}% ahead of {names[second.lane]}{over}", ", ".join(basis)
    )


def need_words(need: Need, names: Names) -> str:
    """What holds a wanted rate, and who is on its edge."""
    rate = fixed(need.target, 1).removesuffix(".0")
    what = f"an average of {rate} fps" if need.figure == AVERAGE else f"a {figure_words(need.figure)} of {rate} fps"
    if need.cheapest:
        told = f"For {what}: {names[need.cheapest]} is the cheapest that holds it"
    elif need.hold:
        told = f"For {what}: {listed([names[one] for one in need.hold])} hold it"
        told = told if len(need.hold) > 1 else told.replace(" hold it", " holds it")
    else:
        told = f"For {what}: no lane surely holds it"
    edge = f"; on the edge: {listed([names[one] for one in need.on_edge])}" if need.on_edge else ""
    return f"{told}{edge}."


def short_words(short: Short, names: Names, test: str) -> str:
    """Memory asked against memory fitted, and what it costs."""
    asked, fitted = (fixed(size, 1).removesuffix(".0") for size in (short.asked_gb, short.fitted_gb))
    told = f"{names[short.lane]}: {test} asks for {asked} GB of memory, {fitted} are fitted"
    if short.lost is None:
        return f"{told}."
    ends = interval_words((short.low, short.high)) if short.low is not None and short.high is not None else ""
    what = "memory runs out, its rate" if short.runs_out else "its rate"
    side = "below" if short.lost < 0 else "above"
    ends = f" ({ends})" if ends else ""
    return f"{told}; {what} is {percent(abs(short.lost))}% {side} what it is worth elsewhere{ends}."


def sweep_sentence(block: SweepBlock, method: Method) -> Sentence:
    """What the level does, and where more brings clearly less."""
    if not block.points:
        return _nothing("Sweep", block.tests)
    unit = f" {block.unit}" if block.unit else ""
    first, last = block.points[0], block.points[-1]
    between = f"from {_level(first.level)} to {_level(last.level)}{unit}"
    change = last.value / first.value - 1.0
    ends = _ends(block.whole)
    basis = ", ".join(filter(None, (f"{level_words(method)} {ends}" if ends else "", _steps_words(block))))
    what = figure_words(block.figure)
    if block.shape == "flat":
        band = f"no step is more than {percent(method.equal_band)}% from another"
        return Sentence("", "Even", f" {between} {_in(block.figure)}, {band}", basis)
    if block.knee is not None:
        knee = block.knee
        range_words = f"{_about(knee.low)} to {_about(knee.high)}{unit}"
        side = "Below" if block.shape == "falling" else "Beyond"
        return Sentence(
            f"{side} about ", f"{_about(knee.level)}{unit}",
            f" a step brings clearly less {_in(block.figure)}",
            f"{level_words(method)} {range_words}, {_steps_words(block)}",
        )  # fmt: skip
    if block.shape in ("rising", "falling"):
        word = "more" if change > 0 else "less"
        return Sentence(
            f"{what[0].upper()}{what[1:]}: ",
            f"{percent(abs(change))}% {word}",
            f" {between}, and no knee is shown",
            basis,
        )
    if block.shape == "peaked":
        best = max(block.points, key=lambda one: one.value)
        return Sentence("Best at ", f"{_level(best.level)}{unit}", f" {_in(block.figure)}, less on both sides", basis)
    return Sentence("What the level does is ", "open", f" {between} {_in(block.figure)}", basis)


def _steps_words(block: SweepBlock) -> str:
    return f"{len(block.points)} steps, {tests_words(block.tests)}"


def _ends(share: Share | None) -> str:
    """The interval of a margin; empty without one."""
    return "" if share is None or share.low is None or share.high is None else interval_words((share.low, share.high))


def _level(level: float) -> str:
    return fixed(level, 2).rstrip("0").rstrip(".") if level % 1 else fixed(level, 0)


def _about(level: float) -> str:
    """A level that was found, not set: to three digits."""
    return f"{level:.3g}" if abs(level) < 1000 else fixed(level, 0)


def equal_power_words(block: SweepBlock, names: Names) -> str:
    """The swept part against its rival at the same power; nothing where that was not reached."""
    found = block.equal_power
    if found is None:
        return ""
    told = "as fast as" if found.verdict == "even" else "not told apart from" if found.verdict == "open" else None
    word = told or f"{percent(abs(found.margin))}% {found.verdict} of".replace("behind of", "behind")
    ends = interval_words((found.low, found.high)) if found.low is not None and found.high is not None else ""
    return f"At the {fixed(found.watts, 0)} W of {names[found.rival]}: {word} it {_in(block.figure)}" + (
        f" ({ends})." if ends else "."
    )


def grid_sentence(block: GridBlock, method: Method) -> Sentence:
    """Does the effect of one factor depend on the other, and what are they."""
    first, second = block.factors
    if block.interaction is None or not block.effects:
        return _nothing("Grid", block.count)
    one = block.interaction
    effects = " and ".join(_effect(effect) for effect in block.effects)
    basis = [tests_words(block.count)]
    if one.low is not None and one.high is not None:
        basis.insert(0, f"ratio of ratios, {level_words(method)} {interval_words((one.low, one.high))}")
    if one.verdict == "depends":
        after = f" on {second} {_in(block.figure)}: {_gains(block, one)}"
        return Sentence(f"What {first} does ", "depends", after, ", ".join(basis))
    if one.verdict == "does_not_depend":
        return Sentence(
            f"What {first} does ", "does not depend", f" on {second} {_in(block.figure)}: {effects}", ", ".join(basis)
        )
    return Sentence(
        f"Whether what {first} does depends on {second} is ",
        "open",
        f" {_in(block.figure)}: {effects}",
        ", ".join(basis),
    )


def _gains(block: GridBlock, one: Interaction) -> str:
    """What the first factor's level brings over its first one, at both levels of the second factor."""
    first, second = (block.levels[factor] for factor in block.factors)
    rates = {(place.first, place.second): place.value for place in block.places}
    told = [
        f"{_signed(rates[one.level, other] / rates[first[0], other] - 1.0)} at {other}" for other in (second[0], one.at)
    ]
    return f"{one.level} over {first[0]} gives {' and '.join(told)}"


def _signed(share: float) -> str:
    return f"{signed_percent(share)}%".replace("-", "−")


def _effect(effect: Effect) -> str:
    if effect.verdict == "open":
        return f"{effect.level} over {effect.over} open"
    if effect.verdict == "even":
        return f"{effect.level} even with {effect.over}"
    return f"{effect.level} {percent(abs(effect.margin))}% {effect.verdict} of {effect.over}".replace(
        "behind of", "behind"
    )


def two_ways(step: Step, names: Names) -> str:
    """A step both ways round: what it costs to take it and what it gains to go back."""
    down, up = step.margin_down, step.margin_up
    here, there = raised(names[step.from_]), names[step.to]
    if step.verdict == "even":
        return f"{here} to {there}: no difference"
    if step.verdict == "open":
        return f"{here} to {there}: open"
    if down < 0:
        return f"{here} to {there} costs {percent(-down)}%; back again gains {percent(up)}%"
    return f"{here} to {there} gains {percent(down)}%; back again costs {percent(-up)}%"


def scaling_sentence(block: ScalingBlock, names: Names, method: Method) -> Sentence:
    """The dearest step, in ms and both ways round."""
    if not block.suite:
        return _nothing("Scaling", block.tests)
    shown = [one for one in block.suite if one.verdict not in ("even", "open")]
    basis = tests_words(block.tests)
    if not shown:
        count = len(block.suite)
        steps = "this step" if count == 1 else f"these {count} steps"
        if all(one.verdict == "even" for one in block.suite):
            return Sentence(
                "", "Less than", f" {percent(method.equal_band)}% is what each of {steps} costs {_in(block.figure)}",
                basis,
            )  # fmt: skip
        return Sentence("", "No cost", f" of {steps} is shown {_in(block.figure)}", basis)
    dearest = max(shown, key=lambda one: abs(one.cost_ms))
    sign = "costs" if dearest.cost_ms > 0 else "saves"
    answer = f"{ms(abs(dearest.cost_ms))} ms"
    way = f"{names[dearest.from_]} to {names[dearest.to]}"
    back = f"{percent(abs(dearest.margin_down))}% {'less' if dearest.margin_down < 0 else 'more'} {_in(block.figure)}"
    way_back = f"{percent(abs(dearest.margin_up))}% {'more' if dearest.margin_up > 0 else 'less'} the way back"
    if dearest.low is not None and dearest.high is not None:
        ends = sorted((dearest.low, dearest.high) if dearest.cost_ms > 0 else (-dearest.low, -dearest.high))
        basis = f"{level_words(method)} {ms(ends[0])} to {ms(ends[1])} ms, {basis}"
    return Sentence(f"{raised(way)} {sign} ", answer, f" a frame: {back}, and {way_back}", basis)


def budget_sentence(result: BudgetResult, names: Names) -> Sentence:
    """Which lanes hold the budget, in how many tests."""
    told = []
    lanes = list(dict.fromkeys(one.lane for one in result.cells))
    budget = f"{ms(result.budget_ms)} ms"
    if not lanes or all(one.inside is None for one in result.cells):
        return Sentence("Budget: ", "nothing to tell yet", ", no accepted pass has a capture", "")
    for lane in lanes:
        own = [one for one in result.cells if one.lane == lane and one.inside is not None]
        unsure = [one for one in own if one.holds is None]
        edge = sum(one.low is not None for one in unsure)
        few = len(unsure) - edge
        rest = "".join((f", {edge} on the edge" if edge else "", f", {few} with too few passes to say" if few else ""))
        told.append(f"{names[lane]} in {sum(one.holds is True for one in own)} of {tests_words(len(own))}{rest}")
    basis = f"{percent(HELD)}% of frames in time: {'; '.join(told)}"
    if result.holding:
        rate = fixed(1000.0 / result.budget_ms, 1).removesuffix(".0")
        return _holding_sentence(result, names, f"{rate} fps", basis)
    whole = [lane for lane in lanes if all(one.holds for one in result.cells if one.lane == lane)]
    if whole:
        holds = f" {'hold' if len(whole) > 1 else 'holds'} {budget} everywhere"
        return Sentence("", listed([names[lane] for lane in whole]), holds, basis)
    # That none does is said where each misses it somewhere, and not where most is open.
    missed = [lane for lane in lanes if any(one.holds is False for one in result.cells if one.lane == lane)]
    if len(missed) == len(lanes):
        return Sentence("", "No lane", f" holds {budget} everywhere", basis)
    return Sentence("It is ", "open", f" whether any lane holds {budget} everywhere", basis)


def _holding_sentence(result: BudgetResult, names: Names, rate: str, basis: str) -> Sentence:
    """Which conditions hold everywhere: one answer where all lanes agree, else lane by lane."""
    found = {one.conditions for one in result.holding}
    if found == {None}:
        if any(one.open for one in result.holding):
            return Sentence("It is ", "open", f" whether any preset holds {rate} in every scene", basis)
        return Sentence("", "No preset", f" holds {rate} in every scene", basis)
    if len(found) == 1:
        whom = "" if len(result.holding) == 1 else " in every lane"
        return Sentence("", raised(str(found.pop())), f" is the most that holds {rate} in every scene{whom}", basis)
    able = [one for one in result.holding if one.conditions]
    told = [f"{one.conditions} with {names[one.lane]}" for one in able]
    none = [names[one.lane] for one in result.holding if not one.conditions and not one.open]
    unsure = [names[one.lane] for one in result.holding if not one.conditions and one.open]
    rest = (f"; nothing does with {listed(none)}" if none else "") + (f"; open with {listed(unsure)}" if unsure else "")
    return Sentence("", raised(listed(told)), f": the most that holds {rate} in every scene{rest}", basis)


def several_sentence(block: SeveralBlock, method: Method) -> Sentence:
    """What the further cards add, and how much of what they could is lost."""
    if not block.suite:
        return _nothing("Several cards", block.tests)
    most = block.suite[-1]
    basis = [tests_words(block.tests)]
    if most.low is not None and most.high is not None:
        basis.insert(0, f"{level_words(method)} {interval_words((most.low, most.high))}")
    if most.verdict in ("even", "open"):
        less = f"less than {percent(method.equal_band)}%"
        word = less if most.verdict == "even" else "nothing that is shown"
        return Sentence(f"{most.cards} cards add ", word, f" {_in(block.figure)}", ", ".join(basis))
    sign, lost = ("add", f", {percent(most.lost)}% of what they could add is lost") if most.margin > 0 else ("cost", "")
    return Sentence(
        f"{most.cards} cards {sign} ", f"{percent(abs(most.margin))}%", f" {_in(block.figure)}{lost}", ", ".join(basis)
    )


GAUGE_WORDS = {
    "absolute": "keeps level and ratios of play",
    "relative": "keeps the ratios of play, at another level",
    "neither": "does not keep the ratios of play",
    "open": "is not shown to keep the ratios of play, nor not to",
}


def proxy_sentence(gauges: Sequence[Gauge], names: Names) -> Sentence:
    """What the benchmarks are worth: of one game in full, of more by how many."""
    if not gauges:
        return Sentence("Proxy check: ", "nothing to tell yet", ", no test stands for another", "")
    if len(gauges) > 1:
        counts = [(word, [one for one in gauges if one.gauge == word]) for word in GAUGE_WORDS]
        held = sum(len(found) for word, found in counts if word in ("absolute", "relative"))
        unsure = sum(one.gauge == "open" for one in gauges)
        told = "; ".join(f"{word}: {listed([one.game for one in found])}" for word, found in counts if found)
        keep = f" keep the ratios of play {_in(gauges[0].figure)}"
        if unsure == len(gauges):
            return Sentence("It is ", "open", f" whether these {unsure} benchmarks{keep}", told)
        rest = f", of {unsure} it is open" if unsure else ""
        return Sentence("", f"{held} of {len(gauges)} benchmarks", f"{keep}{rest}", told)
    one = gauges[0]
    basis = f"band {percent(one.band)}%"
    if one.widest is not None and one.widest.off_low is not None and one.widest.off_high is not None:
        ends = interval_words((one.widest.off_low, one.widest.off_high))
        basis = f"widest: {names[one.widest.b]} over {names[one.widest.a]}, {ends}, {basis}"
    return Sentence(f"The benchmark of {one.game} ", GAUGE_WORDS[one.gauge], f" {_in(one.figure)}", basis)
