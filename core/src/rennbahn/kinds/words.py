"""The answer to each kind of question in a sentence, which claims no more than its intervals support.

Names of lanes are anybody's words, also plurals: no verb has to agree with them. Whatever would hold of all planned
tests or of all lanes is claimed only where all of them are in it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from rennbahn.comparing.composition import Composition
from rennbahn.comparing.model import Method
from rennbahn.comparing.sentences import (
    Claim,
    Naming,
    Sentence,
    listed,
    of_planned,
    raised,
    tests_words,
)
from rennbahn.comparing.words import interval_words, level_words
from rennbahn.display import fixed, ms, percent, signed_percent
from rennbahn.kinds.budget import HELD, BudgetResult
from rennbahn.kinds.fit import Share
from rennbahn.kinds.grid import Effect, GridBlock, Interaction
from rennbahn.kinds.proxy import Gauge
from rennbahn.kinds.scaling import ScalingBlock, Step
from rennbahn.kinds.several import SeveralBlock
from rennbahn.kinds.sweep import SweepBlock

_NOTHING = "no test in which every lane has an accepted pass"


def nothing_yet(what: str, tests: int) -> Sentence:
    """What is said of a kind while there is nothing to tell."""
    return Sentence(f"{what}: ", "nothing to tell yet", f", {_NOTHING}" if not tests else "", "", empty=True)


def sweep_sentence(block: SweepBlock, made: Composition, names: Naming, method: Method) -> Sentence:
    """What the level does, and where more brings clearly less."""
    if not block.points:
        return nothing_yet("Sweep", block.tests)
    unit = f" {block.unit}" if block.unit else ""
    first, last = block.points[0], block.points[-1]
    between = f"from {_level(first.level)} to {_level(last.level)}{unit}"
    change = last.value / first.value - 1.0
    ends, steps = _ends(block.whole), _steps_words(block, made)
    basis = ", ".join(filter(None, (f"{level_words(method)} {ends}" if ends else "", steps)))
    what = names.figure(block.figure, block.group)
    lanes = tuple(point.lane for point in block.points)
    claim = Claim(block.shape, lanes, made.tests, block.figure, block.group)
    sized = _sized(claim, block.whole, (last.lane, first.lane))
    if block.shape == "flat":
        band = f"no step is more than {percent(method.equal_band)}% from another"
        return Sentence("", "Even", f" {between} in {what}, {band}", basis, claims=(claim,))
    if block.knee is not None:
        knee = block.knee
        low, high = knee.from_step, knee.to_step
        range_words = f"{_about(low)} to {_about(high)}{unit}"
        side = "Below" if block.shape == "falling" else "Beyond"
        told = replace(claim, says="knee", low=low, high=high, level=knee.level)
        return Sentence(
            f"{side} about ", f"{_about(knee.level)}{unit}", f" a step brings clearly less in {what}",
            f"{level_words(method)} {range_words}, {steps}", claims=(told, claim),
            brief=f"{side.lower()} about {_about(knee.level)}{unit}",
        )  # fmt: skip
    if block.shape in ("rising", "falling"):
        word = "more" if change > 0 else "less"
        return Sentence(
            f"{raised(what)}: ", f"{percent(abs(change))}% {word}", f" {between}, and no knee is shown", basis,
            claims=(claim, *sized), brief=f"{percent(abs(change))}% {word}, no knee",
        )  # fmt: skip
    if block.shape == "peaked":
        best = max(block.points, key=lambda one: one.value)
        after = f" in {what}, less on both sides"
        found = f"{_level(best.level)}{unit}"
        return Sentence("Best at ", found, after, basis, claims=(claim,), brief=f"best at {found}")
    return _open_sweep(what, between, change, basis, (replace(claim, says="open"), *sized))


def _open_sweep(what: str, between: str, change: float, basis: str, claims: tuple[Claim, ...]) -> Sentence:
    """From end to end a level may well do something while what each step does is not told."""
    if any((one.low or 0.0) > 0.0 or (one.high or 0.0) < 0.0 for one in claims[1:]):
        whole = f"{percent(abs(change))}% {'more' if change > 0 else 'less'}"
        after = f" {between}; what the steps between do is open"
        return Sentence(f"{raised(what)}: ", whole, after, basis, claims=claims, brief=f"{whole}, the steps open")
    return Sentence("What the level does is ", "open", f" {between} in {what}", basis, claims=claims, brief="open")


def _sized(claim: Claim, share: Share | None, lanes: tuple[str, str]) -> tuple[Claim, ...]:
    """That a margin lies within its interval."""
    if share is None or share.low is None:
        return ()
    return (replace(claim, says="margin", lanes=lanes, low=share.low, high=share.high),)


def _steps_words(block: SweepBlock, made: Composition) -> str:
    return f"{len(block.points)} steps, {of_planned(made)}"


def _ends(share: Share | None) -> str:
    """The interval of a margin; empty without one."""
    return "" if share is None or share.low is None or share.high is None else interval_words((share.low, share.high))


def _level(level: float) -> str:
    return fixed(level, 2).rstrip("0").rstrip(".") if level % 1 else fixed(level, 0)


def _about(level: float) -> str:
    """A level that was found, not set: to three digits."""
    return f"{level:.3g}" if abs(level) < 1000 else fixed(level, 0)


def equal_power_words(block: SweepBlock, names: Naming) -> str:
    """The swept part against its rival at the same power; nothing where that was not reached."""
    found = block.equal_power
    if found is None:
        return ""
    told = "as fast as" if found.verdict == "even" else "not told apart from" if found.verdict == "open" else None
    word = told or f"{percent(abs(found.margin))}% {found.verdict} of".replace("behind of", "behind")
    ends = interval_words((found.low, found.high)) if found.low is not None and found.high is not None else ""
    return (
        f"At the {fixed(found.watts, 0)} W of {names[found.rival]}: {word} it {names.within(block.figure, block.group)}"
        + (f" ({ends})." if ends else ".")
    )


def grid_sentence(block: GridBlock, made: Composition, names: Naming, method: Method) -> Sentence:
    """Does the effect of one factor depend on the other, and what are they."""
    first, second = block.factors
    if block.interaction is None or not block.effects:
        return nothing_yet("Grid", block.count)
    one = block.interaction
    effects = " and ".join(_effect(effect) for effect in block.effects)
    basis = [of_planned(made)]
    if one.low is not None and one.high is not None:
        basis.insert(0, f"ratio of ratios, {level_words(method)} {interval_words((one.low, one.high))}")
    inside, stands = names.within(block.figure, block.group), ", ".join(basis)
    claim = Claim(
        one.verdict, (), made.tests, block.figure, block.group, made.lanes, one.low, one.high, f"{one.level}|{one.at}"
    )
    told = tuple(
        replace(claim, says=effect.verdict, low=effect.low, high=effect.high, level=f"{effect.level}|{effect.over}")
        for effect in block.effects
        if effect.verdict != "open"
    )
    if one.verdict == "depends":
        after = f" on {second} {inside}: {_gains(block, one)}"
        return Sentence(f"The effect of {first} ", "depends", after, stands, claims=(claim,), brief="it depends")
    if one.verdict == "does_not_depend":
        after, brief = f" on {second} {inside}: {effects}", "it does not depend"
        before = f"The effect of {first} "
        return Sentence(before, "does not depend", after, stands, claims=(claim, *told), brief=brief)
    after = f" whether the effect of {first} depends on {second} {inside}: {effects}"
    return Sentence("It is ", "open", after, stands, claims=(claim, *told), brief="open")


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


def two_ways(step: Step, names: Naming) -> str:
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


def mode_words(step: Step, names: Naming) -> str:
    """An upscaled picture against the native one of the same size: what it brings, and what a frame of it saves."""
    pair = f"{raised(names[step.to])} against {names[step.from_]}, the same size put out: "
    if step.verdict == "even":
        return f"{pair}no difference"
    if step.verdict == "open":
        return f"{pair}open"
    word, saves = ("more", "less") if step.margin_down > 0 else ("less", "more")
    return f"{pair}{percent(abs(step.margin_down))}% {word}, {ms(abs(step.cost_ms))} ms {saves} a frame"


def scaling_sentence(block: ScalingBlock, made: Composition, names: Naming, method: Method) -> Sentence:
    """The dearest step, in ms and both ways round."""
    if not block.suite:
        return nothing_yet("Scaling", block.tests)
    shown = [one for one in block.suite if one.verdict not in ("even", "open") and _costs_surely(one)]
    basis, inside = of_planned(made), names.within(block.figure, block.group)
    claim = Claim("even", (), made.tests, block.figure, block.group, made.lanes)
    if not shown:
        count = len(block.suite)
        steps = "this step" if count == 1 else f"these {count} steps"
        if all(one.verdict == "even" for one in block.suite):
            claims = tuple(replace(claim, lanes=(one.to, one.from_)) for one in block.suite)
            band = percent(method.equal_band)
            after = f" {band}% is what {'this step costs' if count == 1 else f'each of {steps} costs'} {inside}"
            return Sentence("", "Less than", after, basis, claims=claims)
        return Sentence("", "No cost", f" of {steps} is shown {inside}", basis, claims=(replace(claim, says="open"),))
    dearest = max(shown, key=lambda one: abs(one.cost_ms))
    sign = "costs" if dearest.cost_ms > 0 else "saves"
    answer = f"{ms(abs(dearest.cost_ms))} ms"
    way = f"{names[dearest.from_]} to {names[dearest.to]}"
    back = f"{percent(abs(dearest.margin_down))}% {'less' if dearest.margin_down < 0 else 'more'} {inside}"
    way_back = f"{percent(abs(dearest.margin_up))}% {'more' if dearest.margin_up > 0 else 'less'} the way back"
    low, high = dearest.at_once or (None, None)
    if low is not None and high is not None:
        ends = sorted((abs(low), abs(high)))
        at_once = f" of {len(block.suite)} steps at once" if len(block.suite) > 1 else ""
        basis = f"{level_words(method)}{at_once} {ms(ends[0])} to {ms(ends[1])} ms, {basis}"
    lanes = (dearest.to, dearest.from_)
    costs = replace(claim, says="costs", lanes=lanes, low=low, high=high)
    claims = (replace(claim, says=dearest.verdict, lanes=lanes), costs)
    after = f" a frame: {back}, and {way_back}"
    return Sentence(f"{raised(way)} {sign} ", answer, after, basis, claims=claims)


def _costs_surely(step: Step) -> bool:
    """Is it shown on which side of nothing a step's cost lies, with all steps at once to pick from?"""
    return step.at_once is not None and (step.at_once[0] > 0 or step.at_once[1] < 0)


