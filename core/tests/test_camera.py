"""Films of a simulated camera: what their curves propose, and that latency counted from them is the truth."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from rennbahn.latency import (
    Clip,
    Curve,
    Device,
    LatencyStudy,
    Press,
    Reading,
    Region,
    curves_of,
    latency_of,
    proposed,
)
from rennbahn.simulation.camera import BUTTON, SCREEN, Camera, World, filmed, true_frames, world_of
from trials.latency import films

REGIONS = (Region(*BUTTON), Region(*SCREEN))
FPS = 240.0


def test_rates_under_simulation() -> None:
    """Small and seeded; docs/measures.md has the rates of more."""
    found = {one.name: one.found for one in films(3, seed=2)}
    for light in ("ordinary noise", "flickering lamps"):
        assert found[f"{light}: a press and its answer are proposed within a frame"] >= 0.93
        assert found[f"{light}: nothing is called sure of a press"] <= 0.1
    assert max(share for name, share in found.items() if "is not" in name) <= 0.06
    unsure = "nothing is called sure of a press"
    assert found[f"much noise: {unsure}"] > found[f"ordinary noise: {unsure}"]


def test_from_the_film_to_the_latency_within_a_frame() -> None:
    rng = np.random.default_rng(11)
    camera = Camera(FPS * 1.001)
    studied: dict[str, list[float]] = {"cable": [], "radio": []}
    presses: list[Press] = []
    for name, middle in (("cable", 40.0), ("radio", 62.0)):
        world = world_of(rng, rng.normal(middle, 3.0, 6))
        studied[name] = [one.latency_ms for one in world.presses]
        button, screen = curves_of(filmed(world, camera, rng), REGIONS)
        presses += [
            Press(name, name, at, "proposals", one.press_frame, one.answer_frame)
            for at, one in enumerate(proposed(button, screen, FPS))
        ]
    readings = (Reading(0, 1.0), Reading(2400, 1.0 + 2400 / camera.fps))
    clips = tuple(Clip(name, FPS, readings) for name in studied)
    found = latency_of(LatencyStudy(clips, (Device("cable", "Cable"), Device("radio", "Radio")), tuple(presses)))
    for one in found.devices:
        assert one.n == 6
        assert one.mean_ms == pytest.approx(np.mean(studied[one.device]), abs=1000 / FPS)
    assert found.pairs[0].verdict == "slower"


def test_a_film_that_lost_every_other_frame_is_caught_by_its_stopwatch() -> None:
    rng = np.random.default_rng(5)
    world, camera = world_of(rng, np.full(8, 50.0)), Camera(FPS, keep_every=2)
    assert len(list(filmed(world, camera, rng))) == pytest.approx(world.end_s * FPS / 2, abs=1)
    press, answer = true_frames(world, camera)[0]
    half = Clip("h", FPS, (Reading(0, 0.0), Reading(960, 8.0)))
    study = LatencyStudy((half,), (Device("a", "A"),), (Press("a", "h", 1, "one", press, answer),))
    (clip,) = latency_of(study).clips
    assert (clip.verdict, clip.factor, clip.withheld) == ("re_encoded", 0.5, True)
    declared = replace(half, declared_fps=120.0, why="converted on the phone")
    (device,) = latency_of(replace(study, clips=(declared,))).devices
    assert device.mean_ms == pytest.approx(50.0, abs=1000 / 120)


def test_nothing_is_proposed_where_nothing_happened() -> None:
    rng = np.random.default_rng(3)
    still = World((), length_s=1.5)
    assert proposed(*curves_of(filmed(still, Camera(FPS), rng), REGIONS), FPS) == ()
    empty = Curve(np.zeros(0), np.zeros(0))
    assert proposed(empty, empty, FPS) == ()
    short = Curve(np.zeros(5), np.zeros(5))
    assert proposed(short, short, FPS) == ()


def test_an_answer_without_a_press_before_it_is_left_to_people() -> None:
    moved, bright = np.full(400, 1.0), np.full(400, 30.0)
    bright[100:] = 200.0
    moved[150:156] = 40.0
    wobble = np.random.default_rng(1).normal(0.0, 0.1, 400)
    button, screen = Curve(np.full(400, 80.0), moved + wobble), Curve(bright + wobble, np.zeros(400))
    assert proposed(button, screen, FPS) == ()


def test_of_two_stops_shortly_before_an_answer_neither_is_sure() -> None:
    rng = np.random.default_rng(1)
    moved, bright = 1.0 + rng.normal(0.0, 0.1, 400), 30.0 + rng.normal(0.0, 0.1, 400)
    moved[100:105] += 40.0
    moved[115:120] += 40.0
    bright[140:] += 150.0
    (one,) = proposed(Curve(np.full(400, 80.0), moved), Curve(bright, np.zeros(400)), FPS)
    assert (one.press_frame, one.answer_frame, one.sure) == (119, 140, False)


def test_curves_hold_one_frame_at_a_time_and_bear_a_region_outside() -> None:
    alive: list[int] = []

    def pictures() -> Iterator[np.ndarray]:
        for n in range(50):
            alive.append(n)
            yield np.full((20, 30), n, dtype=np.uint8)

    inside, outside = curves_of(pictures(), (Region(0, 0, 10, 10), Region(100, 100, 5, 5)))
    assert inside.bright.tolist() == list(range(50))
    assert (outside.bright.any(), outside.moved.any(), len(outside.bright)) == (False, False, 50)
