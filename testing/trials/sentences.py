"""Sentences put on trial: studies of every kind with known truth, incomplete in random ways, claim by claim.

What is checked is parted in two. A claim that is false of the very tests and lanes it names is an error of noise, and
has its level. A fault of composition has none: a claim about all tests or lanes where some are not in it, a missing
test or lane that the sentence does not name, a group that it does not name, a decision that is wanted in silence.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.pair_sentences import pair_sentences
from rennbahn.comparing.sentences import Claim, Sentence
from rennbahn.kinds import answer_of

from trials.incomplete import BAND, KINDS, LOW, Truth, drawn


@dataclass
class Tally:
    """Of the sentences of a kind: how many there were, what they claimed, what was false of it, and what was faulty."""

    studies: int = 0
    sentences: int = 0
    claims: int = 0
    false: int = 0
    faults: list[str] = field(default_factory=list)

    @property
    def false_share(self) -> float:
        """Claims that noise made false, as a share of all."""
        return self.false / max(self.claims, 1)


def trial(kind: str, studies: int, seed: int = 1) -> Tally:
    """Draw studies of a kind and hold every sentence of them against the truth."""
    rng, tally = np.random.default_rng([seed, KINDS.index(kind)]), Tally()
    for number in range(studies):
        truth = drawn(kind, rng, number)
        sheet = Sheet(truth.study)
        tally.studies += 1
        for sentence, group in said(sheet):
            tally.sentences += 1
            _audit(truth, sentence, group, tally)
            for claim in sentence.claims:
                if claim.says == "open":
                    continue
                tally.claims += 1
                tally.false += not _TRUE[claim.says](truth, claim)
    return tally


def said(sheet: Sheet) -> list[tuple[Sentence, str | None]]:
    """All sentences of a study that stand first somewhere, each with its group."""
    study = sheet.study
    if study.kind == "a_b":
        told = pair_sentences(sheet, ("0", "1"), (AVERAGE, LOW))
        return [(one, group or None) for group, own in told.items() for one in own]
    answer = answer_of(sheet)
    if study.kind in ("budget", "proxy"):
        return [(answer.sentence, None)] if answer.sentence else []
    return [
        (one, block["group"] if len(study.groups) > 1 else None)
        for one, block in zip(answer.sentences, answer.blocks, strict=True)
    ]


# --- faults of composition --------------------------------------------------------------------------------


def _audit(truth: Truth, sentence: Sentence, group: str | None, tally: Tally) -> None:
    """Find what a sentence leaves out or claims too much of, whatever the noise."""
    study, text = truth.study, sentence.text
    numbers = [t for t, test in enumerate(study.tests) if group is None or test.group == group]
    low = any(one.figure.startswith("low") for one in sentence.claims) or "1% low" in sentence.claim
    stands = truth.stands[:, numbers].copy()
    if low:
        # A cap holds the average and not the lows.
        capped = {(int(x.lane), int(x.test)) for x in study.passes if x.flags}
        for lane, test in capped:
            if test in numbers:
                stands[lane, numbers.index(test)] = True
    faults = []
    if group is not None and study.group_words[group] not in sentence.claim and sentence.claims:
        faults.append("does not name its group")
    there: NDArray[np.bool_] = np.asarray(stands.any(axis=1))
    gone = [study.lanes[lane].name for lane in np.flatnonzero(~there)] if sentence.claims else []
    faults += [f"{name} is missing in silence" for name in gone if name not in sentence.lacks]
    lacking: NDArray[np.bool_] = np.asarray((~stands[there]).any(axis=0))
    of_source = truth.reported[:, numbers]
    lacking |= (stands & of_source).any(axis=0) & (stands & ~of_source).any(axis=0)
    game = {scene.id: scene.game for scene in study.scenes}
    unnamed = [numbers[t] for t in np.flatnonzero(lacking) if game[study.tests[numbers[t]].scene] not in sentence.lacks]
    if unnamed and "more tests" not in sentence.lacks and there.any() and sentence.claims:
        faults.append(f"tests {unnamed} are missing in silence")
    if (lacking.any() or not there.all()) and any(one.of_all and one.says in _OF_ALL for one in sentence.claims):
        faults += _universal(truth, sentence, stands, numbers)
    # A pass that waits in a test that is out for another reason would change nothing.
    wanted = truth.waits[:, numbers] & (~stands | ~lacking[None, :])
    if wanted.any() and sentence.claims and not any(
        word in sentence.lacks for word in ("wait", "not decided", "ecide")
    ):  # fmt: skip
        faults.append("passes wait in silence")
    tally.faults += [f"{study.name} ({study.kind}): {fault}: {text}" for fault in faults]


#: Claims about all tests or all lanes that a missing one may turn.
_OF_ALL = ("cheapest", "holds_everywhere", "absolute", "relative", "no_preset_holds", "most_that_holds")


def _universal(truth: Truth, sentence: Sentence, stands: NDArray[np.bool_], numbers: Sequence[int]) -> list[str]:
    """Claims about all that stand on less than all."""
    faults = []
    for one in sentence.claims:
        if one.says == "cheapest":
            faults.append("claims a cheapest while something is missing")
        if one.says == "holds_everywhere" and not stands[int(one.lanes[0])].all():
            faults.append("claims to hold everywhere while tests are missing")
        if one.says == "most_that_holds":
            own = [i for i, t in enumerate(numbers) if truth.study.tests[t].conditions == one.level]
            if not stands[int(one.lanes[0]), own].all():
                faults.append("claims that a preset holds in every scene while some are missing")
        if one.says in ("absolute", "relative"):
            own = truth.tests(one.tests)
            if not stands[:, own].all():
                faults.append("claims that ratios are kept while lanes are missing")
    return faults


# --- truth ------------------------------------------------------------------------------------------------


def _margin(truth: Truth, claim: Claim) -> float:
    over, under = claim.lanes
    return truth.mean(over, claim.tests) - truth.mean(under, claim.tests)


def _covers(value: float, claim: Claim) -> bool:
    if claim.low is None or claim.high is None:
        return True
    slack = 1e-9
    return claim.low - slack <= value <= claim.high + slack


def _ahead(truth: Truth, claim: Claim) -> bool:
    if claim.level is not None:
        return _covers(math.expm1(_grid_effect(truth, claim)), claim) and _grid_effect(truth, claim) > 0
    if truth.study.kind != "ladder":
        margin = _margin(truth, claim)
    else:
        # Of a first lane of a ladder the pair is over the tests that both have.
        over, under = (int(x) for x in claim.lanes)
        own = _pair_tests(truth, claim, over, under)
        margin = float((truth.log[over, own] - truth.log[under, own]).mean())
    return margin > 0 and _covers(math.expm1(margin), claim)


def _behind(truth: Truth, claim: Claim) -> bool:
    if claim.level is not None:
        return _covers(math.expm1(_grid_effect(truth, claim)), claim) and _grid_effect(truth, claim) < 0
    margin = _margin(truth, claim)
    return margin < 0 and _covers(math.expm1(margin), claim)


def _even(truth: Truth, claim: Claim) -> bool:
    edge = math.log1p(BAND) * (1 + 1e-9)
    if claim.level is not None:
        return abs(_grid_effect(truth, claim)) <= edge
    if (claim.among and len(claim.lanes) != 2) or truth.study.kind == "ladder":
        return all(
            abs(truth.mean(a, claim.tests) - truth.mean(b, claim.tests)) <= edge
            for a, b in combinations(claim.lanes, 2)
        )
    return abs(_margin(truth, claim)) <= edge


def _first(truth: Truth, claim: Claim) -> bool:
    (top,) = claim.lanes
    for other in claim.among:
        if other == top:
            continue
        own = _pair_tests(truth, claim, int(top), int(other))
        if truth.log[int(top), own].mean() <= truth.log[int(other), own].mean():
            return False
    return True


def _planned(truth: Truth, claim: Claim) -> list[int]:
    return [t for t, test in enumerate(truth.study.tests) if claim.group is None or test.group == claim.group]


def _pair_tests(truth: Truth, claim: Claim, a: int, b: int) -> list[int]:
    """Planned tests in which two lanes stand, from one source; a cap takes averages out and no lows."""
    low = claim.figure.startswith("low")
    capped = {(int(x.lane), int(x.test)) for x in truth.study.passes if x.flags} if low else set[tuple[int, int]]()

    def there(lane: int, test: int) -> bool:
        return bool(truth.stands[lane, test]) or (lane, test) in capped

    return [
        t
        for t in _planned(truth, claim)
        if there(a, t) and there(b, t) and truth.reported[a, t] == truth.reported[b, t]
    ]


def _holds(truth: Truth, claim: Claim) -> bool:
    (lane,), bound = claim.lanes, math.log(float(claim.level or 0.0))
    shift = math.log(0.7) if claim.figure.startswith("low") else 0.0
    may_miss = truth.study.aims.may_miss
    if may_miss is None:
        return truth.mean(lane, claim.tests) + shift >= bound
    own = truth.log[int(lane), truth.tests(claim.tests)] + shift
    return int((own >= bound).sum()) >= len(own) - min(may_miss, len(own) - 1)


def _cheapest(truth: Truth, claim: Claim) -> bool:
    """It holds it in truth over everything that was planned."""
    return _holds(truth, claim)


def _grid_effect(truth: Truth, claim: Claim) -> float:
    """The main effect of a level over its first, averaged over the other factor's levels."""
    level, over = str(claim.level).split("|")
    lanes = truth.study.lanes
    own = {one.id: set(one.facts.levels.values()) for one in lanes}
    up, down = ([key for key, has in own.items() if word in has] for word in (level, over))
    return float(
        np.mean([truth.mean(x, claim.tests) for x in up]) - np.mean([truth.mean(x, claim.tests) for x in down])
    )


