"""What a capture may cost: long logs, thousands of stutters, long traces on a small screen, samples beside frames."""

from __future__ import annotations

import time
import tracemalloc

import numpy as np
import pytest
from rennbahn.capture import (
    Capture,
    ColumnMap,
    ColumnUse,
    Samples,
    propose_samples,
    read_capture,
    read_samples,
)
from rennbahn.capture.envelope import envelope
from rennbahn.capture.pack import pack, unpack
from rennbahn.errors import CaptureRefused
from rennbahn.measures import figures_of
from rennbahn.measures.heartbeat import find_heartbeat
from rennbahn.measures.limits import MOST_DRIFT_BINS, drift

MS = ColumnMap((ColumnUse("ms", "frame_time", "ms"),))
RNG = np.random.default_rng


def test_a_log_of_more_than_a_day_is_refused_by_its_length() -> None:
    night = b"ms\n" + b"5000\n" * 17_281
    with pytest.raises(CaptureRefused, match="hours long; up to 24 are taken") as refused:
        read_capture(night, MS)
    assert refused.value.reason == "too_long"
    assert "unit" in (refused.value.hint or "")
    assert len(read_capture(b"ms\n" + b"5000\n" * 17_280, MS)) == 17_280


def test_a_day_of_slow_frames_costs_little_more_than_an_hour() -> None:
    rng = RNG(1)
    day = Capture(np.full(17_280, 5000.0) - rng.random(17_280))
    tracemalloc.start()
    found = figures_of(day)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 60 * 2**20, "pairs of all bins would be over a gigabyte"
    assert found.limits is not None
    assert found.limits.drift.bins > MOST_DRIFT_BINS


def test_thinned_drift_still_finds_the_slope() -> None:
    minutes = np.arange(400_000) * 36.0 / 60_000.0
    found = drift(Capture(36.0 * (1.0 + 0.0005 * minutes)))
    assert found.bins > 2 * MOST_DRIFT_BINS
    assert found.percent_per_minute == pytest.approx(-0.047, abs=0.003)
    assert found.low is not None
    assert found.high is not None
    assert found.low <= found.percent_per_minute <= found.high


def test_thousands_of_stutters_are_searched_in_bounded_time() -> None:
    rng = RNG(2)
    beats = 0.9 * np.arange(4000) + rng.normal(0, 1e-6, 4000)
    begin = time.process_time()
    found = find_heartbeat(np.sort(beats))
    assert time.process_time() - begin < 5, "pair by pair it took sixteen seconds"
    assert found.found
    assert found.period_s == pytest.approx(0.9, abs=0.001)
    assert not find_heartbeat(np.sort(rng.random(4000) * 3600)).found


@pytest.mark.parametrize("kind", ["scatter", "creep", "gaps", "fine", "none"])
def test_arrays_at_rest_come_back_to_the_bit_whichever_way_is_smaller(kind: str) -> None:
    rng = RNG(3)
    values = {
        "scatter": np.round(rng.gamma(20, 0.5, 5000), 3),
        "creep": np.round(np.cumsum(rng.integers(0, 2, 5000)) / 10, 1),
        "gaps": np.where(rng.random(500) < 0.1, np.nan, 1.25),
        "fine": rng.random(500),
        "none": np.empty(0),
    }[kind]
    assert np.array_equal(unpack(pack(values)), values, equal_nan=True)


def test_frames_at_rest_are_near_their_entropy() -> None:
    whole = np.rint(RNG(4).normal(9600, 480, 60_000))
    _, counts = np.unique(whole, return_counts=True)
    share = counts / counts.sum()
    entropy = -(share * np.log2(share)).sum() / 8
    assert len(pack(whole / 1000.0)) / len(whole) < 1.25 * entropy


def test_no_spike_is_lost_in_an_envelope() -> None:
    frames = np.full(100_000, 8.0)
    frames[[12_345, 77_777]] = (95.0, 60.0)
    capture = Capture(frames)
    found = envelope(capture, 500)
    assert not found.exact
    assert len(found.end_s) <= 500
    assert sorted(found.high_ms)[-2:] == [60.0, 95.0]
    assert (found.low_ms == 8.0).all()
    assert found.end_s[-1] == capture.end_clock_s[-1]
    near = envelope(capture, 500, 98.0, 100.0)
    assert near.exact
    assert near.high_ms.max() == 95.0
    assert ((near.end_s > 98.0) & (near.end_s <= 100.0)).all()
    assert len(envelope(capture, 500, 900.0, 901.0).end_s) == 0


def test_samples_are_read_on_their_own_clock_and_trimmed_by_it() -> None:
    text = b"clock_s;wall_power_w;note\n10,0;100,5;a\n11,0;;b\n12,5;103,5;c\n"
    columns = propose_samples(text)
    assert [(use.column, use.channel, use.unit) for use in columns.uses] == [
        ("clock_s", "timestamp", "s"), ("wall_power_w", "wall_power_w", "W"),
    ]  # fmt: skip
    samples = read_samples(text, columns)
    assert samples.clock_s.tolist() == [10.0, 11.0, 12.5]
    assert np.isnan(samples.values["wall_power_w"][1])
    inside = samples.shifted(-10.0).trimmed(0.5, 2.5)
    assert inside.clock_s.tolist() == [0.5, 2.0]
    whole = Capture(np.full(400, 10.0), samples=(samples.shifted(-10.0),))
    means = figures_of(whole.trimmed(2.0, 4.0)).channel_means
    assert means == {"wall_power_w": 103.5}


def test_the_frames_own_channel_goes_before_the_sampled_one() -> None:
    samples = Samples(np.array([1.0]), {"gpu_temp_c": np.array([90.0]), "fan_rpm": np.array([1200.0])})
    capture = Capture(np.full(300, 10.0), {"gpu_temp_c": np.full(300, 60.0)}, samples=(samples,))
    assert figures_of(capture).channel_means == {"gpu_temp_c": 60.0, "fan_rpm": 1200.0}


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        (b"alpha,beta\n1,2\n2,3\n3,4\n", "missing_column"),
        (b"clock_s,beta\n1,2\n2,3\n3,4\n", "missing_column"),
        (b"", "no_frames"),
    ],
)
def test_samples_without_a_clock_or_a_channel_are_refused(text: bytes, reason: str) -> None:
    with pytest.raises(CaptureRefused) as refused:
        propose_samples(text)
    assert refused.value.reason == reason


def test_samples_whose_clock_runs_backwards_name_the_row() -> None:
    columns = propose_samples(b"clock_s,fan_rpm\n1,2\n2,3\n")
    with pytest.raises(CaptureRefused) as refused:
        read_samples(b"clock_s,fan_rpm\n1,2\n2,3\n1.5,4\n", columns)
    assert (refused.value.reason, refused.value.row) == ("timestamps_backwards", 3)
