"""Comparisons: properties that any fair comparison has, and how often it errs."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.comparing.pair_sentences import pair_sentences
from rennbahn.comparing.words import suite_sentence, verdict_words
from rennbahn.errors import RennbahnError
from rennbahn.inference.power import Freedom, passes_needed, resolvable

LANES = (Lane("A", "plain fins"), Lane("B", "tall fins"))


def study(ratio: float = 1.05, noise: float = 0.004, *, tests: int = 6, passes: int = 3, seed: int = 1) -> Study:
    """A study of simulated passes whose true margin is `ratio` - 1 in every test."""
    rng = np.random.default_rng(seed)
    found = []
    for test, (lane, factor) in itertools.product(range(tests), (("A", 1.0), ("B", ratio))):
        for number in range(passes):
            level = (60.0 + 20 * test) * factor * np.exp(rng.normal(0, noise))
            figures = {"average_fps": float(level), "low_1.percentile": float(level * 0.7)}
            found.append(Pass(f"{test}{lane}{number}", lane, f"t{test}", "accepted", figures=figures))
    return Study(
        "fins",
        Method(),
        LANES,
        tuple(Scene(f"s{i}", f"Game {i}", "run") for i in range(tests)),
        tuple(Test(f"t{i}", f"s{i}") for i in range(tests)),
        tuple(found),
        (("A", "B"), ("B", "A")),
    )


def test_the_geometric_suite_is_the_same_both_ways_round() -> None:
    one, other = compare_study(study()).compare
    there, back = (c.suite["average_fps"].margins for c in (one, other))
    assert there is not None
    assert back is not None
    assert (1 + there["geometric"]) * (1 + back["geometric"]) == pytest.approx(1.0)
    assert (1 + there["mean_of_margins"]) * (1 + back["mean_of_margins"]) > 1.0
    for m, n in zip(one.tests["average_fps"], other.tests["average_fps"], strict=True):
        assert m.a_over_b == pytest.approx(n.b_over_a)
        assert {m.verdict, n.verdict} in ({"ahead", "behind"}, {"even"}, {"open"})


@pytest.mark.parametrize(("ratio", "verdict"), [(1.05, "ahead"), (0.95, "behind"), (1.0, "even")])
def test_clear_cases_get_clear_verdicts(ratio: float, verdict: str) -> None:
    comparison = compare_study(study(ratio, noise=0.002, passes=5)).compare[0]
    assert comparison.suite["average_fps"].verdict == verdict
    assert not comparison.agreement["average_fps"].depends_on_method


def test_without_any_difference_few_tests_look_decided_and_fewer_are_not_marked() -> None:
    looks = marked = 0
    studies = 60
    for seed in range(studies):
        found = compare_study(study(1.0, noise=0.02, tests=8, seed=seed)).compare[0].tests["average_fps"]
        decided = [m for m in found if m.verdict in ("ahead", "behind")]
        looks += len(decided)
        marked += sum(bool(m.could_be_chance) for m in decided)
    # 480 tests at 5% make 24 in the mean, with a standard deviation of 4.8; one study in twenty keeps a claim or two.
    assert 10 <= looks <= 40
    assert looks - marked <= 10


def test_the_measured_interval_holds_the_truth_as_often_as_it_says() -> None:
    held = 0
    for seed in range(120):
        suite = compare_study(study(1.03, noise=0.01, tests=4, seed=seed)).compare[0].suite["average_fps"]
        assert suite.measured is not None
        interval = suite.measured["geometric"].interval
        assert interval is not None
        held += interval[0] <= 0.03 <= interval[1]
    # 95% of 120 is 114, with a standard deviation of 2.4.
    assert 106 <= held <= 120


def test_more_passes_never_widen_what_is_resolvable() -> None:
    shown = [resolvable(0.01, n, Freedom(2)) for n in range(2, 40)]
    assert all(a is not None and b is not None and a > b for a, b in itertools.pairwise(shown))
    assert passes_needed(0.0, 0.01, Freedom(2)) == 3
    assert passes_needed(None, 0.01, Freedom(2)) is None
    assert passes_needed(0.9, 0.001, Freedom(2)) is None


def said(one: Study) -> list[str]:
    """The sentences on the first pair of a study without groups: of the average, then of the 1% low."""
    figures = (AVERAGE, low_figure("1", one.method.low_school))
    return [sentence.text for sentence in pair_sentences(Sheet(one), one.compare[0], figures)[""]]


def test_a_single_pass_has_no_interval_and_stays_open() -> None:
    one = study(1.2, passes=1)
    comparison = compare_study(one).compare[0]
    margin = comparison.tests["average_fps"][0]
    assert (margin.interval, margin.verdict, margin.p, margin.further_passes) == (None, "open", None, None)
    assert "cannot say how sure" in said(one)[0]


def test_equal_lanes_to_the_last_digit_are_even() -> None:
    margin = compare_study(study(1.0, noise=0.0)).compare[0].tests["average_fps"][0]
    assert (margin.verdict, margin.p) == ("even", 1.0)


def test_sentences_name_direction_size_interval_baseline_and_tests() -> None:
    slower = study(0.96, noise=0.002)
    behind = compare_study(slower).compare[0]
    first, second = said(slower)
    assert first.startswith("Tall fins: 3.9% behind plain fins in average fps in these games (95% interval −")
    assert first.endswith("6 tests).")
    assert "1% low" in second
    evens = [study(1.0, noise=0.001, seed=seed) for seed in range(9)]
    within = [compare_study(one).compare[0].suite[AVERAGE].within for one in evens]
    straight, leaning = (said(evens[within.index(side)])[0] for side in (None, "ahead"))
    assert "plain fins: even in average fps in these games, the difference" in straight
    assert "plain fins: even in average fps in these games: tall fins ahead, but within the band of 1.0%" in leaning
    noisy = study(0.985, noise=0.03)
    unsure = compare_study(noisy).compare[0]
    assert "It is open how" in said(noisy)[0]
    assert said(replace(study(), passes=())) == []
    assert verdict_words(behind.tests["average_fps"][0], "plain fins") == "behind plain fins"
    words = verdict_words(unsure.tests["average_fps"][1], "plain fins")
    assert words.startswith("open: ")


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"settings": {"equal_band": 2}}, "equal_band"),
        ({"settings": {"low_school": "mine"}}, "low_school"),
        ({"tests": [{"id": "t", "scene": "nowhere"}]}, "tests"),
        ({"passes": [{"lane": "X", "test": "t0", "status": "accepted"}]}, "passes"),
        ({"compare": [["A", "X"]]}, "compare"),
        ({"lanes": None}, None),
    ],
)
def test_a_wrong_study_names_the_field(change: dict[str, object], field: str | None) -> None:
    data: dict[str, object] = {
        "name": "x",
        "settings": {},
        "lanes": [{"id": "A"}, {"id": "B"}],
        "scenes": [{"id": "s0"}],
        "tests": [{"id": "t0", "scene": "s0"}],
        "passes": [],
        "compare": [["A", "B"]],
    }
    with pytest.raises(RennbahnError) as wrong:
        Study.from_json(data | change)
    assert wrong.value.field == field


def capped_study(tests: int) -> Study:
    """Six tests, the first so many of them capped in both lanes."""
    whole = study()
    ids = {test.id for test in whole.tests[:tests]}
    passes = tuple(replace(one, flags=("capped",)) if one.test in ids else one for one in whole.passes)
    return replace(whole, passes=passes)


def test_where_a_cap_holds_every_average_the_sentence_says_what_is_there() -> None:
    first, second = said(capped_study(6))
    assert first.startswith(
        "A cap holds the rate in every test, so average fps says nothing about the lanes: the lows below are compared."
    )
    assert "1% low" in second
    assert "6 tests" in second


def test_a_lane_that_did_not_run_says_so_before_any_cap() -> None:
    whole = capped_study(6)
    lane, test = whole.lanes[1].id, whole.tests[0].id
    passes = tuple(
        replace(one, status="crashed") if (one.lane, one.test) == (lane, test) else one for one in whole.passes
    )
    out = compare_study(replace(whole, passes=passes)).compare[0].tests[AVERAGE][0].left_out
    assert out is not None
    assert (out.lane, out.reason) == (lane, "crashed")


def test_a_lane_with_one_pass_is_asked_for_another_and_not_given_up() -> None:
    whole = study(1.01, noise=0.01)
    first = whole.lanes[0].id
    seen: set[str] = set()
    passes = []
    for one in whole.passes:
        if one.lane != first or one.test not in seen:
            passes.append(one)
        if one.lane == first:
            seen.add(one.test)
    found = compare_study(replace(whole, passes=tuple(passes))).compare[0].tests[AVERAGE]
    still_open = [verdict_words(one, "A") for one in found if one.verdict == "open"]
    assert still_open
    assert set(still_open) == {"open: a single pass in a lane is too few to say more; run another"}


def test_a_game_stands_once_among_the_games_however_many_tests_it_has() -> None:
    whole = study(1.02, noise=0.01, tests=10)
    two = tuple(replace(scene, game="One" if at < 3 else f"Game {at}") for at, scene in enumerate(whole.scenes))
    each = tuple(replace(scene, game=f"Game {at}") for at, scene in enumerate(whole.scenes))
    together, apart = (compare_study(replace(whole, scenes=scenes)).compare[0].suite[AVERAGE] for scenes in (two, each))
    assert (together.games, apart.games) == (8, 10)
    ends = [one.games_interval for one in (together, apart)]
    assert ends[0] is not None
    assert ends[1] is not None
    assert together.single_game_interval is not None
    assert together.single_game_interval[0] < ends[0][0], "one game scatters more than the mean of many"
    width = [math.log1p(high) - math.log1p(low) for low, high in (ends[0], ends[1])]
    assert width[0] != pytest.approx(width[1]), "three tests of a game are one game"
    assert "10 tests in 8 games" in suite_sentence(together, Method(), AVERAGE, "A", "B").text
    assert "tests in" not in suite_sentence(apart, Method(), AVERAGE, "A", "B").text
