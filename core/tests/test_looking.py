"""What is drawn of a capture: layers over its trace, its shape, samples, and traces laid over each other."""

from __future__ import annotations

import numpy as np
import pytest
from helpers import REFERENCE, load
from numpy.typing import NDArray
from rennbahn.capture import Capture, ColumnMap, Samples, read_capture
from rennbahn.capture.align import best_agreement
from rennbahn.capture.envelope import sampled
from rennbahn.measures import Settings, figures_of
from rennbahn.measures.layers import MOST_MARKS, layers_of
from rennbahn.measures.limits import KnownCap
from rennbahn.measures.shape import BINS, EDGES_MS, SQUARE, shape_of
from rennbahn.simulation import Rig, Scene, Upset, run_pass

SCENE = Scene(5.0, 9.0, seconds=40.0)
CAPTURES = load("expected.json")["files"]


def even(seconds: float = 40.0, ms: float = 10.0) -> NDArray[np.float64]:
    return np.full(int(seconds * 1000.0 / ms), ms)


def test_stutters_lie_where_they_began_whatever_the_window() -> None:
    frames = even()
    frames[[500, 1500, 2500]] = 60.0
    whole = Capture(frames)
    found = layers_of(whole, [])
    clock = whole.end_clock_s
    assert [one.from_s for one in found.stutters] == [clock[499], clock[1499], clock[2499]]
    assert [one.to_s for one in found.stutters] == [clock[500], clock[1500], clock[2500]]
    assert {one.longest_ms for one in found.stutters} == {60.0}
    inside = layers_of(whole, [(10.0, 20.0), (22.0, 38.0)])
    assert [one.from_s for one in inside.stutters] == [clock[1499], clock[2499]]
    assert len(inside.stutters) == figures_of(whole.within([(10.0, 20.0), (22.0, 38.0)])).smoothness.stutters.count  # type: ignore[union-attr]


def test_stutter_frames_close_together_are_one_stretch() -> None:
    frames = even()
    frames[[500, 505, 510]] = 70.0
    (one,) = layers_of(Capture(frames), []).stutters
    clock = Capture(frames).end_clock_s
    assert (one.from_s, one.to_s) == (clock[499], clock[510])


def test_a_heartbeat_is_drawn_on_its_beats_also_where_one_was_missed() -> None:
    frames = even(60.0)
    places = [400 + 500 * beat for beat in range(11) if beat != 4]
    frames[places] = 70.0
    found = layers_of(Capture(frames), [])
    assert found.beat_period_s == pytest.approx(5.055, abs=0.05)
    assert len(found.beats_s) == 11
    starts = [one.from_s for one in found.stutters]
    assert found.beats_s[0] == pytest.approx(starts[0], abs=0.1)
    assert found.beats_s[4] == pytest.approx((starts[3] + starts[4]) / 2.0, abs=0.1), "the beat that was missed"


def test_pauses_caps_and_the_course() -> None:
    frames = np.concatenate([even(5.0), [1500.0], even(5.0)])
    found = layers_of(Capture(frames), [])
    assert [(one.from_s, one.longest_ms) for one in found.pauses] == [(pytest.approx(5.0), 1500.0)]
    assert found.course_ms[0] == pytest.approx(10.0)
    assert max(found.course_ms) == pytest.approx(1500.0)
    held = run_pass(SCENE, Rig(), np.random.default_rng(1), Upset(lock_fps=60.0))
    known = layers_of(held, [], Settings(known_caps=(KnownCap("menu limiter", 60.0, False),)))
    assert (known.cap, known.held_by) == ("capped", "menu limiter")
    assert known.held_fps == pytest.approx(60.0, rel=0.01)
    assert layers_of(run_pass(SCENE, Rig(), np.random.default_rng(1)), []).held_fps is None


def test_the_frames_behind_a_low_are_the_ones_it_stands_on() -> None:
    rng = np.random.default_rng(2)
    frames = rng.gamma(30.0, 0.3, 5000)
    found = {one.low: one for one in layers_of(Capture(frames), [], low_school="slowest_frames").behind}
    figures = figures_of(Capture(frames))
    assert figures.lows is not None
    assert found["1"].fps == figures.lows["1"]["slowest_frames"].fps
    assert (found["1"].count, len(found["1"].ms)) == (50, 50)
    assert sorted(found["1"].ms) == sorted(frames)[-50:]
    assert found["1"].from_ms == min(found["1"].ms)
    assert 1000.0 / np.mean(found["1"].ms) == pytest.approx(found["1"].fps)
    assert list(found["0.1"].end_s) == sorted(found["0.1"].end_s)
    many = {one.low: one for one in layers_of(Capture(rng.gamma(30.0, 0.3, 100_000)), []).behind}
    assert (many["1"].count, len(many["1"].ms)) == (1000, MOST_MARKS)


def test_layers_of_an_empty_window_are_refused() -> None:
    with pytest.raises(ValueError, match="need a frame"):
        layers_of(Capture(even(5.0)), [(50.0, 60.0)])


def test_the_shape_counts_every_frame_once() -> None:
    frames = np.array([0.1, 10.0, 10.0, 16.0, 2000.0])
    found = shape_of(Capture(frames), 60.0)
    assert found.share.sum() == pytest.approx(1.0)
    assert (found.share[0], found.share[-1]) == (0.2, 0.2), "what lies beyond is in the first and the last"
    ten = int(np.searchsorted(EDGES_MS, 10.0, side="right")) - 1
    assert EDGES_MS[ten] <= 10.0 < EDGES_MS[ten + 1]
    assert found.share[ten] == pytest.approx(0.4)
    assert len(found.share) == BINS
    steps = np.abs(np.diff(frames))
    assert found.steps_ms[0] == pytest.approx(np.percentile(steps, 50))
    assert found.cloud is None
    assert shape_of(Capture(np.array([10.0])), 60.0).steps_ms.size == 0


