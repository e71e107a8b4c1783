"""Answers of every kind through the API: what is written down of lanes, tests and captures reaches the core."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from typing import Any

import pytest
from findings.answer_schemas import AnswerOut
from rennbahn.simulation import Scene
from rennbahn.simulation.sitting import LOGGER
from testkit import Bench, Caller, study_body

DEMAND = Scene(4.0, 9.0, seconds=8.0)


def lane(name: str, card: str = "C", **more: Any) -> dict[str, Any]:
    parts = [{"kind": "card", "name": card}, {"kind": "processor", "name": "S6"}]
    return {"name": name, "setup": {"name": f"Box, {name}", "parts": parts, "settings": []}, **more}


@pytest.fixture
def told(lead: Caller, tester: Caller) -> Callable[..., Bench]:
    """A study of a kind, each lane run at its speed in all of its tests."""

    def make(speeds: Sequence[float], lanes: Sequence[dict[str, Any]], *, run: bool = True, **more: Any) -> Bench:
        body = study_body(lanes=list(lanes), **({"tests": study_body()["tests"][:2]} | more))
        study = lead.post("/studies", body, status=201)
        bench = Bench(lead, tester, study, DEMAND, LOGGER)
        if run:
            bench.fill(len(body["tests"]), 3, speeds)
        return bench

    return make


def answer(bench: Bench, query: str = "") -> dict[str, Any]:
    found: dict[str, Any] = bench.lead.get(f"/studies/{bench.id}/answer{query}")
    AnswerOut.model_validate(found)
    return found


def test_a_ladder_ranks_lanes_with_prices_and_what_holds_a_rate(lead: Caller, told: Callable[..., Bench]) -> None:
    prices = {"slow": 200, "fast": 300, "dear": 400}
    for name, price in prices.items():
        lead.post("/parts", {"kind": "card", "name": name, "price": str(price), "currency": "EUR"}, status=201)
    bench = told((0.8, 1.2, 1.0), [lane(name, name) for name in prices], kind="ladder", factor="Graphics card")
    found = answer(bench, "?targets=60,500")
    assert (found["kind"], found["currency"]) == ("ladder", "EUR")
    average = found["ladder"][0]
    ids = {str(bench.lane(position)): name for position, name in enumerate(prices)}
    rungs = {ids[one["lane"]]: one for one in average["lanes"]}
    assert [ids[one["lane"]] for one in average["lanes"]] == ["fast", "dear", "slow"]
    assert [rungs[name]["ranks"] for name in ("fast", "dear", "slow")] == [[1, 1], [2, 2], [3, 3]]
    assert ids[rungs["dear"]["outclassed_by"]] == "fast"
    assert rungs["slow"]["price"] == 200
    assert [need["target"] for need in average["needs"]] == [60, 500]
    assert len(average["needs"][0]["hold"]) == 3
    assert "first" in average["sentence"]["answer"]
    assert {one["figure"] for one in found["ladder"]} == {"average_fps", "low_1"}
    pair = next(one for one in average["pairs"] if {ids[one["a"]], ids[one["b"]]} == {"fast", "slow"})
    own = lead.get(f"/studies/{bench.id}/findings?baseline={pair['a']}&other={pair['b']}")
    assert own["average"]["margin"] == pytest.approx(pair["margin"], abs=1e-3), "findings and ladder say the same"


def test_a_sweep_knows_levels_and_watts(told: Callable[..., Bench]) -> None:
    watts = (100, 120, 140, 160)
    lanes = [lane(f"{x} W", levels={"Power limit": f"{x} W"}) for x in watts]
    bench = told((0.8, 0.9, 1.0, 1.1), lanes, kind="sweep", factor="Power limit")
    found = answer(bench)
    sweep = found["sweep"][0]
    assert [(one["level"], sweep["unit"]) for one in sweep["points"]] == [(x, "W") for x in watts]
    assert sweep["shape"] == "rising"
    # What the card's sensors said stands beside each step; this logger writes no fan.
    assert all(one["temperature_c"] > 40 and one["fan_rpm"] is None for one in sweep["points"])
    held = bench.lead.get(f"/studies/{bench.id}/limits")["tests"]
    assert held[0]["held_by"] == "card", "the captures have busy times"


def test_a_grid_knows_both_factors(told: Callable[..., Bench]) -> None:
    levels = [{"Memory kit": a, "Fan profile": b} for a in ("one", "two") for b in ("slow", "quick")]
    lanes = [lane(" ".join(one.values()), levels=one) for one in levels]
    more = {"kind": "grid", "factor": "Memory kit", "second_factor": "Fan profile"}
    bench = told((1.0, 1.1, 1.2, 1.32), lanes, **more)
    grid = answer(bench)["grid"][0]
    assert grid["factors"] == ["Memory kit", "Fan profile"]
    assert [one["margin"] for one in grid["effects"]] == pytest.approx([0.2, 0.1], abs=0.02)
    assert len(grid["places"]) == 4
    rows = list(csv.DictReader(io.StringIO(bench.lead.get(f"/studies/{bench.id}/answer.csv").decode())))
    assert [row["level"] for row in rows[:3]] == ["two", "quick", "two"], "both effects, then what depends"
    assert len({row["test"] for row in rows}) == 3, "over all, and each of two tests"


def test_a_benchmark_is_held_against_play_of_its_game(lead: Caller, told: Callable[..., Bench]) -> None:
    lead.post("/scenes", {"game": "Tern", "name": "built in", "kind": "benchmark"}, status=201)
    lead.post("/scenes", {"game": "Tern", "name": "beach", "kind": "route"}, status=201)
    tests = [{"game": "Tern", "scene": scene, "condition": "1440 high"} for scene in ("built in", "beach")]
    lanes = [lane("a", "A"), lane("b", "B"), lane("c", "D")]
    bench = told((1.0, 1.2, 1.4), lanes, kind="proxy_check", factor="Graphics card", tests=tests)
    gauge = answer(bench)["proxy"][0]
    assert gauge["game"] == "Tern"
    assert gauge["benchmarks"] == [[str(bench.test(0)), str(bench.test(1))]]
    assert gauge["level"]["value"] == pytest.approx(1.0, abs=0.02)
    assert gauge["widest"]["off"] == pytest.approx(gauge["widest"]["value"] - 1)
    (row, _) = csv.DictReader(io.StringIO(bench.lead.get(f"/studies/{bench.id}/answer.csv").decode()))
    assert {row["widest_a"], row["widest_b"]} <= {"a", "b", "c"}
    assert float(row["level_value"]) == gauge["level"]["value"]


def test_an_answer_without_passes_says_so(told: Callable[..., Bench]) -> None:
    bench = told((), [lane("a", "A"), lane("b", "B")], run=False, kind="ladder", factor="Graphics card")
    found = answer(bench)
    assert found["ladder"] == []
    assert found["sentence"] is None


def test_what_lanes_lack_is_told_and_rates_are_read_to_the_letter(lead: Caller, told: Callable[..., Bench]) -> None:
    bench = told((1.0, 1.1), [lane("a", "A"), lane("b", "B")], kind="several", factor="Graphics card")
    error = lead.get(f"/studies/{bench.id}/answer", status=422)
    assert "cards 1" in error["message"]
    for bad in ("60,x", "-1", "0", "nan", "1e99"):
        assert lead.get(f"/studies/{bench.id}/answer?targets={bad}", status=422)["field"] == "targets"
    many = ",".join(str(x) for x in range(30, 60))
    assert lead.get(f"/studies/{bench.id}/answer?targets={many}", status=422)["code"] == "too_many"


def test_the_numbers_come_as_a_table(told: Callable[..., Bench]) -> None:
    bench = told((1.0, 1.2), [lane("=a", "A"), lane("b", "B")], kind="ladder", factor="Graphics card")
    rows = list(csv.DictReader(io.StringIO(bench.lead.get(f"/studies/{bench.id}/answer.csv").decode())))
    assert [(row["lane"], row["ranks"]) for row in rows[:2]] == [("b", "1-1"), ("'=a", "2-2")]
    assert float(rows[0]["fps"]) == answer(bench)["ladder"][0]["lanes"][0]["fps"]


def test_as_many_queries_for_many_passes_as_for_few(told: Callable[..., Bench], queries: Callable[[int], Any]) -> None:
    bench = told((1.0, 1.1), [lane("a", "A"), lane("b", "B")], kind="ladder", factor="Graphics card")
    with queries(24):
        answer(bench)


@pytest.mark.parametrize("kind", ["ladder", "sweep", "budget", "several", "proxy_check"])
def test_every_kind_that_can_be_asked_has_its_places(lead: Caller, told: Callable[..., Bench], kind: str) -> None:
    bench = told((), [lane("a", "A"), lane("b", "B")], run=False, kind=kind, factor="Graphics card")
    for place in ("", "/plan", "/passes", "/findings"):
        assert lead.get(f"/studies/{bench.id}{place}") is not None
