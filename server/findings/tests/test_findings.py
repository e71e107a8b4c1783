"""Findings: what the core says of the accepted passes, and of what does not count."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable
from typing import Any

import pytest
from bench.models import Part
from findings.record import record_of, state_of
from intake.models import Capture
from rennbahn import comparing
from rennbahn.simulation import Rig
from scenes.models import Game
from studies.models import Pass
from testkit import Bench, Ran


def by_core(bench: Bench) -> comparing.StudyResult:
    """The same comparison by hand, from the passes as the API lists them."""
    passes = [
        comparing.Pass(
            str(one["id"]),
            str(one["lane_id"]),
            str(one["test_id"]),
            one["state"],
            figures={"average_fps": one["figures"]["average_fps"], "low_1.percentile": one["figures"]["low_1_fps"]},
        )
        for one in bench.tester.get(f"/studies/{bench.id}/passes")
        if one["figures"]
    ]
    tests = bench.study["tests_full"]
    return comparing.compare_study(
        comparing.Study(
            "again",
            comparing.Method(),
            tuple(comparing.Lane(str(lane["id"]), lane["name"]) for lane in bench.study["lanes_full"]),
            tuple(comparing.Scene(str(t["id"]), t["game"], t["scene"]) for t in tests),
            tuple(comparing.Test(str(t["id"]), str(t["id"])) for t in tests),
            tuple(passes),
            ((str(bench.lane(0)), str(bench.lane(1))),),
        )
    )


def test_findings_are_the_cores(bench: Bench) -> None:
    bench.fill()
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    comparison = by_core(bench).compare[0]
    suite = comparison.suite["average_fps"]
    assert suite.margins is not None
    assert found["average"]["margin"] == suite.margins["geometric"]
    assert found["average"]["sentence"]["text"].startswith("Tall fins: ")
    assert " ahead of plain fins in average fps in these games (95% interval +" in found["average"]["sentence"]["text"]
    wanted = {m.test: m for m in comparison.tests["average_fps"]}
    for test in found["tests"]:
        margin = wanted[str(test["test_id"])]
        assert test["average"]["b_over_a"] == margin.b_over_a
        assert (test["average"]["low"], test["average"]["high"]) == margin.interval
        assert test["average"]["verdict"] == margin.verdict
    shown = [test["average"]["b_over_a"] for test in found["tests"]]
    assert shown == sorted(shown, reverse=True)
    assert found["missing"] == found["rejected"] == []


def test_the_other_baseline_turns_every_margin_round(bench: Bench) -> None:
    bench.fill(tests=2)
    one = bench.lead.get(f"/studies/{bench.id}/findings")
    other = bench.lead.get(f"/studies/{bench.id}/findings?baseline={bench.lane(1)}")
    assert math.isclose((1 + one["average"]["margin"]) * (1 + other["average"]["margin"]), 1.0)
    assert other["baseline"]["name"] == "tall fins"
    there = {test["test_id"]: test["average"] for test in one["tests"]}
    for test in other["tests"]:
        if test["average"]["left_out"] is None:
            assert test["average"]["b_over_a"] == pytest.approx(there[test["test_id"]]["a_over_b"])
    assert bench.lead.get(f"/studies/{bench.id}/findings?baseline=0", status=200)["baseline"]["name"] == "plain fins"
    assert bench.lead.get(f"/studies/{bench.id}/findings?baseline=999999", status=404)


def test_what_does_not_count_is_listed_with_its_reason(bench: Bench) -> None:
    bench.fill(tests=1)
    odd = bench.record(1, 0, seed=77, rig=Rig(gpu_speed=0.5))
    before = bench.lead.get(f"/studies/{bench.id}/findings")["average"]["margin"]
    bench.tester.put(f"/studies/passes/{odd}/state", {"state": "rejected", "reason": "a scan ran"})
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    assert found["average"]["margin"] == before, "neither an undecided nor a rejected pass counts"
    assert [(one["reason"], one["number"]) for one in found["rejected"]] == [("a scan ran", 4)]
    assert {(one["test"], one["lane"]) for one in found["missing"]} == {
        (test, lane)
        for test in ("Ninth Ferry, harbour", "Paper Comets, stage 6")
        for lane in ("plain fins", "tall fins")
    }
    left = [test["average"]["left_out"] for test in found["tests"] if test["average"]["left_out"]]
    assert [(out["reason"], out["words"]) for out in left] == [("not_tested", "plain fins: not tested")] * 2


def test_a_capped_test_keeps_its_lows(bench: Bench) -> None:
    bench.fill(tests=1)
    bench.demand = type(bench.demand)(3.0, 4.0, seconds=20.0, cap_fps=100.0)
    runs = [Ran(lane, 1, seed=500 + 10 * lane + seed) for lane in (0, 1) for seed in range(3)]
    bench.accept(*bench.record_all(runs))
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    capped = next(test for test in found["tests"] if test["game"] == "Ninth Ferry")
    assert capped["average"]["left_out"]["reason"] == "capped"
    assert capped["low_1"]["b_over_a"] is not None
    assert (found["average"]["tests"], found["low_1"]["tests"]) == (1, 2)


def test_nothing_yet(bench: Bench) -> None:
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    assert found["average"]["margin"] is None
    assert found["average"]["sentence"]["text"].startswith("Nothing to compare yet")
    assert len(found["missing"]) == 6


def test_the_table_as_csv(bench: Bench) -> None:
    extra = {"game": "=SUM(1+1)", "scene": "@run", "condition": "1440 high"}
    there = [{key: one[key] for key in ("game", "scene", "condition")} for one in bench.study["tests_full"]]
    bench.lead.save(f"/studies/{bench.id}/tests", {"tests": [*there, extra]})
    bench.fill(tests=2)
    content = bench.lead.get(f"/studies/{bench.id}/findings.csv").decode()
    rows = list(csv.DictReader(io.StringIO(content)))
    assert len(rows) == 4 * 3 + 3
    first = rows[0]
    assert first["figure"] == "average fps"
    assert float(first["tall fins over plain fins %"]) > 3
    assert float(first["plain fins over tall fins %"]) < -3
    assert first["verdict"] == "ahead of plain fins"
    assert {row["game"] for row in rows} >= {"'=SUM(1+1)"}, "a spreadsheet must not compute what a user typed"


def test_findings_take_the_same_queries_for_any_number(bench: Bench, queries: Callable[[int], Any]) -> None:
    bench.fill(tests=3, passes=2)
    with queries(18):
        bench.lead.get(f"/studies/{bench.id}/findings")


def test_the_table_holds_full_values_suites_and_what_was_left_out(bench: Bench) -> None:
    bench.fill(tests=2, passes=2)
    odd = bench.record(0, 0, seed=77)
    bench.tester.put(f"/studies/passes/{odd}/state", {"state": "rejected", "reason": "an update ran"})
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    rows = list(csv.reader(io.StringIO(bench.lead.get(f"/studies/{bench.id}/findings.csv").decode())))
    first = next(row for row in rows if row[0] == found["tests"][0]["game"] and row[3] == "average fps")
    assert float(first[4]) == found["tests"][0]["average"]["a"]
    assert float(first[6]) == 100 * found["tests"][0]["average"]["b_over_a"]
    suite = next(row for row in rows if row[0] == "all tests" and row[3] == "average fps")
    ends = [100 * found["average"][name] for name in ("margin", "low", "high")]
    assert [float(cell) for cell in suite[6:9]] == ends
    (out,) = [row for row in rows if row[0] == "left out"]
    assert out[-1] == "rejected: an update ran"


def test_a_record_is_loaded_once_for_each_state_and_any_row_that_changes_is_another(
    bench: Bench, queries: Callable[[int], Any]
) -> None:
    bench.fill(tests=1)
    first = record_of(bench.id)
    with queries(1):
        assert record_of(bench.id) is first
    one = Pass.objects.filter(state="accepted")[0]
    part = Part.objects.filter(kind="card")[0]
    changes: list[Callable[[], Any]] = [
        lambda: Pass.objects.filter(pk=one.pk).update(state="recorded"),
        lambda: Pass.objects.filter(pk=one.pk).update(state="accepted"),
        lambda: Part.objects.filter(pk=part.pk).update(price=300, currency="EUR"),
        lambda: bench.lead.save(f"/studies/{bench.id}/method", {"equal_band": 0.02}),
        lambda: bench.record(0, 1, seed=9),
        lambda: bench.lead.post(f"/studies/{bench.id}/finish", status=409),
        lambda: Game.objects.filter(scenes__tests=bench.test(0)).update(genre="mystery"),
        lambda: Capture.objects.filter(on_pass=one).update(trouble="x"),
    ]
    for at, change in enumerate(changes):
        before = record_of(bench.id)
        change()
        assert (record_of(bench.id) is before) == (at == 5), f"change {at}; one that was refused changes nothing"
    assert state_of(999_999) == ""


def test_a_part_that_only_earlier_passes_were_run_with_is_of_the_record_too(bench: Bench) -> None:
    bench.accept(bench.record(0, 0))
    lane = bench.lead.get(f"/studies/{bench.id}")["lanes_full"][0]
    before = next(one for one in bench.lead.get("/setups") if one["name"] == lane["setup"]["name"])
    parts = [{"kind": "card", "name": "Ostrane V9"}, {"kind": "cooler", "name": "Wide 50"}]
    bench.lead.save(f"/setups/{before['id']}", {"parts": parts})
    bench.lead.put(f"/studies/lanes/{bench.lane(0)}/newest-version")
    known = state_of(bench.id)
    Part.objects.filter(name="Plain 40").update(weight_g=40)
    assert state_of(bench.id) != known