def budget_sentence(result: BudgetResult, made: Composition, names: Naming) -> Sentence:
    """Which lanes hold the budget, in how many tests."""
    lanes = list(dict.fromkeys(one.lane for one in result.cells))
    budget = f"{ms(result.budget_ms)} ms"
    if not lanes or all(one.inside is None for one in result.cells):
        return Sentence("Budget: ", "nothing to tell yet", ", no accepted pass has a capture", "", empty=True)
    planned = len(made.planned)
    told = []
    for lane in lanes:
        own = [one for one in result.cells if one.lane == lane and one.inside is not None]
        unsure = [one for one in own if one.holds is None]
        edge = sum(one.low is not None for one in unsure)
        few, missing = len(unsure) - edge, planned - len(own)
        rest = "".join(
            (
                f", {edge} on the edge" if edge else "", f", {few} with too few passes to say" if few else "",
                f", {missing} missing" if missing else "",
            )
        )  # fmt: skip
        told.append(f"{names[lane]} in {sum(one.holds is True for one in own)} of {tests_words(planned)}{rest}")
    basis = f"{percent(HELD)}% of frames in time: {'; '.join(told)}"
    claim = Claim("holds_everywhere", (), made.planned, "budget", among=made.lanes, of_all=True)
    if result.holding:
        rate = fixed(1000.0 / result.budget_ms, 1).removesuffix(".0")
        return _holding_sentence(result, names, f"{rate} fps", basis, claim, whole=not made.absent)
    cells = {(one.lane, one.test): one for one in result.cells}
    whole = [lane for lane in lanes if all((lane, test) in cells and cells[lane, test].holds for test in made.planned)]
    if whole:
        holds = f" {'hold' if len(whole) > 1 else 'holds'} {budget} everywhere"
        claims = tuple(replace(claim, lanes=(lane,)) for lane in whole)
        return Sentence("", listed([names[lane] for lane in whole]), holds, basis, claims=claims)
    # That none does is said where each misses it somewhere, and not where most is open.
    missed = [lane for lane in lanes if any(one.holds is False for one in result.cells if one.lane == lane)]
    if len(missed) == len(lanes) and not made.absent:
        claims = tuple(replace(claim, says="misses_somewhere", lanes=(lane,)) for lane in missed)
        return Sentence("", "No lane", f" holds {budget} everywhere", basis, claims=claims)
    claims = (replace(claim, says="open", of_all=False),)
    return Sentence("It is ", "open", f" whether any lane holds {budget} everywhere", basis, claims=claims)


