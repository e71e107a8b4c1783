"""Findings of more lanes than two: any against any, with levels of all, and what is left out said for each pair."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from rennbahn.simulation import Scene
from testkit import Bench, Caller, study_body

SPEEDS = (1.0, 1.1, 1.25)


def lane(name: str, card: str) -> dict[str, Any]:
    parts = [{"kind": "card", "name": card}, {"kind": "processor", "name": "S6"}]
    return {"name": name, "setup": {"name": f"Box, {name}", "parts": parts, "settings": []}}


@pytest.fixture
def ladder(lead: Caller, tester: Caller) -> Bench:
    """Three cards in two tests; the third card never ran the second test."""
    lanes = [lane(f"card {n}", f"C{n}") for n in range(3)]
    body = study_body(kind="ladder", factor="Graphics card", lanes=lanes, tests=study_body()["tests"][:2], baseline=1)
    bench = Bench(lead, tester, lead.post("/studies", body, status=201), Scene(4.0, 9.0, seconds=8.0))
    bench.fill(2, 3, SPEEDS, left_out=(2, 1))
    missing = next(
        one
        for one in tester.get(f"/studies/{bench.id}/passes")
        if (one["lane_id"], one["test_id"]) == (bench.lane(2), bench.test(1))
    )
    reason = {"state": "did_not_run", "reason": "the card did not fit"}
    tester.put(f"/studies/passes/{missing['id']}/state", reason)
    return bench


def findings(bench: Bench, **lanes: int) -> dict[str, Any]:
    query = "&".join(f"{name}={bench.lane(position)}" for name, position in lanes.items())
    found: dict[str, Any] = bench.lead.get(f"/studies/{bench.id}/findings?{query}")
    return found


def test_any_lane_over_any_other(ladder: Bench) -> None:
    own = findings(ladder)
    assert (own["baseline"]["name"], own["other"]["name"]) == ("card 1", "card 0"), "the study's own baseline"
    for a, b in ((0, 1), (1, 0), (0, 2), (2, 1)):
        found = findings(ladder, baseline=a, other=b)
        assert found["average"]["margin"] == pytest.approx(SPEEDS[b] / SPEEDS[a] - 1, abs=0.03)
        assert found["average"]["verdict"] == ("ahead" if b > a else "behind")


def test_the_other_way_round_is_the_same_answer(ladder: Bench) -> None:
    there, back = findings(ladder, baseline=0, other=1), findings(ladder, baseline=1, other=0)
    for one, two in zip(there["tests"], reversed(back["tests"]), strict=True):
        assert one["test_id"] == two["test_id"]
        assert one["average"]["b_over_a"] == pytest.approx(two["average"]["a_over_b"])
        assert one["average"]["low"] == pytest.approx(1 / (1 + two["average"]["high"]) - 1)


def test_levels_are_those_of_every_lane(ladder: Bench) -> None:
    found = findings(ladder, baseline=0, other=1)
    levels = {(level["test_id"], level["lane_id"]): level for level in found["levels"]}
    assert len(levels) == 6
    for test in range(2):
        averages = [levels[ladder.test(test), ladder.lane(position)]["average"] for position in range(3)]
        assert averages[0] < averages[1]
        if test == 0:
            assert averages[1] < averages[2]
        else:
            assert averages[2] is None
    for test in found["tests"]:
        assert levels[test["test_id"], ladder.lane(0)]["average"] == test["average"]["a"]
        assert levels[test["test_id"], ladder.lane(1)]["average"] == test["average"]["b"]
    assert {level["passes"] for level in found["levels"]} == {0, 3}


def test_what_one_pair_lacks_another_has(ladder: Bench) -> None:
    with_all, without = findings(ladder, baseline=0, other=1), findings(ladder, baseline=0, other=2)
    assert with_all["average"]["tests"] == 2
    assert without["average"]["tests"] == 1
    out = next(test for test in without["tests"] if test["average"]["left_out"])
    assert out["test_id"] == ladder.test(1)
    assert out["average"]["left_out"]["lane_id"] == ladder.lane(2)
    assert out["average"]["left_out"]["words"].startswith("card 2: ")
    for found in (with_all, without):
        assert [one["reason"] for one in found["rejected"]] == ["the card did not fit"]
        assert [(one["lane_id"], one["accepted"], one["passes_wanted"]) for one in found["missing"]] == [
            (ladder.lane(2), 0, 3)
        ]


def test_the_table_is_that_of_the_pair(ladder: Bench) -> None:
    query = f"baseline={ladder.lane(0)}&other={ladder.lane(2)}"
    content = ladder.lead.client.get(f"/api/studies/{ladder.id}/findings.csv?{query}").content.decode()
    rows = list(csv.DictReader(io.StringIO(content)))
    assert "card 2 over card 0 %" in rows[0]
    assert float(rows[0]["card 2 over card 0 %"]) == pytest.approx(25, abs=3)
    assert any(row["verdict"].startswith("left out: card 2") for row in rows)


def test_lanes_that_are_none_of_the_study(ladder: Bench) -> None:
    path = f"/studies/{ladder.id}/findings"
    for query in ("baseline=999999", "other=999999", f"baseline={ladder.lane(0)}&other={ladder.lane(0)}"):
        assert ladder.lead.get(f"{path}?{query}", status=404)["code"] == "not_found"


def test_a_difference_of_one_lane_prints_with_all_of_them(lead: Caller) -> None:
    lanes = [lane(f"card {n}", f"C{n}") for n in range(3)]
    lanes[2]["setup"]["parts"].append({"kind": "driver", "name": "43 beta"})
    lead.post("/parts", {"kind": "driver", "name": "43 beta", "facts": {"beta": True}}, status=201)
    study = lead.post("/studies", study_body(kind="ladder", factor="card", lanes=lanes), status=201)
    caveats = lead.get(f"/studies/{study['id']}/findings")["caveats"]
    assert [(one["label"], one["about"], one["accepted"]) for one in caveats] == [
        ("Driver", "nothing / 43 beta", False),
        ("Not recorded", caveats[1]["about"], False),
    ]
    assert caveats[1]["about"].startswith("not recorded in any lane: Power plan or mode, ")
    assert caveats[0]["reason"] == "it is written down for one lane only: say what the other has"
