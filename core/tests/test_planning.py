"""Passes needed, the sequential rule, orders and timelines."""

from __future__ import annotations

import math
from collections import Counter

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.comparing.margins import verdict_of
from rennbahn.errors import RennbahnError
from rennbahn.planning.changes import lane_change
from rennbahn.planning.fairness import PartDescription, SetupDescription
from rennbahn.planning.needs import (
    SENSIBLE_PASSES,
    Asked,
    Estimate,
    Needs,
    guessed,
    learned,
    need_of,
    needs_of,
    suite_resolvable,
)
from rennbahn.planning.noise import pooled_noise
from rennbahn.planning.order import ordered
from rennbahn.planning.passes import passes_needed, resolvable
from rennbahn.planning.schedule import ORDERS, Costs, LaneChange, PlannedLane, PlannedPass, PlannedTest, Session, Work
from rennbahn.planning.sequential import SequentialRule, look_level
from rennbahn.planning.timeline import daily_sessions, lay_out, plan
from scipy.special import stdtr, stdtrit

WEEK = daily_sessions(7, 8)


def work(lanes: int = 2, tests: int = 4, passes: int = 3, change_s: float = 60.0, **test: object) -> Work:
    """Two conditions a game, `passes` in every cell."""
    planned = tuple(
        PlannedTest(f"t{i}", f"Game {i // 2}", "run", ("1080", "1440")[i % 2], "high", priority=1 + i % 3, **test)  # type: ignore[arg-type]
        for i in range(tests)
    )
    change = LaneChange((("setting", "turn the switch", change_s),))
    return Work(
        planned,
        tuple(PlannedLane(str(i), f"lane {i}") for i in range(lanes)),
        tuple(
            PlannedPass(f"{i}-{t}-{n}", i, t, n)
            for i in range(lanes)
            for t in range(tests)
            for n in range(1, passes + 1)
        ),
        {(i, j): change for i in range(lanes) for j in range(lanes) if i != j},
    )


# Passes needed


@given(st.floats(0.0005, 0.05), st.integers(1, 40), st.integers(2, 60))
def test_more_passes_never_tell_less(s: float, cells: int, passes: int) -> None:
    now, more = resolvable(s, passes, cells), resolvable(s, passes + 1, cells)
    assert now is not None
    assert more is not None
    assert more <= now


@given(st.floats(0.0005, 0.05), st.integers(1, 40), st.floats(0.005, 0.2))
def test_needed_and_resolvable_are_two_sides_of_one_thing(s: float, cells: int, margin: float) -> None:
    needed = passes_needed(s, margin, cells)
    if needed is None:
        return
    assert needed >= 3
    assert (resolvable(s, needed, cells) or 0) <= margin * (1 + 1e-9)
    if needed > 3:
        assert (resolvable(s, needed - 1, cells) or math.inf) > margin


def test_a_plan_leans_on_the_leading_figure_and_never_asks_for_the_absurd() -> None:
    estimates = {"average_fps": Estimate(0.005, "scene"), "low_1": guessed("route", "low_1")}
    need = need_of(estimates, "average_fps", 0.01, 0.01, 4, 3)
    assert need.needed == passes_needed(0.005, 0.01, 4) == need.proposed
    assert not need.enough
    assert need_of(estimates, "average_fps", 0.03, 0.01, 4, 3).enough
    assert (need.resolvable["low_1"] or 0) > (need.resolvable["average_fps"] or 0)
    lows = need_of(estimates, "low_1", 0.01, 0.01, 4, 3)
    assert (lows.needed or 0) > 50
    assert lows.proposed == SENSIBLE_PASSES
    assert lows.estimate.source == "guess"
    assert need_of({"low_1": Estimate(0.4, "scene")}, "low_1", 0.01, 0.01, 4, 3).needed is None