def _holding_sentence(
    result: BudgetResult, names: Naming, rate: str, basis: str, claim: Claim, *, whole: bool
) -> Sentence:
    """Which conditions hold everywhere: one answer where all lanes agree, else lane by lane."""
    found = {one.conditions for one in result.holding}
    claims = tuple(
        replace(claim, says="most_that_holds", lanes=(one.lane,), level=one.conditions)
        for one in result.holding
        if one.conditions
    )
    if found == {None}:
        if not whole or any(one.open for one in result.holding):
            unsure = (replace(claim, says="open", of_all=False),)
            return Sentence("It is ", "open", f" whether any preset holds {rate} in every scene", basis, claims=unsure)
        none = tuple(replace(claim, says="no_preset_holds", lanes=(one.lane,)) for one in result.holding)
        return Sentence("", "No preset", f" holds {rate} in every scene", basis, claims=none)
    if len(found) == 1:
        whom = "" if len(result.holding) == 1 else " in every lane"
        after = f" is the most that is shown to hold {rate} in every scene{whom}"
        return Sentence("", raised(str(found.pop())), after, basis, claims=claims)
    able = [one for one in result.holding if one.conditions]
    told = [f"{one.conditions} with {names[one.lane]}" for one in able]
    none_of = [names[one.lane] for one in result.holding if not one.conditions and not one.open]
    unsure_of = [names[one.lane] for one in result.holding if not one.conditions and one.open]
    rest = "".join(
        (f"; nothing does with {listed(none_of)}" if none_of else "", f"; open with {listed(unsure_of)}" if unsure_of
         else "")
    )  # fmt: skip
    after = f": the most that is shown to hold {rate} in every scene{rest}"
    return Sentence("", raised(listed(told)), after, basis, claims=claims)


