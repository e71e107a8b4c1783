"""What is drawn of a capture, asked through the API: layers, shape, and where traces agree."""

from __future__ import annotations

from dataclasses import replace

import pytest
from rennbahn.simulation import Upset
from testkit import Bench


def test_layers_are_on_the_clock_of_the_whole_capture(bench: Bench) -> None:
    bench.demand = replace(bench.demand, seconds=20.0)
    one = bench.record(0, 0, upset=Upset(hiccups=6))
    capture = bench.tester.get(f"/passes/{one}")["one"]["capture_id"]
    whole = bench.tester.get(f"/captures/{capture}/layers")
    assert len(whole["stutters"]) == bench.tester.get(f"/passes/{one}")["figures"]["smoothness"]["stutters"]["count"]
    assert [low["low"] for low in whole["behind"]] == ["1", "0.1"]
    assert (
        whole["behind"][0]["count"]
        == bench.tester.get(f"/passes/{one}")["figures"]["lows"]["1"]["percentile"]["support"]
    )
    assert len(whole["course_ms"]) in (39, 40)
    later = [one for one in whole["stutters"] if one["from_s"] > 8.0]
    bench.tester.put(f"/captures/{capture}/windows", {"windows": [[8.0, 20.0]]})
    inside = bench.tester.get(f"/captures/{capture}/layers")
    assert [one["from_s"] for one in inside["stutters"]] == [one["from_s"] for one in later]


def test_the_shape_is_that_of_what_counts(bench: Bench) -> None:
    one = bench.record(0, 0)
    capture = bench.tester.get(f"/passes/{one}")["one"]["capture_id"]
    found = bench.tester.get(f"/captures/{capture}/shape")
    assert sum(found["share"]) == pytest.approx(1.0)
    assert len(found["edges_ms"]) == len(found["share"]) + 1
    assert len(found["steps_ms"]) == 500
    bench.tester.get("/captures/0/shape", status=404)
    bench.tester.get("/captures/0/layers", status=404)


def test_traces_are_laid_where_they_agree(bench: Bench) -> None:
    bench.demand = replace(bench.demand, seconds=20.0)
    first, second = bench.record(0, 0, seed=1), bench.record(1, 0, seed=1, upset=Upset(loading_s=3.0))
    path = f"/studies/{bench.id}/tests/{bench.test(0)}/agreement"
    own, other = bench.tester.get(f"{path}?to={first}&passes={first}&passes={second}")
    assert (own["pass_id"], own["offset_s"], own["likeness"]) == (first, 0.0, pytest.approx(1.0))
    assert (other["pass_id"], other["offset_s"]) == (second, pytest.approx(-3.0, abs=0.3))
    bench.tester.get(f"{path}?to=0&passes={first}", status=404)
    many = "&".join(f"passes={first}" for _ in range(25))
    assert bench.tester.get(f"{path}?to={first}&{many}", status=422)["field"] == "passes"


def test_the_noise_book_is_kept_by_decisions(bench: Bench) -> None:
    assert bench.tester.get("/noise-book")["scenes"] == []
    bench.fill(tests=2)
    book = bench.tester.get("/noise-book")
    assert len(book["scenes"]) == 2
    assert [one["percent"]["average_fps"] for one in book["scenes"]] == sorted(
        one["percent"]["average_fps"] for one in book["scenes"]
    )
    assert {one["passes"] for one in book["scenes"]} == {6}
    assert all(one["first"]["words"] for one in book["scenes"])
    assert [(one["kind"], one["name"], one["df"]) for one in book["parts"]] == [("card", "Ostrane V5", 8)]
    assert book["parts"][0]["low"] < book["parts"][0]["factor"] < book["parts"][0]["high"]
    rejected = next(one for one in bench.tester.get(f"/studies/{bench.id}/passes") if one["state"] == "accepted")
    body = {"state": "rejected", "reason_code": "odd", "reason": ""}
    bench.tester.put(f"/studies/passes/{rejected['id']}/state", body)
    assert bench.tester.get("/noise-book")["parts"][0]["df"] == 7
