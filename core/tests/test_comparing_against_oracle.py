"""Whole studies against plain Python: uneven passes, capped cells, missing lanes, every school."""

from __future__ import annotations

import functools

import numpy as np
import pytest
from comparing_oracle import Cells, adjusted
from rennbahn.comparing import CELL_SCHOOLS, SUITE_SCHOOLS, Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.comparing.study import Comparison
from rennbahn.inference.looks import SequentialRule
from rennbahn.inference.sessions import Between

AVERAGE, LOW = "average_fps", "low_1.percentile"
SEEDS = range(14)


def simulated(seed: int, school: str) -> tuple[Study, dict[str, Cells]]:
    """A study of five to nine tests in three to nine scenes, with what reviewers meet.

    Every second one has a drift that is allowed for, every third is looked at often, in every fifth a lane is noisier,
    and in every fourth passes tell their sessions, with rounds that shift all tests together.
    """
    rng = np.random.default_rng(seed)
    allowance = 0.01 if seed % 2 else 0.0
    looks = SequentialRule(8) if seed % 3 == 0 else None
    louder = 4.0 if seed % 5 == 0 else 1.0
    level = 0.05 if looks is None else looks.level
    told = seed % 4 < 2
    between = Between(0.004, 9.0) if seed % 4 == 1 else None
    shifts = {(lane, number): float(rng.normal(0, 0.01)) for lane in "AB" for number in range(9)}
    count = int(rng.integers(5, 10))
    scenes = [f"s{int(rng.integers(0, count))}" for _ in range(count)]
    tests = [Test(f"t{i}", scenes[i]) for i in range(count)]
    scene_of = {test.id: test.scene for test in tests}
    cells = {
        figure: Cells(
            {}, scene_of, school=school, allowance=allowance, level=level,
            between=(between.sd, between.df or 0.0) if between else None,
        )
        for figure in (AVERAGE, LOW)
    }  # fmt: skip
    passes = []
    for test in tests:
        rate = rng.uniform(40, 200)
        noise = rng.choice([0.002, 0.006, 0.02])
        true = np.exp(rng.normal(0.01, 0.02))
        for lane in "AB":
            wanted = int(rng.choice([0, 1, 2, 3, 4, 5], p=[0.05, 0.05, 0.1, 0.5, 0.2, 0.1]))
            capped = rng.random() < 0.1
            flags = 0
            for number in range(wanted):
                hour = float(rng.uniform(0, 4)) + (4.0 if lane == "B" else 0.0)
                own = noise * (louder if lane == "B" else 1.0)
                average = rate * (true if lane == "B" else 1.0) * np.exp(rng.normal(0, own) - 0.004 * hour)
                average *= np.exp(shifts[lane, number]) if told else 1.0
                # Lane A comes back on other days; lane B shares the first of them, or stays on one of its own.
                session = f"day {number % 2 if lane == 'A' else 0 if seed % 8 < 4 else 9}" if told else None
                low = average * 0.75 * np.exp(rng.normal(0, 2 * noise))
                flag = bool(capped and number % 2 == 0)
                flags += flag
                figures = {AVERAGE: float(average), LOW: float(low)}
                passes.append(
                    Pass(f"{test.id}{lane}{number}", lane, test.id, "accepted", figures=figures,
                         flags=("capped",) if flag else (), clock_h=hour, session=session)
                )  # fmt: skip
                for figure in (AVERAGE, LOW):
                    cells[figure].values.setdefault((lane, test.id), []).append(figures[figure])
                    cells[figure].hours.setdefault((lane, test.id), []).append(hour)
                    if session:
                        cells[figure].sessions.setdefault((lane, test.id), []).append(session)
            if wanted and 2 * flags >= wanted:
                cells[AVERAGE].capped.add((lane, test.id))
            if rng.random() < 0.3:
                passes.append(Pass(f"{test.id}{lane}x", lane, test.id, "rejected", figures={AVERAGE: 1.0, LOW: 1.0}))
    lanes = (Lane("A", "a"), Lane("B", "b"))
    named = tuple(Scene(scene, scene, "run") for scene in sorted(set(scenes)))
    method = Method(cell_school=school, drift_allowance=allowance, looks=looks, between=between)
    study = Study("s", method, lanes, named, tuple(tests), tuple(passes), (("A", "B"),))
    return study, cells


@functools.cache
def compared(seed: int, school: str) -> tuple[Comparison, dict[str, Cells]]:
    study, cells = simulated(seed, school)
    return compare_study(study).compare[0], cells


