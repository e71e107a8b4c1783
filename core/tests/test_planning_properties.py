"""Planning held by properties and by hand: weighing, changes, steadiness, orders, drift, sessions, deadlines."""

from __future__ import annotations

import itertools
import math
from dataclasses import fields, replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.inference.looks import SequentialRule, look_level
from rennbahn.inference.power import Freedom, passes_for_even, passes_needed
from rennbahn.parts import KINDS, Fact, checked_facts
from rennbahn.planning.changes import lane_change
from rennbahn.planning.fairness import (
    LaneDescription,
    PartDescription,
    SetupDescription,
    check_fairness,
    factor_matches,
    label_of,
    things_of,
    written,
)
from rennbahn.planning.needs import Asked, needs_of
from rennbahn.planning.noise import guessed, pooled, sample_sd, squares_within
from rennbahn.planning.order import ordered
from rennbahn.planning.schedule import (
    COUNTED,
    ORDERS,
    Costs,
    LaneChange,
    PlannedLane,
    PlannedPass,
    PlannedTest,
    Session,
    Work,
)
from rennbahn.planning.steadiness import RunWith, watch
from rennbahn.planning.timeline import daily_sessions, hours_of, lay_out, plan
from rennbahn.planning.weighing import weigh_part, weigh_setting
from scipy.special import stdtrit