def test_the_cloud_says_which_side_was_over_the_budget() -> None:
    budget = 1000.0 / 90.0
    over, inside, edge = 1.2 * budget, 0.5 * budget, 1.02 * budget
    processor = np.array([inside, over, inside, over, edge, np.nan])
    card = np.array([inside, inside, over, over, edge, inside])
    capture = Capture(np.full(6, budget), {"cpu_busy_ms": processor, "gpu_busy_ms": card})
    found = shape_of(capture, 90.0).cloud
    assert found is not None
    told = found.corners
    assert (told.both_inside, told.processor_over, told.card_over, told.both_over) == (0.4, 0.2, 0.2, 0.2)
    assert sum(found.count) == 5, "a frame without a value is in no corner"
    assert found.square_ms == pytest.approx(SQUARE * budget)
    place = (int(over / found.square_ms), int(inside / found.square_ms))
    assert place in set(zip(found.processor, found.card, strict=True))
    assert shape_of(Capture(np.full(3, 9.0), {"cpu_busy_ms": np.full(3, 1.0)}), 90.0).cloud is None


def test_the_same_run_begun_later_is_laid_where_it_agrees() -> None:
    run = run_pass(Scene(5.0, 9.0, seconds=60.0, swell=0.3), Rig(), np.random.default_rng(3))
    for begins in (0.0, 1.5, 6.2):
        found = best_agreement(run, run.trimmed(begins, 1e9))
        assert found.offset_s == pytest.approx(begins, abs=0.06)
        assert found.likeness > 0.95
    late = Capture(np.concatenate([even(3.0, 7.0), run.frame_ms]))
    assert best_agreement(run, late).offset_s == pytest.approx(-3.0, abs=0.06)


def test_traces_that_agree_nowhere_are_not_moved() -> None:
    rng = np.random.default_rng(4)
    noise = [Capture(rng.normal(10.0, 0.5, 4000)) for _ in range(2)]
    found = best_agreement(*noise)
    assert found.offset_s == 0.0
    assert found.likeness < 0.3
    assert best_agreement(Capture(even()), Capture(even())).offset_s == 0.0, "nothing to go by"
    assert best_agreement(Capture(np.array([10.0])), noise[0]).offset_s == 0.0


def test_samples_keep_their_peaks_however_many_there_are() -> None:
    clock = np.arange(0.0, 600.0, 0.01)
    watts = 200.0 + np.sin(clock)
    watts[12_345] = 900.0
    watts[100:200] = np.nan
    capture = Capture(even(), samples=(Samples(clock, {"wall_power_w": watts}),))
    at, values = sampled(capture, "wall_power_w", 500)
    assert len(at) <= 500
    assert values.max() == 900.0
    assert np.isfinite(values).all()
    assert (np.diff(at) > 0).all()
    assert sampled(capture, "fan_rpm", 500)[0].size == 0


def test_a_value_that_is_repeated_on_each_row_is_told_where_it_changes() -> None:
    temperature = np.repeat([50.0, 51.0, 52.0], 400)
    capture = Capture(np.full(1200, 10.0), {"gpu_temp_c": temperature})
    at, values = sampled(capture, "gpu_temp_c", 500)
    assert values.tolist() == [50.0, 50.0, 51.0, 51.0, 52.0, 52.0]
    assert at.tolist() == pytest.approx([0.01, 4.0, 4.01, 8.0, 8.01, 12.0])


@pytest.mark.parametrize("name", CAPTURES)
def test_layers_and_shape_of_the_reference_captures_are_their_figures(name: str) -> None:
    """The sample captures, whole and through each of their windows: nothing is drawn that the figures do not say."""
    case = CAPTURES[name]
    whole = read_capture((REFERENCE / name).read_bytes(), ColumnMap.from_json(case["columns"]))
    settings = Settings.from_json(case["settings"])
    for wanted in case["figures"]:
        if not wanted["frames"]:
            continue
        window = wanted["window"]
        found = layers_of(whole, [tuple(window)] if window else [], settings)
        begins = 0.0
        if window:
            inside = whole.end_clock_s[whole.end_clock_s > window[0]]
            begins = float(inside[0]) - float(whole.frame_ms[len(whole) - len(inside)]) / 1000.0
        for own, figure in (
            (found.stutters, wanted["smoothness"]["stutters"]),
            (found.pauses, wanted["smoothness"]["pauses"]),
        ):
            assert [one.from_s - begins for one in own] == pytest.approx(figure["starts_s"], abs=1e-9)
            assert max((one.longest_ms for one in own), default=None) == figure["longest_ms"]
        assert bool(found.beats_s) == wanted["smoothness"]["heartbeat"]["found"]
        assert (found.cap, found.held_by) == (wanted["limits"]["cap"]["state"], wanted["limits"]["cap"]["name"] or "")
        assert [one.count for one in found.behind] == [
            wanted["lows"][low]["percentile"]["support"] for low in ("1", "0.1")
        ]
        shape = shape_of(whole.within([tuple(window)] if window else []), settings.target_hz)
        assert shape.share.sum() == pytest.approx(1.0)
        both = {"cpu_busy_ms", "gpu_busy_ms"} <= set(whole.channels)
        assert (shape.cloud is not None) == both
