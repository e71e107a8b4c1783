"""What holds the rate, in words; and what was not run, set apart from what was measured."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

from rennbahn.comparing.model import Test
from rennbahn.comparing.sentences import Sentence
from rennbahn.comparing.words import interval_words
from rennbahn.display import signed_percent
from rennbahn.kinds.expected import BELOW, BETWEEN, FEW, RUN, Expected, ExpectedMargin
from rennbahn.kinds.limits import CAP, CARD, LINK_OR_MEMORY, PROCESSOR, UNCLEAR, Limits

Names = Mapping[str, str]
_NO_ESTIMATE = {
    FEW: "both lanes ran it at one resolution only",
    RUN: "was run: its own margin is measured",
}


HELD_WORDS = {
    CARD: "the card", PROCESSOR: "the processor", CAP: "a cap", LINK_OR_MEMORY: "link or memory",
    UNCLEAR: "not shown",
}  # fmt: skip


def limits_sentence(limits: Limits) -> Sentence:
    """What holds most of the lanes in tests, and how many each."""
    counts = Counter(one.held_by for one in limits.tests)
    told = [(HELD_WORDS[word], counts[word]) for word in HELD_WORDS if counts[word]]
    if not told:
        return Sentence("What holds the rate: ", "nothing to tell yet", "", "")
    most = max(told, key=lambda one: one[1])
    whole = len(told) == 1
    cells = "the one lane in one test" if len(limits.tests) == 1 else f"{len(limits.tests)} pairs of lane and test"
    if whole:
        return Sentence("What holds the rate: ", most[0], f" in {'' if len(limits.tests) == 1 else 'all '}{cells}", "")
    also = ", ".join(f"{word} in {count}" for word, count in told)
    return Sentence("What holds the rate: ", f"mostly {most[0]}", f", of {cells}: {also}", "")


def resolution_words(resolution: Sequence[int]) -> str:
    """A resolution as a reader writes it."""
    return " × ".join(map(str, resolution))


def expected_sentence(found: Expected, names: Names) -> Sentence:
    """The estimate over all scenes that have one; it always says that it is no measurement."""
    at = f"At {resolution_words(found.resolution)}, not run: "
    if found.suite is None:
        return Sentence(at, "no estimate", ", no scene tells what would come of it", "")
    scenes = "1 scene" if found.count == 1 else f"{found.count} scenes"
    low, high = found.suite.low, found.suite.high
    ends = f", between {interval_words((low, high))}" if low is not None and high is not None else ""
    share = signed_percent(found.suite.margin).replace("-", "−")
    return Sentence(
        at, f"about {share}%", f" of {names[found.b]} over {names[found.a]} expected in average fps{ends}",
        f"an estimate from {scenes} at other resolutions, not a measurement",
    )  # fmt: skip


def expected_words(one: ExpectedMargin, tests: Mapping[str, Test]) -> str:
    """Where an estimate comes from, or why there is none."""
    if one.reason is not None:
        return _NO_ESTIMATE.get(one.reason, "what holds the rate at the resolution next to it is not shown for both")
    basis = [tests[test].facts.resolution or () for test in one.basis]
    told = [resolution_words(size) for size in basis]
    if one.how == BETWEEN:
        return f"between {told[0]} and {told[-1]}"
    if one.how == BELOW:
        return f"below {told[0]}, which the processor holds"
    return f"beyond {told[-1]}, which the card holds"
