"""Figures against theory and against themselves."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from rennbahn.capture import Capture
from rennbahn.capture.pack import pack, unpack
from rennbahn.errors import RennbahnError
from rennbahn.measures import Figures, KnownCap, Settings, figures_of
from rennbahn.measures.heartbeat import find_heartbeat
from rennbahn.measures.limits import cap, drift
from rennbahn.measures.rates import lows
from rennbahn.measures.smoothness import local_median_ms

FRAMES = hnp.arrays(np.float64, st.integers(1, 120), elements=st.floats(0.5, 200.0))


def rates_of(figures: Figures) -> dict[str, float]:
    """The rates of a capture: its average, and its lows by school."""
    assert figures.rates is not None
    assert figures.lows is not None
    lows = {f"low_{name}.{school}": low.fps for name, own in figures.lows.items() for school, low in own.items()}
    return {"average_fps": figures.rates.average_fps} | lows


@given(FRAMES)
def test_order_of_rates(frames: np.ndarray) -> None:
    figures = figures_of(Capture(frames))
    assert figures.rates is not None
    assert figures.lows is not None
    assert figures.rates.minimum_fps <= figures.rates.average_fps * (1 + 1e-12)
    for by_school in figures.lows.values():
        for low in by_school.values():
            assert figures.rates.minimum_fps <= low.fps * (1 + 1e-12)
            assert 1 <= low.support <= len(frames)
            assert low.thin == (low.support < 10)


@given(FRAMES, st.sampled_from([0.5, 2.0, 4.0]))
def test_rates_scale_with_time(frames: np.ndarray, factor: float) -> None:
    one, other = (rates_of(figures_of(Capture(f))) for f in (frames, frames * factor))
    for name, value in one.items():
        assert other[name] == pytest.approx(value / factor, rel=1e-9)


@given(FRAMES)
def test_the_local_median_is_what_it_says(frames: np.ndarray) -> None:
    pairs = np.concatenate((frames[:1], (frames[1:] + frames[:-1]) / 2.0))
    wanted = [np.median(pairs[max(0, i - 15) : i + 16]) for i in range(len(frames))]
    assert local_median_ms(frames) == pytest.approx(wanted)


@given(FRAMES, st.floats(0, 5), st.floats(0, 5))
def test_windows_part_a_capture(frames: np.ndarray, first: float, second: float) -> None:
    start, middle = sorted((first, second))
    capture = Capture(frames)
    parts = [capture.trimmed(-1, start), capture.trimmed(start, middle), capture.trimmed(middle, 1e9)]
    assert np.concatenate([part.frame_ms for part in parts]).tolist() == frames.tolist()


def test_average_is_frames_over_time_not_a_mean_of_rates() -> None:
    figures = figures_of(Capture(np.array([10.0, 30.0])))
    assert figures.rates is not None
    assert figures.rates.average_fps == 50.0  # the mean of 100 and 33.3 fps would be 66.7


def test_one_percent_of_700_frames_is_seven() -> None:
    assert lows(np.sort(np.linspace(5, 20, 700)))["1"]["slowest_frames"].support == 7


def test_a_single_frame_has_no_steps() -> None:
    smooth = figures_of(Capture(np.array([16.0]))).smoothness
    assert smooth is not None
    assert (smooth.step_mean_ms, smooth.jolt_share, smooth.alternation.flip_share) == (None, None, None)


def test_alternating_frames_are_no_stutter() -> None:
    frames = np.tile([6.0, 26.0], 300)
    smooth = figures_of(Capture(frames)).smoothness
    assert smooth is not None
    assert smooth.alternation.alternating
    assert smooth.stutters.count == 0


def test_stutters_250_ms_apart_are_one() -> None:
    frames = np.full(1000, 10.0)
    frames[[100, 120, 500]] = 80.0
    smooth = figures_of(Capture(frames)).smoothness
    assert smooth is not None
    assert (smooth.stutters.count, smooth.stutters.frames) == (2, 3)
    assert smooth.stutters.starts_s == pytest.approx((1.0, 5.14))


def test_heartbeat_survives_a_missed_and_an_added_stutter() -> None:
    rng = np.random.default_rng(5)
    beats = np.delete(np.arange(12) * 2.5 + 1.0, 4) + rng.normal(0, 0.02, 11)
    found = find_heartbeat(np.sort(np.append(beats, 9.7)))
    assert (found.found, found.met, found.beats) == (True, 11, 12)
    assert found.period_s == pytest.approx(2.5, abs=0.01)
    assert not find_heartbeat(np.sort(rng.uniform(0, 40, 7))).found


@pytest.mark.parametrize(("fps", "name"), [(120, "limiter"), (82.5, "panel / 2"), (101, "unexplained")])
def test_a_lock_is_named_by_the_caps_one_knows(fps: float, name: str) -> None:
    rng = np.random.default_rng(2)
    capture = Capture(1000.0 / fps + rng.normal(0, 0.01, 4000))
    known = [KnownCap("limiter", 120.0), KnownCap("panel", 165.0, refresh=True)]
    found = cap(capture, np.sort(capture.frame_ms), known, bound_by_hardware=False)
    assert (found.state, found.name) == ("capped", name)
    assert cap(capture, np.sort(capture.frame_ms), known, bound_by_hardware=True).state == "partly"


def test_drift_finds_a_slope_of_ten_percent_a_minute() -> None:
    fps = 100.0 * (1 - 0.10 * np.arange(6000) / 6000)
    slope = drift(Capture(1000.0 / fps))
    assert slope.percent_per_minute == pytest.approx(-10.0, rel=0.1)
    assert slope.low is not None
    assert slope.high is not None
    assert slope.low < -9 < slope.high + 2


def test_settings_must_make_sense() -> None:
    with pytest.raises(RennbahnError, match="target_hz must be above 0"):
        Settings(target_hz=-60)
    with pytest.raises(RennbahnError, match="known_caps"):
        Settings.from_json({"known_caps": [{"fps": 60}]})


@given(hnp.arrays(np.float64, st.integers(0, 60), elements=st.floats(allow_nan=True, allow_infinity=True)))
def test_packed_doubles_come_back_to_the_bit(values: np.ndarray) -> None:
    assert unpack(pack(values)).tobytes() == values.tobytes() or np.isnan(values).any()
    assert np.array_equal(unpack(pack(values)), values, equal_nan=True)


@given(st.lists(st.integers(1, 50_000_000), min_size=200, max_size=300), st.sampled_from([1e3, 1e4, 1e5, 1e6]))
def test_packed_decimals_are_small(whole: list[int], parts: float) -> None:
    values = np.array(whole) / parts
    packed = pack(values)
    assert np.array_equal(unpack(packed), values)
    assert len(packed) <= 4 * len(values) + 64