def _interaction(truth: Truth, claim: Claim) -> float:
    a, b, c, d = (truth.mean(str(i), claim.tests) for i in (3, 1, 2, 0))
    return a - b - c + d


def _costs(truth: Truth, claim: Claim) -> bool:
    to, here = (int(x) for x in claim.lanes)
    own = truth.tests(claim.tests)
    shift = 0.7 if claim.figure.startswith("low") else 1.0
    times = 1000.0 / (shift * np.exp(truth.log[:, own]))
    return _covers(float(times[to].mean() - times[here].mean()), claim)


def _inside(truth: Truth, lane: str, tests: Sequence[int]) -> bool:
    return bool((truth.late[int(lane), list(tests)] <= 0.01).all())


def _most(truth: Truth, claim: Claim) -> bool:
    own = [t for t, test in enumerate(truth.study.tests) if test.conditions == claim.level]
    return _inside(truth, claim.lanes[0], own)


def _no_preset(truth: Truth, claim: Claim) -> bool:
    presets = {test.conditions for test in truth.study.tests}
    return not any(
        _inside(truth, claim.lanes[0], [t for t, x in enumerate(truth.study.tests) if x.conditions == one])
        for one in presets
    )


def _ratios(truth: Truth, claim: Claim, lanes: Sequence[int]) -> list[float]:
    """ln of the ratios of ratios of a game's benchmark and its play."""
    bench, play = truth.tests(claim.tests)
    gap = truth.log[:, play] - truth.log[:, bench]
    return [float(gap[a] - gap[b]) for a, b in combinations(lanes, 2)]


