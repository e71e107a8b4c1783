"""Orders, what they can tell, and timelines."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.errors import RennbahnError
from rennbahn.inference.sessions import Between
from rennbahn.planning.changes import lane_change
from rennbahn.planning.fairness import PartDescription, SetupDescription
from rennbahn.planning.needs import Asked, Expected
from rennbahn.planning.noise import Estimate
from rennbahn.planning.order import ordered
from rennbahn.planning.order_tells import Method as Findings
from rennbahn.planning.order_tells import Ran, Telling, another_order, propose_control, telling, with_controls
from rennbahn.planning.schedule import ORDERS, Costs, LaneChange, PlannedLane, PlannedPass, PlannedTest, Session, Work
from rennbahn.planning.timeline import daily_sessions, lay_out, plan
from rennbahn.planning.words import left_words

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
        # Settings are told once a game, in the first turn only: minutes in hours.
        found = told(job, order)
        assert found.drift < 1e-4
        assert not found.untold


def test_lane_after_lane_leaves_what_alternating_takes_away() -> None:
    job = work(tests=12, passes=4)
    plain, turned = (plan(job, order, daily_sessions(1, 24)) for order in ("lane_by_lane", "alternating"))
    assert plain.counts["setting"] == 1
    assert turned.counts["setting"] == 4
    back, rounds, there = (told(job, order) for order in ("lane_by_lane", "in_rounds", "alternating"))
    # Half the bench time lies between the middles of the lanes; what the passes of a test show of a drift is little.
    assert back.drift == pytest.approx(0.005 * plain.total_s / 2 / 3600, rel=0.15)
    assert back.untold
    assert rounds.drift < back.drift / 1.5, "in rounds the passes show the drift"
    assert there.drift < back.drift / 20
    assert back.test > rounds.test > there.test
    assert back.suite > rounds.suite > there.suite


def test_a_drift_that_is_not_allowed_for_widens_nothing() -> None:
    job = work(tests=6)
    orders = [told(job, order, allowance=0.0) for order in ORDERS]
    assert {one.drift for one in orders} == {0.0}
    assert len({round(one.suite, 12) for one in orders}) == 1
    assert told(job, "alternating", level=0.01).test > orders[0].test
    assert telling(work(1), plan(work(1), "random", WEEK), WEEK, method(work(1))) is None


def test_what_ran_already_tells_with_what_is_to_run() -> None:
    job = work(tests=6, passes=4)
    half = replace(job, passes=tuple(one for one in job.passes if one.number > 2))
    ran = [Ran(lane, test, hour) for lane in (0, 1) for test in range(6) for hour in (0.2 + test / 10, 4.0 + test / 10)]
    sessions = daily_sessions(1, 24)
    rest = telling(half, plan(half, "alternating", sessions), sessions, method(job))
    both = telling(half, plan(half, "alternating", sessions), sessions, method(job), ran)
    assert rest is not None
    assert both is not None
    assert both.suite < rest.suite


def test_control_passes_are_proposed_where_they_help() -> None:
    job = work(tests=12, passes=3, length_s=180.0)
    sessions = daily_sessions(1, 24)
    found = propose_control(job, "lane_by_lane", sessions, method(job))
    assert found is not None
    back = told(job, "lane_by_lane")
    assert found.telling.test < 0.9 * back.test
    assert found.telling.drift < back.drift
    assert 0 < found.seconds < 1200
    more = with_controls(job, found.test)
    placed = [(one.lane, one.control) for one in ordered(more, "lane_by_lane")]
    assert [at for at, (_, control) in enumerate(placed) if control] == [0, 37, 38, 75]
    assert [lane for lane, _ in placed] == [0] * 38 + [1] * 38
    assert propose_control(job, "alternating", sessions, method(job)) is None, "there and back needs none"
    assert propose_control(more, "lane_by_lane", sessions, method(job)) is None, "there are some"


def test_lanes_on_sessions_of_their_own_are_told_and_another_order_is_proposed() -> None:
    job = work(tests=12, passes=4)
    # Two hours a day: lane after lane, each lane is run on days of its own.
    days = daily_sessions(30, 2.0)
    asked = replace(method(job, allowance=0.0), between=Between(0.003))
    found: dict[str, Telling] = {}
    for order in ("lane_by_lane", "alternating"):
        laid = telling(job, plan(job, order, days), days, asked)  # type: ignore[arg-type]
        assert laid is not None
        found[order] = laid
    alone, there = found["lane_by_lane"], found["alternating"]
    assert alone.apart > 0.4
    assert alone.sessions > 2 * there.sessions
    assert alone.suite > 1.2 * there.suite
    unsaid = telling(job, plan(job, "lane_by_lane", days), days, replace(asked, between=None))
    assert unsaid is not None
    assert (unsaid.sessions, unsaid.apart) == (0.0, alone.apart)
    assert unsaid.suite < alone.suite
    said = left_words(alone, 0.005, 0.003)
    assert "a lane stands on one session" in said
    assert "sessions that differ by 0.3%" in said
    assert "would count as a difference between lanes" in left_words(unsaid, 0.005, None)
    assert left_words(replace(there, apart=0.0, untold=False), 0.005, 0.003) == ""
    assert another_order(alone, {"alternating": (1800.0, there)}) == "alternating"
    assert another_order(there, {"lane_by_lane": (-1800.0, alone)}) is None, "what leaves more open is no proposal"


def method(job: Work, allowance: float = 0.005, level: float = 0.05) -> Findings:
    """How findings will judge it: half a percent of noise everywhere, each test a scene of its own."""
    tests = [Asked(one.id, {"average_fps": Estimate(0.005, "scene")}, 3) for one in job.tests]
    return Findings(Expected(tests, "average_fps"), allowance, level)


def told(job: Work, order: str, allowance: float = 0.005, level: float = 0.05) -> Telling:
    """What an order tells within one long session."""
    sessions = daily_sessions(1, 20_000)
    laid = plan(job, order, sessions)  # type: ignore[arg-type]
    found = telling(job, laid, sessions, method(job, allowance, level))
    assert found is not None
    return found


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
    assert [change.kind for change in first.changes] == ["start", "load", "resolution", "restart", "warm_up"]
    paid = costs.start_s + costs.load_s + costs.resolution_s + costs.menu_s + costs.restart_s + 2 * 60
    assert first.begin_s == pytest.approx(paid)
    # Another resolution at the same preset: no restart.
    assert [change.kind for change in laid.slots[1].changes] == ["resolution"]
    assert [change.kind for change in laid.slots[2].changes] == ["setting", "resolution"]
    assert laid.counts == {
        "swap": 0, "driver": 0, "reboot": 0, "setting": 1, "load": 1, "restart": 1, "menu": 0, "resolution": 4,
    }  # fmt: skip
    spent = sum(change.seconds for slot in laid.slots for change in slot.changes) + 4 * (60 + costs.between_s)
    assert laid.total_s == pytest.approx(spent)


def test_a_machine_soaks_after_loading_and_cools_between_passes_unless_something_is_done_meanwhile() -> None:
    job = replace(work(2, 2, 2), costs=Costs(soak_s=300.0, cool_s=90.0, between_s=20.0))
    laid = plan(job, "lane_by_lane", WEEK)
    told = [[(change.kind, change.seconds) for change in slot.changes] for slot in laid.slots]
    assert ("soak", 300.0) in told[0]
    assert "cool" not in [kind for kind, _ in told[0]], "what was just soaked does not cool again"
    assert told[1] == [("cool", 70.0)], "20 s lie between passes anyway"
    # Another resolution takes 45 s with its menu or 25: so much less is waited.
    another = next(kinds for kinds in told if kinds and kinds[0][0] == "resolution" and kinds[-1][0] == "cool")
    assert sum(seconds for _, seconds in another) == pytest.approx(70.0)
    plain = plan(work(2, 2, 2), "lane_by_lane", WEEK)
    waited = sum(seconds for slot in told for kind, seconds in slot if kind in ("soak", "cool"))
    assert laid.total_s == pytest.approx(plain.total_s + waited)


def test_another_preset_costs_a_restart_where_the_game_wants_one() -> None:
    tests = tuple(PlannedTest(p, "Game", "run", "1440", p, needs_restart=True, warm_ups=0) for p in ("low", "high"))
    job = Work(tests, (PlannedLane("0", "one"),), tuple(PlannedPass(str(t), 0, t, 1) for t in (0, 1)))
    assert [change.kind for change in plan(job, "lane_by_lane", WEEK).slots[1].changes] == ["menu", "restart"]


def test_a_game_remembers_what_it_was_told() -> None:
    """Fourteen games at one condition are told once each, and never again: not in another lane or session."""
    tests = tuple(PlannedTest(f"t{i}", f"Game {i}", "run", "1440", "high", needs_restart=i == 0) for i in range(14))
    change = LaneChange((("reboot", "flip the switch", 240.0),))
    job = Work(
        tests, (PlannedLane("0", "a"), PlannedLane("1", "b")),
        tuple(PlannedPass(f"{lane}{t}{n}", lane, t, n) for lane in (0, 1) for t in range(14) for n in (1, 2)),
        {(0, 1): change, (1, 0): change},
    )  # fmt: skip
    for order in ORDERS:
        laid = plan(job, order, daily_sessions(30, 0.75))
        assert len({slot.session for slot in laid.slots}) > 1
        assert (laid.counts["resolution"], laid.counts["menu"], laid.counts["restart"]) == (14, 0, 1), order
        assert laid.counts["load"] >= 14


def test_what_still_fits_before_a_deadline_is_taken_back_in() -> None:
    lengths = (600.0, 600.0, 3600.0, 120.0, 60.0)
    tests = tuple(
        PlannedTest(f"t{i}", f"Game {i}", "run", length_s=length, warm_ups=0, priority=1 + (i > 1))
        for i, length in enumerate(lengths)
    )
    passes = tuple(PlannedPass(f"{lane}{t}", lane, t, 1) for lane in (0, 1) for t in range(5))
    job = Work(tests, (PlannedLane("0", "a"), PlannedLane("1", "b")), passes)
    whole = plan(job, "lane_by_lane", WEEK)
    cut = plan(job, "lane_by_lane", WEEK, deadline_s=whole.end_s - 1800.0)
    assert cut.dropped == (2,), "the long one went; the two short ones behind it still fit"
    assert cut.end_s <= whole.end_s - 1800.0
    least = plan(job, "lane_by_lane", WEEK, deadline_s=1500.0)
    assert least.fits
    assert {slot.one.test for slot in least.slots} == {3, 4}, "nothing urgent fits, so what does is run"


def test_a_lane_whose_part_goes_back_and_a_game_that_is_patched_go_first() -> None:
    job = work(lanes=3, tests=4, passes=2)
    back = replace(job, lanes=(*job.lanes[:2], replace(job.lanes[2], until_s=4 * 3600.0)))
    assert [one.lane for one in ordered(back, "lane_by_lane")] == [2] * 8 + [0] * 8 + [1] * 8
    patched = tuple(replace(one, patched_s=3600.0 * 24) if one.game == "Game 1" else one for one in job.tests)
    games = [job.tests[one.test].game for one in ordered(replace(job, tests=patched), "by_game")]
    assert games == ["Game 1"] * 12 + ["Game 0"] * 12


def test_what_a_date_leaves_out_is_told_with_the_date() -> None:
    # Lane after lane, a game that is patched between its lanes is left out; game after game nothing is.
    job = work(passes=6)
    days = daily_sessions(7, 1.0)
    middle = plan(job, "lane_by_lane", days).slots[34].start_s
    patched = tuple(replace(one, patched_s=middle) if one.game == "Game 1" else one for one in job.tests)
    job = replace(job, tests=patched)
    apart = plan(job, "lane_by_lane", days, keep_dates=True)
    assert (apart.dropped, dict(apart.because)) == ((3,), {3: "patch"})
    assert plan(job, "by_game", days, keep_dates=True).dropped == ()
    ran = replace(
        job,
        tests=tuple(
            replace(one, run_before=one.patched_s is not None, patched_s=one.patched_s and 0.0) for one in patched
        ),
    )
    assert plan(ran, "by_game", days, keep_dates=True).dropped == (2, 3), "half of them were run before the patch"
    soon = replace(job, tests=work().tests, lanes=(job.lanes[0], replace(job.lanes[1], until_s=3600.0)))
    early = plan(soon, "alternating", days, keep_dates=True)
    assert set(early.because.values()) == {"back"}
    assert early.dropped, "a part that goes back in an hour takes tests with it"
    assert plan(soon, "alternating", days).dropped == (), "only where dates are kept"
    over = plan(
        replace(soon, lanes=(job.lanes[0], replace(job.lanes[1], until_s=0.0))), "alternating", days, keep_dates=True
    )
    assert (over.gone, over.dropped) == ((1,), ()), "what went back already takes no test from the others"
    assert {slot.one.lane for slot in over.slots} == {0}
    both = plan(soon, "alternating", days, deadline_s=0.7 * plan(soon, "alternating", days).end_s, keep_dates=True)
    assert set(both.because.values()) == {"deadline", "back"}


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
    assert step == ("setting", "fans: low → high", costs.setting_s, "setting:fans")
    (step,) = lane_change(setup("a", "1", memory_profile="1"), setup("a", "1", memory_profile="2"), costs).steps
    assert step[0] == "reboot"
    (step,) = lane_change(setup("a", "1", Score_overlay="on"), setup("a", "1", Score_overlay="off"), costs).steps
    assert step[0] == "setting", "a score sets no cores"
    (step,) = lane_change(setup("a", "1", SMT="on"), setup("a", "1", SMT="off"), costs).steps
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
