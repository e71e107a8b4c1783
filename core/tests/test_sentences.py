"""What people copy is true, whole, and says of what: sentences of incomplete studies, and a trial of every kind."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
import pytest
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.facts import Aims, LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.groups import asked_group
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.pair_sentences import pair_sentences
from rennbahn.comparing.sentences import Claim, Naming, Sentence
from rennbahn.kinds import Answer, answer_of
from rennbahn.kinds.crossing import crossing_of, crossing_words
from trials import sentences as on_trial

LOW = "low_1.percentile"
GAMES = ("Fallow Meridian", "Ninth Ferry", "Paper Comets", "Moss Republic", "Tin Harbour", "Loud Orchard")


def made(
    rates: Mapping[str, Sequence[float]],
    kind: str = "a_b",
    *,
    status: Mapping[tuple[str, int], str] | None = None,
    facts: Mapping[str, LaneFacts] | None = None,
    tests: Sequence[Test] = (),
    aims: Aims | None = None,
    words: Mapping[str, str] | None = None,
    late: float | None = None,
    flags: Mapping[tuple[str, int], str] | None = None,
) -> Study:
    """Lanes by name with their rate in each test, four quiet passes each; `status` of all passes of some cells."""
    rng, count = np.random.default_rng(4), len(next(iter(rates.values())))
    passes = [
        Pass(
            f"{lane}{test}{number}", lane, str(test), (status or {}).get((lane, test), "accepted"),
            flags=tuple(filter(None, ((flags or {}).get((lane, test)),))),
            figures={AVERAGE: rate * (noise := float(np.exp(rng.normal(0.0, 0.002)))), LOW: 0.7 * rate * noise},
            facts=PassFacts(over_budget_share=late),
        )
        for lane, own in rates.items()
        for test, rate in enumerate(own)
        for number in range(4)
        if (status or {}).get((lane, test)) != "planned"
    ]  # fmt: skip
    scenes = dict.fromkeys(test.scene for test in tests) or dict.fromkeys(str(t) for t in range(count))
    return Study(
        "sentences", Method(), tuple(Lane(key, key, (facts or {}).get(key, LaneFacts())) for key in rates),
        tuple(Scene(key, GAMES[int(key) % len(GAMES)], "run") for key in scenes),
        tuple(tests) or tuple(Test(str(t), str(t)) for t in range(count)),
        tuple(passes), (), kind, aims or Aims(), words or {},
    )  # fmt: skip


def said(study: Study) -> Sentence:
    """The sentence on the average of the first group: of two lanes A and B, or of the study's kind."""
    if study.kind == "a_b":
        return next(iter(pair_sentences(Sheet(study), ("A", "B"), (AVERAGE,)).values()))[0]
    sentence = answer_of(Sheet(study)).sentence
    assert sentence is not None
    return sentence


def needs(answer: Answer) -> list[str]:
    return [need["words"] for need in answer.blocks[0]["needs"]]


# --- nothing undecided changes an answer in silence ---------------------------------------------------------

#: Brandt 520 holds 60 in the mean of the five quick games and not with the slow one.
CARDS = {
    "Brandt 510": [20, 50, 52, 54, 56, 58],
    "Brandt 520": [22, 66, 68, 70, 72, 74],
    "Brandt 530": [52, 90, 94, 98, 100, 104],
}
PRICED = {name: LaneFacts(price=price) for name, price in zip(CARDS, (300, 400, 500), strict=True)}


def ladder(**more: object) -> Study:
    return made(CARDS, "ladder", facts=PRICED, aims=Aims(targets=(60.0,)), **more)  # type: ignore[arg-type]


def test_an_undecided_pass_takes_no_test_out_of_a_ladder_in_silence() -> None:
    whole, some = (answer_of(Sheet(one)) for one in (ladder(), ladder(status={("Brandt 510", 0): "recorded"})))
    assert needs(whole)[0].startswith("For 60 fps on average over the tests: Brandt 530 is the cheapest that holds it")
    (told,) = needs(some)
    assert "cheapest that holds" not in told
    # Without the slow game the middle card looks as if it held the rate, and that is said of five tests only.
    assert "as far as 5 tests of 6 can tell: Brandt 530 and Brandt 520 hold it" in told
    assert "which is the cheapest is not said while tests or lanes are missing" in told
    assert some.sentence is not None
    assert "5 of 6 tests" in some.sentence.basis
    assert some.sentence.lacks == (
        "Not in this: Fallow Meridian (Brandt 510: not decided yet). Decide on what waits: it can change this answer."
    )
    assert whole.sentence is not None
    assert whole.sentence.lacks == ""


