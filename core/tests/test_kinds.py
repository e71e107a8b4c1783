"""Answers to every kind of study, beside a second computation that shares nothing with the first."""

from __future__ import annotations

import dataclasses
import json
import math
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from kinds_files import ONE, SIX, answered, logs, study
from rennbahn.cli import main
from rennbahn.comparing.model import AVERAGE, Study
from rennbahn.errors import RennbahnError
from rennbahn.inference.ranges import widest_t
from rennbahn.kinds.budget import budget_of
from rennbahn.kinds.knee import knee_of
from scipy import stats
from trials.kinds import CASES

STUDIES = 40


def test_pairs_of_a_ladder_are_those_of_a_second_computation() -> None:
    data = study("ladder", [{"id": c} for c in "abcd"], ONE, lambda lane, _: 60.0 + "abcd".index(lane["id"]))
    block = answered(data)["ladder"][0]
    second = stats.tukey_hsd(*(logs(data, lane, "t") for lane in "abcd")).confidence_interval(0.95)
    for pair in block["pairs"]:
        i, j = "abcd".index(pair["b"]), "abcd".index(pair["a"])
        low, high = math.log1p(pair["low"]), math.log1p(pair["high"])
        assert high - low == pytest.approx(second.high[i, j] - second.low[i, j], rel=1e-4)
        means = [math.log(np.exp(logs(data, lane, "t")).mean()) for lane in (pair["a"], pair["b"])]
        assert (high + low) / 2 == pytest.approx(means[1] - means[0])


def test_the_widest_of_many_differences_is_that_of_the_tables() -> None:
    for lanes, df in ((2, 7.0), (4, 12.0), (30, 60.0)):
        table = stats.studentized_range.ppf(0.95, lanes, df) / math.sqrt(2)
        assert widest_t(lanes, df, 0.05) == pytest.approx(table, rel=2e-5)
    assert math.isnan(widest_t(3, 0.5, 0.05))


def test_a_ladder_ranks_shares_ranks_and_names_the_outclassed() -> None:
    rates = {"best": 120.0, "same": 120.0, "dear": 90.0, "cheap": 100.0, "slow": 60.0}
    price = {"best": 500, "same": 450, "dear": 400, "cheap": 300, "slow": 200}
    lanes = [{"id": name, "price": price[name], "power_w": 200} for name in rates]
    data = study("ladder", lanes, SIX, lambda lane, _: rates[lane["id"]], settings={"targets": [95, 120, 200]})
    block = answered(data)["ladder"][0]
    by_lane = {one["lane"]: one for one in block["lanes"]}
    assert [one["lane"] for one in block["lanes"]][2:] == ["cheap", "dear", "slow"]
    assert by_lane["best"]["ranks"] == by_lane["same"]["ranks"] == [1, 2]
    assert by_lane["cheap"]["ranks"] == [3, 3]
    assert [by_lane[name]["tier"] for name in ("best", "same", "cheap", "dear", "slow")] == [1, 1, 2, 3, 4]
    assert by_lane["dear"]["outclassed_by"] == "cheap"
    assert by_lane["slow"]["outclassed_by"] is None
    assert by_lane["cheap"]["per_watt"] == pytest.approx(by_lane["cheap"]["fps"] / 200)
    held, edge, none = block["needs"]
    assert set(held["hold"]) == {"best", "same", "cheap"}
    assert held["cheapest"] == "cheap"
    assert "same" in edge["on_edge"]
    assert none["hold"] == []
    assert none["cheapest"] is None
    assert "first place shared" in block["sentence"]["text"]
    assert none["words"] == "For 200 fps on average over the tests: no lane holds it."


def test_a_lane_without_results_is_absent_and_a_missing_cell_leaves_its_test_out() -> None:
    def rate(lane: Mapping[str, Any], test: Mapping[str, Any]) -> float | None:
        if lane["id"] == "gone" or (lane["id"], test["id"]) == ("b", "t1"):
            return None
        return {"a": 60.0, "b": 70.0}[lane["id"]]

    block = answered(study("ladder", [{"id": "a"}, {"id": "b"}, {"id": "gone"}], SIX, rate))["ladder"][0]
    assert block["absent"] == ["gone"]
    assert block["tests"] == 5
    assert block["left_out"] == [{"test": "t1", "lane": "b", "reason": "did_not_launch"}]


