"""Suites: every kind of mean by hand, outliers, influence, what is left out."""

from __future__ import annotations

import math
from collections.abc import Sequence

import pytest
from rennbahn.comparing import SUITE_SCHOOLS, Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.comparing.margins import LeftOut
from rennbahn.comparing.study import Comparison, StudyResult
from rennbahn.comparing.suite import Suite
from rennbahn.comparing.verdicts import VERDICTS, verdicts_of_logs


def result(
    levels: Sequence[tuple[float, float]],
    *,
    scatter: float = 0.001,
    method: Method | None = None,
    extra: Sequence[Pass] = (),
    scenes: int | None = None,
) -> StudyResult:
    """A study with three passes a cell, at a level and a little to either side of it."""
    passes = [
        Pass(f"{t}{lane}{n}", lane, f"t{t}", "accepted", figures={"average_fps": level * math.exp(scatter * (n - 1))})
        for t, pair in enumerate(levels)
        for lane, level in zip("AB", pair, strict=True)
        for n in range(3)
        if level
    ]
    count = scenes or len(levels)
    return compare_study(
        Study(
            "by hand",
            method or Method(),
            (Lane("A", "a"), Lane("B", "b")),
            tuple(Scene(f"s{i}", f"Game {i}", "run") for i in range(count)),
            tuple(Test(f"t{i}", f"s{i % count}") for i in range(len(levels))),
            (*passes, *extra),
            (("A", "B"),),
        )
    )


def only(found: StudyResult) -> Comparison:
    (comparison,) = found.compare
    return comparison


def suite(found: StudyResult) -> Suite:
    return only(found).suite["average_fps"]


def test_the_four_means_by_hand() -> None:
    found = suite(result([(50, 60), (100, 90)]))
    assert found.margins is not None
    assert found.margins["geometric"] == pytest.approx(math.sqrt(1.2 * 0.9) - 1, abs=1e-6)
    assert found.margins["mean_of_margins"] == pytest.approx((0.2 - 0.1) / 2, abs=1e-6)
    assert found.margins["ratio_of_means"] == pytest.approx(0.0, abs=1e-6)
    assert found.margins["equal_frames"] == pytest.approx((1 / 50 + 1 / 100) / (1 / 60 + 1 / 90) - 1, abs=1e-6)


@pytest.mark.parametrize("school", SUITE_SCHOOLS)
def test_the_declared_school_gives_verdict_and_influence(school: str) -> None:
    levels = [(50, 60), (100, 90), (80, 80)]
    found = suite(result(levels, method=Method(suite_school=school)))
    assert found.verdicts is not None
    assert found.influence is not None
    assert found.verdict == found.verdicts[school]
    without = suite(result(levels[1:], method=Method(suite_school=school)))
    assert without.margins is not None
    assert found.influence.without["t0"] == pytest.approx(without.margins[school], abs=1e-9)


def test_equal_ratios_agree_under_every_school() -> None:
    found = suite(result([(50, 52), (100, 104), (200, 208)]))
    assert found.margins is not None
    assert list(found.margins.values()) == pytest.approx([0.04] * 4)
    assert found.measured is not None
    for school in SUITE_SCHOOLS:
        interval = found.measured[school].interval
        assert interval is not None
        assert interval[0] < 0.04 < interval[1]


def test_a_fast_game_dominates_sums_and_nothing_else() -> None:
    comparison = only(result([(40, 41.2), (40, 41.2), (40, 41.2), (400, 360)]))
    verdicts = comparison.suite["average_fps"].verdicts
    assert verdicts is not None
    assert verdicts["ratio_of_means"] == "behind"
    assert verdicts["equal_frames"] == "ahead"
    assert comparison.agreement["average_fps"].depends_on_method


def test_outliers_from_five_tests_on_and_none_without_spread() -> None:
    four = [(100, 101), (100, 102), (100, 103), (100, 150)]
    assert suite(result(four)).spread.outliers == ()  # type: ignore[union-attr]
    assert suite(result([*four, (100, 102)])).spread.outliers == ("t3",)  # type: ignore[union-attr]
    alike = [(100, 102)] * 5 + [(100, 150)]
    assert suite(result(alike)).spread.outliers == ()  # type: ignore[union-attr]


def test_spread_counts_margins_strictly_beyond() -> None:
    spread = suite(result([(100, 100.9), (100, 106), (100, 94), (100, 112)])).spread
    assert spread is not None
    assert spread.beyond["1"] == {"up": 2, "down": 1}
    assert spread.beyond["5"] == {"up": 2, "down": 1}
    assert spread.beyond["10"] == {"up": 1, "down": 0}
    assert (spread.wins + spread.losses + spread.even + spread.open, spread.losses) == (4, 1)


