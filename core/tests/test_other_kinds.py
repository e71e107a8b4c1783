"""Budgets, several cards, proxy checks and limits, beside a second computation."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import pytest
from kinds_files import ONE, SIX, answered, logs, study
from rennbahn.errors import RennbahnError
from scipy import stats


def test_a_budget_holds_misses_or_is_open() -> None:
    over = {"a": [0.002, 0.003, 0.0025, 0.0028, 0.0022], "b": [0.03, 0.034, 0.031, 0.029, 0.033]}
    shares = {lane: iter(own * len(SIX)) for lane, own in over.items()}

    def more(lane: Mapping[str, Any], _: Mapping[str, Any]) -> Mapping[str, Any]:
        busy = {"gpu_busy_ms": 8.0, "cpu_busy_ms": 5.0, "longest_spell_s": 0.2}
        return {"over_budget_share": next(shares[lane["id"]])} | busy

    data = study("budget", [{"id": "a"}, {"id": "b"}], SIX, lambda *_: 95.0, settings={"budget_ms": 10.0}, more=more)
    budget = answered(data)["budget"]
    cells = {(one["lane"], one["test"]): one for one in budget["cells"]}
    own = cells["a", "t0"]
    assert own["inside"] == pytest.approx(1 - 0.0025)
    assert own["low"] < own["inside"] < own["high"]
    # On the angles of the roots both ends lie as far from the mean.
    middle = float(np.arcsin(np.sqrt(over["a"])).mean())
    assert own["high"] == pytest.approx(1 - math.sin(2 * middle - math.asin(math.sqrt(1 - own["low"]))) ** 2)
    assert (own["holds"], cells["b", "t0"]["holds"]) == (True, False)
    assert own["card_limit_fps"] == pytest.approx(125)
    assert own["processor_headroom"] == pytest.approx(0.5)
    assert budget["sentence"]["text"].startswith("a holds 10.00 ms everywhere")
    assert {one["test"] for one in budget["hardest"] if one["lane"] == "b"} == {None}


@pytest.mark.parametrize(
    ("over", "sentence"),
    [
        ({"a": 0.0, "b": 0.0}, "High is the most that is shown to hold 100 fps in every scene in every lane"),
        ({"a": 0.05, "b": 0.05}, "Medium is the most that is shown to hold 100 fps in every scene in every lane"),
        (
            {"a": 0.0, "b": 0.05},
            "High with Lane a and medium with Lane b: the most that is shown to hold 100 fps in every scene",
        ),
        (
            {"a": 0.0, "b": 1.0},
            "High with Lane a: the most that is shown to hold 100 fps in every scene; nothing does with Lane b",
        ),
        ({"a": 1.0, "b": 1.0}, "No preset holds 100 fps in every scene"),
    ],
)
def test_a_budget_says_which_preset_holds_everywhere(over: Mapping[str, float], sentence: str) -> None:
    presets = {"low": 120.0, "medium": 105.0, "high": 99.0}
    tests = [
        {"id": f"{scene}{name}", "scene": f"s{scene}", "conditions": name} for scene in range(2) for name in presets
    ]

    def more(lane: Mapping[str, Any], test: Mapping[str, Any]) -> Mapping[str, Any]:
        late = over[lane["id"]] if test["conditions"] == "high" or over[lane["id"]] == 1.0 else 0.001
        return {"over_budget_share": late}

    lanes = [{"id": key, "name": f"Lane {key}"} for key in over]
    data = study(
        "budget", lanes, tests, lambda _, test: presets[test["conditions"]], settings={"budget_ms": 10.0}, more=more
    )
    assert answered(data)["budget"]["sentence"]["text"].startswith(sentence)


def test_what_a_second_card_adds_and_what_holds_the_rest() -> None:
    def more(lane: Mapping[str, Any], _: Mapping[str, Any]) -> Mapping[str, Any]:
        two = lane["id"] == "two"
        groups = {"flip_share": 0.9, "amplitude": 0.3, "alternating": two, "period": 2 if two else None}
        return {"gpu_busy_ms": 6.0 if two else 16.0, "cpu_busy_ms": 10.1 if two else 9.0, "alternation": groups}

    lanes = [{"id": "one", "cards": 1, "power_w": 200}, {"id": "two", "cards": 2, "power_w": 390}]
    data = study("several", lanes, ONE, lambda lane, _: 60.0 if lane["id"] == "one" else 96.0, more=more)
    found = answered(data)
    added = found["several"]["scaling"][0]
    a, b = logs(data, "one", "t"), logs(data, "two", "t")
    pooled = math.sqrt((((a - a.mean()) ** 2).sum() + ((b - b.mean()) ** 2).sum()) / 8)
    margin = math.log(np.exp(b).mean() / np.exp(a).mean())
    assert added["margin"] == pytest.approx(math.expm1(margin))
    assert added["high"] == pytest.approx(math.expm1(margin + stats.t.ppf(0.975, 8) * pooled * math.sqrt(2 / 5)))
    assert added["held_by"] == "processor"
    assert (added["alternating"], added["alternating_alone"], added["watts"]) == (1.0, 0.0, 190)
    assert {one["lane"]: one["held_by"] for one in found["limits"]["tests"]} == {"one": "card", "two": "processor"}
    with pytest.raises(RennbahnError, match="cards 1"):
        answered(study("several", [{"id": "two", "cards": 2}], ONE, lambda *_: 60.0))


def test_a_gauge_is_told_with_the_test_behind_it() -> None:
    tests = [
        {"id": "bench", "scene": "b", "game": "Tern", "play_of": "play"},
        {"id": "play", "scene": "p", "game": "Tern"},
    ]

    def gauge(play: Callable[[str], float], passes: int = 12) -> dict[str, Any]:
        def rate(lane: Mapping[str, Any], test: Mapping[str, Any]) -> float:
            return (60.0 + 10 * "abc".index(lane["id"])) * (play(lane["id"]) if test["id"] == "play" else 1.0)

        data = study("proxy", [{"id": name} for name in "abc"], tests, rate, passes=passes, noise=0.005)
        found: dict[str, Any] = answered(data)["proxy"][0]
        means = {at: math.log(np.exp(logs(data, *at)).mean()) for at in itertools.product("abc", ("bench", "play"))}
        ratios = {lane: means[lane, "play"] - means[lane, "bench"] for lane in "abc"}
        widest = found["widest"]
        assert widest["value"] == pytest.approx(math.exp(ratios[widest["b"]] - ratios[widest["a"]]))
        return found

    assert gauge(lambda _: 1.0)["gauge"] == "absolute"
    assert gauge(lambda _: 0.8)["gauge"] == "relative"
    off = gauge(lambda lane: 0.8 if lane == "c" else 1.0)
    assert (off["gauge"], off["game"]) == ("neither", "Tern")
    assert "c" in (off["widest"]["a"], off["widest"]["b"])
    assert "does not keep the ratios" in off["sentence"]["text"]
    assert gauge(lambda lane: 0.98 if lane == "c" else 1.0, passes=2)["gauge"] == "open"


def test_limits_from_resolutions_and_locks() -> None:
    sizes = ((1280, 720), (1920, 1080), (2560, 1440), (3840, 2160))
    tests = [{"id": f"r{h}", "scene": "s", "resolution": [w, h], "preset": "high"} for w, h in sizes]

    def rate(_: Mapping[str, Any], test: Mapping[str, Any]) -> float:
        return min(140.0, 300.0 * (1280 * 720 / math.prod(test["resolution"])) ** 0.9)

    data = study("a_b", [{"id": "a"}], tests, rate)
    limits = answered(data)["limits"]
    assert [one["held_by"] for one in limits["tests"]] == ["processor", "processor", "card", "card"]
    assert {one["evidence"] for one in limits["tests"]} == {"resolutions"}
    (ceiling,) = limits["scenes"]
    assert ceiling["low"] < 140 < ceiling["high"]
    for one in data["passes"]:
        one["flags"] = ["capped"]
    assert {one["held_by"] for one in answered(data)["limits"]["tests"]} == {"cap"}


def test_limits_from_presets_are_never_sure() -> None:
    tests = [{"id": preset, "scene": "s", "resolution": [1920, 1080], "preset": preset} for preset in ("low", "high")]
    (one, _) = answered(study("a_b", [{"id": "a"}], tests, lambda *_: 140.0, noise=0.002))["limits"]["tests"]
    assert (one["held_by"], one["evidence"]) == ("processor", "presets")
    assert one["sure"] <= 0.7