def test_whose_noise_a_scene_is_planned_with() -> None:
    everything = pooled_noise([[60, 61, 60.5]] * 6)
    often, seldom = pooled_noise([[60, 60.1, 60.2]] * 4), pooled_noise([[60, 60.001, 60.002]])
    assert learned(often, everything, "route", "average_fps") == Estimate(often.s or 0, "scene")
    borrowed = learned(seldom, everything, "route", "average_fps")
    assert (borrowed.source, borrowed.s) == ("all_scenes", everything.s), "two quiet cells prove nothing"
    assert learned(None, everything, "live", "low_1") == guessed("live", "low_1")
    assert learned(pooled_noise([[60]]), everything, "live", "low_1").source == "guess"
    assert Estimate(0.01, "guess").percent == pytest.approx(1.005, abs=1e-3)


def test_the_suite_tells_more_than_its_tests() -> None:
    one = suite_resolvable([(0.01, 3)], 8)
    many = suite_resolvable([(0.01, 3)] * 9, 72)
    assert one == pytest.approx(resolvable(0.01, 3, 4))
    assert (many or 1) < (one or 0) / 2.9
    assert suite_resolvable([], 8) is None
    assert suite_resolvable([(0.01, 3)], 0) is None


def test_a_study_is_planned_with_the_cells_that_findings_will_pool() -> None:
    one = {"average_fps": Estimate(0.006, "scene")}
    few = needs_of([Asked("a", one, 3), Asked("b", one, 5)], 2, "average_fps", 0.01, 0.01)
    # Two cells of a scene give 4 degrees of freedom: the whole study's four cells are pooled.
    assert few.tests[0] == need_of(one, "average_fps", 0.01, 0.01, 4, 3)
    assert few.suite_resolvable == suite_resolvable([(0.006, 3), (0.006, 5)], 2 * 2 + 4 * 2)
    many = needs_of([Asked("a", one, 3)] * 2 + [Asked("b", one, 3)], 6, "average_fps", 0.01, 0.01)
    assert many.tests[0] == need_of(one, "average_fps", 0.01, 0.01, 12, 3)
    assert many.tests[2] == need_of(one, "average_fps", 0.01, 0.01, 6, 3)
    assert needs_of([], 2, "average_fps", 0.01, 0.01) == Needs((), None)


# The sequential rule


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
            verdict = verdict_of((float(gap[i] - reach[i]), float(gap[i] + reach[i])), 0.0001)
            assert verdict in ("ahead", "behind")
            claimed[i] = rule.holds(float(p[i]))
        naive |= p <= 0.05
    assert 0.03 <= claimed.mean() <= 0.065
    assert naive.mean() > naive_at_least


def test_a_rule_that_is_none() -> None:
    for limit in (3, 21):
        with pytest.raises(RennbahnError, match="the rule needs a limit over 3 and up to 20"):
            SequentialRule(limit)
    assert SequentialRule(8).looks == 6
    assert not SequentialRule(8).holds(None)


# Orders


@settings(max_examples=40)
@given(st.integers(1, 5), st.integers(1, 7), st.integers(1, 5), st.sampled_from(ORDERS), st.integers(0, 99))
def test_every_order_runs_every_pass_once(lanes: int, tests: int, passes: int, order: str, seed: int) -> None:
    job = work(lanes, tests, passes)
    found = ordered(job, order, seed)  # type: ignore[arg-type]
    assert Counter(one.id for one in found) == Counter(one.id for one in job.passes)
    laid = lay_out(job, found, daily_sessions(30, 12), "by_hand")
    assert [slot.one.id for slot in laid.slots] == [one.id for one in found]
    ends = [0.0, *(slot.end_s for slot in laid.slots)]
    assert all(slot.start_s >= end for slot, end in zip(laid.slots, ends, strict=False)), "nothing overlaps"