def several_sentence(block: SeveralBlock, made: Composition, names: Naming, method: Method) -> Sentence:
    """What the further cards add, and how much of what they could is lost."""
    if not block.suite:
        return nothing_yet("Several cards", block.tests)
    most = block.suite[-1]
    basis, inside = [of_planned(made)], names.within(block.figure, block.group)
    if most.low is not None and most.high is not None:
        basis.insert(0, f"{level_words(method)} {interval_words((most.low, most.high))}")
    lanes = (most.lane, most.over)
    claims = (Claim(most.verdict, lanes, made.tests, block.figure, block.group, low=most.low, high=most.high),)
    if most.verdict in ("even", "open"):
        less = f"less than {percent(method.equal_band)}%"
        word = less if most.verdict == "even" else "nothing that is shown"
        return Sentence(f"{most.cards} cards add ", word, f" {inside}", ", ".join(basis), claims=claims)
    sign, lost = ("add", f", {percent(most.lost)}% of what they could add is lost") if most.margin > 0 else ("cost", "")
    return Sentence(
        f"{most.cards} cards {sign} ", f"{percent(abs(most.margin))}%", f" {inside}{lost}", ", ".join(basis),
        claims=claims,
    )  # fmt: skip


GAUGE_WORDS = {
    "absolute": "keeps level and ratios of play",
    "relative": "keeps the ratios of play, at another level",
    "neither": "does not keep the ratios of play",
    "open": "is not shown to keep the ratios of play, nor not to",
}


