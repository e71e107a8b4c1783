"""Passes needed and the power they give, and the rule of looking again."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.comparing.verdicts import VERDICTS, verdicts_of_logs
from rennbahn.errors import RennbahnError
from rennbahn.inference.looks import SequentialRule, look_level
from rennbahn.inference.power import Freedom, passes_needed, resolvable
from rennbahn.planning.needs import SENSIBLE_PASSES, Asked, Expected, needs_of
from rennbahn.planning.noise import Estimate, guessed, learned, squares_within
from scipy.special import stdtr, stdtrit

# Passes needed


@given(st.floats(0.0005, 0.05), st.integers(1, 40), st.integers(2, 60))
def test_more_passes_never_tell_less(s: float, cells: int, passes: int) -> None:
    now, more = resolvable(s, passes, Freedom(cells)), resolvable(s, passes + 1, Freedom(cells))
    assert now is not None
    assert more is not None
    assert more <= now


@given(st.floats(0.0005, 0.05), st.integers(1, 40), st.floats(0.005, 0.2))
def test_needed_and_resolvable_are_two_sides_of_one_thing(s: float, cells: int, margin: float) -> None:
    needed = passes_needed(s, margin, Freedom(cells))
    if needed is None:
        return
    assert needed >= 3
    assert (resolvable(s, needed, Freedom(cells)) or 0) <= margin * (1 + 1e-9)
    if needed > 3:
        assert (resolvable(s, needed - 1, Freedom(cells)) or math.inf) > margin


def asked(scene: str, s: float, passes: int = 3, df: float | None = None) -> Asked:
    """A test whose lows scatter like a guess."""
    own = Estimate(s, "guess" if df is None else "scene", df)
    return Asked(scene, {"average_fps": own, "low_1": guessed("route", "low_1")}, passes)


def test_a_plan_leans_on_the_leading_figure_and_never_asks_for_the_absurd() -> None:
    (need,) = needs_of([asked("a", 0.005)], "average_fps", 0.01, 0.01)
    assert need.needed == passes_needed(0.005, 0.01, Freedom(2)) == need.proposed
    assert not need.enough
    (easy,) = needs_of([asked("a", 0.005)], "average_fps", 0.04, 0.01)
    assert easy.enough
    assert (need.resolvable["low_1"] or 0) > (need.resolvable["average_fps"] or 0)
    (lows,) = needs_of([asked("a", 0.005)], "low_1", 0.01, 0.01)
    assert (lows.needed or 0) > 50
    assert lows.proposed == SENSIBLE_PASSES
    assert lows.estimate.source == "guess"
    (absurd,) = needs_of([Asked("a", {"low_1": Estimate(0.4, "scene")}, 3)], "low_1", 0.01, 0.01)
    assert absurd.needed is None
    assert needs_of([], "average_fps", 0.01, 0.01) == []


def test_what_is_learned_of_a_scene_is_believed_as_far_as_it_was_learned() -> None:
    alike = {scene: squares_within([[60, 60.3, 60.6]] * 4) for scene in range(6)}
    assert {one.source for one in learned(alike).values()} == {"all_scenes"}
    seldom = alike | {6: squares_within([[60, 60.001, 60.002]])}
    found = learned(seldom)
    assert found[6].source == "drawn", "one quiet cell proves nothing"
    assert found[6].s > 20 * 1e-5
    loud = learned(alike | {6: squares_within([[60, 66, 54]] * 4)})
    assert (loud[6].source, loud[6].df) == ("scene", 8)
    few = learned({1: squares_within([[60, 61, 62]] * 2), 2: squares_within([[60, 60.1]])})
    assert [(one.source, one.df) for one in few.values()] == [("scene", 4), ("all_scenes", 5)]
    assert learned({1: squares_within([[60]])}) == {}
    assert Estimate(0.01, "guess").percent == pytest.approx(1.005, abs=1e-3)


def test_noise_learned_from_little_asks_for_more_passes() -> None:
    needed = [needs_of([asked("a", 0.006, df=df)], "average_fps", 0.01, 0.01)[0].needed for df in (4, 16, 100, None)]
    assert all(a is not None and b is not None and a > b for a, b in itertools.pairwise(needed[:3]))
    assert (needed[2] or 0) >= (needed[3] or 0)


def test_a_study_is_planned_with_the_pools_that_findings_will_use() -> None:
    few = Expected([asked(f"s{i}", 0.006) for i in range(4)], "average_fps").planned
    assert not few.on_study.any()
    assert set(few.df) == {4.0}
    sparse = Expected([asked("a", 0.006, 2), asked("b", 0.009, 2)], "average_fps").planned
    assert sparse.on_study.all()
    assert set(sparse.df) == {4.0}
    assert sparse.v == pytest.approx((0.006**2 + 0.009**2) / 2, rel=0.02)
    levels = (0.004, 0.005, 0.006, 0.005, 0.004, 0.03)
    unlike = Expected([asked(f"s{i}", s) for i, s in enumerate(levels)], "average_fps").planned
    assert unlike.df[5] == 4.0, "a far louder scene stands alone"
    assert 4 < unlike.df[0] < 24
    assert unlike.v[0] > 0.004**2, "and the quiet ones are drawn towards the others"


@pytest.mark.parametrize("passes", [3, 6])
def test_findings_have_the_power_that_the_plan_promises(passes: int) -> None:
    """At the margin that the plan calls resolvable, findings say ahead nine times in ten."""
    count = 6
    (need, *_) = needs_of([asked(f"s{i}", 0.008, passes) for i in range(count)], "average_fps", 0.02, 0.01)
    margin = need.resolvable["average_fps"]
    assert margin is not None
    rng = np.random.default_rng(11)
    shown = []
    for _ in range(150):
        runs = [
            Pass(f"{t}{lane}{n}", lane, f"t{t}", "accepted", figures={
                "average_fps": float(100 * (1 + margin * (lane == "B")) * np.exp(rng.normal(0, 0.008)))})
            for t in range(count) for lane in "AB" for n in range(passes)
        ]  # fmt: skip
        study = Study(
            "power", Method(equal_band=0.0001), (Lane("A", "a"), Lane("B", "b")),
            tuple(Scene(f"s{t}", f"g{t}", "run") for t in range(count)),
            tuple(Test(f"t{t}", f"s{t}") for t in range(count)), tuple(runs), (("A", "B"),),
        )  # fmt: skip
        shown += [one.verdict == "ahead" for one in compare_study(study).compare[0].tests["average_fps"]]
    # 900 margins, but six of a study share their noise: three standard deviations are about 4%.
    assert np.mean(shown) == pytest.approx(0.9, abs=0.04)


# Looks


def test_the_levels_are_those_of_the_literature() -> None:
    # Pocock's constants for equal groups: 2 looks 0.0294, 3 looks 0.0221, 5 looks 0.0158.
    assert look_level(1, 2) == pytest.approx(0.0294, abs=1e-4)
    assert look_level(1, 3) == pytest.approx(0.0221, abs=1e-4)
    assert look_level(1, 5) == pytest.approx(0.0158, abs=1e-4)


@pytest.mark.parametrize(("limit", "naive_at_least"), [(5, 0.08), (8, 0.12)])
def test_looking_often_keeps_to_the_false_claim_rate(limit: int, naive_at_least: float) -> None:
    """Equal lanes, noise pooled over two cells: docs/measures.md states what this finds."""
    rule = SequentialRule(limit)
    rng, studies = np.random.default_rng(3), 6000
    x = rng.normal(0.0, 0.01, (studies, 2, limit))
    claimed, naive = np.zeros(studies, bool), np.zeros(studies, bool)
    for n in range(rule.first, limit + 1):
        df = 2 * (n - 1)
        s = np.sqrt(x[:, :, :n].var(axis=2, ddof=1).mean(axis=1))
        error = s * math.sqrt(2 / n)
        gap = x[:, 1, :n].mean(axis=1) - x[:, 0, :n].mean(axis=1)
        p = 2 * stdtr(df, -np.abs(gap) / error)
        reach = stdtrit(df, 0.975) * error
        for i in np.flatnonzero(~claimed & (p <= 0.05)):
            ends = math.log1p(gap[i] - reach[i]), math.log1p(gap[i] + reach[i])
            verdict = VERDICTS[int(verdicts_of_logs(*ends, 0.0001))]
            assert verdict in ("ahead", "behind")
            claimed[i] = p[i] <= rule.level
        naive |= p <= 0.05
    assert 0.03 <= claimed.mean() <= 0.065
    assert naive.mean() > naive_at_least


def test_a_rule_that_is_none() -> None:
    for limit in (3, 21):
        with pytest.raises(RennbahnError, match="the rule needs a limit over 3 and up to 20"):
            SequentialRule(limit)
    assert SequentialRule(8).looks == 6