@settings(max_examples=30)
@given(st.integers(2, 5), st.integers(1, 6), st.sampled_from([2, 4, 6]), st.floats(0, 900))
def test_alternating_cancels_linear_drift(lanes: int, tests: int, passes: int, change_s: float) -> None:
    job = work(lanes, tests, passes, change_s, warm_ups=0)
    for order in ("alternating", "by_game"):
        drift = plan(job, order, daily_sessions(1, 20_000)).drift  # type: ignore[arg-type]
        assert abs(drift.suite) < 1e-6
        # Loading is not mirrored where a turn ends and the next begins with the same game: seconds in hours.
        assert abs(drift.worst) < 2e-4


def test_lane_after_lane_leaves_what_alternating_takes_away() -> None:
    job = work(tests=12, passes=4)
    plain, turned = (plan(job, order, WEEK) for order in ("lane_by_lane", "alternating"))
    # Half the bench time lies between the middles of the lanes.
    assert plain.drift.suite == pytest.approx(0.01 * plain.total_s / 2 / 3600, rel=0.1)
    assert abs(turned.drift.suite) < plain.drift.suite / 20
    assert plain.counts["setting"] == 1
    assert turned.counts["setting"] == 4


def test_random_comes_from_its_seed() -> None:
    job = work(3, 6)
    first, again, other = (ordered(job, "random", seed) for seed in (1, 1, 2))
    assert first == again != other
    rounds = [[one.number for one in first[i : i + 18]] for i in (0, 18, 36)]
    assert rounds == [[1] * 18, [2] * 18, [3] * 18], "each block holds every cell once"


def test_an_order_by_hand_keeps_what_it_can() -> None:
    job = work(2, 2, 2)
    wanted = ["1-1-2", "gone", "0-0-1", "1-1-2"]
    found = [one.id for one in ordered(job, "by_hand", 0, wanted)]
    assert found[:2] == ["1-1-2", "0-0-1"]
    assert len(found) == len(job.passes)


# Time


def test_every_change_is_counted_and_paid_for() -> None:
    job = work(2, 2, 1, warm_ups=2, needs_restart=True)
    costs = job.costs
    laid = plan(job, "lane_by_lane", WEEK)
    first = laid.slots[0]
    assert [change.kind for change in first.changes] == ["start", "load", "resolution", "warm_up"]
    paid = costs.start_s + costs.load_s + costs.resolution_s + costs.menu_s + 2 * 60
    assert first.begin_s == pytest.approx(paid)
    # Another resolution at the same preset: no restart.
    assert [change.kind for change in laid.slots[1].changes] == ["resolution"]
    assert [change.kind for change in laid.slots[2].changes] == ["setting", "resolution"]
    assert laid.counts == {
        "swap": 0, "driver": 0, "reboot": 0, "setting": 1, "load": 1, "restart": 0, "menu": 0, "resolution": 4,
    }  # fmt: skip
    spent = sum(change.seconds for slot in laid.slots for change in slot.changes) + 4 * (60 + costs.between_s)
    assert laid.total_s == pytest.approx(spent)


def test_another_preset_costs_a_restart_where_the_game_wants_one() -> None:
    tests = tuple(PlannedTest(p, "Game", "run", "1440", p, needs_restart=True, warm_ups=0) for p in ("low", "high"))
    job = Work(tests, (PlannedLane("0", "one"),), tuple(PlannedPass(str(t), 0, t, 1) for t in (0, 1)))
    assert [change.kind for change in plan(job, "lane_by_lane", WEEK).slots[1].changes] == ["menu", "restart"]


def test_lanes_may_tell_the_game_themselves() -> None:
    lanes = (PlannedLane("0", "1080", ("1080", "low")), PlannedLane("1", "2160", ("2160", "low")))
    job = Work((PlannedTest("t", "Game", "run"),), lanes, (PlannedPass("a", 0, 0, 1), PlannedPass("b", 1, 0, 1)))
    assert [change.kind for change in plan(job, "lane_by_lane", WEEK).slots[1].changes] == ["resolution"]


