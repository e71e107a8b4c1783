"""A sitting at the simulated bench: a changed setting changes what it should, faults come at their rates."""

from __future__ import annotations

import json
import os
from pathlib import Path

import numpy as np
import pytest
from rennbahn.capture import propose_columns, read_capture, read_samples
from rennbahn.capture.propose import propose_samples
from rennbahn.errors import RennbahnError
from rennbahn.planning.fairness import SetupDescription
from rennbahn.planning.weighing import PartDescription
from rennbahn.simulation import FAULTS, SimulatedBench, SimulatedTest, Wanted
from rennbahn.simulation.abilities import demand_of, lock_of, rig_of
from rennbahn.simulation.program import main

CARD = PartDescription("card", "Ostrane V5", facts={"power_limit_w": 160, "boost_mhz": 2200})
PANEL = PartDescription("display", "Panora 27", facts={"refresh_hz": 144})
TEST = SimulatedTest("t", "Ninth Ferry", "harbour", length_s=12.0, leans_on=("card",))


def setup(**settings: str) -> SetupDescription:
    return SetupDescription((CARD, PANEL), {name.replace("_", " "): value for name, value in settings.items()})


def bench(faults: dict[str, float] | None = None, **lanes: SetupDescription) -> SimulatedBench:
    return SimulatedBench(lanes or {"a": setup(), "b": setup(Power_limit="110 W")}, {"t": TEST}, 5, faults or {})


def test_the_same_seed_plays_the_same_passes_in_any_order() -> None:
    wanted = [Wanted(lane, "t", number) for lane in "ab" for number in (1, 2)]
    one, two = bench(), bench()
    assert [one.play(w).log for w in wanted] == [two.play(w).log for w in wanted[::-1]][::-1]
    assert one.play(wanted[0]).log != one.play(Wanted("a", "t", 1, attempt=2)).log


@pytest.mark.parametrize(
    ("a", "b", "low", "high"),
    [
        (setup(), setup(Power_limit="110 W"), 0.8, 0.95),
        (setup(), setup(Power_limit="+10%"), 1.0, 1.05),
        (setup(), setup(Fan_profile="quiet"), 0.96, 0.993),
        (setup(), setup(Ambient_occlusion="off"), 0.993, 1.007),
    ],
)
def test_a_changed_setting_changes_what_it_should(
    a: SetupDescription, b: SetupDescription, low: float, high: float
) -> None:
    sim = SimulatedBench({"a": a, "b": b}, {"t": TEST}, 1)
    rates = [np.mean([sim.play(Wanted(lane, "t", n)).average_fps or 0.0 for n in range(1, 9)]) for lane in "ab"]
    assert low <= rates[1] / rates[0] <= high


def test_parts_and_limits_have_their_say() -> None:
    slow = SetupDescription((PartDescription("card", "x", facts={"boost_mhz": 1500}),))
    quick = SetupDescription((PartDescription("card", "x", facts={"boost_mhz": 2900}),))
    assert rig_of(quick).gpu_speed > 1.3 * rig_of(slow).gpu_speed
    assert lock_of(setup(Sync="on"), TEST) == 144
    assert lock_of(setup(Frame_limit="90 fps"), TEST) == 90
    assert lock_of(setup(Sync="off", Frame_limit="none"), TEST) is None
    small, large = (SimulatedTest("t", "N", "h", resolution=r) for r in ("1920 × 1080", "3840 × 2160"))
    assert demand_of(large).gpu_ms > 2 * demand_of(small).gpu_ms
    assert demand_of(large).cpu_ms == demand_of(small).cpu_ms


def test_logs_and_meters_are_read_as_any_others_are() -> None:
    played = bench().play(Wanted("a", "t", 1))
    assert played.log is not None
    assert played.meter is not None
    columns = propose_columns(played.log).columns
    assert columns is not None
    capture = read_capture(played.log, columns)
    assert capture.duration_s == pytest.approx(12.0, abs=0.1)
    samples = read_samples(played.meter, propose_samples(played.meter))
    assert set(samples.values) == {"wall_power_w", "fan_rpm"}
    assert samples.values["wall_power_w"].max() > 100


