"""Stretches of traces as they are printed."""

from __future__ import annotations

import numpy as np
import pytest
from rennbahn.capture import Capture
from rennbahn.measures.excerpt import excerpt_of
from rennbahn.measures.figures import figures_of
from rennbahn.quoting import excerpts_words

#: Ten seconds at 100 fps, in the middle of them a frame of a quarter second.
TRACE = Capture(np.concatenate([np.full(500, 10.0), [250.0], np.full(500, 10.0)]))


def test_all_of_a_capture_comes_to_what_its_pass_comes_to() -> None:
    figures = figures_of(TRACE)
    assert figures.rates is not None
    one = excerpt_of(TRACE, [], 1000.0 / 60)
    assert one.average_fps == pytest.approx(figures.rates.average_fps, rel=1e-12)
    assert (one.frames, one.longest_ms, one.over_budget) == (1001, 250.0, 1)


def test_a_frame_is_of_the_stretch_in_which_it_ends() -> None:
    assert excerpt_of(TRACE, [], 16.0, 0.0, 5.1).longest_ms == 10.0
    assert excerpt_of(TRACE, [], 16.0, 5.1, 5.25).longest_ms == 250.0
    assert excerpt_of(TRACE, [], 16.0, 5.25, 6.0).longest_ms == 10.0


def test_what_lies_outside_of_the_windows_is_drawn_and_not_told() -> None:
    one = excerpt_of(TRACE, [(0.0, 4.0), (6.0, 8.0)], 16.0)
    assert one.drawn.high_ms.max() == 250.0
    assert (one.longest_ms, one.over_budget, one.frames) == (10.0, 0, 600)
    none = excerpt_of(TRACE, [(0.0, 4.0)], 16.0, 5.0, 6.0)
    assert (none.frames, none.average_fps, none.longest_ms) == (0, None, None)
    assert excerpts_words("Reed", (5.0, 6.0), [("A, pass 1", none)]) == (
        "Reed, from 5.0 to 6.0 s: A, pass 1, without a frame that counts"
    )


def test_no_spike_vanishes_in_few_stretches_and_a_capture_that_lies_elsewhere_has_none() -> None:
    assert excerpt_of(TRACE, [], 16.0, stretches=10).drawn.high_ms.max() == 250.0
    late = excerpt_of(TRACE, [], 16.0, 20.0, 30.0)
    assert (late.frames, len(late.drawn.end_s)) == (0, 0)
    before = excerpt_of(TRACE, [], 16.0, -3.0, -1.0)
    assert before.frames == 0
    with pytest.raises(ValueError, match="ends after it begins"):
        excerpt_of(TRACE, [], 16.0, 5.0, 5.0)
