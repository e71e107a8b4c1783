"""Latency on trial: cameras, stopwatches and presses whose truth is known, by what is answered and by a hand.

A hand believes the camera's nominal rate, calls the device with the lower mean the quicker one where t intervals of the
two do not meet, and takes the frames between a single pair of presses for what they are.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import combinations

import numpy as np
from rennbahn.latency import (
    Clip,
    Device,
    LatencyStudy,
    Press,
    Proposed,
    Reading,
    Region,
    curves_of,
    latency_of,
    proposed,
    rate_of,
)
from rennbahn.simulation.camera import BUTTON, SCREEN, Camera, filmed, true_frames, world_of
from scipy.special import stdtrit

from trials.rates import Rate

#: How late a reading of the stopwatch may be, s: hundredths shown at 60 Hz.
_LATE = 0.027
_NOMINAL = (120.0, 240.0, 480.0)
_PRESSES = (6, 10, 20)
#: Standard deviation of a pixel in grey levels, and the share by which lamps swing.
_LIGHTS = (("ordinary noise", 3.0, 0.0), ("flickering lamps", 3.0, 0.05), ("much noise", 25.0, 0.0))
#: From so much noise on it is dark.
_DARK = 20.0
_TRUE = "a true clip from 120 fps on, read over 7 s and more, is withheld"


def trial(studies: int, seed: int) -> list[Rate]:
    """All of it, on so many studies and ten times as many clips."""
    rng = np.random.default_rng(seed)
    return [*_studies(studies, rng), *_clips(10 * studies, rng)]


def films(count: int, seed: int) -> list[Rate]:
    """What is proposed of films of four presses each, at ordinary noise, under flickering lamps, and in the dark."""
    rng = np.random.default_rng(seed)
    return [rate for name, noise, flicker in _LIGHTS for rate in _proposed(name, noise, flicker, count, rng)]


# --- films --------------------------------------------------------------------------------------------------


def _proposed(name: str, noise: float, flicker: float, count: int, rng: np.random.Generator) -> list[Rate]:
    hits = true = sure = wrong = 0
    for _ in range(count):
        fps = float(rng.choice(_NOMINAL))
        camera = Camera(
            fps * (1.0 + float(rng.normal(0.0, 0.002))), float(rng.uniform(0.2, 0.9)), float(rng.uniform(0.0, 0.8)),
            noise, flicker,
        )  # fmt: skip
        world = world_of(rng, rng.uniform(15.0, 120.0, 4))
        button, screen = curves_of(filmed(world, camera, rng), (Region(*BUTTON), Region(*SCREEN)))
        found, marks = proposed(button, screen, fps), true_frames(world, camera)
        near = [any(_near(one, mark) for mark in marks) for one in found]
        hits += sum(any(_near(one, mark) for one in found) for mark in marks)
        true += len(marks)
        sure += sum(one.sure for one in found)
        wrong += sum(one.sure and not close for one, close in zip(found, near, strict=True))
    ordinary = "95%" if noise < _DARK else ""
    return [
        Rate(f"{name}: a press and its answer are proposed within a frame", hits / true, None, ordinary),
        Rate(f"{name}: what is called sure is not", wrong / sure if sure else 0.0, None, "at most 5%"),
        Rate(f"{name}: nothing is called sure of a press", 1.0 - sure / true, None, ""),
    ]


def _near(one: Proposed, mark: tuple[int, int]) -> bool:
    return abs(one.press_frame - mark[0]) <= 1 and abs(one.answer_frame - mark[1]) <= 1


# --- devices ------------------------------------------------------------------------------------------------


@dataclass
class _Held:
    """How often intervals held and orders were wrong, of what is answered and of a hand."""

    devices: list[bool] = field(default_factory=list)
    pairs: list[bool] = field(default_factory=list)
    wrong: list[bool] = field(default_factory=list)
    uneven: list[bool] = field(default_factory=list)


def _studies(studies: int, rng: np.random.Generator) -> list[Rate]:
    ours, hand = _Held(), _Held()
    for _ in range(studies):
        _one(rng, ours, hand)
    told = (
        ("the interval of a device holds its mean", "devices", "94 to 96%"),
        ("the interval of a difference holds it", "pairs", "94 to 96%"),
        ("a study has a wrong order somewhere", "wrong", "at most 5%"),
        ("a study calls two even that are further apart", "uneven", "at most 5%"),
    )
    return [
        Rate(name, float(np.mean(getattr(ours, of))), float(np.mean(getattr(hand, of))) if getattr(hand, of) else None,
             wanted)
        for name, of, wanted in told
    ]  # fmt: skip


def _one(rng: np.random.Generator, ours: _Held, hand: _Held) -> None:
    """A study of two to seven devices, each pressed in two clips of its own."""
    nominal = float(rng.choice(_NOMINAL))
    count, presses = int(rng.integers(2, 8)), int(rng.choice(_PRESSES))
    # Some devices are alike to the last hair.
    means = rng.choice([35.0, 38.0, 41.0, 60.0], count) + rng.choice([0.0, 1.5], count)
    spread = float(rng.uniform(1.5, 8.0))
    clips, marks, by_hand = [], [], {}
    for at in range(count):
        own = []
        for turn in range(2):
            name = f"{at}.{turn}"
            true = nominal * (1.0 + float(rng.normal(0.0, 0.002)))
            clips.append(Clip(name, nominal, _readings(rng, true, float(rng.uniform(8.0, 20.0)))))
            # An answer takes no less than nothing; a gamma has the skew that queues of frames have.
            shape = (float(means[at]) / spread) ** 2
            took = rng.gamma(shape, float(means[at]) / shape, presses // 2)
            for number, ms in enumerate(took):
                begin = float(rng.uniform(0.0, 5.0))
                first, last = math.ceil(begin * true), math.ceil((begin + ms / 1000.0) * true)
                marks.append(Press(str(at), name, number, "one", first, last))
                own.append((last - first) * 1000.0 / nominal)
        by_hand[at] = np.array(own)
    devices = tuple(Device(str(at), str(at)) for at in range(count))
    found = latency_of(LatencyStudy(tuple(clips), devices, tuple(marks)))
    for one in found.devices:
        if one.low is not None and one.high is not None:
            ours.devices.append(bool(one.low <= means[int(one.device)] <= one.high))
    wrong = uneven = False
    for pair in found.pairs:
        true_gap = float(means[int(pair.b)] - means[int(pair.a)])
        if pair.low is not None and pair.high is not None:
            ours.pairs.append(pair.low <= true_gap <= pair.high)
        wrong |= (pair.verdict == "quicker" and true_gap >= 0) or (pair.verdict == "slower" and true_gap <= 0)
        uneven |= pair.verdict == "even" and abs(true_gap) > found.equal_ms
    ours.wrong.append(wrong)
    ours.uneven.append(uneven)
    _by_hand(by_hand, means, hand)


def _by_hand(ms: dict[int, np.ndarray], means: np.ndarray, hand: _Held) -> None:
    ends = {}
    for at, own in ms.items():
        reach = float(stdtrit(len(own) - 1, 0.975)) * float(own.std(ddof=1)) / math.sqrt(len(own))
        ends[at] = float(own.mean()) - reach, float(own.mean()) + reach
        hand.devices.append(bool(ends[at][0] <= means[at] <= ends[at][1]))
    wrong = False
    for a, b in combinations(ms, 2):
        # Who just looks at the means names an order always.
        lower = ms[a].mean() < ms[b].mean()
        wrong |= bool(means[a] >= means[b]) if lower else bool(means[b] >= means[a])
    hand.wrong.append(wrong)


def _readings(rng: np.random.Generator, fps: float, seconds: float) -> tuple[Reading, ...]:
    """Readings at the first and at the last frame of a stretch, and at times one between."""
    frames = [3, 3 + round(seconds * fps)]
    if rng.random() < 0.5:
        frames.insert(1, int(rng.integers(frames[0] + 1, frames[1])))
    return tuple(Reading(one, 12.0 + one / fps - float(rng.uniform(0.0, _LATE))) for one in frames)


# --- clips --------------------------------------------------------------------------------------------------


def _clips(clips: int, rng: np.random.Generator) -> list[Rate]:
    cases: list[tuple[str, float, str, Callable[[np.random.Generator], float]]] = [
        ("a clip at a half, a third or a quarter is taken as ok", 2.0, "never", _part),
        ("a clip that is off by 2 to 10% is taken as ok", 2.0, "never", _off),
        (_TRUE, 7.0, "at most 1%", lambda _: 1.0),
    ]
    rates = []
    for name, least, wanted, share in cases:
        hits = 0
        for _ in range(clips):
            nominal = float(rng.choice(_NOMINAL))
            readings = _readings(rng, nominal * share(rng), float(rng.uniform(least, 30.0)))
            found = rate_of(Clip("x", nominal, readings))
            hits += found.withheld if name == _TRUE else found.verdict == "ok"
        # A hand takes every clip for what its camera says.
        rates.append(Rate(name, hits / clips, 0.0 if name == _TRUE else 1.0, wanted))
    return rates


def _part(rng: np.random.Generator) -> float:
    return float(rng.choice([1 / 2, 1 / 3, 1 / 4]))


def _off(rng: np.random.Generator) -> float:
    return 1.0 + float(rng.choice([-1.0, 1.0])) * float(rng.uniform(0.02, 0.1))
