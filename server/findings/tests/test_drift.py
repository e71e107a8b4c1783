"""Drift of the bench: taken off where passes say when they ran, said where they do not."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest
from rennbahn.simulation import Rig, Scene
from testkit import Bench, Ran

NINE = datetime(2026, 3, 2, 9, tzinfo=UTC)
#: Equal lanes on a bench that slows by a percent an hour.
SLOWING = 0.01


def run(bench: Bench, *, overlapping: bool = False, silent: int = 0) -> None:
    """Lane after lane in rounds, a pass every twelve minutes: the second lane is run three hours later."""
    bench.demand = Scene(5.0, 9.0, seconds=8.0, noise=0.02, between=0.0005)
    order = [(lane, test, number) for lane in (0, 1) for number in range(5) for test in range(3)]
    runs = []
    for at, (lane, test, number) in enumerate(order):
        hours = at / 5.0
        ended = NINE if overlapping else NINE + timedelta(hours=hours)
        slower = 1.0 - SLOWING * hours
        runs.append(
            Ran(
                lane, test, seed=4000 + 100 * test + 10 * lane + number,
                rig=Rig(gpu_speed=slower, cpu_speed=slower),
                written_at=None if at < silent else ended,
            )
        )  # fmt: skip
    bench.accept(*bench.record_all(runs))


def allow(bench: Bench, share: float) -> None:
    method = bench.lead.get(f"/studies/{bench.id}")["method"] | {"drift_allowance": share}
    bench.lead.save(f"/studies/{bench.id}/method", method)


def test_equal_lanes_run_one_after_the_other_are_behind_until_drift_is_taken_off(bench: Bench) -> None:
    run(bench)
    allow(bench, 0.0)
    before = bench.lead.get(f"/studies/{bench.id}/findings")
    assert before["average"]["verdict"] == "behind"
    assert before["bench_drift"]["words"].startswith("No drift of the bench is allowed for")
    allow(bench, 0.01)
    after = bench.lead.get(f"/studies/{bench.id}/findings")
    drift = after["bench_drift"]
    assert drift["percent_per_hour"] == pytest.approx(-1.0, abs=0.35)
    assert drift["words"].startswith("Drift of the bench: −")
    suite = after["average"]
    assert suite["verdict"] != "behind"
    assert suite["low"] < 0 < suite["high"]
    assert suite["drift"]["raw"] == pytest.approx(before["average"]["margin"])
    assert suite["drift"]["raw"] == pytest.approx(-0.03, abs=0.006)
    assert suite["drift"]["share"] == pytest.approx(-0.03, abs=0.012)
    assert "% as measured, −" in suite["sentence"]["basis"]
    for test in after["tests"]:
        own = test["average"]
        assert own["b_over_a"] > own["raw_b_over_a"]
        assert (1 + own["raw_b_over_a"]) == pytest.approx((1 + own["b_over_a"]) * (1 + own["drift_share"]))


def test_times_that_cannot_be_and_passes_that_say_nothing(bench: Bench) -> None:
    run(bench, overlapping=True)
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    assert found["bench_drift"]["trouble"] == "overlap"
    assert "passes would overlap" in found["bench_drift"]["words"]
    assert found["average"]["drift"] is None


def test_a_pass_that_does_not_say_when_it_ran_stops_the_correction(bench: Bench) -> None:
    run(bench, silent=1)
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    assert found["bench_drift"]["trouble"] == "unknown"
    assert re.match(r"1 of \d+ accepted passes does not say when it ran", found["bench_drift"]["words"])
    assert found["average"]["drift"] is None
    # Its own lane is left out of nothing: only the drift is not told.
    assert found["average"]["tests"] == 3


def test_a_pass_knows_its_hour_of_the_bench(bench: Bench) -> None:
    bench.demand = Scene(5.0, 9.0, seconds=8.0)
    first = bench.record(0, 0, seed=1, written_at=NINE)
    later = bench.record(1, 0, seed=2, written_at=NINE + timedelta(hours=1))
    tomorrow = bench.record(0, 1, seed=3, written_at=NINE + timedelta(days=1))
    silent = bench.record(1, 1, seed=4)
    hours = [bench.lead.get(f"/passes/{one}")["bench_hour"] for one in (first, later, tomorrow, silent)]
    assert hours[:3] == pytest.approx([4 / 3600, 1 + 4 / 3600, 4 / 3600], abs=1e-3)
    assert hours[3] is None


def test_the_plan_takes_hours_from_captures_as_findings_do(bench: Bench) -> None:
    # Ten seconds apart: too close for the minute the scene is planned to take, not for captures of eight seconds.
    bench.demand = Scene(5.0, 9.0, seconds=8.0)
    planned = [(lane, test, number) for test in range(3) for number in range(3) for lane in (0, 1)]
    runs = [
        Ran(lane, test, seed=100 * test + 10 * lane + number, written_at=NINE + timedelta(seconds=10 * at))
        for at, (lane, test, number) in enumerate(planned[:-1])
    ]
    bench.accept(*bench.record_all(runs))
    assert bench.lead.get(f"/studies/{bench.id}/findings")["bench_drift"]["trouble"] == ""
    # One pass is left to run: whatever the plan can tell, it tells by those that ran.
    chosen = bench.lead.get(f"/studies/{bench.id}/plan")["chosen"]
    assert chosen["passes"] == 1
    assert chosen["tells"]["suite"] < 0.1
