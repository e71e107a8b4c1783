"""What passes teach about repeating, by figures and under simulation with known truth."""

from __future__ import annotations

import math

import numpy as np
import pytest
from rennbahn.planning.noise import Squares, squares_within
from rennbahn.planning.noise_book import (
    Firsts,
    by_kind,
    firsts_of,
    part_noise,
    penalty,
    penalty_words,
    replay_words,
)


def test_first_passes_are_held_against_the_others_of_their_cell() -> None:
    found = firsts_of([(58.0, [60.0, 60.0]), (97.0, [100.0]), (50.0, [])])
    assert found.count == 2, "one alone says nothing"
    assert found.weight == pytest.approx(2 / 3 + 1 / 2)
    assert found.weighted == pytest.approx(2 / 3 * math.log(58 / 60) + 1 / 2 * math.log(0.97))
    both = found + Firsts(1, 0.5, -0.01)
    assert (both.count, both.weight) == (3, pytest.approx(found.weight + 0.5))


def test_a_penalty_is_told_with_what_to_do() -> None:
    cells = [(96.8 + n / 10, [100.0, 100.0]) for n in range(5)]
    found = penalty(firsts_of(cells), 0.005)
    assert found is not None
    assert found.share == pytest.approx(-0.03, abs=0.001)
    assert found.low < found.share < found.high < 0
    assert found.told
    assert penalty_words(found) == (
        "The first pass runs 3.0% slower than the others (5 cells): give the scene a warm-up run."
    )
    fine = penalty(firsts_of([(100.1, [100.0, 100.0])]), 0.005)
    assert fine is not None
    assert penalty_words(fine) == "The first pass is not told from the others (1 cell)."
    assert penalty(Firsts(0, 0.0, 0.0), 0.005) is None
    assert penalty(firsts_of(cells), None) is None


def test_intervals_of_the_penalty_cover_the_truth() -> None:
    rng = np.random.default_rng(1)
    covered = told = 0
    for trial in range(1000):
        truth = -0.02 if trial % 2 else 0.0
        cells = [
            (60.0 * math.exp(truth + rng.normal(0, 0.006)), list(60.0 * np.exp(rng.normal(0, 0.006, 2))))
            for _ in range(4)
        ]
        found = penalty(firsts_of(cells), 0.006)
        assert found is not None
        covered += found.low <= math.expm1(truth) <= found.high
        told += found.told and truth == 0.0
    assert 0.935 <= covered / 1000 <= 0.965
    assert told / 500 <= 0.04


def scene(rng: np.random.Generator, s: float, cells: int = 6) -> Squares:
    return squares_within([list(60.0 * np.exp(rng.normal(0.0, s, 3))) for _ in range(cells)])


def test_kinds_of_scene_stand_from_the_quietest() -> None:
    rng = np.random.default_rng(2)
    kinds = by_kind([("route", scene(rng, 0.012)), ("benchmark", scene(rng, 0.003)), ("route", scene(rng, 0.012)),
                     ("live", Squares(0.0, 0, 0))])  # fmt: skip
    assert [(one.kind, one.scenes, one.df) for one in kinds] == [("benchmark", 1, 12), ("route", 2, 24)]


def quiet_and_loud(
    rng: np.random.Generator, replayed: float, played: float, count: int = 5
) -> list[tuple[str, Squares]]:
    """Scenes of two kinds, each scene with a noise of its own."""
    return [
        (kind, scene(rng, s * float(np.exp(rng.normal(0.0, 0.3)))))
        for kind, s in (("replay", replayed), ("route", played))
        for _ in range(count)
    ]


def test_replays_are_held_against_play_scene_by_scene() -> None:
    rng = np.random.default_rng(5)
    words = replay_words(quiet_and_loud(rng, 0.003, 0.012))
    assert words.startswith("Benchmarks and replays repeat within 0.")
    assert ": a replay repeats better than play, by a factor of " in words
    turned = replay_words(quiet_and_loud(rng, 0.012, 0.003))
    assert "play repeats better than replays here" in turned
    same = quiet_and_loud(np.random.default_rng(7), 0.005, 0.005)
    assert replay_words(same).endswith("no difference that chance would not give.")
    assert replay_words(quiet_and_loud(rng, 0.003, 0.012, 2)).endswith("too few scenes to say more.")
    assert replay_words([("replay", scene(rng, 0.005))]) == ""


def test_a_difference_of_kinds_that_is_not_there_is_hardly_ever_told() -> None:
    rng = np.random.default_rng(3)
    told = sum("by a factor" in replay_words(quiet_and_loud(rng, 0.006, 0.006)) for _ in range(800))
    assert told / 800 <= 0.065


def test_a_part_is_held_against_what_is_usual_in_its_scenes() -> None:
    own = {1: Squares(8 * 0.01**2, 8, 4), 2: Squares(8 * 0.004**2, 8, 4)}
    as_usual = part_noise(own, {1: 0.01, 2: 0.004})
    assert as_usual is not None
    assert as_usual.factor == pytest.approx(1.0)
    assert not as_usual.unlike
    twice = part_noise(own, {1: 0.005, 2: 0.002})
    assert twice is not None
    assert (twice.factor, twice.unlike, twice.scenes, twice.df) == (pytest.approx(2.0), True, 2, 16)
    assert part_noise({1: Squares(1e-4, 3, 2)}, {1: 0.01}) is None
    assert part_noise(own, {}) is None


def test_intervals_of_parts_cover_the_truth() -> None:
    rng = np.random.default_rng(4)
    covered = 0
    for _ in range(800):
        found = part_noise({1: scene(rng, 0.012, 4), 2: scene(rng, 0.006, 4)}, {1: 0.008, 2: 0.004})
        assert found is not None
        covered += found.low <= 1.5 <= found.high
    assert 0.93 <= covered / 800 <= 0.97