def test_setups_say_what_a_lane_change_takes() -> None:
    def setup(card: str, driver: str, **settings: str) -> SetupDescription:
        return SetupDescription((PartDescription("card", card), PartDescription("driver", driver)), settings)

    costs = Costs()
    assert lane_change(setup("a", "1"), setup("a", "1"), costs).steps == ()
    swapped = lane_change(setup("a", "1"), setup("b", "2"), costs)
    assert [step[0] for step in swapped.steps] == ["swap", "driver", "reboot"]
    assert swapped.seconds == costs.swap_s + costs.driver_s + costs.reboot_s
    assert lane_change(setup("a", "1", room="22"), setup("a", "1", room="30"), costs).steps == ()
    (step,) = lane_change(setup("a", "1", fans="low"), setup("a", "1", fans="high"), costs).steps
    assert step == ("setting", "fans: low → high", costs.setting_s)
    (step,) = lane_change(setup("a", "1", memory_profile="1"), setup("a", "1", memory_profile="2"), costs).steps
    assert step[0] == "reboot"
    firmware = [SetupDescription((PartDescription("firmware", name),)) for name in ("1", "2")]
    assert [step[0] for step in lane_change(*firmware, costs).steps] == ["reboot"]


def test_sessions_hold_passes_whole() -> None:
    job = work(2, 4, 3)
    laid = plan(job, "lane_by_lane", daily_sessions(10, 0.75))
    assert {slot.session for slot in laid.slots} == set(range(laid.slots[-1].session + 1))
    for slot in laid.slots:
        begin = slot.session * 86_400
        assert begin <= slot.start_s
        assert slot.end_s <= begin + 0.75 * 3600
    fresh = [slot for before, slot in zip(laid.slots, laid.slots[1:], strict=False) if before.session != slot.session]
    assert all([change.kind for change in slot.changes[:2]] == ["start", "load"] for slot in fresh)


def test_a_near_deadline_drops_the_least_urgent_tests_from_all_lanes() -> None:
    job = work(2, 6, 3)
    whole = plan(job, "alternating", WEEK)
    cut = plan(job, "alternating", WEEK, deadline_s=whole.end_s * 0.6)
    assert cut.end_s <= whole.end_s * 0.6
    assert cut.fits
    by_urgency = sorted(range(6), key=lambda test: (-job.tests[test].priority, -test))
    assert list(cut.dropped) == by_urgency[: len(cut.dropped)]
    left = Counter((slot.one.test, slot.one.lane) for slot in cut.slots)
    assert set(left.values()) == {3}, "no lane keeps fewer passes than another"
    # One test more would be too late.
    assert plan(job, "alternating", WEEK, deadline_s=whole.end_s).dropped == ()
    nothing = plan(job, "alternating", WEEK, deadline_s=60.0)
    assert not nothing.fits
    assert len(nothing.dropped) == 6


def test_a_session_too_short_for_any_pass_is_said() -> None:
    laid = plan(work(1, 1, 1), "alternating", daily_sessions(5, 0.1))
    assert not laid.fits
    assert len(laid.unplaceable) == 1
    assert laid.slots == ()


def test_what_is_left_of_a_day_may_be_too_short_for_a_pass() -> None:
    job = work(2, 2, 2)
    later = daily_sessions(5, 8)[1:]
    for left_s in (0.5, 60.0, 300.0):
        laid = plan(job, "alternating", (Session(0.0, left_s), *later))
        assert laid.fits
        assert not laid.unplaceable
        assert {slot.session for slot in laid.slots} == {1}
        assert laid.slots == plan(job, "alternating", (Session(0.0, left_s), *later), deadline_s=laid.end_s).slots


def test_costs_that_are_no_times() -> None:
    with pytest.raises(RennbahnError, match="swap_s must be 0 to 86400 s") as refused:
        Costs(swap_s=-1)
    assert refused.value.field == "costs.swap_s"
