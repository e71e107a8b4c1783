"""A finding in a sentence, and verdicts in words.

A sentence always names its baseline, keeps "ahead" and "behind" for what the interval supports, and says how many
tests it stands on.
"""

from __future__ import annotations

from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import AVERAGE, Method, low_figure
from rennbahn.comparing.study import Comparison
from rennbahn.comparing.suite import Suite
from rennbahn.display import percent, signed_percent


def figure_words(figure: str) -> str:
    """A figure as a reader calls it."""
    return "average fps" if figure == AVERAGE else f"{figure.removeprefix('low_').rsplit('.', 1)[0]}% low"


def tests_words(count: int) -> str:
    """`1 test`, `12 tests`."""
    return f"{count} test" if count == 1 else f"{count} tests"


def interval_words(interval: tuple[float, float]) -> str:
    """An interval of margins with signs, in percent."""
    return f"{_typeset(interval[0])}% to {_typeset(interval[1])}%"


def _typeset(share: float) -> str:
    """A margin with a true minus, for sentences."""
    return signed_percent(share).replace("-", "−")


def suite_sentence(suite: Suite, method: Method, figure: str, name_a: str, name_b: str) -> str:
    """The answer for one figure: direction, size, interval and number of tests. A is the baseline."""
    sentence = _suite_sentence(suite, method, figure, name_a, name_b)
    return sentence[0].upper() + sentence[1:]


def _suite_sentence(suite: Suite, method: Method, figure: str, name_a: str, name_b: str) -> str:
    what = figure_words(figure)
    if suite.margins is None or suite.measured is None:
        return f"Nothing to compare yet in {what}: no test has accepted passes in both lanes."
    margin = suite.margins[method.suite_school]
    interval = suite.measured[method.suite_school].interval
    tests = tests_words(suite.tests)
    if interval is None:
        return (
            f"{name_b} measured {_typeset(margin)}% against {name_a} in {what} over {tests}, "
            f"but a single pass a test cannot say how sure that is."
        )
    range_ = f"95% interval {interval_words(interval)}, {tests}"
    if suite.verdict == "even":
        band = percent(method.equal_band)
        return f"{name_b} and {name_a} are even in {what}: the difference lies within {band}% ({range_})."
    if suite.verdict in ("ahead", "behind"):
        direction = "ahead of" if suite.verdict == "ahead" else "behind"
        return f"{name_b} is {percent(abs(margin))}% {direction} {name_a} in {what} ({range_})."
    return (
        f"It is open whether {name_b} differs from {name_a} in {what}: measured {_typeset(margin)}%, "
        f"and the interval allows either direction ({range_})."
    )


def finding_sentences(comparison: Comparison, method: Method, leading: str, name_a: str, name_b: str) -> list[str]:
    """The answer by the leading kind (`average_fps` or `low_1`) first, then the other."""
    kinds = [AVERAGE, low_figure("1", method.low_school)]
    if leading != AVERAGE:
        kinds.reverse()
    return [
        suite_sentence(comparison.suite[figure], method, figure, name_a, name_b)
        for figure in kinds
        if figure in comparison.suite
    ]


def verdict_words(margin: Margin, name_a: str) -> str:
    """The verdict on one test, against the baseline, with what would settle an open one."""
    if margin.verdict == "even":
        return f"even with {name_a}"
    if margin.verdict == "open":
        if margin.further_passes is None:
            return "open: more passes would not settle it"
        passes = "pass" if margin.further_passes == 1 else "passes"
        return f"open: {margin.further_passes} further {passes} a lane would settle it"
    word = f"ahead of {name_a}" if margin.verdict == "ahead" else f"behind {name_a}"
    return f"{word}, but could be chance" if margin.could_be_chance else word


#: Why a test is left out or a pass does not count, in words. Any other reason is shown as it was written.
REASON_WORDS = {
    "not_tested": "not tested",
    "did_not_launch": "did not launch",
    "did_not_run": "did not run",
    "crashed": "crashed",
    "unstable": "unstable",
    "rejected": "its pass was rejected",
    "recorded": "recorded, not accepted yet",
    "planned": "planned, not recorded yet",
    "capped": "capped: the average says nothing about the hardware",
    "sources_differ": "one lane has frames, the other the game's own report",
    "not_reported": "the game's own report does not give it",
}


def reason_words(reason: str) -> str:
    """A reason code in words."""
    return REASON_WORDS.get(reason, reason.replace("_", " "))
