"""A finding in a sentence, and verdicts in words.

A sentence always names its baseline, keeps "ahead" and "behind" for what the interval supports, and says how many
tests it stands on.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import AVERAGE, CAPPED, Method, low_figure
from rennbahn.comparing.study import Comparison
from rennbahn.comparing.suite import Suite
from rennbahn.display import percent, signed_percent

#: Passes in each lane from which it can be said how many more would settle a test.
FEWEST_TO_SETTLE = 2


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


@dataclass(frozen=True)
class Sentence:
    """An answer in parts: `answer` is what it says in two words, within its claim; `basis` is what it stands on."""

    before: str
    answer: str
    after: str
    basis: str

    @property
    def claim(self) -> str:
        """The sentence without its basis and without an end."""
        return f"{self.before}{self.answer}{self.after}"

    @property
    def text(self) -> str:
        """The whole sentence."""
        return f"{self.claim} ({self.basis})." if self.basis else f"{self.claim}."


def suite_sentence(suite: Suite, method: Method, figure: str, name_a: str, name_b: str) -> Sentence:
    """The answer for one figure: direction, size, interval and number of tests. A is the baseline."""
    sentence = _suite_sentence(suite, method, figure, name_a, name_b)
    first = sentence.before or sentence.answer
    raised = first[0].upper() + first[1:]
    return replace(sentence, before=raised) if sentence.before else replace(sentence, answer=raised)


def _suite_sentence(suite: Suite, method: Method, figure: str, name_a: str, name_b: str) -> Sentence:
    # Names of lanes are anybody's words, also plurals: no verb here has to agree with them.
    what = figure_words(figure)
    if suite.margins is None or suite.measured is None:
        return Sentence(_nothing_words(suite, what), "", "", "")
    margin = suite.margins[method.suite_school]
    interval = suite.measured[method.suite_school].interval
    tests = tests_words(suite.tests)
    if suite.games != suite.tests and suite.games:
        tests += f" in {suite.games} {'game' if suite.games == 1 else 'games'}"
    if interval is None:
        return Sentence(
            f"{name_b}: ", f"{_typeset(margin)}%",
            f" against {name_a} in {what} as measured over {tests}, but a single pass a test cannot say how sure "
            "that is",
            "",
        )  # fmt: skip
    basis = f"95% interval {interval_words(interval)}, {tests}"
    if suite.verdict == "even":
        band = percent(method.equal_band)
        return Sentence(f"{name_b} and {name_a}: ", "even", f" in {what}, the difference lies within {band}%", basis)
    if suite.verdict in ("ahead", "behind"):
        of = " of" if suite.verdict == "ahead" else ""
        size = f"{percent(abs(margin))}% {suite.verdict}"
        return Sentence(f"{name_b}: ", size, f"{of} {name_a} in {what}", basis)
    return Sentence(
        "It is ", "open",
        f" how {name_b} and {name_a} compare in {what}: measured {_typeset(margin)}%, and the interval allows "
        "either direction",
        basis,
    )  # fmt: skip


def _nothing_words(suite: Suite, what: str) -> str:
    """Why there is no answer: what is there is said too."""
    reasons = {out["reason"] for out in suite.left_out}
    if reasons and reasons <= {CAPPED}:
        return (
            f"A cap holds the rate in every test, so {what} says nothing about the lanes: the lows below are compared"
        )
    if CAPPED in reasons:
        missing = "every test is capped or lacks accepted passes in a lane"
        return f"Nothing to compare in {what}: {missing}. The lows may say more"
    return f"Nothing to compare yet in {what}: no test has accepted passes in both lanes"


def finding_sentences(comparison: Comparison, method: Method, leading: str, name_a: str, name_b: str) -> list[str]:
    """The answer by the leading kind (`average_fps` or `low_1`) first, then the other."""
    kinds = [AVERAGE, low_figure("1", method.low_school)]
    if leading != AVERAGE:
        kinds.reverse()
    return [
        suite_sentence(comparison.suite[figure], method, figure, name_a, name_b).text
        for figure in kinds
        if figure in comparison.suite
    ]


def verdict_words(margin: Margin, name_a: str) -> str:
    """The verdict on one test, against the baseline, with what would settle an open one."""
    if margin.verdict == "even":
        return f"even with {name_a}"
    if margin.verdict == "open":
        if min(margin.n_a, margin.n_b) < FEWEST_TO_SETTLE:
            return "open: a single pass in a lane is too few to say more; run another"
        if margin.further_passes is None:
            return "open: more passes would not settle it"
        passes = "pass" if margin.further_passes == 1 else "passes"
        return f"open: {margin.further_passes} further {passes} in each lane would settle it"
    word = f"ahead of {name_a}" if margin.verdict == "ahead" else f"behind {name_a}"
    return f"{word}, but could be chance" if margin.could_be_chance else word


#: Schools as a reader calls them.
SCHOOL_WORDS = {
    "geometric": "geometric mean",
    "mean_of_margins": "mean of margins",
    "ratio_of_means": "ratio of means",
    "equal_frames": "same number of frames in each game",
    "percentile": "percentile",
    "slowest_frames": "mean of slowest frames",
    "slowest_time": "slowest by time",
    "mean": "mean of passes",
    "median_pass": "median pass",
}

#: Reasons that a person gives for a pass that does not count, in words.
PASS_REASONS = {
    "did_not_launch": "did not launch",
    "crashed": "crashed",
    "unstable": "unstable",
    "below_floor": "below the playable floor",
    "wrong_setting": "wrong setting",
    "interrupted": "interrupted",
    "odd": "odd",
    "not_tested": "not tested",
    "other": "for another reason",
}
#: Those of a pass that never ran to its end.
DID_NOT_RUN_REASONS = ("did_not_launch", "crashed", "unstable", "below_floor", "not_tested", "other")
#: Those of a pass that was recorded and does not count.
REJECTED_REASONS = ("odd", "wrong_setting", "interrupted", "crashed", "unstable", "below_floor", "other")

#: Why a test is left out or a pass does not count, in words. Any other reason is shown as it was written.
REASON_WORDS = PASS_REASONS | {
    "did_not_run": "did not run",
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
