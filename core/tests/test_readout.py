"""What a counter would have shown: by hand, against each frame by itself, and where nothing counts."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from rennbahn.capture import Capture
from rennbahn.capture.envelope import columns
from rennbahn.measures.readout import readout_of


def test_a_second_that_is_even_reads_its_rate_from_the_first_frame_on_and_nothing_after_the_last() -> None:
    found = readout_of(Capture(np.full(120, 20.0)), [], np.array([0.0, 0.02, 1.0, 2.4, 2.41]))

    assert found.rate_fps == pytest.approx([np.nan, 50.0, 50.0, 50.0, np.nan], nan_ok=True)


def test_a_long_frame_is_the_longest_for_as_long_as_one_looks_back_and_pulls_the_rate_down() -> None:
    frames = np.concatenate((np.full(100, 10.0), [200.0], np.full(300, 10.0)))

    found = readout_of(Capture(frames), [], np.array([0.9, 1.2, 2.15, 2.25]))

    assert found.longest_ms == pytest.approx([10, 200, 200, 10])
    # 81 frames within the second that ends with the long one: it and 80 of 10 ms.
    assert found.rate_fps == pytest.approx([100, 81 / 1.0, 96 / 1.15, 100], rel=0.02)


def test_what_does_not_count_is_not_read_even_shortly_after() -> None:
    frames = np.concatenate((np.full(100, 20.0), np.full(200, 10.0)))

    found = readout_of(Capture(frames), [(2.0, 3.0)], np.array([1.0, 2.0, 2.5, 3.0, 3.5]))

    assert found.rate_fps == pytest.approx([np.nan, np.nan, 100, 100, np.nan], nan_ok=True)


@given(
    st.lists(st.floats(0.5, 400), min_size=1, max_size=60),
    st.lists(st.floats(0, 20), max_size=20),
    st.floats(0, 3),
    st.floats(0.1, 3),
    st.floats(0.05, 2),
)
def test_it_is_what_one_finds_frame_by_frame(
    ms: list[float], at: list[float], start: float, long: float, back: float
) -> None:
    whole, moments, window = Capture(np.array(ms)), np.array(sorted(at)), (start, start + long)

    found = readout_of(whole, [window], moments, back)

    for i, moment in enumerate(moments):
        seen = [
            one
            for end, one in zip(whole.end_clock_s, ms, strict=True)
            if moment - back < end <= moment and window[0] < end <= window[1]
        ]
        if not seen or not window[0] < moment <= window[1] or moment > whole.duration_s:
            assert np.isnan(found.rate_fps[i])
            assert np.isnan(found.longest_ms[i])
        else:
            assert found.rate_fps[i] == pytest.approx(1000 * len(seen) / sum(seen))
            assert found.longest_ms[i] == max(seen)


@given(
    st.lists(st.floats(0.5, 400), min_size=1, max_size=60), st.floats(0, 5), st.floats(0.01, 0.7), st.integers(1, 30)
)
def test_a_column_shows_every_frame_that_was_under_way_in_it(
    ms: list[float], start: float, wide: float, many: int
) -> None:
    whole, edges = Capture(np.array(ms)), start + wide * np.arange(many + 1)

    low, high = columns(whole, edges)

    ends = whole.end_clock_s
    begins = np.concatenate(([0.0], ends[:-1]))
    for i in range(many):
        under = [one for one, b, e in zip(ms, begins, ends, strict=True) if b < edges[i + 1] and e > edges[i]]
        if under:
            assert (low[i], high[i]) == (min(under), max(under))
        else:
            assert np.isnan(low[i])