def test_left_out_asks_lane_a_first_and_takes_the_last_status() -> None:
    extra = [
        Pass("x1", "B", "t1", "crashed"),
        Pass("x2", "B", "t1", "did_not_launch"),
        Pass("x3", "A", "t2", "accepted", source="own_report", figures={"average_fps": 70}),
    ]
    comparison = only(result([(100, 104), (100, 0), (100, 100), (0, 0)], extra=extra))
    reasons = [margin.left_out for margin in comparison.tests["average_fps"]]
    assert reasons == [
        None,
        LeftOut("B", "did_not_launch"),
        LeftOut(None, "sources_differ"),
        LeftOut("A", "not_tested"),
    ]
    assert suite_json(comparison)["tests"] == 1


def test_a_figure_that_a_report_does_not_give_is_left_out_by_name() -> None:
    reported = [
        Pass(f"r{lane}", lane, "t0", "accepted", source="own_report", figures={"average_fps": 60}) for lane in "AB"
    ]
    low = [
        Pass(f"f{lane}", lane, "t1", "accepted", figures={"low_1.percentile": 40, "average_fps": 60}) for lane in "AB"
    ]
    comparison = only(result([(0, 0), (0, 0)], extra=[*reported, *low]))
    first = comparison.tests["low_1.percentile"][0]
    assert first.left_out == LeftOut("A", "not_reported")


def suite_json(comparison: Comparison) -> dict[str, object]:
    return comparison.suite["average_fps"].as_json()


def test_with_no_test_left_there_is_only_the_list() -> None:
    comparison = only(
        result([(100, 100)], extra=[Pass("r", "A", "t0", "accepted", "own_report", (), {"average_fps": 9})])
    )
    assert suite_json(comparison) == {
        "tests": 0,
        "left_out": [{"test": "t0", "lane": None, "reason": "sources_differ"}],
    }
    assert not comparison.agreement["average_fps"].verdicts


def test_few_tests_have_no_games_interval_and_two_have_no_influence() -> None:
    eight = [(100, 104), (100, 106)] * 4
    assert suite(result(eight[:7])).games_interval is None
    assert suite(result(eight)).games_interval is not None
    two = suite(result(eight[:2]))
    assert two.influence is not None
    assert (two.influence.without, two.influence.largest_mover) == ({}, None)


def test_scenes_with_enough_passes_lend_their_own_noise() -> None:
    levels = [(100, 104), (50, 52), (70, 71), (100, 104)]
    own = only(result(levels)).noise["average_fps"]
    assert {(noise.pool, noise.df) for noise in own.values()} == {("own", 4)}
    # A pass taken from each cell of two lanes leaves two degrees of freedom a scene: too few to stand alone.
    two = [Pass(f"{t}{lane}{n}", lane, f"t{t}", "accepted", figures={"average_fps": 100.0 + n})
           for t in range(4) for lane in "AB" for n in range(2)]  # fmt: skip
    few = only(result([(0, 0)] * 4, extra=two)).noise["average_fps"]
    assert {(noise.pool, noise.df) for noise in few.values()} == {("study", 8)}


def test_scenes_alike_are_drawn_together_and_a_loud_one_stands_alone() -> None:
    def passes(test: int, scatter: float) -> list[Pass]:
        return [
            Pass(f"{test}{lane}{n}", lane, f"t{test}", "accepted",
                 figures={"average_fps": 100.0 * math.exp(scatter * (1 + 0.1 * test) * (n - 1))})
            for lane in "AB" for n in range(3)
        ]  # fmt: skip

    alike = [one for test in range(6) for one in passes(test, 0.004)]
    loud = [one for test in range(6) for one in passes(test, 0.05 if test == 5 else 0.004)]
    calm = only(result([(0, 0)] * 6, extra=alike)).noise["average_fps"]
    assert {noise.pool for noise in calm.values()} == {"study"}, "they differ by less than chance would have them"
    found = only(result([(0, 0)] * 6, extra=loud)).noise["average_fps"]
    assert (found["s5"].pool, found["s5"].df) == ("own", 4)
    assert {found[f"s{i}"].pool for i in range(5)} == {"moderated"}
    assert all(noise.df > 4 for name, noise in found.items() if name != "s5")


def test_the_median_pass_is_its_own_school() -> None:
    odd = [Pass("odd", "B", "t0", "accepted", figures={"average_fps": 90})]
    mean = only(result([(100, 104)], extra=odd)).tests["average_fps"][0]
    median = only(result([(100, 104)], extra=odd, method=Method(cell_school="median_pass"))).tests["average_fps"][0]
    assert mean.b < median.b
    assert median.b == pytest.approx(104, rel=1e-3)
    assert mean.noise == median.noise


@pytest.mark.parametrize(
    ("interval", "verdict"),
    [
        ((-0.004, 0.004), "even"),
        ((0.001, 0.009), "even"),  # even is asked before ahead
        ((0.001, 0.011), "ahead"),
        ((-0.02, -0.001), "behind"),
        ((-0.02, 0.004), "open"),
        (None, "open"),
    ],
)
def test_verdicts(interval: tuple[float, float] | None, verdict: str) -> None:
    low, high = (math.nan, math.nan) if interval is None else map(math.log1p, interval)
    assert VERDICTS[int(verdicts_of_logs(low, high, 0.01))] == verdict
