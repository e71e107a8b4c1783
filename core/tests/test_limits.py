"""What holds the rate back, and how even the frames came: figures worked out by hand."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from rennbahn.capture import Capture
from rennbahn.measures import figures_of
from rennbahn.measures.heartbeat import find_heartbeat
from rennbahn.measures.limits import KnownCap, bound_by, cap, drift, half_second_fps
from rennbahn.measures.smoothness import Smoothness, smoothness


def busy(gpu: list[float], cpu: list[float] | None = None, frame: float = 10.0) -> Capture:
    channels = {"gpu_busy_ms": np.array(gpu)}
    if cpu is not None:
        channels["cpu_busy_ms"] = np.array(cpu)
    return Capture(np.full(len(gpu), frame), channels)


def smooth(frames: list[float], target_hz: float = 100.0, limited: float | None = None) -> Smoothness:
    capture = Capture(np.array(frames))
    return smoothness(capture, float(np.median(frames)), target_hz, limited)


@pytest.mark.parametrize(
    ("gpu", "cpu", "label"),
    [
        ([9.0] * 6 + [1.0] * 4, [1.0] * 10, "gpu"),  # exactly 90% busy and exactly 60% of frames
        ([8.99] * 10, [9.0] * 10, "cpu"),
        ([1.0] * 10, [1.0] * 10, "waiting"),
        ([9.5] * 5 + [1.0] * 5, [9.5] * 10, "mixed"),
        ([9.5] * 10, None, "gpu"),
        ([1.0] * 10, None, "not_gpu"),
        ([9.5] * 5 + [1.0] * 5, None, "mixed"),
    ],
)
def test_the_side_that_holds_the_frames(gpu: list[float], cpu: list[float] | None, label: str) -> None:
    found = bound_by(busy(gpu, cpu))
    assert (found.label, found.source) == (label, "busy_times")
    assert found.shares is not None
    assert sum(found.shares.values()) == pytest.approx(1.0)


def test_frames_with_a_gap_are_not_counted() -> None:
    nan = float("nan")
    found = bound_by(busy([9.5, nan, 9.5, 1.0], [1.0, 1.0, nan, 9.5]))
    assert found.shares == {"gpu": 0.5, "cpu": 0.5, "waiting": 0.0}
    assert found.label == "mixed"


def test_utilisation_is_asked_only_where_no_frame_could_be_counted() -> None:
    nan = np.full(4, np.nan)
    full = np.full(4, 97.0)
    frames = np.full(4, 10.0)
    found = bound_by(Capture(frames, {"gpu_busy_ms": nan, "gpu_util_pct": full}))
    assert (found.label, found.source) == ("gpu", "utilisation")
    assert bound_by(Capture(frames, {"gpu_util_pct": full - 2.1})).label == "not_gpu"
    assert bound_by(Capture(frames, {"cpu_busy_ms": frames})).label is None
    assert bound_by(Capture(frames, {"gpu_util_pct": nan})).label is None


def test_the_limit_of_a_side_is_the_rate_of_its_mean_busy_time() -> None:
    limits = figures_of(busy([4.0, 6.0], [9.0, 11.0])).limits
    assert limits is not None
    assert (limits.gpu_limit_fps, limits.cpu_limit_fps) == (200.0, 100.0)


def test_half_seconds_take_whole_frames_and_leave_the_rest() -> None:
    rates = half_second_fps(Capture(np.full(120, 12.0)))
    # 42 frames of 12 ms make 504 ms; two such bins, and 36 frames left over.
    assert rates.tolist() == pytest.approx([1000 / 12] * 2)
    assert len(half_second_fps(Capture(np.array([5.0])))) == 0


def test_under_thirty_half_seconds_only_frames_can_show_a_lock() -> None:
    rng = np.random.default_rng(0)
    locked = 10.0 + rng.normal(0, 0.01, 800)  # 8 s: 16 half seconds
    found = cap(Capture(locked), np.sort(locked), [], bound_by_hardware=False)
    assert (found.bin_share, found.faster_share) == (None, None)
    assert (found.state, found.name, found.lock_fps) == ("none", None, None), "without a name nobody can tell"
    known = cap(Capture(locked), np.sort(locked), [KnownCap("limiter", 100.0)], bound_by_hardware=False)
    assert (known.state, known.name) == ("capped", "limiter")
    assert known.lock_fps == pytest.approx(100.0, rel=1e-3)


@pytest.mark.parametrize(
    ("rate", "variable", "name"),
    [
        (141.0, True, "display, just under"),
        (144.0, True, "display"),
        (136.0, True, "display, just under"),
        (132.0, True, "unexplained"),
        (136.0, False, "unexplained"),
        (72.0, True, "display / 2"),
    ],
)
def test_a_display_of_variable_refresh_names_a_lock_just_under_it(rate: float, variable: bool, name: str) -> None:
    times = 1000.0 / rate + np.random.default_rng(2).normal(0, 0.004, int(20 * rate))
    known = [KnownCap("display", 144.0, refresh=True, variable=variable)]
    found = cap(Capture(times), np.sort(times), known, bound_by_hardware=False)
    assert (found.state, found.name) == ("capped", name)


def test_what_outruns_a_cap_without_a_name_is_none() -> None:
    rng = np.random.default_rng(0)
    times = np.concatenate([10.0 + rng.normal(0, 0.005, 3000), 8.0 + rng.normal(0, 0.3, 300)])
    assert cap(Capture(times), np.sort(times), [], bound_by_hardware=False).state == "none"
    known = [KnownCap("limiter", 100.0)]
    assert cap(Capture(times), np.sort(times), known, bound_by_hardware=False).state == "capped"


def test_partly_capped_where_nothing_is_faster() -> None:
    rng = np.random.default_rng(0)
    free = rng.uniform(10.2, 16.0, 2000)
    held = np.full(2000, 10.0) + rng.normal(0, 0.005, 2000)
    frames = np.concatenate([held, free])
    found = cap(Capture(frames), np.sort(frames), [], bound_by_hardware=False)
    assert found.state == "partly"
    faster = np.concatenate([held, free - 4.0])
    assert cap(Capture(faster), np.sort(faster), [], bound_by_hardware=False).state == "none"


def test_drift_needs_bins_and_leaves_empty_ones_out() -> None:
    short = drift(Capture(np.full(1000, 10.0)))
    assert (short.bins, short.percent_per_minute) == (2, None)
    steady = drift(Capture(np.full(4000, 10.0)))
    assert (steady.bins, steady.percent_per_minute, steady.low, steady.high) == (8, 0.0, 0.0, 0.0)
    # One frame of 12 s spans two whole bins that hold no end of a frame.
    gap = drift(Capture(np.concatenate([np.full(600, 10.0), [12_000.0], np.full(1500, 10.0)])))
    assert gap.bins == 5
    assert gap.low is None


def test_budget_spells_and_jolts_by_hand() -> None:
    # Budget 10 ms: over it from 10.25 on; jolts are steps over 5 ms.
    found = smooth([10.0, 10.25, 10.3, 20.0, 10.0, 10.0, 16.0, 10.0])
    assert found.over_budget_share == pytest.approx(3 / 8)
    assert found.over_budget_time_share == pytest.approx((10.3 + 20 + 16) / 96.55)
    assert found.longest_spell_s == pytest.approx(0.0303)
    assert found.jolt_share == pytest.approx(4 / 7)
    assert found.step_mean_ms == pytest.approx((0.25 + 0.05 + 9.7 + 10 + 0 + 6 + 6) / 7)


def test_on_the_beat_within_a_tenth() -> None:
    found = smooth([10.0, 11.0, 9.0, 11.01, 30.0], limited=100.0)
    assert found.on_beat_share == pytest.approx(3 / 5)
    assert smooth([10.0, 11.0]).on_beat_share is None


def test_a_spike_is_a_stutter_only_if_it_is_long_in_ratio_and_in_time() -> None:
    def count(spike: float, base: float = 10.0) -> int:
        return smooth([base] * 40 + [spike] + [base] * 40).stutters.count

    assert count(17.6) == 1
    assert count(17.4) == 0, "not 1.75 times its neighbours"
    assert count(3.9, base=2.0) == 0, "twice as long, but under half a budget more"


def test_time_lost_is_what_the_stutter_took_beyond_its_surroundings() -> None:
    stutters = smooth([10.0] * 40 + [60.0] + [10.0] * 40).stutters
    assert stutters.time_lost_ms == pytest.approx(50.0)
    assert (stutters.longest_ms, stutters.frames) == (60.0, 1)
    assert stutters.per_minute == pytest.approx(60 / 0.86)
    calm = smooth([10.0] * 50).stutters
    assert (calm.count, calm.longest_ms, calm.time_lost_ms) == (0, None, 0.0)


def brute_heartbeat(starts: np.ndarray) -> tuple[int, int] | None:
    """The definition, line by line, without any vectors: beats met and beats spanned of the best line."""
    best: tuple[int, int] | None = None
    for i in range(len(starts)):
        for j, m in itertools.product(range(i + 1, min(i + 7, len(starts))), (1, 2, 3)):
            period = (starts[j] - starts[i]) / m
            if period < 0.5:
                continue
            place = (starts - starts[i]) / period
            beats = np.floor(place + 0.5)
            met = sorted({int(k) for k in beats[np.abs(place - beats) <= 0.06]})
            span = met[-1] - met[0] + 1
            stands = len(met) >= 6 and 4 * len(met) >= 3 * span and 2 * len(met) >= len(starts)
            if stands and (best is None or len(met) ** 2 * best[1] > best[0] ** 2 * span):
                best = (len(met), span)
    return best


@pytest.mark.parametrize("seed", range(12))
def test_the_heartbeat_is_the_one_of_the_definition(seed: int) -> None:
    rng = np.random.default_rng(seed)
    beats = np.arange(14) * rng.uniform(0.6, 4.0) + rng.normal(0, 0.03, 14)
    kept = beats[rng.random(14) > 0.15]
    starts = np.sort(np.concatenate([kept, rng.uniform(0, beats[-1], seed % 6)]))
    found = find_heartbeat(starts)
    assert ((found.met, found.beats) if found.found else None) == brute_heartbeat(starts)
