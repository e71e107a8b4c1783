"""Noise of scenes: kept by decisions, the same as from all passes, and as quick to read whatever their number."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from planning.models import SceneNoise, SceneTotal
from planning.noise import learn_all, learned_noise
from rennbahn.planning.noise import pooled, squares_within
from studies.models import Pass
from testkit import Bench, Caller, study_body


def values(bench: Bench, test: int) -> list[list[float]]:
    rows = [row for row in bench.tester.get(f"/studies/{bench.id}/passes") if row["state"] == "accepted"]
    return [
        [r["figures"]["average_fps"] for r in rows if (r["lane_id"], r["test_id"]) == (bench.lane(lane), test)]
        for lane in (0, 1)
    ]


def test_every_decision_teaches(bench: Bench) -> None:
    bench.fill(tests=2)
    scene = bench.study["tests_full"][0]["scene_id"]
    learned = learned_noise("percentile").scenes[scene]
    assert learned.noise["average_fps"].s == pytest.approx(pooled(squares_within(values(bench, bench.test(0)))).s)
    assert (learned.passes, learned.studies) == (6, 1)
    odd = Pass.objects.filter(lane=bench.lane(0), test=bench.test(0)).first()
    assert odd is not None
    bench.tester.put(f"/studies/passes/{odd.pk}/state", {"state": "rejected", "reason_code": "odd"})
    after = learned_noise("percentile").scenes[scene]
    assert after.noise["average_fps"].df == 3
    assert after.noise["average_fps"].s == pytest.approx(pooled(squares_within(values(bench, bench.test(0)))).s)
    lows = learned_noise("slowest_time").scenes
    assert sum(one.noise["low_1"].df for one in lows.values()) == 3 + 4
    # Seven degrees of freedom over two scenes: the one with three leans on both, the other stands alone.
    estimates = [lows[one["scene_id"]].estimates["low_1"] for one in bench.study["tests_full"][:2]]
    assert [(one.source, one.df) for one in estimates] == [("all_scenes", 7), ("scene", 4)]


def test_what_decisions_kept_is_what_all_passes_say(bench: Bench) -> None:
    bench.fill(tests=2)
    columns = ("scene", "figure", "squares", "df", "cells", "passes")
    kept = [sorted(model.objects.values_list(*columns)) for model in (SceneNoise, SceneTotal)]
    SceneNoise.objects.all().delete()
    SceneTotal.objects.all().delete()
    learn_all()
    assert [sorted(model.objects.values_list(*columns)) for model in (SceneNoise, SceneTotal)] == kept


def test_studies_add_up(bench: Bench, lead: Caller, tester: Caller) -> None:
    bench.fill(tests=1)
    body = study_body(question="Again?")
    for lane in body["lanes"]:
        lane["setup"]["name"] += ", again"
    again = Bench(lead, tester, lead.post("/studies", body, status=201))
    again.fill(tests=1)
    learned = learned_noise("percentile").scenes[bench.study["tests_full"][0]["scene_id"]]
    assert (learned.passes, learned.studies, learned.noise["average_fps"].df) == (12, 2, 8)
    both = [*values(bench, bench.test(0)), *values(again, again.test(0))]
    assert learned.noise["average_fps"].s == pytest.approx(pooled(squares_within(both)).s)


def test_reading_adds_up_studies_and_not_passes(bench: Bench, queries: Callable[[int], Any]) -> None:
    bench.fill(tests=1)
    with queries(2):
        learned_noise("percentile")
    before = SceneNoise.objects.count()
    for seed in range(4):
        bench.accept(bench.record(0, 0, seed=700 + seed))
    assert SceneNoise.objects.count() == before
