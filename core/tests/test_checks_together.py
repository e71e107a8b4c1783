"""Checks where faults stand beside each other: one neither hides another nor makes one up."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from rennbahn.checks import CheckedLane, CheckedPass, CheckedScene, CheckedTest, Context, Doubt, Profile, doubts_of
from rennbahn.checks.lanes import sessions_of


def profile(seed: int, rate: float = 100.0, noise: float = 0.004, **told: Any) -> Profile:
    """A capture of 40 s in brief, which swings along its scene and scatters from run to run."""
    rng = np.random.default_rng(seed)
    own = rate * math.exp(rng.normal(0.0, noise))
    fps = own * (1.0 + 0.05 * np.sin(np.arange(80) / 9.0)) * np.exp(rng.normal(0.0, 0.004, 80))
    given: dict[str, Any] = {
        "frames": int(own * 40), "duration_s": 40.0, "average_fps": own, "low_1_fps": 0.75 * own, "cap": "none",
        "lock_fps": own, "cap_name": "", "lock_share": 0.1, "cap_meant": False, "stutters": 0, "stutter_lost_ms": 0.0,
        "flags": (), "bound_by": "", "bin_s": 0.5, "fps": tuple(fps.tolist()),
        "uneven": tuple((0.08 + 0.01 * rng.random(80)).tolist()), "courses": {}, "gaps": (), "channels": (),
        "digest": str(seed), "sketch": tuple((1000.0 / fps).tolist()),
    }  # fmt: skip
    return Profile(**given | told)


def context(passes: list[CheckedPass], lanes: str = "ab") -> Context:
    """A study of the tests and lanes that its passes name."""
    tests = list(dict.fromkeys(one.test for one in passes))
    return Context(
        scenes=tuple(CheckedScene(f"s{t}", f"Game {t}", "run", "route", 40.0) for t in tests),
        tests=tuple(CheckedTest(t, f"s{t}", "1440 high") for t in tests),
        lanes=tuple(CheckedLane(lane, f"lane {lane}") for lane in lanes),
        passes=tuple(passes),
        noise={},
    )


def run(lane: str, test: str, number: int, own: Profile, **told: Any) -> CheckedPass:
    return CheckedPass(id=f"{lane}{test}{number}", lane=lane, test=test, number=number, profile=own, **told)


def cell(lane: str, test: str, rate: float, **told: Any) -> list[CheckedPass]:
    """Three passes."""
    return [run(lane, test, k, profile(100 * ord(lane) + 10 * ord(test) + k, rate, **told)) for k in (1, 2, 3)]


def of(found: list[Doubt], check: str) -> list[Doubt]:
    return [one for one in found if one.check == check]


def locked(at: CheckedPass, fps: float, **told: Any) -> CheckedPass:
    """The pass, held at a rate by something."""
    held = tuple([fps] * 80)
    own = replace(
        at.profile, cap="capped", lock_fps=fps, average_fps=fps, lock_share=0.95, fps=held, cap_name="unexplained"
    )
    return replace(at, profile=replace(own, **told))


def test_a_lock_without_a_name_over_a_whole_cell_is_doubted() -> None:
    held = [locked(one, 93.7) for one in cell("b", "t", 93.7)]
    free = cell("a", "t", 101.0)
    assert {one.on for one in of(doubts_of(context([*free, *held])), "lock")} == {one.id for one in held}
    alone = [locked(one, 93.7 * (1 + 1e-4 * k)) for k, one in enumerate(cell("b", "t", 93.7))]
    assert len(of(doubts_of(context(alone)), "lock")) == 3, "runs of a scene do not agree to a hair"
    even = [
        replace(one, profile=replace(one.profile, lock_share=0.9, lock_fps=one.profile.average_fps, cap="partly"))
        for lane, rate in (("a", 93.0), ("b", 104.0))
        for one in cell(lane, "t", rate)
    ]
    assert of(doubts_of(context(even)), "lock") == [], "a scene that runs evenly does so everywhere, at its own rate"


def test_a_known_cap_is_meant_where_all_passes_carry_it() -> None:
    meant = {"cap_meant": True, "cap_name": "frame limit"}
    all_held = [locked(one, 90.0, **meant) for one in cell("a", "t", 90.0)]
    assert of(doubts_of(context(all_held)), "lock") == []
    first, *others = cell("a", "t", 97.0)
    (doubt,) = of(doubts_of(context([locked(first, 90.0, **meant), *others])), "lock")
    assert doubt.on == first.id
    assert "which other passes of its test in this lane are not" in doubt.words


@pytest.mark.parametrize("label", ["not_gpu", "cpu"])
def test_a_lane_like_another_is_found_beside_a_test_that_the_processor_holds(label: str) -> None:
    passes = [
        one for t in "uvwx" for one in [*cell("a", t, 100.0, bound_by="gpu"), *cell("b", t, 108.0, bound_by="gpu")]
    ]
    processor = [one for lane in "ab" for one in cell(lane, "p", 140.0, bound_by=label)]
    same = [one for lane in "ab" for one in cell(lane, "z", 80.0, bound_by="gpu")]
    found = of(doubts_of(context([*passes, *processor, *same])), "like_another_lane")
    assert [one.test for one in found] == ["z"]
    assert of(doubts_of(context([*passes, *processor])), "like_another_lane") == [], "the processor holds both alike"


def test_one_odd_cell_hides_no_shifted_session() -> None:
    passes = []
    for at, t in enumerate("pqrstuvw"):
        for k, session in enumerate(("first", "first", "second", "second")):
            rate = 100.0 * (1.0 if session == "first" else 0.985)
            if t == "p" and session == "second":
                rate = 125.0
            own = profile(1000 + 10 * at + k, rate, 0.002)
            passes.append(run("a", t, k + 1, own, session=session))
    found = of(doubts_of(context(passes, "a")), "offset")
    assert [abs(one.evidence["shift"]) for one in found] == [pytest.approx(0.015, abs=0.005)]


def test_sessions_follow_time_and_not_the_order_of_the_list() -> None:
    clocks = {"a1": 0.1, "b1": 0.2, "a2": 0.3, "b2": 0.4, "a3": 24.1, "b3": 24.2}
    passes = [
        run(lane, "t", k, profile(k), clock_h=clocks[f"{lane}{k}"]) for lane in "ab" for k in (1, 2, 3)
    ]  # lane by lane, as such lists are kept
    found = sessions_of(context(passes))
    assert {name[0] + name[2]: session for name, session in found.items()} == {
        "a1": "1", "b1": "1", "a2": "1", "b2": "1", "a3": "2", "b3": "2",
    }  # fmt: skip


def test_a_habit_of_first_passes_shows_beside_another_fault() -> None:
    passes = []
    for at, t in enumerate("pqrstuv"):
        first = profile(50 * at + 1, 97.5, 0.002)
        if t == "s":  # the game crashed to a menu there, which runs at three times the rate
            first = replace(profile(50 * at + 1, 300.0, 0.002), gaps=((20.0, 2500.0),))
        passes += [run("a", t, 1, first, after_load=True)]
        passes += [run("a", t, k, profile(50 * at + k, 100.0, 0.002)) for k in (2, 3)]
    habits = [one for one in of(doubts_of(context(passes, "a")), "slow_first") if one.on is None]
    assert len(habits) == 1
    assert habits[0].evidence["off"] == pytest.approx(-0.025, abs=0.01)


def test_a_first_pass_that_is_faster_is_not_called_cold() -> None:
    cold = profile(1, 103.0, 0.0)
    slow_start = tuple([0.97 * x for x in cold.fps[:26]] + [1.03 * x for x in cold.fps[26:]])
    passes = [run("a", "t", 1, replace(cold, fps=slow_start), after_load=True)]
    passes += [run("a", "t", k, profile(k, 100.0, 0.001)) for k in (2, 3)]
    assert of(doubts_of(context(passes, "a")), "slow_first") == []


def test_a_pause_in_the_middle_is_not_trimmed_as_loading() -> None:
    short = replace(profile(7), duration_s=20.0, fps=profile(7).fps[:40], uneven=profile(7).uneven[:40])
    paused = replace(short, gaps=((15.2, 1400.0),))
    others = [run("a", "t", k, replace(short, digest=str(k))) for k in (2, 3)]
    found = doubts_of(context([run("a", "t", 1, paused), *others]))
    assert "pause" in {one.check for one in found if one.on == "at1"}
    assert of(found, "loading") == []


def test_clean_passes_do_not_throttle_beside_one_with_a_loading_screen() -> None:
    passes = cell("a", "t", 100.0)
    fps = passes[0].profile.fps
    screen = tuple([30.0] * 16) + fps[16:]
    bad = replace(passes[0], profile=replace(passes[0].profile, fps=screen))
    found = doubts_of(context([bad, *passes[1:]]))
    assert {one.on for one in of(found, "loading")} == {bad.id}
    assert of(found, "throttling") == []


def two_lanes(margin: float, **odd: list[CheckedPass]) -> list[CheckedPass]:
    """Lane b a margin ahead of lane a in seven tests, with the passes of one test replaced."""
    passes: list[CheckedPass] = []
    for number, test in enumerate("ABCDEFG"):
        rate = 80.0 + 9.0 * number
        own = odd.get(test) or [*cell("a", test, rate), *cell("b", test, rate * (1.0 + margin + 0.004 * (number % 3)))]
        passes += own
    return passes


def causes(doubt: Doubt) -> dict[str, float]:
    names, likelihoods = doubt.evidence["causes"], doubt.evidence["likelihoods"]
    assert isinstance(names, list)
    assert isinstance(likelihoods, list)
    assert likelihoods == sorted(likelihoods, reverse=True)
    return dict(zip(names, likelihoods, strict=True))


def test_two_lanes_whose_files_are_changed_over_in_one_test_are_found_and_called_so() -> None:
    assert of(doubts_of(context(two_lanes(0.1))), "unlike_elsewhere") == []
    swapped = two_lanes(0.1, D=[*cell("a", "D", 117.0), *cell("b", "D", 106.0)])
    (doubt,) = of(doubts_of(context(swapped)), "unlike_elsewhere")
    assert (doubt.lane, doubt.test) == ("b", "D")
    assert causes(doubt)["swapped"] > 0.8
    assert "changed over" in doubt.words
    assert doubt.words.startswith("lane b is ")


def test_a_lane_that_something_holds_at_no_round_rate_in_all_its_passes_is_found() -> None:
    held = [locked(one, 83.7) for one in cell("b", "D", 107.0)]
    (doubt,) = of(doubts_of(context(two_lanes(0.1, D=[*cell("a", "D", 107.0), *held]))), "unlike_elsewhere")
    assert doubt.lane == "b"
    assert next(iter(causes(doubt))) == "held"
    assert "held at 83.7 fps" in doubt.words


def test_twice_the_rate_is_called_generated_frames_and_another_preset_a_setting() -> None:
    twice = [*cell("a", "D", 107.0), *cell("b", "D", 107.0 * 1.1 * 2.0)]
    (doubt,) = of(doubts_of(context(two_lanes(0.1, D=twice))), "unlike_elsewhere")
    assert "generated frames?" in doubt.words
    preset = [*cell("a", "D", 107.0), *cell("b", "D", 107.0 * 1.1 * 0.7)]
    (doubt,) = of(doubts_of(context(two_lanes(0.1, D=preset))), "unlike_elsewhere")
    assert next(iter(causes(doubt))) == "setting"


def test_a_lane_that_ran_another_resolution_in_all_its_passes_has_the_level_of_that_test() -> None:
    """Both tests are of one scene, under other conditions."""
    scenes = [
        *(CheckedScene(f"s{t}", f"Game {t}", "run", "route", 40.0) for t in "ABCDEF"),
    ]
    passes = [one for one in two_lanes(0.1, D=[*cell("a", "D", 107.0), *cell("b", "D", 80.0)]) if one.test != "G"]
    passes += [*cell("a", "G", 72.5), *cell("b", "G", 80.1)]
    found = Context(
        scenes=tuple(scenes),
        tests=(*(CheckedTest(t, f"s{t}", "1440 high") for t in "ABCDEF"), CheckedTest("G", "sD", "4K high")),
        lanes=(CheckedLane("a", "lane a"), CheckedLane("b", "lane b")), passes=tuple(passes), noise={},
    )  # fmt: skip
    (doubt,) = of(doubts_of(found), "unlike_elsewhere")
    assert doubt.test == "D"
    assert next(iter(causes(doubt))) == "condition"
    assert "the level of “4K high”" in doubt.words


def test_margins_that_differ_from_game_to_game_are_no_doubt() -> None:
    chance = np.random.default_rng(3)
    alarms = 0
    for seed in range(60):
        passes: list[CheckedPass] = []
        for number, test in enumerate("ABCDEFGH"):
            rate, margin = 80.0 + 9.0 * number, float(chance.normal(0.08, 0.05))
            for lane, own in (("a", rate), ("b", rate * (1.0 + margin))):
                passes += [
                    run(lane, test, k, profile(1000 * seed + 10 * number + 500 * (lane == "b") + k, own))
                    for k in (1, 2, 3)
                ]
        alarms += len(of(doubts_of(context(passes), ["unlike_elsewhere"]), "unlike_elsewhere"))
    assert alarms <= 2
