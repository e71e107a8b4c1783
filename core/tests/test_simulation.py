"""The simulated bench does what its knobs say, the same each time."""

from __future__ import annotations

import numpy as np
import pytest
from rennbahn.errors import RennbahnError
from rennbahn.measures import Figures, figures_of
from rennbahn.planning.fairness import SetupDescription
from rennbahn.planning.weighing import PartDescription
from rennbahn.simulation import Dialect, Rig, Scene, Upset, run_pass, write_log
from rennbahn.simulation.abilities import rig_of
from rennbahn.simulation.tuned import Knob, edge_of, play


def figures(scene: Scene, rig: Rig | None = None, upset: Upset | None = None, seed: int = 7) -> Figures:
    return figures_of(run_pass(scene, rig or Rig(), np.random.default_rng(seed), upset))


def average(found: Figures) -> float:
    assert found.rates is not None
    return found.rates.average_fps


def test_the_same_seed_gives_the_same_bytes() -> None:
    one, two = (write_log(run_pass(Scene(6, 9), Rig(), np.random.default_rng(11))) for _ in range(2))
    assert one == two


@pytest.mark.parametrize(("scene", "label"), [(Scene(5, 9), "gpu"), (Scene(9, 5), "cpu")])
def test_the_slower_side_sets_the_pace(scene: Scene, label: str) -> None:
    limits = figures(scene).limits
    assert limits is not None
    assert limits.bound_by.label == label


def test_cap_heat_cold_start_and_hitches() -> None:
    capped = figures(Scene(4, 6, cap_fps=120)).limits
    assert capped is not None
    assert capped.cap.state == "capped"
    assert average(figures(Scene(5, 9), Rig(heat_loss=0.05))) < 0.98 * average(figures(Scene(5, 9)))
    assert average(figures(Scene(5, 9), upset=Upset(cold_start_s=12))) < 0.97 * average(figures(Scene(5, 9)))
    assert average(figures(Scene(8, 9), upset=Upset(busy_from_s=5, busy_for_s=10))) < average(figures(Scene(8, 9)))
    beating = figures(Scene(5, 9), Rig(every_s=3.0)).smoothness
    assert beating is not None
    assert beating.heartbeat.found


def test_the_logger_writes_only_what_there_is() -> None:
    capture = run_pass(Scene(5, 9, seconds=2), Rig(), np.random.default_rng(1))
    with pytest.raises(RennbahnError, match="no channel fan_rpm"):
        write_log(capture, Dialect(names={"frame_time": "ms", "fan_rpm": "fan"}))


def test_a_card_short_of_memory_waits_and_several_cards_deliver_in_turns() -> None:
    scene = Scene(cpu_ms=4.0, gpu_ms=10.0, seconds=10.0, memory_gb=9.0)
    roomy, short = (run_pass(scene, Rig(memory_gb=size), np.random.default_rng(3)) for size in (12.0, 8.0))
    assert roomy.channels["vram_used_mib"][0] == 9 * 1024
    assert short.channels["vram_used_mib"][0] < 8 * 1024
    assert len(short) < 0.8 * len(roomy)
    bare = run_pass(Scene(4.0, 10.0, seconds=10.0), Rig(), np.random.default_rng(3))
    assert "vram_used_mib" not in bare.channels
    turns = run_pass(scene, Rig(memory_gb=12.0, alternates=0.3), np.random.default_rng(3))
    apart = np.abs(np.diff(turns.frame_ms))
    assert np.median(apart) > 3.0 * np.median(np.abs(np.diff(roomy.frame_ms)))
    assert abs(turns.duration_s / len(turns) - roomy.duration_s / len(roomy)) < 2e-4


def test_cards_draw_what_is_written_down_of_them() -> None:
    def setup(*watts: float) -> SetupDescription:
        facts = [{"power_limit_w": each, "memory_gb": 8} for each in watts]
        parts = tuple(PartDescription("card", f"Card {at}", told) for at, told in enumerate(facts))
        return SetupDescription(parts=parts, settings={})

    one, two = rig_of(setup(150.0)), rig_of(setup(150.0, 150.0))
    assert (one.power_w, two.power_w) == (150.0, 300.0)
    assert one.alternates == 0.0
    assert two.alternates > 0.2
    assert (one.memory_gb, two.memory_gb) == (8.0, 8.0), "each card holds what it draws"


@pytest.mark.parametrize("value", [-1e6, -1.0, 0.0, 1e6])
@pytest.mark.parametrize("kind", ["power", "voltage", "clock", "other"])
@pytest.mark.parametrize("stock", [0.0, 120.0])
def test_a_tuned_part_gives_and_draws_something_however_far_it_is_set(value: float, kind: str, stock: float) -> None:
    found = play(3, {"x": Knob(kind, stock, stock - 50.0)}, {"x": value}, 60.0, 1)
    assert found.outcome in ("passed", "crashed")
    assert all(fps > 0.0 and watts > 0.0 for fps, watts, _, _ in found.passes)


def test_a_tuned_part_stops_at_its_edge_alike_each_time() -> None:
    knobs = {"x": Knob("voltage", 0.0, -200.0)}
    edge = -200.0 * edge_of(7, "x")
    assert [play(7, knobs, {"x": value}, 60.0, 2).outcome for value in (edge + 1, edge - 1)] == ["passed", "crashed"]
    assert play(7, knobs, {"x": -50.0}, 60.0, 2) == play(7, knobs, {"x": -50.0}, 60.0, 2)
    assert play(7, knobs, {"x": -50.0}, 60.0, 2) != play(7, knobs, {"x": -50.0}, 60.0, 3)