def _value(fact: Fact) -> st.SearchStrategy[object]:
    if fact.type == "flag":
        return st.booleans()
    if fact.type == "choice":
        return st.sampled_from(fact.choices)
    if fact.type == "date":
        return st.dates().map(str)
    if fact.type == "text":
        return st.sampled_from(["a", "b"])
    low, high = int(-(-(fact.low or 0) // 1)), int(fact.high or 0)
    return st.integers(low, high)


def facts_of(kind: str) -> st.SearchStrategy[dict[str, Any]]:
    """Any facts that a part of the kind can have, some of them not written down."""
    definition = next(one for one in KINDS if one.id == kind)
    optional = {fact.name: _value(fact) for fact in definition.facts}
    return st.fixed_dictionaries({}, optional=optional).map(
        lambda raw: checked_facts(kind, {k: v for k, v in raw.items() if k not in ("power_limit_w", "voltage_v")})
    )


PAIRS = st.sampled_from([kind.id for kind in KINDS]).flatmap(
    lambda kind: st.tuples(st.just(kind), facts_of(kind), facts_of(kind))
)


# Weighing


@given(PAIRS)
def test_every_pair_of_parts_is_weighed_alike_from_both_sides(pair: tuple[str, dict[str, Any], dict[str, Any]]) -> None:
    kind, a, b = pair
    one, other = [PartDescription(kind, "this", a)], [PartDescription(kind, "that", b)]
    weight, reason = weigh_part(kind, one, other)
    assert (weight, reason) == weigh_part(kind, other, one)
    assert weight in ("harmless", "mind", "spoils")
    assert reason
    assert not reason.endswith("."), "it stands within a sentence"


@given(st.sampled_from([kind.id for kind in KINDS]))
def test_what_nobody_wrote_down_is_never_harmless(kind: str) -> None:
    one, other = [PartDescription(kind, "this")], [PartDescription(kind, "that")]
    assert weigh_part(kind, one, other)[0] != "harmless"
    assert weigh_part(kind, [], one) == weigh_part(kind, one, [])
    assert weigh_part(kind, [], one)[0] == "mind"


@given(
    st.text("abc tunedsyncroomfan", max_size=12), st.sampled_from(["", "1", "2 °C", "x"]), st.sampled_from(["1", "y"])
)
def test_settings_are_weighed_alike_from_both_sides(name: str, a: str, b: str) -> None:
    assert weigh_setting(name, a, b) == weigh_setting(name, b, a)


@pytest.mark.parametrize(
    ("earlier", "later", "days"),
    [
        ("2026-02-28", "2026-03-01", 1),
        ("2024-02-28", "2024-03-01", 2),
        ("2025-12-31", "2026-01-01", 1),
        ("2000-01-01", "2026-01-01", 9497),
    ],
)
def test_days_between_versions_follow_the_calendar(earlier: str, later: str, days: int) -> None:
    one, other = (PartDescription("driver", f"Ostrane {date}", {"date": date}) for date in (earlier, later))
    reason = weigh_part("driver", [one], [other])[1]
    assert f"{days} days apart" in reason


def test_factors_are_named_by_kind_label_setting_or_condition() -> None:
    assert factor_matches("Graphics card", "part:card")
    assert factor_matches("  GAME   build ", "part:build:moss republic")
    assert factor_matches("Power Limit", "setting:power limit")
    assert factor_matches("Condition: resolution", "condition")
    assert not factor_matches("power", "setting:power limit")
    assert not factor_matches("card", "setting:card reader")


def test_things_have_stable_keys_and_labels_as_they_were_spelt() -> None:
    setup = SetupDescription(
        (
            PartDescription("build", "Moss 2", {"game": "Moss Republic"}),
            PartDescription("card", "V5"),
            PartDescription("card", "V3"),
        ),
        {"Fan  Profile": "quiet"},
    )
    things = things_of(setup)
    assert list(things) == ["part:card", "part:build:moss republic", "setting:fan profile"]
    assert written(things["part:card"]) == "V3, V5"
    assert label_of("setting:fan profile", setup) == "Fan  Profile"
    assert label_of("part:build:moss republic", setup) == "Game build of Moss Republic"
    assert label_of("condition") == "Condition"
    assert written(None) == ""


def test_the_gravest_objection_comes_first_and_lanes_add_up() -> None:
    def lane(name: str, **said: str) -> LaneDescription:
        return LaneDescription(name, name, SetupDescription((), said))

    lanes = [lane("A", sync="on", room="22"), lane("B", sync="off", room="23"), lane("C", sync="off", room="30")]
    found = check_fairness(lanes, "A", ["fans"]).objections
    assert [(one.key, one.weight, one.lanes) for one in found] == [
        ("no-factor", "spoils", ("B", "C")),
        ("setting:sync", "spoils", ("B", "C")),
        ("setting:room", "mind", ("B", "C")),
    ]
    assert found[1].about == "on / off", "said once for both lanes"
    assert found[2].about == "22 / 23; 22 / 30"


# Changes and steadiness

SETUPS = st.builds(
    SetupDescription,
    st.lists(
        st.builds(PartDescription, st.sampled_from([kind.id for kind in KINDS]), st.sampled_from("abc")),
        max_size=6,
        unique_by=lambda part: part.kind,
    ).map(tuple),
    st.dictionaries(st.sampled_from(["Sync", "Room", "Memory profile", "Fans"]), st.sampled_from(["1", "2"])),
)


@given(SETUPS, SETUPS)
def test_there_and_back_takes_as_long_and_nothing_takes_no_time(a: SetupDescription, b: SetupDescription) -> None:
    costs = Costs()
    there, back = lane_change(a, b, costs), lane_change(b, a, costs)
    assert there.seconds == pytest.approx(back.seconds)
    assert sorted(step[0] for step in there.steps) == sorted(step[0] for step in back.steps)
    assert lane_change(a, a, costs).steps == ()
    if any(step[0] in ("swap", "driver") for step in there.steps):
        assert "reboot" in [step[0] for step in there.steps], "a machine that was opened is started again"


@given(SETUPS, st.lists(st.tuples(st.sampled_from("AB"), st.sampled_from(["Moss", "Ninth"])), max_size=8))
def test_a_study_that_stays_as_it_is_shows_no_change(setup: SetupDescription, runs: list[tuple[str, str]]) -> None:
    assert watch(RunWith(lane, game, setup) for lane, game in runs) == ()


def test_a_change_back_is_a_change_too() -> None:
    on, off = SetupDescription((), {"Sync": "on"}), SetupDescription((), {"Sync": "off"})
    found = watch(RunWith("A", "Moss", setup) for setup in (off, on, on, off))
    assert [(one.before, one.change.a, one.change.b) for one in found] == [(1, "off", "on"), (3, "on", "off")]


# Passes


@pytest.mark.parametrize(("s", "margin", "cells"), [(0.004, 0.01, 4), (0.01, 0.02, 6), (0.02, 0.02, 2)])
def test_passes_needed_by_trying_each_number(s: float, margin: float, cells: int) -> None:
    """The smallest number whose power reaches nine in ten, drawn instead of integrated."""
    rng = np.random.default_rng(8)
    z = rng.normal(size=400_000)

    def power(n: int, *, even: bool) -> float:
        f = (n - 1) * cells
        chi = np.sqrt(rng.chisquare(f, len(z)) / f)
        lies = math.log1p(margin) / (s * math.sqrt(2 / n))
        edge = stdtrit(f, 0.975) * chi
        return float(np.mean(np.abs(z) + edge <= lies if even else z + lies > edge))

    for even, asked in ((False, passes_needed), (True, passes_for_even)):
        n = asked(s, margin, Freedom(cells))
        assert n is not None
        assert power(n, even=even) > 0.898
        if n > 3:
            assert power(n - 1, even=even) < 0.902


def test_passes_needed_keep_their_promise() -> None:
    """A true margin of 2% is shown in nine of ten simulated studies at the number the plan names, and not before."""
    s, margin, cells = 0.012, 0.02, 6
    n = passes_needed(s, margin, Freedom(cells))
    assert n is not None
    rng, studies = np.random.default_rng(5), 4000
    x = rng.normal(0.0, s, (studies, cells, n))
    freedom = (n - 1) * cells
    spread = np.sqrt(x.var(axis=2, ddof=1).mean(axis=1))
    gap = math.log1p(margin) + x[:, 1].mean(axis=1) - x[:, 0].mean(axis=1)
    shown = gap - stdtrit(freedom, 0.975) * spread * math.sqrt(2 / n) > 0
    assert 0.885 <= shown.mean() <= 0.95


def test_noise_is_pooled_as_by_hand() -> None:
    cells = [[60.0, 61.0, 62.0], [120.0, 121.0], [30.0]]
    logs = [np.log(cell) for cell in cells]
    by_hand = math.sqrt((2 * logs[0].var(ddof=1) + logs[1].var(ddof=1)) / 3)
    found = pooled(squares_within(cells))
    assert (found.df, found.cells) == (3, 2)
    assert found.s == pytest.approx(by_hand)
    assert pooled(squares_within([[60.0]])).s is None
    assert sample_sd([1.0, 3.0]) == pytest.approx(math.sqrt(2))


def test_guesses_grow_from_benchmark_to_live_play_and_from_average_to_lows() -> None:
    kinds = ["benchmark", "replay", "scripted", "route", "live"]
    for figure in ("average_fps", "low_1", "low_0.1"):
        noise = [guessed(kind, figure).s for kind in kinds]
        assert noise == sorted(noise)
    assert guessed("route", "average_fps").s < guessed("route", "low_1").s < guessed("route", "low_0.1").s
    assert guessed("unheard of", "average_fps") == guessed("route", "average_fps")


@given(st.sampled_from(["benchmark", "route", "live"]), st.integers(3, 30), st.floats(0.002, 0.2))
def test_enough_is_what_the_need_says(kind: str, passes: int, margin: float) -> None:
    asked = [Asked("a", {"average_fps": guessed(kind, "average_fps")}, passes)]
    (need,) = needs_of(asked, "average_fps", margin, 0.01)
    assert need.enough == (need.needed is not None and passes >= need.needed)
    tells = need.resolvable["average_fps"]
    assert tells is not None
    if need.needed is not None and need.needed > 3 and abs(need.needed - passes) > 1:
        assert need.enough == (tells <= margin)
    assert 3 <= need.proposed <= 12


def test_more_looks_ask_for_a_stricter_level_and_never_above_five_percent() -> None:
    levels = [SequentialRule(limit).level for limit in range(4, 21)]
    assert levels == sorted(levels, reverse=True)
    assert levels[0] < 0.05
    assert levels[-1] > 0.05 / 17, "better than dividing by the number of looks"


def test_the_level_holds_for_normal_sums() -> None:
    level, rng = look_level(3, 8), np.random.default_rng(11)
    sums = rng.normal(size=(40_000, 8)).cumsum(axis=1)[:, 2:] / np.sqrt(np.arange(3, 9))
    bound = -float(stdtrit(1e9, level / 2))
    assert (np.abs(sums) > bound).any(axis=1).mean() == pytest.approx(0.05, abs=0.004)


# Orders and time


def job(lanes: int, tests: int, passes: int, **costs: float) -> Work:
    change = LaneChange((("setting", "switch", 40.0),))
    return Work(
        tuple(
            PlannedTest(f"t{i}", f"Game {i % 3}", "run", "1440", "high", 30.0 + i, i % 2, priority=1 + i % 3)
            for i in range(tests)
        ),
        tuple(PlannedLane(str(i), f"lane {i}") for i in range(lanes)),
        tuple(
            PlannedPass(f"{i}-{t}-{n}", i, t, n)
            for i in range(lanes)
            for t in range(tests)
            for n in range(1, passes + 1)
        ),
        {(i, j): change for i in range(lanes) for j in range(lanes) if i != j},
        replace(Costs(), **costs),
    )


JOBS = st.builds(job, st.integers(1, 4), st.integers(1, 6), st.integers(1, 4))


@settings(max_examples=40)
@given(JOBS, st.sampled_from(ORDERS), st.floats(0.6, 3.0))
def test_time_adds_up_and_nothing_leaves_its_session(work: Work, order: Any, hours: float) -> None:
    days = daily_sessions(60, hours)
    laid = plan(work, order, days)
    assert laid.fits
    assert len(laid.slots) == len(work.passes)
    for slot in laid.slots:
        day = days[slot.session]
        assert day.start_s <= slot.start_s < slot.begin_s + 1e-9
        assert slot.end_s == pytest.approx(slot.begin_s + work.tests[slot.one.test].length_s)
        assert slot.end_s <= day.start_s + day.length_s + 1e-6
        assert slot.begin_s - slot.start_s == pytest.approx(sum(change.seconds for change in slot.changes))
    paid = sum(change.seconds for slot in laid.slots for change in slot.changes)
    run = sum(work.tests[one.test].length_s + work.costs.between_s for one in work.passes)
    assert laid.total_s == pytest.approx(paid + run)
    assert laid.end_s == laid.slots[-1].end_s
    counted = [change.kind for slot in laid.slots for change in slot.changes]
    assert laid.counts == {kind: counted.count(kind) for kind in COUNTED}


@settings(max_examples=40)
@given(JOBS, st.sampled_from(ORDERS), st.floats(0.05, 1.0))
def test_a_deadline_is_met_by_leaving_out_as_little_as_can_be(work: Work, order: Any, share: float) -> None:
    days = daily_sessions(60, 2.0)
    whole = plan(work, order, days)
    deadline = whole.end_s * share
    cut = plan(work, order, days, deadline_s=deadline)
    if cut.slots:
        assert cut.end_s <= deadline
    urgency = sorted(range(len(work.tests)), key=lambda test: (-work.tests[test].priority, -test))
    assert list(cut.dropped) == [test for test in urgency if test in cut.dropped], "the least urgent goes first"
    assert {slot.one.test for slot in cut.slots} == set(urgency) - set(cut.dropped)
    for back in cut.dropped:
        more = tuple(one for one in work.passes if one.test == back or one.test not in cut.dropped)
        rest = replace(work, passes=more)
        assert lay_out(rest, ordered(rest, order), days, order).end_s > deadline, "none that was dropped still fits"


@settings(max_examples=60)
@given(JOBS, st.sampled_from(ORDERS), st.floats(0.1, 1.2), st.floats(0.1, 1.2), st.booleans())
def test_no_pass_runs_when_its_part_is_gone_and_none_on_both_sides_of_a_patch(
    work: Work, order: Any, back: float, patch: float, run_before: bool
) -> None:
    days = daily_sessions(60, 2.0)
    end = plan(work, order, days).end_s
    lanes = tuple(replace(lane, until_s=end * back) if not at else lane for at, lane in enumerate(work.lanes))
    tests = tuple(
        replace(test, patched_s=end * patch, run_before=run_before) if test.game == "Game 0" else test
        for test in work.tests
    )
    kept = plan(replace(work, lanes=lanes, tests=tests), order, days, keep_dates=True)
    assert all(slot.end_s <= end * back for slot in kept.slots if slot.one.lane == 0)
    for number, test in enumerate(tests):
        sides = {slot.end_s <= end * patch for slot in kept.slots if slot.one.test == number}
        sides |= {True} if test.run_before and test.patched_s and sides else set()
        assert test.patched_s is None or len(sides) <= 1
    assert set(kept.because) == set(kept.dropped), "each is left out for a date"
    assert {slot.one.test for slot in kept.slots} | set(kept.dropped) == set(range(len(tests)))
    for test, because in kept.because.items():
        assert because != "patch" or tests[test].patched_s is not None


@given(JOBS, st.integers(0, 50))
def test_shuffled_rounds_hold_every_cell_once(work: Work, seed: int) -> None:
    cells = len(work.lanes) * len(work.tests)
    found = ordered(work, "random", seed)
    for start in range(0, len(found), cells):
        block = found[start : start + cells]
        assert len({(one.lane, one.test) for one in block}) == cells
        lanes = [lane for lane, _ in itertools.groupby(one.lane for one in block)]
        assert len(lanes) == len(set(lanes)), "each lane is visited once a round"


@given(JOBS)
def test_by_game_loads_each_game_once_while_it_fits(work: Work) -> None:
    laid = plan(work, "by_game", [Session(0.0, 1e9)])
    assert laid.counts["load"] == len({test.game for test in work.tests})


def test_hours_count_from_where_a_session_began() -> None:
    """60 s a pass with 20 s between: the second half of a lane begins a new session with its clock at nought."""
    work = replace(job(2, 1, 2), costs=Costs(start_s=0, load_s=0, menu_s=0, resolution_s=0))
    tests = tuple(replace(test, length_s=60.0, warm_ups=0) for test in work.tests)
    days = [Session(100.0, 240.0), Session(9e4, 9e4)]
    laid = plan(replace(work, tests=tests), "lane_by_lane", days)
    assert [slot.session for slot in laid.slots] == [0, 0, 1, 1]
    # What changes the lane is paid for where the next session begins.
    assert hours_of(laid.slots, days) == pytest.approx(np.array([30, 110, 70, 150]) / 3600)


def test_an_empty_plan_has_no_end() -> None:
    empty = plan(replace(job(2, 2, 1), passes=()), "by_game", daily_sessions(5, 8), deadline_s=10.0)
    assert (empty.slots, empty.total_s, empty.end_s, empty.dropped) == ((), 0.0, 0.0, ())


def test_costs_are_all_asked_for() -> None:
    for one in fields(Costs):
        dearer = job(2, 3, 2, **{one.name: getattr(Costs(), one.name) + 100})
        longer = plan(dearer, "alternating", daily_sessions(9, 8)).total_s
        usual = plan(job(2, 3, 2), "alternating", daily_sessions(9, 8)).total_s
        paid = one.name in ("start_s", "load_s", "resolution_s", "between_s", "menu_s", "soak_s", "cool_s")
        assert (longer > usual) == paid, one.name