def _kept(truth: Truth, claim: Claim) -> bool:
    lanes = range(len(truth.study.lanes)) if claim.of_all else truth.lanes(claim.among)
    return all(abs(x) <= math.log1p(truth.study.aims.proxy_band) for x in _ratios(truth, claim, list(lanes)))


def _not_kept(truth: Truth, claim: Claim) -> bool:
    edge = math.log1p(truth.study.aims.proxy_band)
    return any(abs(x) > edge for x in _ratios(truth, claim, truth.lanes(claim.among)))


def _flat(truth: Truth, claim: Claim) -> bool:
    levels = [truth.mean(one, claim.tests) for one in claim.lanes]
    return max(levels) - min(levels) <= math.log1p(BAND) * (1 + 1e-9)


def _rises(truth: Truth, claim: Claim) -> bool:
    levels = [truth.mean(one, claim.tests) for one in claim.lanes]
    return any(a < b for a, b in combinations(levels, 2))


def _falls(truth: Truth, claim: Claim) -> bool:
    levels = [truth.mean(one, claim.tests) for one in claim.lanes]
    return any(a > b for a, b in combinations(levels, 2))


_TRUE: Mapping[str, Callable[[Truth, Claim], bool]] = {
    "ahead": _ahead,
    "behind": _behind,
    "even": _even,
    "margin": lambda truth, claim: _covers(math.expm1(_margin(truth, claim)), claim),
    "first": _first,
    # That an order is not shown is true of what was measured, whatever it is.
    "shared": lambda *_: True,
    "holds": _holds,
    "misses": lambda truth, claim: not _holds(truth, claim),
    "cheapest": _cheapest,
    "flat": _flat,
    "rising": _rises,
    "falling": _falls,
    "peaked": lambda truth, claim: _rises(truth, claim) and _falls(truth, claim),
    # Where a curve bends is on trial by itself; here it must rise or fall at all.
    "knee": lambda truth, claim: not _flat(truth, claim),
    "unclear": lambda *_: True,
    "depends": lambda truth, claim: _covers(math.expm1(_interaction(truth, claim)), claim),
    "does_not_depend": lambda truth, claim: abs(_interaction(truth, claim)) <= math.log1p(BAND) * (1 + 1e-9),
    "costs": _costs,
    "holds_everywhere": lambda truth, claim: _inside(truth, claim.lanes[0], truth.tests(claim.tests)),
    "misses_somewhere": lambda truth, claim: not _inside(truth, claim.lanes[0], truth.tests(claim.tests)),
    "most_that_holds": _most,
    "no_preset_holds": _no_preset,
    "absolute": _kept,
    "relative": _kept,
    "among_some": _kept,
    "neither": _not_kept,
}
