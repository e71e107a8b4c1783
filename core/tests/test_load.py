"""Where a run lies in samples by its load, and what it drew: by made samples whose truth is known."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.capture import Capture, Samples
from rennbahn.capture.load import drawn_by, load_in


def meter(begins_s: float, lasts_s: float, every_s: float = 0.5, noise: float = 2.0, seed: int = 1) -> Samples:
    """A meter from 0 on: idle at 60 W, 200 W while the run lasts, idle again."""
    clock = np.arange(0.0, begins_s + lasts_s + 8.0, every_s)
    loaded = (clock >= begins_s) & (clock <= begins_s + lasts_s)
    watts = np.where(loaded, 200.0, 60.0) + np.random.default_rng(seed).normal(0.0, noise, len(clock))
    return Samples(clock, {"wall_power_w": watts})


@settings(max_examples=80, deadline=None)
@given(st.floats(3.0, 40.0), st.floats(8.0, 90.0), st.sampled_from([0.1, 0.5, 1.0]), st.integers(0, 10_000))
def test_a_run_is_found_within_a_sample_wherever_it_lies(
    begins_s: float, lasts_s: float, every_s: float, seed: int
) -> None:
    found = load_in(meter(begins_s, lasts_s, every_s, seed=seed), lasts_s)
    if begins_s / every_s + 8.0 / every_s < 8:
        return
    assert found is not None
    assert found.offset_s == pytest.approx(-begins_s, abs=1.01 * every_s)
    assert found.share > 0.6
    assert found.load - found.idle > 90.0


def test_where_no_load_shows_nothing_is_found() -> None:
    rng = np.random.default_rng(4)
    clock = np.arange(0.0, 60.0, 0.5)
    assert load_in(Samples(clock, {"wall_power_w": 60.0 + rng.normal(0.0, 2.0, len(clock))}), 30.0) is None
    assert load_in(Samples(clock, {"wall_power_w": np.full(len(clock), 60.0)}), 30.0) is None
    assert load_in(Samples(clock, {"fan_rpm": clock}), 30.0) is None
    assert load_in(Samples(clock, {"gpu_clock_mhz": clock}), 30.0) is None, "a ramp is no load"
    falling = np.where(clock < 30.0, 60.0, 200.0)
    assert load_in(Samples(clock, {"wall_power_w": falling}), 90.0) is None, "the run is longer than its samples"


def test_what_a_pass_drew_is_of_the_pass_alone() -> None:
    frames = Capture(np.full(1000, 20.0))
    samples = meter(5.0, 20.0, noise=0.0)
    found = load_in(samples, frames.duration_s)
    assert found is not None
    [drawn] = drawn_by(frames, samples.shifted(found.offset_s), {"wall_power_w": 60.0})
    assert (drawn.watts, drawn.joules_a_frame) == pytest.approx((200.0, 4.0))
    assert (drawn.watts_above_idle, drawn.joules_a_frame_above_idle) == pytest.approx((140.0, 2.8))
    # Each stands until the next, the last one as long as most: a mean over samples would say otherwise.
    uneven = Samples(np.array([0.0, 1.0, 2.0, 10.0]), {"wall_power_w": np.array([100.0, 100.0, 100.0, 300.0])})
    [drawn] = drawn_by(frames, uneven)
    assert drawn.watts == pytest.approx((10 * 100.0 + 1.0 * 300.0) / 11.0)
    assert drawn.watts_above_idle is None
    late = Samples(np.array([15.0, 16.0]), {"wall_power_w": np.array([100.0, 100.0])})
    assert drawn_by(frames, late) == (), "less than half of it is covered"
