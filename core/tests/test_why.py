"""Why a number is what it is: the numbers in a derivation give the number on screen; and the answer in parts."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

import numpy as np
import pytest
from rennbahn.comparing import Block
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.sentences import figure_words
from rennbahn.kinds.fit import of_figure
from rennbahn.kinds.parts import change_words, changes, influences, part_suites, part_words
from rennbahn.kinds.why import Contrast, Derivation, why_contrast, why_level, why_margin, why_suite
from scipy import stats

LOW = "low_1.percentile"
NAMES = {"a": "Old", "b": "New"}


def made(
    margins: Sequence[float], *, groups: Sequence[str] = (), noise: float = 0.004, hours: bool = False, passes: int = 4
) -> Study:
    """Two lanes over tests in each of which B is so far ahead; the last pass of lane a in t0 is rejected."""
    rng = np.random.default_rng(4)
    found = []
    for t, margin in enumerate(margins):
        for lane, rate in (("a", 60.0 + t), ("b", (60.0 + t) * (1.0 + margin))):
            for number in range(passes):
                x = rate * math.exp(rng.normal(0.0, noise))
                out = (t, lane, number) == (0, "a", passes - 1)
                hour = (number + 0.5 * (lane == "b")) if hours else None
                found.append(
                    Pass(f"{lane}{t}{number}", lane, f"t{t}", "throttled" if out else "accepted",
                         figures={AVERAGE: x, LOW: 0.7 * x}, clock_h=hour)
                )  # fmt: skip
    count = len(margins)
    scene = [t % 3 for t in range(count)] if groups else list(range(count))
    return Study(
        "Old or new?", Method(drift_allowance=0.005 if hours else 0.0), tuple(Lane(x, NAMES[x]) for x in "ab"),
        tuple(Scene(f"s{g}", f"Game {g}", "yard") for g in sorted(set(scene))),
        tuple(Test(f"t{t}", f"s{scene[t]}", "", groups[t] if groups else "") for t in range(count)), tuple(found), (),
    )  # fmt: skip


def numbers(text: str) -> list[float]:
    return [float(x) for x in re.findall(r"-?\d+(?:\.\d+)?", text.replace("−", "-"))]


def line(found: Derivation, what: str) -> str:
    return next(one.filled for one in found.lines if one.what == what)


def test_a_margin_follows_from_the_numbers_in_its_derivation() -> None:
    sheet = Sheet(made([0.1, 0.05, 0.02]))
    found = why_margin(sheet, ("a", "b"), AVERAGE, "t0")
    margin = Block(sheet, (("a", "b"),)).margins(AVERAGE)[0]
    assert found.value == f"+{100 * margin.b_over_a:.1f}%"
    assert found.of == "New over Old, average fps"
    # Each pass of both lanes is there, with the one that does not count and why.
    assert [(cell.lane, len(cell.passes)) for cell in found.cells] == [("a", 4), ("b", 4)]
    (out,) = [one for cell in found.cells for one in cell.passes if not one.counts]
    assert out.id == "a03"
    assert out.reason
    # The mean of the passes shown is the cell's value, to what is shown of it.
    *values, mean = numbers(line(found, "Old"))
    assert mean == pytest.approx(np.mean(values), abs=0.06)
    # Filled in anew by hand: the error, and from it the interval.
    s, share_a, n_a, share_b, n_b, error = numbers(line(found, "Error of ln(B / A)"))
    assert error == pytest.approx(s * math.sqrt(share_a / n_a + share_b / n_b), rel=3e-3)
    middle, t, again, low, high = numbers(line(found, "Interval"))
    assert again == error
    assert 100 * math.expm1(middle - t * error) == pytest.approx(low, abs=0.06)
    assert 100 * math.expm1(middle + t * error) == pytest.approx(high, abs=0.06)
    assert line(found, "Verdict") == "ahead"


def test_drift_and_what_is_left_out_stand_in_the_derivation() -> None:
    sheet = Sheet(made([0.1, 0.05, 0.02], hours=True))
    found = why_margin(sheet, ("a", "b"), AVERAGE, "t1")
    drift = next(one for one in found.lines if one.what == "Drift of the bench")
    assert "New 0.50 h later" in drift.filled
    assert drift.note == "allowed for: up to 0.5% an hour"
    capped = made([0.1, 0.05])
    study = Study(**{**capped.__dict__, "passes": tuple(
        Pass(**{**p.__dict__, "flags": ("capped",)}) if p.test == "t1" else p for p in capped.passes
    )})  # fmt: skip
    held = why_margin(Sheet(study), ("a", "b"), AVERAGE, "t1")
    assert held.value == "left out"
    assert held.left_out[0].startswith("Old: ")
    suite = why_suite(Sheet(study), ("a", "b"), AVERAGE, None)
    assert suite.left_out[0].startswith("Game 1, yard: Old: ")
    nothing = why_margin(Sheet(study), ("a", "b"), "low_0.1.percentile", "t0")
    assert (nothing.value, nothing.left_out) == ("no number", ("no accepted pass reports this figure",))


def test_a_single_pass_has_no_interval_and_says_so() -> None:
    found = why_margin(Sheet(made([0.1, 0.05], passes=1)), ("a", "b"), AVERAGE, "t1")
    assert next(one for one in found.lines if one.what == "Interval").filled == "none"


def test_a_suite_is_the_mean_of_the_logs_it_shows() -> None:
    sheet = Sheet(made([0.1, 0.05, 0.02]))
    found = why_suite(sheet, ("a", "b"), AVERAGE, None)
    logs = [numbers(one.filled)[-1] for one in found.lines if one.formula == "ln(B / A)"]
    total, count, margin = numbers(line(found, "Geometric mean").replace("e^", "").replace("− 1 =", "="))
    assert total == pytest.approx(sum(logs), abs=2e-5)
    assert margin == pytest.approx(100 * math.expm1(total / count), abs=0.06)
    middle, t, error, low, high = numbers(line(found, "Interval"))
    assert 100 * math.expm1(middle - t * error) == pytest.approx(low, abs=0.06)
    assert 100 * math.expm1(middle + t * error) == pytest.approx(high, abs=0.06)
    suite = Block(sheet, (("a", "b"),)).suite(AVERAGE)
    assert suite.measured is not None
    assert t == pytest.approx(float(stats.t.ppf(0.975, suite.measured["geometric"].df)), abs=1e-3)


def test_a_level_is_the_mean_of_the_cells_it_shows() -> None:
    found = why_level(Sheet(made([0.1, 0.05, 0.02])), AVERAGE, "b", ["a", "b"], None)
    cells = [numbers(one.filled)[-1] for one in found.lines[:3]]
    total, count, value = numbers(line(found, "Geometric mean").replace("e^", ""))
    assert total == pytest.approx(sum(cells), abs=2e-5)
    assert value == pytest.approx(math.exp(total / count), abs=0.06)
    middle, t, error, low, high = numbers(line(found, "Interval"))
    assert math.exp(middle - t * error) == pytest.approx(low, abs=0.06)
    assert math.exp(middle + t * error) == pytest.approx(high, abs=0.06)
    assert len(found.cells) == 3


SETS = {"these": ["t0", "t1"], "all": ["t0", "t1", "t2", "t3"], "none": ["t9"], "one": ["t3"]}


def test_sets_of_tests_are_suites_of_their_own() -> None:
    sheet = Sheet(made([0.1, 0.1, 0.02, 0.02]))
    found = part_suites(sheet, ("a", "b"), AVERAGE, None, SETS)
    assert [(one.name, one.tests) for one in found] == [("these", 2), ("one", 1)]
    alone = Sheet(made([0.1, 0.1, 0.02, 0.02]))
    by_hand = [one.log_ratio for one in Block(alone, (("a", "b"),)).margins(AVERAGE)[:2]]
    assert found[0].margin == pytest.approx(math.expm1(float(np.mean(by_hand))))
    assert found[0].apart is not None
    assert found[0].apart.margin == pytest.approx(1.1 / 1.02 - 1.0, abs=0.01)
    assert part_words(found[0]).endswith("% more than in the others")
    assert part_words(part_suites(sheet, ("b", "a"), AVERAGE, None, SETS)[0]).endswith("% less than in the others")
    assert [one.tests for one in part_suites(sheet, ("a", "b"), "low_0.1.percentile", None, SETS)] == [0, 0]


def test_what_changes_from_group_to_group_is_told_over_common_scenes() -> None:
    groups = ["1080", "1080", "1080", "2160", "2160", "2160"]
    sheet = Sheet(made([0.02, 0.02, 0.02, 0.12, 0.12, 0.12], groups=groups))
    (found,) = changes(sheet, ("a", "b"), AVERAGE)
    assert (found.from_group, found.to_group, found.scenes) == ("1080", "2160", 3)
    assert found.change is not None
    assert found.change.margin == pytest.approx(1.12 / 1.02 - 1.0, abs=0.01)
    named = {"1080": "1080 high", "2160": "2160 high"}
    text = change_words(found, named, "Old", "New")
    assert text.startswith("From 1080 high to 2160 high, New over Old in average fps gains +9.")
    assert text.endswith("%).")
    (same,) = changes(Sheet(made([0.02] * 6, groups=groups, noise=0.001)), ("a", "b"), AVERAGE)
    assert "stays the same" in change_words(same, named, "Old", "New")
    (loss,) = changes(sheet, ("b", "a"), AVERAGE)
    assert " loses −" in change_words(loss, named, "New", "Old")
    apart = Sheet(made([0.02, 0.02, 0.02, 0.12], groups=["1080", "1080", "2160", "2160"]))
    (few,) = changes(apart, ("a", "b"), AVERAGE)
    assert "(1 scene, " in change_words(few, named, "Old", "New")


def test_every_test_says_what_the_answer_would_be_without_it() -> None:
    found = influences(Sheet(made([0.02, 0.02, 0.3])), ("a", "b"), AVERAGE, None)
    assert found[0].test == "t2"
    assert found[0].without == pytest.approx(0.02, abs=0.01)
    assert found[0].moves > 0.05
    assert {one.test for one in found[1:]} == {"t0", "t1"}
    assert influences(Sheet(made([0.02, 0.02])), ("a", "b"), AVERAGE, None) == ()


def test_lanes_over_lanes_follow_from_their_means() -> None:
    sheet = Sheet(made([0.1, 0.05, 0.02]))
    found = why_contrast(sheet, AVERAGE, Contrast(["b"], ["a"]), ["t0", "t1", "t2"], [])
    first, second = (numbers(line(found, name))[0] for name in ("New", "Old"))
    assert numbers(line(found, "Ratio"))[-1] == pytest.approx(100 * math.expm1(first - second), abs=0.06)
    by_hand = [one.log_ratio for one in Block(sheet, (("a", "b"),)).margins(AVERAGE)]
    assert first - second == pytest.approx(np.mean(by_hand), abs=2e-5)
    middle, t, error, low, high = numbers(line(found, "Interval"))
    assert 100 * math.expm1(middle - t * error) == pytest.approx(low, abs=0.06)
    assert 100 * math.expm1(middle + t * error) == pytest.approx(high, abs=0.06)
    assert len(found.cells) == 6
    one = why_contrast(sheet, AVERAGE, Contrast(["b"], ["a"]), ["t0"], [])
    assert one.value == why_margin(sheet, ("a", "b"), AVERAGE, "t0").value
    # Twice the pair by two is the pair; four lanes by one are a ratio of ratios.
    assert why_contrast(sheet, AVERAGE, Contrast(["b", "b"], ["a", "a"], per=2), ["t0"], []).value == one.value
    assert why_contrast(sheet, AVERAGE, Contrast(["b", "a"], ["a", "b"]), ["t0"], []).value == "0.0%"
    assert why_contrast(sheet, "low_0.1.percentile", Contrast(["b"], ["a"]), ["t0"], []).value == "no number"


def test_passes_without_scatter_are_no_trouble() -> None:
    sheet = Sheet(made([0.1, 0.05, 0.02], noise=0.0))
    for found in (
        why_margin(sheet, ("a", "b"), AVERAGE, "t0"),
        why_suite(sheet, ("a", "b"), AVERAGE, None),
        why_level(sheet, AVERAGE, "b", ["a", "b"], None),
        why_contrast(sheet, AVERAGE, Contrast(["b"], ["a"]), ["t0", "t1"], []),
    ):
        assert line(found, "Interval")


def test_a_contrast_stands_on_the_tests_that_its_answer_stands_on() -> None:
    """An effect of a grid is told over the tests that all of its lanes have, and so is its derivation."""
    whole = made([0.1, 0.05, 0.02])
    third = [Pass(f"c{t}", "c", f"t{t}", "accepted", figures={AVERAGE: 70.0, LOW: 50.0}) for t in (0, 1)]
    study = Study(**{**whole.__dict__, "lanes": (*whole.lanes, Lane("c", "Third")), "passes": (*whole.passes, *third)})
    alone, among = (why_contrast(Sheet(study), AVERAGE, Contrast(["b"], ["a"]), ["t0", "t1", "t2"], lanes)
                    for lanes in ([], ["a", "b", "c"]))  # fmt: skip
    assert [len(found.cells) for found in (alone, among)] == [6, 4]
    assert among.left_out == ("Game 2, yard: Third: not tested",)
    # Of several at once each interval is wider.
    at_once = why_contrast(Sheet(study), AVERAGE, Contrast(["b"], ["a"], at_once=4), ["t0", "t1", "t2"], [])
    one, four = (numbers(line(found, "Interval"))[1] for found in (alone, at_once))
    assert four > one
    # A lane without any result stands aside, and has no number itself.
    level = why_level(Sheet(whole), AVERAGE, "b", ["a", "b"], None)
    bare = Study(**{**whole.__dict__, "lanes": (*whole.lanes, Lane("c", "Third"))})
    assert why_level(Sheet(bare), AVERAGE, "b", ["a", "b", "c"], None).value == level.value
    assert why_level(Sheet(bare), AVERAGE, "c", ["a", "b", "c"], None).value == "no number"


@pytest.mark.parametrize(
    ("figure", "words"),
    [
        (AVERAGE, "average fps"), (LOW, "1% low"), ("low_1", "1% low"), ("low_0.1.percentile", "0.1% low"),
        ("low_0.1", "0.1% low"), ("low_0.1.slowest_frames", "0.1% low"),
    ],
)  # fmt: skip
def test_a_figure_is_named_with_its_school_or_without(figure: str, words: str) -> None:
    assert figure_words(figure) == words
    assert figure_words(of_figure(figure) if figure.count(".") > 1 else figure) == words