def test_a_ladder_of_groups_mixes_none() -> None:
    tests = [{"id": f"{g}{i}", "scene": f"s{i}", "group": g} for g in ("high", "low") for i in range(3)]
    rates = {("a", "high"): 60.0, ("b", "high"): 70.0, ("a", "low"): 110.0, ("b", "low"): 100.0}
    data = study("ladder", [{"id": "a"}, {"id": "b"}], tests, lambda lane, test: rates[lane["id"], test["group"]])
    blocks = [block for block in answered(data)["ladder"] if block["figure"] == AVERAGE]
    first = {block["group"]: block["lanes"][0]["lane"] for block in blocks}
    assert first == {"high": "b", "low": "a"}


def test_a_knee_is_found_where_a_second_computation_puts_it() -> None:
    levels = np.arange(100.0, 180.0, 10.0)
    rng = np.random.default_rng(3)
    values = 60 + 0.3 * np.minimum(levels, 140) + 0.02 * np.maximum(levels - 140, 0) + rng.normal(0, 0.1, len(levels))
    found = knee_of(levels, values, np.full(len(levels), 0.1), 60.0)
    assert found is not None
    least = {}
    for place in np.arange(110, 161, 1.25):
        design = np.column_stack([np.ones(8), np.minimum(levels, place), np.maximum(levels - place, 0)])
        least[place] = float(np.linalg.lstsq(design, values, rcond=None)[1][0])
    assert found.level == pytest.approx(min(least, key=lambda place: least[place]))
    assert found.low <= 140 <= found.high
    assert knee_of(levels, 60 + 0.3 * levels, np.full(8, 0.1), 60.0) is None
    assert knee_of(levels[:3], values[:3], np.full(3, 0.1), 60.0) is None, "three points show no bend"


def swept(curve: Callable[[float], float], **more: Any) -> dict[str, Any]:
    lanes = [{"id": f"p{x}", "level": x, "unit": "W", "power_w": x} for x in range(100, 180, 10)]
    rival = {"id": "rival", "rival": True, "power_w": 145}

    def rate(lane: Mapping[str, Any], _: Mapping[str, Any]) -> float:
        return curve(lane["level"]) if "level" in lane else 80.0

    return study("sweep", [*lanes, rival], SIX, rate, **more)


def test_a_sweep_tells_shape_watts_and_equal_power() -> None:
    sweep = answered(swept(lambda x: 60 + 0.3 * min(x, 140) + 0.02 * max(x - 140, 0)))["sweep"]
    assert sweep["shape"] == "rising"
    assert 130 <= sweep["knee"]["level"] <= 150
    assert sweep["best_per_watt"]["level"] == 100
    at = sweep["equal_power"]
    assert at["margin"] == pytest.approx((60 + 42 + 0.1) / 80 - 1, abs=0.02)
    assert at["verdict"] == "ahead"
    assert sweep["points"][1]["gained"] == pytest.approx(0.3, abs=0.1)
    assert "a step brings clearly less" in sweep["sentence"]["text"]


@pytest.mark.parametrize(
    ("curve", "shape", "says"),
    [
        (lambda _: 80.0, "flat", "Even"),
        (lambda x: 60 + 0.2 * x, "rising", "no knee is shown"),
        (lambda x: 120 - 0.2 * x, "falling", "less"),
        (lambda x: 100 - 0.01 * (x - 140) ** 2, "peaked", "W"),
    ],
)
def test_the_shape_of_a_sweep(curve: Callable[[float], float], shape: str, says: str) -> None:
    sweep = answered(swept(curve, noise=0.004))["sweep"]
    assert sweep["shape"] == shape
    assert says in sweep["sentence"]["text"]


def test_a_rival_outside_the_swept_range_is_not_compared() -> None:
    data = swept(lambda x: x)
    data["lanes"][-1]["power_w"] = 400
    assert answered(data)["sweep"]["equal_power"] is None


