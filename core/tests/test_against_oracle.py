"""Every figure of simulated captures against plain loops: other seeds, other rigs, other troubles."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import oracle
import pytest
from rennbahn.capture import Capture
from rennbahn.measures import LOW_SCHOOLS, Settings, figures_of
from rennbahn.measures.heartbeat import find_heartbeat
from rennbahn.simulation import Rig, Scene, Upset, run_pass

SCENE = Scene(cpu_ms=6.0, gpu_ms=9.0, seconds=20.0)

#: Name, scene, rig, what goes wrong.
TROUBLES: dict[str, tuple[Scene, Rig, Upset | None]] = {
    "plain": (SCENE, Rig(), None),
    "bound by the processor": (replace(SCENE, cpu_ms=11.0), Rig(), None),
    "limits that take turns": (replace(SCENE, cpu_ms=9.0, noise=0.09), Rig(), None),
    "hitches": (SCENE, Rig(hitch_rate=40.0), None),
    "hitches that keep time": (SCENE, Rig(every_s=1.6, hitch_ms=45.0), None),
    "hitches in time and out of it": (SCENE, Rig(every_s=2.1, hitch_rate=12.0), None),
    "a cap": (replace(SCENE, cap_fps=75.0), Rig(), None),
    "a cap reached now and then": (replace(SCENE, cap_fps=112.0), Rig(), None),
    "a warming card": (SCENE, Rig(heat_loss=0.12), None),
    "a cold start": (SCENE, Rig(), Upset(cold_start_s=6.0)),
    "another program": (SCENE, Rig(), Upset(busy_from_s=5.0, busy_for_s=4.0, slowdown=3.0)),
    "few frames": (replace(SCENE, seconds=1.3), Rig(), None),
}
#: Troubles that only the delivery has: frames come in groups of so many.
DELIVERED = {"pairs": 2, "threes": 3, "fours": 4}
TROUBLES |= dict.fromkeys(DELIVERED, (SCENE, Rig(hitch_rate=20.0), None)) | {"a hang": (SCENE, Rig(), None)}
CASES = [(name, seed) for name in TROUBLES for seed in (1, 2)]


def simulated(name: str, seed: int) -> Capture:
    scene, rig, upset = TROUBLES[name]
    capture = run_pass(scene, rig, np.random.default_rng([seed, len(name)]), upset)
    times = capture.frame_ms.copy()
    size = DELIVERED.get(name)
    if size:
        # One frame of each group is late by half, the next ones make up for it.
        late = np.arange(len(times)) % size == 0
        times += np.where(late, 0.5, -0.5 / (size - 1)) * np.median(times)
    if name == "a hang":
        times[len(times) // 3] += 1400.0
    return replace(capture, frame_ms=times)


@pytest.mark.parametrize(("name", "seed"), CASES)
def test_rates_and_lows(name: str, seed: int) -> None:
    capture = simulated(name, seed)
    times, found = capture.frame_ms.tolist(), figures_of(capture)
    assert found.rates is not None
    assert found.lows is not None
    assert found.percentile_curve_ms is not None
    assert found.rates.average_fps == pytest.approx(len(times) / math.fsum(times) * 1000, rel=1e-12)
    for q, value in found.rates.percentile_ms.items():
        assert value == pytest.approx(oracle.percentile(times, float(q)), rel=1e-12)
    for place in (0, 137, 499):
        wanted = oracle.percentile(times, 50 + place / 10)
        assert found.percentile_curve_ms[place] == pytest.approx(wanted, rel=1e-9)
    for low, per_mille in (("1", 10), ("0.1", 1)):
        for school in LOW_SCHOOLS:
            fps, support = oracle.low(times, per_mille, school)
            got = found.lows[low][school]
            assert got.fps == pytest.approx(fps, rel=1e-12)
            assert got.support == support
            assert got.thin == (support < 10)


@pytest.mark.parametrize(("name", "seed"), CASES)
@pytest.mark.parametrize("target_hz", [60.0, 144.0])
def test_smoothness(name: str, seed: int, target_hz: float) -> None:
    capture = simulated(name, seed)
    times, found = capture.frame_ms.tolist(), figures_of(capture, Settings(target_hz=target_hz)).smoothness
    assert found is not None
    for key, value in oracle.smooth_shares(times, target_hz).items():
        assert getattr(found, key) == pytest.approx(value, rel=1e-9, abs=1e-12), key
    local = oracle.local_ms(times)
    assert list(found.local_ms.first) == pytest.approx(local[:3])
    assert list(found.local_ms.last) == pytest.approx(local[-3:])
    assert found.local_ms.mean == pytest.approx(math.fsum(local) / len(local))
    wanted = oracle.stutters(times, target_hz)
    assert (found.stutters.count, found.stutters.frames) == (wanted["count"], wanted["frames"])
    assert found.stutters.per_minute == pytest.approx(wanted["per_minute"])
    assert found.stutters.time_lost_ms == pytest.approx(wanted["time_lost_ms"], abs=1e-9)
    assert found.stutters.longest_ms == wanted["longest_ms"]
    assert list(found.stutters.starts_s) == pytest.approx(wanted["starts_s"])
    grouped, paused = oracle.alternation(times), oracle.pauses(times)
    assert found.alternation.flip_share == pytest.approx(grouped["flip_share"])
    assert found.alternation.amplitude == pytest.approx(grouped["amplitude"])
    assert (found.alternation.alternating, found.alternation.period) == (grouped["alternating"], grouped["period"])
    assert grouped["period"] == DELIVERED.get(name)
    assert (found.pauses.count, found.pauses.longest_ms) == (paused["count"], paused["longest_ms"])
    assert list(found.pauses.starts_s) == pytest.approx(paused["starts_s"])
    assert found.pauses.total_ms == pytest.approx(paused["total_ms"])
    assert (paused["count"] > 0) == (name == "a hang")
    beat = oracle.heartbeat(wanted["starts_s"])
    assert found.heartbeat.found == beat["found"]
    if beat["found"]:
        assert found.heartbeat.period_s == pytest.approx(beat["period_s"])
        assert (found.heartbeat.beats, found.heartbeat.met) == (beat["beats"], beat["met"])


@pytest.mark.parametrize("seed", range(30))
def test_heartbeats_of_random_stutters(seed: int) -> None:
    rng = np.random.default_rng(seed)
    starts = np.cumsum(rng.choice([0.7, 1.4, 2.1, 3.3], size=rng.integers(5, 18)) + rng.normal(0, 0.02, 1))
    starts = np.sort(np.concatenate([starts, rng.uniform(0, starts[-1], rng.integers(0, 5))]))
    found, wanted = find_heartbeat(starts), oracle.heartbeat(starts.tolist())
    assert found.found == wanted["found"]
    if found.found:
        assert found.period_s == pytest.approx(wanted["period_s"], rel=1e-9)
        assert (found.beats, found.met, found.stutters) == (wanted["beats"], wanted["met"], len(starts))


@pytest.mark.parametrize(("name", "seed"), CASES)
@pytest.mark.parametrize("channels", ["both", "card", "none"])
def test_limits(name: str, seed: int, channels: str) -> None:
    capture = simulated(name, seed)
    keep = {"both": ("gpu_busy_ms", "cpu_busy_ms"), "card": ("gpu_busy_ms",), "none": ()}[channels]
    capture = Capture(capture.frame_ms, {key: capture.channels[key] for key in keep})
    times, found = capture.frame_ms.tolist(), figures_of(capture).limits
    assert found is not None
    label = None
    if keep:
        busy = [capture.channels[key].tolist() for key in keep]
        label = oracle.bound_by(times, busy[0], busy[1] if len(busy) > 1 else None)
        assert found.gpu_limit_fps == pytest.approx(1000 * len(times) / math.fsum(busy[0]))
    assert found.bound_by.label == label
    wanted = oracle.cap(times, bound_by_hardware=label in ("gpu", "cpu"))
    assert found.cap.state == wanted["state"]
    assert found.cap.share == pytest.approx(wanted["share"])
    if wanted["lock_fps"] is None:
        assert found.cap.lock_fps is None
    else:
        assert found.cap.lock_fps == pytest.approx(wanted["lock_fps"], rel=1e-9)
    slope = oracle.drift(times)
    assert found.drift.bins == slope["bins"]
    for key in ("percent_per_minute", "low", "high"):
        got = getattr(found.drift, key)
        assert (got is None) == (slope[key] is None), key
        if got is not None:
            assert got == pytest.approx(slope[key], rel=1e-9)


@pytest.mark.parametrize(("start", "stop"), [(0.0, 3.0), (2.5, 9.75), (18.0, 99.0)])
def test_a_window_is_a_capture_of_its_own(start: float, stop: float) -> None:
    capture = simulated("hitches", 1)
    clock, kept = 0.0, []
    for time in capture.frame_ms.tolist():
        clock += time
        if start < clock / 1000 <= stop:
            kept.append(time)
    window, whole = figures_of(capture.trimmed(start, stop)), figures_of(Capture(np.array(kept)))
    assert window.frames == len(kept)
    assert window.rates == whole.rates
    assert window.smoothness == whole.smoothness