@pytest.mark.parametrize("school", CELL_SCHOOLS)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("figure", [AVERAGE, LOW])
def test_margins(seed: int, school: str, figure: str) -> None:
    comparison, cells = compared(seed, school)
    own = cells[figure]
    counted = [margin for margin in comparison.tests[figure] if margin.left_out is None]
    assert [margin.test for margin in counted] == own.tests()
    for margin in counted:
        wanted = own.margin(margin.test)
        assert margin.b_over_a == pytest.approx(wanted["b_over_a"], rel=1e-9)
        assert 1 / (1 + margin.a_over_b) == pytest.approx(1 + margin.b_over_a)
        assert margin.verdict == wanted["verdict"]
        assert margin.p == pytest.approx(wanted["p"], rel=1e-7)
        assert (margin.interval is None) == (wanted["interval"] is None)
        if margin.interval is not None:
            assert margin.interval == pytest.approx(wanted["interval"], rel=1e-8)
    ps = [own.margin(margin.test)["p"] for margin in counted]
    if None not in ps:
        assert [margin.p_adjusted for margin in counted] == pytest.approx(adjusted(ps), rel=1e-7)
    for margin in counted:
        if margin.verdict in ("ahead", "behind"):
            assert margin.could_be_chance == ((margin.p_adjusted or 0) > 0.05)
        else:
            assert margin.could_be_chance is None


@pytest.mark.parametrize("school", CELL_SCHOOLS)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("figure", [AVERAGE, LOW])
def test_suites(seed: int, school: str, figure: str) -> None:
    comparison, cells = compared(seed, school)
    suite, own = comparison.suite[figure], cells[figure]
    assert suite.tests == len(own.tests())
    assert suite.margins is not None
    assert suite.measured is not None
    assert suite.spread is not None
    for name in SUITE_SCHOOLS:
        wanted = own.suite(name)
        assert suite.margins[name] == pytest.approx(wanted["margin"], rel=1e-9, abs=1e-12)
        measured = suite.measured[name]
        assert (measured.interval is None) == (wanted["interval"] is None)
        if measured.interval is not None:
            assert measured.df == pytest.approx(wanted["df"], rel=1e-9)
            assert measured.interval == pytest.approx(wanted["interval"], rel=1e-8)
            assert (suite.verdicts or {})[name] == wanted["verdict"]
            assert (measured.rounds is None) == (wanted["rounds"] is None)
            for key in ("unit", "n_a", "n_b", "in_use") if measured.rounds else ():
                assert getattr(measured.rounds, key) == wanted["rounds"][key]
            if measured.rounds is not None:
                assert measured.rounds.sd == pytest.approx(wanted["rounds"]["sd"], rel=1e-7)
                assert measured.rounds.p == pytest.approx(wanted["rounds"]["p"], rel=1e-6)
    wanted = own.games({scene: scene for scene in own.scene_of.values()})
    assert (suite.games_interval is None) == (suite.single_game_interval is None) == (wanted is None)
    if wanted is not None:
        assert suite.games_interval == pytest.approx(wanted[0])
        assert suite.single_game_interval == pytest.approx(wanted[1])
    assert set(suite.spread.outliers) == own.outliers()
    margins = [own.margin(test)["b_over_a"] for test in own.tests()]
    for percent, counts in suite.spread.beyond.items():
        edge = float(percent) / 100
        assert (counts["up"], counts["down"]) == (sum(m > edge for m in margins), sum(m < -edge for m in margins))
    words = [own.margin(test)["verdict"] for test in own.tests()]
    said = (suite.spread.wins, suite.spread.losses, suite.spread.even, suite.spread.open)
    assert said == tuple(words.count(word) for word in ("ahead", "behind", "even", "open"))
    if len(margins) >= 3:
        assert suite.influence is not None
        assert suite.influence.without == pytest.approx({test: own.without(test) for test in own.tests()})


@pytest.mark.parametrize("seed", SEEDS)
def test_lanes_the_other_way_round_say_the_same(seed: int) -> None:
    study, _ = simulated(seed, "mean")
    there = compare_study(study).compare[0]
    back = compare_study(
        Study(study.name, study.method, study.lanes, study.scenes, study.tests, study.passes, (("B", "A"),))
    ).compare[0]
    other = {"ahead": "behind", "behind": "ahead", "even": "even", "open": "open"}
    for one, two in zip(there.tests[AVERAGE], back.tests[AVERAGE], strict=True):
        assert (one.left_out is None) == (two.left_out is None)
        if one.left_out is None:
            assert two.verdict == other[one.verdict]
            assert two.b_over_a == pytest.approx(one.a_over_b)
            assert two.p == pytest.approx(one.p)