def test_a_grid_is_that_of_a_second_computation() -> None:
    lanes = [{"id": a + b, "levels": {"processor": a, "interface": b}} for a in "ab" for b in "xy"]
    rates = {"ax": 60.0, "ay": 63.0, "bx": 66.0, "by": 72.0}
    data = study("grid", lanes, ONE, lambda lane, _: rates[lane["id"]])
    grid = answered(data)["grid"]
    cells = {name: logs(data, name, "t") for name in rates}
    means = {name: math.log(float(np.exp(x).mean())) for name, x in cells.items()}
    pooled = math.sqrt(sum(((x - x.mean()) ** 2).sum() for x in cells.values()) / 16)
    effect = (means["bx"] + means["by"] - means["ax"] - means["ay"]) / 2
    reach = stats.t.ppf(0.975, 16) * pooled * math.sqrt(4 / 5) / 2
    first = grid["effects"][0]
    assert (first["factor"], first["level"], first["over"]) == ("processor", "b", "a")
    assert [first["margin"], first["low"], first["high"]] == pytest.approx(
        [math.expm1(effect), math.expm1(effect - reach), math.expm1(effect + reach)], rel=1e-9
    )
    both = means["by"] - means["bx"] - means["ay"] + means["ax"]
    assert grid["interaction"]["value"] == pytest.approx(math.expm1(both))
    assert grid["interaction"]["low"] == pytest.approx(math.expm1(both - 2 * reach))
    assert grid["tests"][0]["interaction"]["value"] == pytest.approx(math.expm1(both))


def test_a_grid_says_what_depends_and_what_is_missing() -> None:
    lanes = [{"id": a + b, "levels": {"processor": a, "interface": b}} for a in "ab" for b in "xy"]
    same = {"ax": 60.0, "ay": 63.0, "bx": 66.0, "by": 69.3}
    data = study("grid", lanes, SIX, lambda lane, _: same[lane["id"]], noise=0.003)
    grid = answered(data)["grid"]
    assert grid["interaction"]["verdict"] == "does_not_depend"
    assert "does not depend" in grid["sentence"]["text"]
    data = study("grid", lanes, SIX, lambda lane, _: (same | {"by": 75.0})[lane["id"]], noise=0.003)
    assert answered(data)["grid"]["interaction"]["verdict"] == "depends"
    grid = answered(study("grid", lanes[:3], SIX, lambda lane, _: same[lane["id"]]))["grid"]
    assert grid["missing"] == [["b", "y"]]
    assert grid["interaction"] is None
    with pytest.raises(RennbahnError, match="two factors"):
        answered(study("grid", [{"id": "a", "levels": {"processor": "a"}}], ONE, lambda *_: 60.0))


def test_costs_of_steps_are_those_of_a_second_computation() -> None:
    lanes = [{"id": "off", "step": 1}, {"id": "on", "step": 2}, {"id": "up", "step": 3, "upscaled_from": "off"}]
    rates = {"off": 120.0, "on": 80.0, "up": 100.0}
    data = study("scaling", lanes, ONE, lambda lane, _: rates[lane["id"]])
    scaling = answered(data)["scaling"]
    cells = {name: logs(data, name, "t") for name in rates}
    mean = {name: float(np.exp(x).mean()) for name, x in cells.items()}
    pooled = math.sqrt(sum(((x - x.mean()) ** 2).sum() for x in cells.values()) / 12)
    cost = 1000 / mean["on"] - 1000 / mean["off"]
    reach = stats.t.ppf(0.975, 12) * pooled * math.hypot(1000 / mean["on"], 1000 / mean["off"]) / math.sqrt(5)
    step = scaling["steps"][0]
    assert [step["from"], step["to"]] == ["off", "on"]
    assert [step["cost_ms"], step["low"], step["high"]] == pytest.approx([cost, cost - reach, cost + reach])
    assert step["margin_down"] == pytest.approx(mean["on"] / mean["off"] - 1)
    assert (1 + step["margin_up"]) * (1 + step["margin_down"]) == pytest.approx(1)
    assert [one["test"] for one in (*scaling["steps"], *scaling["suite"])] == ["t", "t", None, None]
    kept = scaling["upscaling"][0]
    assert kept["share_kept"] == pytest.approx(mean["up"] / mean["off"])
    assert kept["share_low"] < kept["share_kept"] < kept["share_high"]
    assert step["words"].startswith("Off to on costs 33")
    assert "back again gains" in step["words"]


