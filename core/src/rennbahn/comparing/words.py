"""A finding in a sentence, and verdicts in words.

A sentence always names its baseline, keeps "ahead" and "behind" for what the interval supports, and says how many
tests it stands on.
"""

from __future__ import annotations

from dataclasses import replace

from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import CAPPED, Method
from rennbahn.comparing.noise import SlowDrift
from rennbahn.comparing.sentences import Sentence, figure_words, raised, tests_words
from rennbahn.comparing.suite import FEWEST_FOR_GAMES, Suite, SuiteDrift
from rennbahn.display import percent, signed_percent

#: Passes in each lane from which it can be said how many more would settle a test.
FEWEST_TO_SETTLE = 2


def interval_words(interval: tuple[float, float]) -> str:
    """An interval of margins with signs, in percent."""
    return f"{_typeset(interval[0])}% to {_typeset(interval[1])}%"


def _typeset(share: float) -> str:
    """A margin with a true minus, for sentences."""
    return signed_percent(share).replace("-", "−")


def level_words(method: Method) -> str:
    """What every interval is, in words: at 95%, or stricter where the study is looked at after every pass."""
    return "95% interval" if method.looks is None else f"{percent(1.0 - method.looks.level)}% interval"


def level_sentence(method: Method) -> str:
    """What is behind a level that is stricter; empty at 95%."""
    if method.looks is None:
        return ""
    first, limit = method.looks.first, method.looks.limit
    return (
        f"The study may be looked at after {first}, {first + 1}, … {limit} passes a lane and stopped at any of these "
        f"looks, so every interval is at {percent(1.0 - method.looks.level)}%: all looks together then keep to 95%."
    )


def slow_drift_words(drift: SlowDrift) -> str:
    """The drift of the bench that was taken off, as a sentence."""
    if drift.held:
        return (
            "Drift of the bench: these passes do not show it. Up to "
            f"{percent(drift.allowance)}% an hour is allowed for, and every interval is wider by what that could do."
        )
    rate, low, high = (_typeset(value / 100.0) for value in (drift.percent_per_hour, drift.low, drift.high))
    return (
        f"Drift of the bench: {rate}% an hour ({low}% to {high}%), taken off every margin; up to "
        f"{percent(drift.allowance)}% an hour is allowed for."
    )


def drift_words(drift: SuiteDrift, method: Method) -> str:
    """What was taken off for the drift of the bench, or how far it could move the answer; empty where it is nothing."""
    # What the order cannot tell from lanes is no drift that was found, and none is claimed.
    if drift.untold and _shows(drift.left):
        return (
            f"the order of the passes cannot tell drift from lanes: a drift of up to "
            f"{percent(method.drift_allowance)}% an hour could still move this by {percent(drift.left)}% either way"
        )
    if _shows(drift.share):
        return f"{_typeset(drift.raw)}% as measured, {_typeset(drift.share)}% of it drift of the bench"
    return ""


def one_session_words(suite: Suite, method: Method, name_a: str, name_b: str) -> str:
    """That a lane stands on one session, where nothing is stated of how unlike sessions are; empty elsewhere."""
    if method.between is not None or not suite.apart:
        return ""
    whose = " and ".join({"a": name_a, "b": name_b}[side] for side in suite.apart)
    stands = "stands on one session" if len(suite.apart) == 1 else "each stand on one session"
    return (
        f"{whose} {stands}: what shifts from session to session is not in this interval, since the study states "
        "nothing of it"
    )


def no_drift_words(method: Method, trouble: str, unsaid: tuple[int, int] = (0, 0)) -> str:
    """Why no drift of the bench was taken off: `unknown` hours, hours that `overlap`, or none is allowed for.

    `unsaid` counts the accepted passes that do not say when they ran, and all that there are.
    """
    if not method.drift_allowance:
        return (
            "No drift of the bench is allowed for: whatever drifted counts as a difference between lanes or as noise."
        )
    rate = percent(method.drift_allowance)
    if trouble == "overlap":
        return (
            "The files' times cannot be when they were run, since passes would overlap: no drift could be taken off. "
            f"A drift of {rate}% an hour would count as a difference between lanes."
        )
    without, passes = unsaid
    if without >= passes:
        which = "No accepted pass says when it ran"
    elif without == 1:
        which = f"1 of {passes} accepted passes does not say when it ran"
    else:
        which = f"{without} of {passes} accepted passes do not say when they ran"
    return (
        f"{which}, so no drift could be taken off. "
        f"A drift of {rate}% an hour would count as a difference between lanes."
    )


def _shows(share: float) -> bool:
    """Is a share more than nothing once it is rounded for show?"""
    return percent(abs(share)) != percent(0.0)


