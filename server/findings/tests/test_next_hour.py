"""What to run next: the passes that settle most in the time there is, taken at the bench with one act."""

from __future__ import annotations

import pytest
from rennbahn.simulation import Rig
from testkit import AtBench, Bench, Caller, Ran, study_body


@pytest.fixture
def half_open(lead: Caller, tester: Caller) -> Bench:
    """A study that looks up to twelve passes: one test is settled after three, one is open, one is as good as equal."""
    bench = Bench(lead, tester, lead.post("/studies", study_body(), status=201))
    bench.lead.save(f"/studies/{bench.id}/plan", {"most_passes": 12})
    speeds = ((1.0, 1.2), (1.0, 1.006), (1.0, 1.012))
    runs = [
        Ran(lane, test, seed=400 * test + 20 * lane + number, rig=Rig(gpu_speed=speeds[test][lane]))
        for test in range(3) for lane in range(2) for number in range(3)
    ]  # fmt: skip
    bench.accept(*bench.record_all(runs))
    return bench


def test_only_what_is_open_is_proposed_and_more_than_as_planned_is_expected(half_open: Bench) -> None:
    found = half_open.tester.get(f"/studies/{half_open.id}/next-hour?hours=2")
    assert found["why_not"] == ""
    tests = {one["test_id"] for one in found["tests"]}
    open_ones = {
        row["test_id"] for row in half_open.tester.get(f"/studies/{half_open.id}/findings")["tests"]
        if row["average"]["verdict"] == "open"
    }  # fmt: skip
    assert tests
    assert tests <= open_ones
    assert half_open.test(0) not in tests
    assert all(0.0 < one["chance"] <= 1.0 and 1 <= one["passes"] <= 9 for one in found["tests"])
    assert found["expected"] == pytest.approx(sum(one["chance"] for one in found["tests"]))
    assert found["expected"] >= found["planned_expected"] == 0.0, "nothing more is planned"
    assert found["seconds"] <= 7200.0
    assert found["level"] < 0.05, "every look is at the stricter level"
    little = half_open.tester.get(f"/studies/{half_open.id}/next-hour?hours=0.2")
    assert little["tests"] == []
    assert {one["why"] for one in little["left_alone"]} <= {
        "no pass of both lanes fits any more", "even all passes that the study allows would hardly settle it",
    }  # fmt: skip


def test_before_anything_ran_nothing_is_open(bench: Bench) -> None:
    bench.lead.save(f"/studies/{bench.id}/plan", {"most_passes": 12})
    found = bench.tester.get(f"/studies/{bench.id}/next-hour")
    assert found["why_not"] == "No verdict is open that more passes could settle."


def test_a_test_that_one_lane_has_no_pass_in_is_none_to_choose(half_open: Bench) -> None:
    rows = half_open.tester.get(f"/studies/{half_open.id}/passes")
    alone = [row for row in rows if row["test_id"] == half_open.test(1) and row["lane_id"] == half_open.lane(1)]
    for row in alone:
        told = {"state": "rejected", "reason_code": "odd"}
        half_open.tester.put(f"/studies/passes/{row['id']}/state", told)
    found = half_open.tester.get(f"/studies/{half_open.id}/next-hour?hours=3")
    assert half_open.test(1) not in {one["test_id"] for one in (*found["tests"], *found["left_alone"])}
    assert found["expected"] >= 0.0


def test_a_study_that_looks_once_is_told_so(filled: Bench) -> None:
    found = filled.tester.get(f"/studies/{filled.id}/next-hour")
    assert found["why_not"].startswith("This study looks once.")
    assert filled.tester.get(f"/studies/{filled.id}/next-hour?hours=nan", status=422)["field"] == "hours"


def test_run_takes_the_block_and_runs_it_lane_by_lane(half_open: Bench) -> None:
    found = half_open.tester.get(f"/studies/{half_open.id}/next-hour?hours=4")
    at = AtBench(half_open, half_open.tester)
    at.begin()
    told = [{"test_id": one["test_id"], "passes": one["passes"]} for one in found["tests"]]
    at.act("block", refused="block_empty", lanes=found["lane_ids"])
    at.act("block", refused="block_empty", lanes=found["lane_ids"], passes=[*told, told[0]])
    at.act("block", refused="not_found", lanes=[10**9, found["lane_ids"][0]], passes=told)
    after = at.act("block", lanes=found["lane_ids"], passes=told)
    wanted = 2 * sum(one["passes"] for one in told)
    assert after["progress"]["left"] == wanted
    lanes = [one["lane_id"] for one in after["coming"]]
    assert lanes == sorted(lanes, key=lambda lane: lane != lanes[0]), "one change of lanes"
    lines = [line["what"] for line in at.who.get(f"/studies/{half_open.id}/audit")]
    assert "took the next block" in lines
    # What is planned already is taken before more is planned.
    again = at.act("block", lanes=found["lane_ids"], passes=told)
    assert again["progress"]["left"] == wanted