@pytest.mark.parametrize(
    ("part", "key", "value", "told"),
    [
        ("lanes", "level", "high", "form"),
        ("lanes", "price", -1, "above 0"),
        ("lanes", "upscaled_from", "nobody", "not there"),
        ("tests", "resolution", [1920], "width, height"),
        ("tests", "play_of", "nothing", "not there"),
        ("passes", "card_over_share", 1.5, "share from 0 to 1"),
    ],
)
def test_what_is_wrong_in_a_file_is_named(part: str, key: str, value: Any, told: str) -> None:
    data = study("ladder", [{"id": "a"}, {"id": "b"}], ONE, lambda *_: 60.0)
    data[part][0][key] = value
    with pytest.raises(RennbahnError, match=told):
        Study.from_json(data)


def test_the_command_line_tells_answers_and_refuses_a_sweep_without_levels(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rates = {"a": 60.0, "b": 90.0}
    good = tmp_path / "good.json"
    good.write_text(json.dumps(study("ladder", [{"id": "a"}, {"id": "b"}], ONE, lambda lane, _: rates[lane["id"]])))
    bad = tmp_path / "bad.json"
    bad.write_text(json.dumps(study("sweep", [{"id": "a"}], ONE, lambda *_: 60.0)))
    assert main(["study", str(good), str(bad)]) == 2
    out, err = capsys.readouterr()
    assert "b: first of 2 lanes in average fps, 5" in out
    assert "has no level" in err


@pytest.mark.parametrize("case", CASES)
def test_rates_are_those_that_are_stated(case: str) -> None:
    for row in CASES[case](np.random.default_rng(7), STUDIES):
        low, high = row.stated
        chance = 3.0 * math.sqrt(max(row.ours * (1.0 - row.ours), 0.02) / STUDIES)
        assert low - chance <= row.ours <= high + chance, row


def test_a_step_counts_where_the_steps_have_it_and_says_so_once() -> None:
    lanes = [{"id": "low", "step": 1}, {"id": "high", "step": 2}, {"id": "upscaled", "upscaled_from": "low"}]
    rates = {"low": 90.0, "high": 60.0, "upscaled": 80.0}
    tests = [{"id": "t", "scene": "s"}, {"id": "u", "scene": "v"}]

    def rate(lane: Mapping[str, Any], test: Mapping[str, Any]) -> float | None:
        return None if (lane["id"], test["id"]) == ("upscaled", "u") else rates[lane["id"]]

    block = answered(study("scaling", lanes, tests, rate))["scaling"]
    assert (block["tests"], block["left_out"]) == (2, [])


def test_steps_stay_within_a_resolution_and_modes_are_held_against_native() -> None:
    lanes = [
        {"id": "native", "step": 1, "chain": "2160"}, {"id": "other", "step": 2, "chain": "1440"},
        {"id": "quality", "step": 3, "chain": "2160", "mode_of": "native"},
        {"id": "low", "step": 4, "chain": "1440"},
    ]  # fmt: skip
    rates = {"native": 50.0, "other": 90.0, "quality": 64.0, "low": 120.0}
    tests = [{"id": "t", "scene": "s"}, {"id": "u", "scene": "v"}]
    block = answered(study("scaling", lanes, tests, lambda lane, _: rates[lane["id"]], noise=0.002))["scaling"]
    assert [(one["from"], one["to"]) for one in block["suite"]] == [("native", "quality"), ("other", "low")]
    (mode,) = block["modes"]
    assert (mode["from"], mode["to"], mode["verdict"]) == ("native", "quality", "ahead")
    assert mode["margin_down"] == pytest.approx(0.28, abs=0.01)
    assert mode["words"].startswith("Quality against native, the same size put out: 27.")
    assert mode["words"].endswith(" ms less a frame")


def test_a_budget_of_many_cells_is_answered_in_time_that_grows_with_them() -> None:
    lanes = [{"id": f"l{n}"} for n in range(20)]
    tests = [{"id": f"t{n}", "scene": f"s{n}"} for n in range(60)]
    data = study("budget", lanes, tests, lambda *_: 90.0, passes=3, more=lambda *_: {"over_budget_share": 0.01})
    whole = Study.from_json(data)

    class Counted(tuple[Any, ...]):
        walks = 0

        def __iter__(self) -> Any:
            Counted.walks += 1
            return super().__iter__()

    found = budget_of(dataclasses.replace(whole, passes=Counted(whole.passes)))
    assert len(found.cells) == 1200
    assert Counted.walks < 10, "passes are walked a few times, not once a cell"