def measured_words(suite: Suite, method: Method) -> str:
    """What the interval of a suite under the declared school rests on."""
    if suite.measured is None or suite.measured[method.suite_school].interval is None:
        return ""
    rounds = suite.measured[method.suite_school].rounds
    if rounds is not None and rounds.in_use:
        told = (
            f"from how far whole {rounds.unit}s of the suite lie apart ({rounds.n_a} and {rounds.n_b} {rounds.unit}s): "
            "tests shift together, by more than the noise of their passes says"
        )
    else:
        told = "from the noise of passes"
    more = ["what is left of the drift"] if suite.drift else []
    more += ["what sessions differ by"] if suite.apart and method.between else []
    return f"{told}, with {' and '.join(more)}" if more else told


def games_interval_words(suite: Suite) -> str:
    """What other games might give, in the mean and a single one, or why that is not told."""
    if suite.games_interval is None or suite.single_game_interval is None:
        return f"what other games might give is not told from fewer than {FEWEST_FOR_GAMES} games"
    return (
        f"other games of this kind might give {interval_words(suite.games_interval)} on average, a single one of them "
        f"{interval_words(suite.single_game_interval)}"
    )


def suite_sentence(suite: Suite, method: Method, figure: str, name_a: str, name_b: str, at_group: str = "") -> Sentence:
    """The answer for one figure: direction, size, interval and number of tests. A is the baseline.

    `at_group` names the group of tests in words that follow the figure, where the study has several.
    """
    sentence = _suite_sentence(suite, method, f"{figure_words(figure)}{at_group}", name_a, name_b)
    if sentence.before:
        return replace(sentence, before=raised(sentence.before))
    return replace(sentence, answer=raised(sentence.answer))


def _suite_sentence(suite: Suite, method: Method, what: str, name_a: str, name_b: str) -> Sentence:
    # Names of lanes are anybody's words, also plurals: no verb here has to agree with them.
    if suite.margins is None or suite.measured is None:
        return Sentence(_nothing_words(suite, what), "", "", "")
    margin = suite.margins[method.suite_school]
    interval = suite.measured[method.suite_school].interval
    planned = suite.tests + len(suite.left_out)
    tests = tests_words(suite.tests) if planned == suite.tests else f"{suite.tests} of {tests_words(planned)}"
    if suite.games != suite.tests and suite.games:
        tests += f" in {suite.games} {'game' if suite.games == 1 else 'games'}"
    if interval is None:
        return Sentence(
            f"{name_b}: ", f"{_typeset(margin)}%",
            f" against {name_a} in {what} as measured over {tests}, but a single pass a test cannot say how sure "
            "that is",
            "",
        )  # fmt: skip
    basis = f"{level_words(method)} {interval_words(interval)}, {tests}"
    drift = drift_words(suite.drift, method) if suite.drift else ""
    basis = "; ".join(filter(None, (basis, drift, one_session_words(suite, method, name_a, name_b))))
    here = "this game" if suite.games == 1 else "these games"
    if suite.verdict == "even":
        band = percent(method.equal_band)
        if suite.within:
            lies = f": {name_b} {suite.within}, but within the band of {band}%"
        else:
            lies = f", the difference lies within {band}%"
        return Sentence(f"{name_b} and {name_a}: ", "even", f" in {what} in {here}{lies}", basis)
    if suite.verdict in ("ahead", "behind"):
        of = " of" if suite.verdict == "ahead" else ""
        size = f"{percent(abs(margin))}% {suite.verdict}"
        return Sentence(f"{name_b}: ", size, f"{of} {name_a} in {what} in {here}", basis)
    return Sentence(
        "It is ", "open",
        f" how {name_b} and {name_a} compare in {what} in {here}: measured {_typeset(margin)}%, and the interval "
        "allows either direction",
        basis, brief="open",
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


def verdict_words(margin: Margin, name_a: str) -> str:
    """The verdict on one test, against the baseline, with what would settle an open one."""
    if margin.verdict == "even":
        return f"even with {name_a}" + (f": {margin.within}, within the band" if margin.within else "")
    if margin.verdict == "open":
        if min(margin.n_a, margin.n_b) < FEWEST_TO_SETTLE:
            return "open: a single pass in a lane is too few to say more; run another"
        if margin.further_passes is None:
            return "open: more passes would not settle it"
        passes = "pass" if margin.further_passes == 1 else "passes"
        return f"open: {margin.further_passes} further {passes} a lane would settle it in 4 of 5 cases"
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
#: Those that are a result of the test and no want of one.
OUTCOMES = ("did_not_launch", "crashed", "unstable", "below_floor", "did_not_run")
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