def test_lanes_that_have_a_test_stay_compared_on_it_whatever_another_lacks() -> None:
    block = answer_of(Sheet(ladder(status={("Brandt 510", 0): "recorded"}))).blocks[0]
    tests = {frozenset((pair["a"], pair["b"])): pair["tests"] for pair in block["pairs"]}
    assert tests[frozenset(("Brandt 520", "Brandt 530"))] == 6
    assert tests[frozenset(("Brandt 510", "Brandt 530"))] == 5
    # The pair's margin is that over all six, by a second computation.
    pair = next(one for one in block["pairs"] if {one["a"], one["b"]} == {"Brandt 520", "Brandt 530"})
    up, down = (np.log(CARDS[name]).mean() for name in ("Brandt 530", "Brandt 520"))
    margin = pair["margin"] if pair["b"] == "Brandt 530" else pair["reverse"]
    assert margin == pytest.approx(np.expm1(up - down), abs=0.01)
    assert "over 6 tests" in block["sentence"]["text"]


def test_lanes_that_are_each_behind_another_have_no_first() -> None:
    rates = {"A": [100, 50, 60, 60], "B": [60, 100, 50, 60], "C": [50, 60, 100, 60]}
    gone = {("B", 0): "recorded", ("C", 1): "recorded", ("A", 2): "recorded"}
    found = said(made(rates, "ladder", status=gone))
    assert found.claim == "No lane is first in average fps: each is behind another over the tests that both have"
    assert "Fallow Meridian (B: not decided yet)" in found.lacks


def test_a_lane_that_is_missing_altogether_is_named_and_nothing_is_claimed_of_all() -> None:
    answer = answer_of(Sheet(ladder(status={("Brandt 510", test): "planned" for test in range(6)})))
    assert answer.sentence is not None
    assert "first of 2 lanes" in answer.sentence.text
    assert "Brandt 510 altogether (not run)" in answer.sentence.lacks
    assert "cheapest that holds" not in needs(answer)[0]


def test_a_pass_that_waits_beside_accepted_ones_is_told() -> None:
    study = made({"A": [60, 70], "B": [66, 77]})
    one = next(x for x in study.passes if x.lane == "B")
    waits = tuple(Pass(x.id, x.lane, x.test, "recorded", figures=x.figures) if x is one else x for x in study.passes)
    assert said(study).lacks == ""
    assert said(replace(study, passes=waits)).lacks == "1 pass in it waits for a decision."


@pytest.mark.parametrize(
    ("reason", "words"),
    [
        ("recorded", "not decided yet). Decide on what waits: it can change this answer."),
        ("planned", "not run). Run what is missing: it can change this answer."),
        ("odd", "rejected as odd). Run what is missing: it can change this answer."),
        ("did_not_launch", "did not launch)."),
    ],
)
def test_what_is_missing_is_told_of_two_lanes_with_why_and_what_to_do(reason: str, words: str) -> None:
    found = said(made({"A": [60, 70, 80], "B": [66, 77, 88]}, status={("B", 1): reason}))
    assert "2 of 3 tests" in found.basis
    assert found.lacks == f"Not in this: Ninth Ferry (B: {words}"
    assert found.text.endswith(found.lacks)


def test_what_a_study_lacks_that_has_only_begun_is_counted_and_not_listed() -> None:
    lanes = {f"Lane {n}": [60.0] * 12 for n in range(6)}
    gone = {(f"Lane {test % 6}", test): "planned" for test in range(2, 12)}
    gone |= {(f"Lane {(test + 1 + test // 6) % 6}", test): "recorded" for test in range(2, 12)}
    found = said(made(lanes, "ladder", status=gone))
    assert "more tests for one lane or another" in found.lacks
    assert len(found.lacks) < 400
    assert found.lacks.endswith("Decide on what waits and run what is missing: it can change this answer.")