def proxy_sentence(gauges: Sequence[Gauge], made: Sequence[Composition], names: Naming) -> Sentence:
    """What the benchmarks are worth: of one game in full, of more by how many.

    That ratios are kept is a claim about all lanes: of a game that some lane lacks it is not made. That they are not
    kept needs but one ratio.
    """
    if not gauges:
        return Sentence("Proxy check: ", "nothing to tell yet", ", no test stands for another", "", empty=True)
    if len(gauges) == 1:
        return _gauge_sentence(gauges[0], made[0], names)
    word_of = [_word(gauge, own) for gauge, own in zip(gauges, made, strict=True)]
    counts = [(word, [g.game for g, own in zip(gauges, word_of, strict=True) if own == word]) for word in _GAUGED]
    held = sum(len(found) for word, found in counts if word in ("absolute", "relative"))
    unsure = len(word_of) - held - word_of.count("neither")
    told = "; ".join(f"{_GAUGED[word]}: {listed(found)}" for word, found in counts if found)
    verb = "keeps" if held == 1 and unsure < len(gauges) else "keep"
    keep = f" {verb} the ratios of play {names.within(gauges[0].figure, None)}"
    claims = tuple(
        claim for one, own in zip(gauges, made, strict=True) for claim in _gauge_sentence(one, own, names).claims
    )
    if unsure == len(gauges):
        return Sentence("It is ", "open", f" whether these {unsure} benchmarks{keep}", told, claims=claims)
    rest = f", of {unsure} it is open" if unsure else ""
    return Sentence("", f"{held} of {len(gauges)} benchmarks", f"{keep}{rest}", told, claims=claims)


#: Of a benchmark that keeps the ratios of those lanes that have it, while others lack it.
_AMONG_SOME = "among_some"
_GAUGED = GAUGE_WORDS | {_AMONG_SOME: "keeps the ratios of play as far as its lanes can tell"}


def _word(gauge: Gauge, made: Composition) -> str:
    return _AMONG_SOME if gauge.gauge in ("absolute", "relative") and not made.whole else gauge.gauge


def _gauge_sentence(one: Gauge, made: Composition, names: Naming) -> Sentence:
    basis = f"band {percent(one.band)}%"
    if one.widest is not None and one.widest.off_low is not None and one.widest.off_high is not None:
        ends = interval_words((one.widest.off_low, one.widest.off_high))
        basis = f"widest: {names[one.widest.b]} over {names[one.widest.a]}, {ends}, {basis}"
    word = _word(one, made)
    among = f", {len(one.lanes)} of {len(made.lanes) + len(made.absent)} lanes" if word == _AMONG_SOME else ""
    claim = Claim(
        word, (), made.planned, one.figure, among=one.lanes, level=one.game, of_all=word in ("absolute", "relative")
    )
    after = f" {names.within(one.figure, None)}{among}"
    return Sentence(f"The benchmark of {one.game} ", _GAUGED[word], after, basis, claims=(claim,))
