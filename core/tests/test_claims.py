"""Sentences that used to claim too much: each says what its intervals hold, and no more."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import pytest
from kinds_files import answered, study
from rennbahn.comparing import Study, compare_study
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.words import drift_words, games_interval_words, slow_drift_words, suite_sentence
from rennbahn.inference.looks import SequentialRule
from rennbahn.kinds.limits import UNCLEAR

SIX = [{"id": f"t{i}", "scene": f"s{i}"} for i in range(6)]


def of_rates(rates: Mapping[str, float]) -> Any:
    return lambda lane, _: rates[lane["id"]]


def test_a_ladder_asks_the_band_first() -> None:
    rates = {"a": 100.0, "b": 100.6, "c": 80.0}
    data = study("ladder", [{"id": name} for name in rates], SIX, of_rates(rates), passes=12, noise=0.002)
    block = answered(data)["ladder"][0]
    pair = next(one for one in block["pairs"] if {one["a"], one["b"]} == {"a", "b"})
    assert pair["low"] > 0 or pair["high"] < 0, "off 0, but within the band"
    assert pair["verdict"] == "even"
    ranks = {one["lane"]: one["ranks"] for one in block["lanes"]}
    assert ranks == {"a": [1, 2], "b": [1, 2], "c": [3, 3]}
    assert "first place shared" in block["sentence"]["text"]
    assert "within 1.0% of each other" in block["sentence"]["text"]


def test_nine_tests_of_one_game_say_nothing_of_other_games() -> None:
    tests = [{"id": f"t{i}", "scene": f"s{i}", "game": "One"} for i in range(9)]
    data = study("a_b", [{"id": "a"}, {"id": "b"}], tests, of_rates({"a": 100.0, "b": 103.0}))
    suite = compare_study(Study.from_json(data | {"compare": [["a", "b"]]})).compare[0].suite[AVERAGE]
    assert (suite.games, suite.games_interval, suite.single_game_interval) == (1, None, None)
    assert games_interval_words(suite) == "what other games might give is not told from fewer than 8 games"


def grid(rates: Mapping[str, float], noise: float = 0.002) -> dict[str, Any]:
    lanes = [{"id": name, "levels": {"card": name[0], "link": name[1]}} for name in rates]
    found: dict[str, Any] = answered(study("grid", lanes, SIX, of_rates(rates), noise=noise))["grid"]
    return found


def test_a_grid_names_the_gain_at_both_levels() -> None:
    said = grid({"A0": 100.0, "B0": 130.0, "A1": 100.0, "B1": 110.0})["sentence"]["text"]
    assert "depends" in said
    assert "B over A gives +30." in said or "B over A gives +29." in said
    assert " at 0 and +" in said
    assert "95% interval" in said


def test_benchmarks_of_which_all_is_open_are_not_called_false() -> None:
    tests = []
    for game in ("One", "Two"):
        tests += [
            {"id": f"{game} play", "scene": f"{game} p", "game": game},
            {"id": f"{game} bench", "scene": f"{game} b", "game": game, "play_of": f"{game} play"},
        ]
    rates = {"a": 100.0, "b": 104.0}
    data = study("proxy", [{"id": "a"}, {"id": "b"}], tests, of_rates(rates), passes=2, noise=0.06)
    assert answered(data)["answer"].startswith("It is open whether these 2 benchmarks keep")


@pytest.mark.parametrize(
    ("shares", "says"),
    [
        ([0.0101, 0.0099, 0.012, 0.008], "It is open whether any lane holds"),
        ([0.05, 0.051, 0.049, 0.05], "No lane holds"),
        ([0.002, 0.001, 0.002, 0.001], "a and b hold"),
    ],
)
def test_a_budget_says_no_only_where_it_is_missed(shares: list[float], says: str) -> None:
    data = study("budget", [{"id": "a"}, {"id": "b"}], SIX, lambda *_: 90.0, passes=4)
    for at, one in enumerate(data["passes"]):
        one["over_budget_share"] = shares[at % 4]
    data["settings"]["budget_ms"] = 11.1
    assert answered(data)["answer"].startswith(says)


def test_cells_of_one_pass_and_without_a_capture_are_not_on_the_edge() -> None:
    data = study("budget", [{"id": "a"}, {"id": "b"}], SIX[:2], lambda *_: 90.0, passes=1)
    data["settings"]["budget_ms"] = 11.1
    for one in data["passes"]:
        if one["lane"] == "a":
            one["over_budget_share"] = 0.005
    said = answered(data)["answer"]
    assert "a in 0 of 2 tests, 2 with too few passes to say" in said
    assert "on the edge" not in said


def swept(rates: Mapping[float, float], noise: float) -> str:
    lanes = [{"id": str(level), "level": level, "unit": "W"} for level in rates]
    data = study("sweep", lanes, SIX, lambda lane, _: rates[lane["level"]], noise=noise)
    return str(answered(data)["answer"])


def test_sweeps_and_scalings_carry_their_interval() -> None:
    rising = swept({100.0: 60.0, 150.0: 90.0}, 0.01)
    assert "(95% interval +" in rising
    flat = swept({100.0: 60.0, 150.0: 60.0}, 0.001)
    assert flat.startswith("Even from 100 to 150 W")
    assert "no step is more than 1.0% from another" in flat
    steps = [{"id": "low", "step": 1}, {"id": "high", "step": 2}]
    scaled = answered(study("scaling", steps, SIX, of_rates({"low": 100.0, "high": 80.0})))["answer"]
    assert "(95% interval 2." in scaled
    assert " ms, 6 tests)" in scaled


def test_cards_that_add_less_than_the_band_do_not_add_nothing() -> None:
    lanes = [{"id": "one", "cards": 1}, {"id": "two", "cards": 2}]
    said = answered(study("several", lanes, SIX, of_rates({"one": 100.0, "two": 100.3}), passes=8, noise=0.002))[
        "answer"
    ]
    assert said.startswith("2 cards add less than 1.0% in average fps")


def late(order: str, noise: float = 0.005) -> tuple[Study, Any]:
    """Two equal lanes one after the other, on a bench that may drift."""
    data = study("a_b", [{"id": "a"}, {"id": "b"}], SIX, lambda *_: 90.0, passes=3, noise=noise)
    for at, one in enumerate(data["passes"]):
        lane, k = one["lane"] == "b", at % 3
        test = int(one["test"][1:])
        one["clock_h"] = 0.1 * (18 * lane + (3 * test + k if order == "lane after lane" else 6 * k + test))
    data["settings"] = {"drift_allowance": 0.01}
    whole = Study.from_json(data | {"compare": [["a", "b"]]})
    return whole, compare_study(whole).compare[0]


def test_a_drift_that_cannot_be_told_is_not_claimed() -> None:
    whole, found = late("lane after lane")
    drift, suite = found.drift[AVERAGE], found.suite[AVERAGE]
    assert drift is not None
    assert drift.held
    assert "do not show it" in slow_drift_words(drift)
    assert suite.drift is not None
    assert suite.drift.untold
    said = drift_words(suite.drift, whole.method)
    assert "cannot tell drift from lanes" in said
    assert "of it drift of the bench" not in said, "it claims nothing"
    _, found = late("rounds", noise=0.0005)
    drift = found.drift[AVERAGE]
    assert drift is not None
    assert not drift.held
    assert "taken off every margin" in slow_drift_words(drift)


@pytest.mark.parametrize("kind", ["a_b", "ladder"])
def test_lanes_on_one_session_each_are_told_where_nothing_is_stated(kind: str) -> None:
    data = study(kind, [{"id": "a"}, {"id": "b"}], SIX, of_rates({"a": 100.0, "b": 110.0}),
                 more=lambda lane, _: {"session": f"day {lane['id']}"})  # fmt: skip
    data["compare"] = [["a", "b"]]

    def sentence(settings: Mapping[str, Any]) -> str:
        whole = Study.from_json(data | {"settings": dict(settings)})
        if kind == "ladder":
            return str(answered(data | {"settings": dict(settings)})["answer"])
        return suite_sentence(compare_study(whole).compare[0].suite[AVERAGE], whole.method, AVERAGE, "a", "b").text

    assert "a and b each stand on one session" in sentence({})
    assert "stand on one session" not in sentence({"between": {"sd": 0.003, "df": None}})
    for one in data["passes"]:
        one["session"] = "day one"
    assert "stand on one session" not in sentence({}), "both ran in it"


def test_the_level_is_named_as_it_is() -> None:
    lanes = [{"id": name} for name in "abc"]
    data = study("ladder", lanes, SIX, of_rates({"a": 100.0, "b": 110.0, "c": 120.0}))
    data["settings"]["looks"] = {"first": 3, "limit": 12}
    assert "98.7% intervals" in answered(data)["answer"]
    assert SequentialRule(12).level == pytest.approx(0.012954)


def test_busy_times_of_the_card_alone_hide_nothing_that_resolutions_show() -> None:
    sizes = {"t0": [1280, 720], "t1": [1920, 1080], "t2": [2560, 1440]}
    tests = [{"id": t, "scene": "s", "resolution": size, "preset": "high"} for t, size in sizes.items()]
    data = study("a_b", [{"id": "a"}, {"id": "b"}], tests, lambda *_: 100.0, noise=0.003,
                 more=lambda *_: {"gpu_busy_ms": 6.0})  # fmt: skip
    held = {
        one["test"]: (one["held_by"], one["evidence"])
        for one in answered(data)["limits"]["tests"]
        if one["lane"] == "a"
    }
    assert held["t0"] == ("processor", "resolutions")


def test_rates_alone_leave_what_holds_them_unclear() -> None:
    data = study("a_b", [{"id": "a"}, {"id": "b"}], SIX, lambda *_: 90.0)
    limits = answered(data)["limits"]["tests"]
    assert len(limits) == 12
    assert {one["held_by"] for one in limits} == {UNCLEAR}


def test_groups_are_never_one_sentence() -> None:
    tests = [{"id": f"{g}{i}", "scene": f"s{i}", "group": g} for g in ("high", "low") for i in range(3)]
    data = study("a_b", [{"id": "a"}, {"id": "b"}], tests, of_rates({"a": 100.0, "b": 105.0}))
    whole = compare_study(Study.from_json(data | {"compare": [["a", "b"]]})).compare[0]
    assert set(whole.as_json()["suite"].values()) == {None}
    assert list(whole.groups or {}) == ["high", "low"]
    one = replace(whole, groups=None).as_json()
    assert one["suite"][AVERAGE]["tests"] == 6


def test_one_group_alone_is_named_and_is_the_whole() -> None:
    tests = [{"id": f"t{i}", "scene": f"s{i}", "group": "1440 high"} for i in range(4)]
    rates = of_rates({"a": 100.0, "b": 105.0})
    two = study("a_b", [{"id": "a"}, {"id": "b"}], tests, rates) | {"compare": [["a", "b"]]}
    whole = compare_study(Study.from_json(two))
    assert whole.compare[0].groups is None
    assert whole.as_json()["compare"][0]["suite"][AVERAGE]["tests"] == 4
    block = answered(study("ladder", [{"id": "a"}, {"id": "b"}], tests, rates))["ladder"][0]
    assert (block["group"], block["tests"]) == ("1440 high", 4)