def test_a_proxy_check_that_lacks_a_lane_does_not_claim_that_ratios_are_kept() -> None:
    tests = [Test("0", "0", facts=TestFacts(play_of="1")), Test("1", "1")]
    # The benchmark parts from play with lane C alone.
    rates = {"A": [60, 50], "B": [72, 60], "C": [90, 60]}
    gone = said(made(rates, "proxy", tests=tests, status={("C", 1): "recorded"}))
    assert "as far as its lanes can tell" in gone.text
    assert "2 of 3 lanes" in gone.text
    assert "C" in gone.lacks
    whole = said(made(rates, "proxy", tests=tests))
    assert "does not keep the ratios" in whole.text


def test_a_game_that_no_lane_has_both_tests_of_is_open() -> None:
    tests = [Test("0", "0", facts=TestFacts(play_of="1")), Test("1", "1")]
    gone = {("A", 0): "recorded", ("B", 1): "planned"}
    found = said(made({"A": [60, 50], "B": [72, 60]}, "proxy", tests=tests, status=gone))
    assert "is not shown to keep the ratios of play, nor not to" in found.text
    assert "A: not decided yet" in found.lacks


def test_a_budget_is_not_held_everywhere_where_a_test_is_missing() -> None:
    rates = {"A": [90, 90], "B": [90, 90]}
    aims = Aims(budget_ms=16.7)
    assert "A and B hold" in said(made(rates, "budget", aims=aims, late=0.001)).text
    some = said(made(rates, "budget", aims=aims, late=0.001, status={("A", 0): "recorded"}))
    assert some.gist == "B"
    assert "A in 1 of 2 tests, 1 missing" in some.text
    assert "Fallow Meridian (A: not decided yet)" in some.lacks


# --- groups ------------------------------------------------------------------------------------------------

TWO_GROUPS = [Test(str(3 * g + s), str(s), group=f"g{g}") for g, s in itertools.product(range(2), range(3))]
GROUP_WORDS = {"g0": "1440, high", "g1": "2160, high"}


def test_a_sentence_names_its_group_and_tells_where_another_says_otherwise() -> None:
    study = made({"A": [60, 70, 80, 30, 35, 40], "B": [66, 77, 88, 30, 35, 40]}, tests=TWO_GROUPS, words=GROUP_WORDS)
    found = said(study)
    assert "10.0% ahead of A in average fps at 1440, high" in found.text
    assert found.otherwise == "Not so at 2160, high (B and A: even)."
    alike = made({"A": [60, 70, 80, 30, 35, 40], "B": [66, 77, 88, 33, 38.5, 44]}, tests=TWO_GROUPS, words=GROUP_WORDS)
    assert said(alike).otherwise == ""


def test_a_ladder_names_its_group_in_every_sentence_that_is_copied() -> None:
    rates = {"A": [60, 70, 80, 40, 45, 50], "B": [66, 77, 88, 30, 35, 40], "C": [50, 55, 60, 20, 25, 30]}
    answer = answer_of(Sheet(made(rates, "ladder", tests=TWO_GROUPS, words=GROUP_WORDS, aims=Aims(targets=(60.0,)))))
    assert answer.sentence is not None
    assert "at 1440, high" in answer.sentence.claim
    assert answer.sentence.otherwise == "Not so at 2160, high (A: first)."
    assert all("at 1440, high" in words for words in needs(answer))


def test_the_group_that_the_question_names_is_looked_at_first() -> None:
    groups = {"a": "2560 x 1440, high", "b": "3840 x 2160, ultra"}
    assert asked_group(groups, "Does it hold 60 at 2160?") == "b"
    assert asked_group(groups, "Is ULTRA worth it?") == "b"
    assert asked_group(groups, "Is it faster?") is None
    assert asked_group(groups, "Is it faster?", "2560 x 1440") == "a"


# --- what a mean hides -------------------------------------------------------------------------------------


def test_a_test_the_other_way_round_is_named() -> None:
    found = said(made({"A": [60, 60, 60, 60], "B": [70, 70, 70, 54]}))
    assert "ahead" in found.answer
    assert found.but.startswith("One of 4 tests the other way round: Moss Republic, −10")
    even = said(made({"A": [60, 60, 60, 60], "B": [63, 57.2, 60, 60]}))
    assert even.answer == "even"
    assert even.but.startswith("Two of 4 tests not even: ")


def test_a_capped_test_is_named() -> None:
    found = said(made({"A": [60, 60, 60], "B": [66, 66, 60]}, flags={("B", 2): "capped"}))
    assert "Paper Comets (B: capped)" in found.lacks