@pytest.mark.parametrize("fault", [fault for fault in FAULTS if fault != "room_drift"])
def test_a_fault_comes_at_its_rate_and_is_told_in_the_truth(fault: str) -> None:
    sim = bench({fault: 0.3})
    played = [sim.play(Wanted("a", "t", n, after_load=True)) for n in range(1, 81)]
    assert {one.fault for one in played} == {fault, ""}
    assert 12 <= sum(one.fault == fault for one in played) <= 38
    one = next(one for one in played if one.fault == fault)
    assert one.truth()["fault"] == fault
    if fault == "no_launch":
        assert (one.outcome, one.log) == ("did_not_launch", None)
    elif fault == "missing_log":
        assert (one.outcome, one.log) == ("ran", None)
    elif fault == "crash":
        assert one.outcome == "crashed"
        assert one.seconds < 10
    elif fault == "setting_not_applied":
        assert one.as_lane == "b"
    elif fault == "clock_offset":
        assert one.meter_off_s >= 4
    elif fault == "cut_log":
        whole = bench().play(one.wanted).log
        assert one.log is not None
        assert whole is not None
        assert len(one.log) < 0.85 * len(whole)


def test_a_setting_that_is_not_on_shows_in_a_second_place() -> None:
    sim = bench({"setting_not_applied": 1.0}, a=setup(Power_limit="160 W"), b=setup(Power_limit="110 W"))
    assert sim.reads_back(Wanted("a", "t", 1), "Power limit") == "110 W"
    good = bench(None, a=setup(Power_limit="160 W"), b=setup(Power_limit="110 W"))
    assert good.reads_back(Wanted("a", "t", 1), "Power limit") == "160 W"


def test_a_room_that_drifts_slows_everything() -> None:
    sim = bench({"room_drift": 1.0})
    early, late = (
        np.mean([sim.play(Wanted("a", "t", n, hour=hour)).average_fps or 0.0 for n in range(1, 7)])
        for hour in (0.0, 5.0)
    )
    assert late / early == pytest.approx(0.94, abs=0.01)


@pytest.mark.parametrize(("faults", "says"), [({"gremlins": 0.1}, "nothing that the bench"), ({"lock": 2.0}, "0 to 1")])
def test_what_it_cannot_do_wrong_is_refused(faults: dict[str, float], says: str) -> None:
    with pytest.raises(RennbahnError, match=says):
        bench(faults)
    with pytest.raises(RennbahnError, match="no lane z"):
        bench().play(Wanted("z", "t", 1))


def plan(folder: Path) -> Path:
    """A plan file of two lanes."""
    lanes = [
        {"id": name, "name": name, "parts": [{"kind": "card", "name": "Ostrane V5", "facts": {"power_limit_w": 160}}],
         "settings": {"Power limit": name}}
        for name in ("160 W", "110 W")
    ]  # fmt: skip
    passes = [{"lane": lane["id"], "test": "t", "number": n} for lane in lanes for n in (1, 2)]
    test = {"id": "t", "game": "Ninth Ferry", "scene": "harbour", "length_s": 6}
    path = folder / "plan.json"
    path.write_text(json.dumps({"lanes": lanes, "tests": [test], "passes": passes}))
    return path


def test_the_program_plays_a_plan_into_a_folder(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    told = [str(plan(tmp_path)), "--into", str(tmp_path / "logs"), "--speed", "0", "--seed", "3"]
    assert main(told) == 0
    truth = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [one["number"] for one in truth] == [1, 2, 1, 2]
    assert len(os.listdir(tmp_path / "logs")) == 8
    assert main([*told, "--fault", "no_launch=1"]) == 0
    assert all(json.loads(line)["outcome"] == "did_not_launch" for line in capsys.readouterr().out.splitlines())
    for wrong, says in (("gremlins=1", "nothing that the bench"), ("lock=often", "takes NAME=RATE")):
        assert main([*told, "--fault", wrong]) == 2
        assert says in capsys.readouterr().err
    (tmp_path / "plan.json").write_text("{}")
    assert main(told) == 2
    assert "the plan lacks 'lanes'" in capsys.readouterr().err