# --- what holding a rate means -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("may_miss", "told", "holds"),
    [
        (None, "on average over the tests", {"Brandt 520", "Brandt 530"}),
        (0, "in every test", set()),
        (1, "in 5 of 6 tests", {"Brandt 520", "Brandt 530"}),
    ],
)
def test_holding_a_rate_means_one_thing_in_a_study_and_says_it(
    may_miss: int | None, told: str, holds: set[str]
) -> None:
    answer = answer_of(Sheet(made(CARDS, "ladder", facts=PRICED, aims=Aims(targets=(55.0,), may_miss=may_miss))))
    (need,) = answer.blocks[0]["needs"]
    assert told in need["words"]
    assert set(need["hold"]) == holds


def test_a_group_of_fewer_tests_than_may_be_missed_asks_for_one() -> None:
    rates = {"A": [70, 50], "B": [50, 50]}
    (need,) = answer_of(Sheet(made(rates, "ladder", aims=Aims(targets=(60.0,), may_miss=3)))).blocks[0]["needs"]
    assert need["words"].startswith("For an average of 60 fps in 1 of 2 tests: A holds it")
    single = made({"A": [70], "B": [50]}, "ladder", aims=Aims(targets=(60.0,), may_miss=3))
    assert "in every test" in needs(answer_of(Sheet(single)))[0]


def test_a_test_that_is_missing_neither_holds_a_rate_nor_misses_it() -> None:
    rates = {"A": [70, 70, 70], "B": [50, 50, 50]}
    aims = Aims(targets=(60.0,), may_miss=0)
    (need,) = answer_of(Sheet(made(rates, "ladder", aims=aims, status={("A", 0): "recorded"}))).blocks[0]["needs"]
    assert need["hold"] == []
    assert need["on_edge"] == ["A"]
    assert need["miss"] == ["B"]


# --- a rate that is wanted of two lanes ----------------------------------------------------------------------


def test_a_wanted_rate_names_the_tests_that_cross_it() -> None:
    study = made({"A": [50, 70, 40, 60, 80], "B": [66, 52, 45, 60.1, 90]}, status={("B", 4): "recorded"})
    found = crossing_of(Sheet(study), ("A", "B"), AVERAGE, 60.0)
    assert (found.only_b, found.only_a, found.neither, found.edge, found.missing) == (
        ("0",), ("1",), ("2",), ("3",), ("4",),
    )  # fmt: skip
    assert crossing_words(found, Naming.of(study)) == (
        "60 fps on average: held by B alone in 1 of 4 tests (Fallow Meridian) and held by A alone in 1 of 4 tests "
        "(Ninth Ferry); neither does in 1, on the edge in 1, no rate in one of them in 1."
    )
    alike = crossing_of(Sheet(study), ("A", "B"), AVERAGE, 30.0)
    assert "no test is shown to part the lanes there; both hold it in 4" in crossing_words(alike, Naming.of(study))
    low = crossing_of(Sheet(study), ("A", "B"), LOW, 45.0)
    assert low.figure == "low_1"
    assert low.only_b == ("0",)


# --- on trial ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", on_trial.KINDS)
def test_no_sentence_claims_what_more_data_would_turn_false(kind: str) -> None:
    tally = on_trial.trial(kind, 40, seed=11)
    assert tally.faults == []
    assert tally.claims > 40
    # Noise may err at its level; with forty studies a little more is met by chance.
    assert tally.false_share < 0.08


def test_the_trial_finds_a_sentence_that_keeps_silent(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rennbahn.comparing.pair_sentences.lacks_words", lambda *_: "")
    monkeypatch.setattr("rennbahn.kinds.answer.lacks_words", lambda *_: "")
    for kind in ("a_b", "ladder", "budget"):
        assert on_trial.trial(kind, 20, seed=11).faults


def test_claims_say_of_what() -> None:
    claim = said(made({"A": [60, 60], "B": [66, 66]})).claims[0]
    assert isinstance(claim, Claim)
    assert (claim.says, claim.lanes, claim.tests, claim.figure) == ("ahead", ("B", "A"), ("0", "1"), AVERAGE)
    assert claim.low is not None
    assert claim.high is not None
    assert claim.low < 0.1 < claim.high
