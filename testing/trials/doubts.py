"""The checks put on trial: passes with a known fault and passes without any, from two generators that share nothing.

One is the simulated bench; the other draws frames in a plainer way of its own. A hit is a doubt of the check about the
planted pass (or lane, or session); a false alarm is a doubt of the check about a pass of a study without any fault.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from rennbahn.capture import Capture
from rennbahn.checks import (
    CheckedLane,
    CheckedPass,
    CheckedScene,
    CheckedTest,
    Context,
    Doubt,
    ReadBack,
    doubts_of,
    profile_of,
)
from rennbahn.checks.doubts import CHECKS
from rennbahn.measures import KnownCap, Settings
from rennbahn.simulation import Rig, Scene, Upset, run_pass

Floats = NDArray[np.float64]
Generator = Callable[["Asked", np.random.Generator], Capture]

TESTS, PASSES = 6, 3
_SCENE_S = 30.0
_KINDS = ("benchmark", "replay", "scripted", "route", "route", "live")
SETTINGS = Settings(60.0, None, (KnownCap("display", 144.0, refresh=True), KnownCap("frame limit", 200.0)))


@dataclass(frozen=True)
class Asked:
    """A pass to be made: demand of its scene (ms a frame), its noise from pass to pass, speed of its lane, a fault."""

    ms: float
    noise: float
    speed: float
    upset: Upset = field(default_factory=Upset)
    #: How much of the time the slower side sets the pace; the other is a little quicker.
    seconds: float = _SCENE_S


def simulated(asked: Asked, rng: np.random.Generator) -> Capture:
    """A pass of the simulated bench."""
    scene = Scene(cpu_ms=0.72 * asked.ms, gpu_ms=asked.ms, seconds=asked.seconds, between=asked.noise)
    return run_pass(scene, Rig(gpu_speed=asked.speed, cpu_speed=asked.speed), rng, asked.upset)


def plain(asked: Asked, rng: np.random.Generator) -> Capture:
    """A pass drawn apart from the simulated bench: gamma frames around a wandering level, faults by hand."""
    upset = asked.upset
    typical = asked.ms / asked.speed / (1.0 - upset.slower)
    count = int(asked.seconds * 1000.0 / typical * 1.4) + 400
    clock = np.arange(count) * typical / 1000.0
    hills = 1.0 + 0.1 * np.interp(clock % 20.0, (0, 4, 9, 13, 20), (0.0, 1.0, -0.6, 0.4, 0.0))
    frames = typical * math.exp(rng.normal(0.0, asked.noise)) * hills * rng.gamma(180.0, 1.0 / 180.0, count)
    frames *= np.where(rng.random(count) < 0.006, rng.uniform(1.1, 1.5, count), 1.0)
    if upset.cold_start_s:
        frames *= 1.0 + 0.5 * np.exp(-clock / upset.cold_start_s)
    hot = np.zeros(count)
    if upset.throttle_from is not None:
        hot = (clock > upset.throttle_from * asked.seconds).astype(np.float64)
        frames *= 1.0 + upset.throttle_by * hot
    if upset.busy_for_s:
        inside = (clock >= upset.busy_from_s) & (clock < upset.busy_from_s + upset.busy_for_s)
        frames *= np.where(inside, upset.slowdown, 1.0)
    if upset.lock_fps is not None:
        frames = np.maximum(frames, 1000.0 / upset.lock_fps * (1.0 + rng.normal(0.0, 0.01, count)))
    frames[rng.integers(20, count // 2, upset.hiccups)] += upset.hiccup_ms
    if upset.pause_ms:
        frames[int(np.searchsorted(np.cumsum(frames), upset.pause_at_s * 1000.0))] += upset.pause_ms
    whole = int(np.searchsorted(np.cumsum(frames), asked.seconds * 1000.0 * upset.ends_at))
    frames, hot = frames[:whole], hot[:whole]
    if upset.loading_s:
        screen = np.full(int(upset.loading_s * 60.0), 1000.0 / 60.0) * rng.normal(1.0, 0.004, int(upset.loading_s * 60))
        frames, hot = np.concatenate((screen, frames)), np.concatenate((np.zeros(len(screen)), hot))
    frames = np.round(frames, 3)
    return Capture(frames, {"gpu_temp_c": np.round(66.0 + 6.0 * hot + rng.normal(0, 0.4, len(frames)))})


GENERATORS: Mapping[str, Generator] = {"simulated bench": simulated, "made apart": plain}


@dataclass(frozen=True)
class Fault:
    """A fault as it is planted: in a pass (`upset`, `change`), or in a lane or session by `study`."""

    check: str
    upset: Callable[[np.random.Generator], Upset] | None = None
    change: Callable[[CheckedPass, Capture, np.random.Generator], CheckedPass] | None = None
    #: Which pass of its cell it is, None for any.
    number: int | None = None


def _torn(one: CheckedPass, capture: Capture, rng: np.random.Generator) -> CheckedPass:
    kept = int(len(capture) * rng.uniform(0.25, 0.8))
    cut = Capture(capture.frame_ms[:kept], {n: v[:kept] for n, v in capture.channels.items()})
    return replace(one, profile=profile_of(cut, SETTINGS, torn=bool(rng.random() < 0.5)))


def _half(one: CheckedPass, capture: Capture, _rng: np.random.Generator) -> CheckedPass:
    even = len(capture) // 2 * 2
    return replace(one, profile=profile_of(Capture(capture.frame_ms[:even].reshape(-1, 2).sum(axis=1)), SETTINGS))


def _cut(one: CheckedPass, capture: Capture, rng: np.random.Generator) -> CheckedPass:
    return (_half if rng.random() < 0.4 else _torn)(one, capture, rng)


def _longer(one: CheckedPass, capture: Capture, _rng: np.random.Generator) -> CheckedPass:
    again = np.concatenate((capture.frame_ms, capture.frame_ms[: len(capture) // 3][::-1]))
    return replace(one, profile=profile_of(Capture(again), SETTINGS))


def _short(one: CheckedPass, capture: Capture, rng: np.random.Generator) -> CheckedPass:
    return replace(one, profile=profile_of(capture.trimmed(0.0, rng.uniform(2.0, 4.8)), SETTINGS))


def _read_back(one: CheckedPass, _capture: Capture, rng: np.random.Generator) -> CheckedPass:
    return replace(one, read_backs=(ReadBack("Power limit", "160 W", None if rng.random() < 0.5 else "180 W"),))


def _without(one: CheckedPass, _capture: Capture, _rng: np.random.Generator) -> CheckedPass:
    return replace(one, expected_channels=("gpu_busy_ms", "gpu_hotspot_c"))


FAULTS: tuple[Fault, ...] = (
    Fault("too_short", change=_short),
    Fault("wrong_length", change=_longer),
    Fault("cut_log", change=_cut),
    Fault("lock", lambda rng: Upset(lock_fps=float(rng.choice((60.0, 72.0, 59.94, 48.0))))),
    Fault("off_siblings", lambda rng: Upset(slower=rng.uniform(0.09, 0.16))),
    Fault("slow_first", lambda rng: Upset(cold_start_s=rng.uniform(6.0, 12.0)), number=1),
    Fault("loading", lambda rng: Upset(loading_s=rng.uniform(2.0, 6.0))),
    Fault("pause", lambda rng: Upset(pause_at_s=rng.uniform(8.0, 22.0), pause_ms=rng.uniform(1000.0, 2500.0))),
    Fault("throttling", lambda rng: Upset(throttle_from=rng.uniform(0.35, 0.6), throttle_by=rng.uniform(0.06, 0.12))),
    Fault("stutter_unlike", lambda rng: Upset(hiccups=int(rng.integers(8, 16)))),
    Fault("read_back", change=_read_back),
    Fault("missing_channel", change=_without),
    Fault("duplicate", number=2),
    Fault("like_another_lane"),
    Fault("order"),
    Fault("offset"),
    Fault("unlike_elsewhere"),
)


@dataclass(frozen=True)
class Rate:
    """What a trial found of one check: hits among `planted` faults, false alarms among `passes` without a fault."""

    check: str
    generator: str
    planted: int
    hits: int
    passes: int
    alarms: int

    @property
    def hit_rate(self) -> float:
        """Share of planted faults that were doubted."""
        return self.hits / self.planted

    @property
    def alarm_rate(self) -> float:
        """Share of good passes that were doubted."""
        return self.alarms / self.passes


@dataclass
class PlantedIn:
    """A study without any fault, in which faults can be planted: lanes of some speeds, tests of some demands."""

    rng: np.random.Generator
    make: Generator
    lanes: int

    def __post_init__(self) -> None:
        rng = self.rng
        # As far apart as noise does not bridge, so that ranks and equal lanes mean something.
        self.speeds = 1.0 + 0.09 * np.arange(self.lanes) + rng.uniform(0.0, 0.02, self.lanes)
        self.ms = rng.uniform(6.5, 11.0, TESTS)
        self.noise = rng.uniform(0.003, 0.01, TESTS)
        self.of_test = rng.normal(0.0, 0.006, (self.lanes, TESTS))
        self.captures: dict[str, Capture] = {}
        self.passes: dict[str, CheckedPass] = {}
        for number in range(1, PASSES + 1):
            for lane in range(self.lanes):
                for test in range(TESTS):
                    self.captures[_name(lane, test, number)] = self.run(lane, test)
                    self.passes[_name(lane, test, number)] = self.passed(lane, test, number)

    def run(self, lane: int, test: int, upset: Upset | None = None, speed: float | None = None) -> Capture:
        """A pass as it is run, at the speed of its lane or at another."""
        own = float(self.speeds[lane] * (1.0 + self.of_test[lane, test])) if speed is None else speed
        return self.make(Asked(float(self.ms[test]), float(self.noise[test]), own, upset or Upset()), self.rng)

    def wrong_together(self, lane: int, test: int) -> list[Capture]:
        """All passes of a lane in a test, wrong in the same way: held at no round rate, or with another preset."""
        speed = float(self.speeds[lane] * (1.0 + self.of_test[lane, test]))
        if self.rng.random() < 0.5:
            rate = 1000.0 / self.ms[test] * speed * self.rng.uniform(0.7, 0.85)
            return [self.run(lane, test, Upset(lock_fps=float(rate))) for _ in range(PASSES)]
        other = speed * float(self.rng.choice((self.rng.uniform(0.7, 0.88), self.rng.uniform(1.14, 1.4))))
        return [self.run(lane, test, speed=other) for _ in range(PASSES)]

    def passed(self, lane: int, test: int, number: int, capture: Capture | None = None) -> CheckedPass:
        """A pass with the profile of its capture."""
        return CheckedPass(
            _name(lane, test, number), str(lane), str(test), number,
            profile_of(capture or self.captures[_name(lane, test, number)], SETTINGS),
            clock_h=0.1 * (lane * TESTS + test), session=str(number), after_load=number == 1,
            read_backs=(ReadBack("Power limit", "160 W", "160W"),), expected_channels=("gpu_temp_c",),
        )  # fmt: skip

    def context(self, changed: Mapping[str, CheckedPass] | None = None) -> Context:
        """The study, with some passes changed."""
        passes = self.passes | dict(changed or {})
        return Context(
            scenes=tuple(
                CheckedScene(str(at), f"Game {at}", "walk", kind_of, _SCENE_S) for at, kind_of in enumerate(_KINDS)
            ),
            tests=tuple(CheckedTest(str(at), str(at)) for at in range(TESTS)),
            lanes=tuple(CheckedLane(str(at), f"lane {at}") for at in range(self.lanes)),
            passes=tuple(passes.values()),
        )

    def planted(self, fault: Fault) -> tuple[Context, str, str]:
        """The study with a fault, and test and pass of it."""
        rng = self.rng
        lane, test = int(rng.integers(0, self.lanes)), int(rng.integers(0, TESTS))
        number = fault.number or int(rng.integers(1, PASSES + 1))
        name = _name(lane, test, number)
        again: dict[tuple[int, int, int], Capture] = {}
        if fault.check == "like_another_lane":
            like = float(self.speeds[0] * (1.0 + self.of_test[0, test]))
            again = {(1, test, n): self.run(1, test, speed=like) for n in range(1, PASSES + 1)}
        elif fault.check == "order":
            other = (lane + 1) % self.lanes
            for one, speed in ((lane, self.speeds[other]), (other, self.speeds[lane])):
                again |= {(one, test, n): self.run(one, test, speed=float(speed)) for n in range(1, PASSES + 1)}
        elif fault.check == "unlike_elsewhere":
            again = {(lane, test, n): one for n, one in enumerate(self.wrong_together(lane, test), start=1)}
        elif fault.check == "offset":
            upset = Upset(slower=float(rng.uniform(0.015, 0.03)))
            again = {(at, t, number): self.run(at, t, upset) for at in range(self.lanes) for t in range(TESTS)}
        elif fault.check == "duplicate":
            earlier = self.captures[_name(lane, test, 1)]
            again = {(lane, test, number): Capture(np.round(earlier.frame_ms, 2))}
        elif fault.upset is not None:
            again = {(lane, test, number): self.run(lane, test, fault.upset(rng))}
        changed = {_name(*place): self.passed(*place, capture) for place, capture in again.items()}
        if fault.change is not None:
            changed[name] = fault.change(self.passes[name], self.captures[name], rng)
        return self.context(changed), str(test), name


def _name(lane: int, test: int, number: int) -> str:
    return f"{lane}-{test}-{number}"


def trial(generator: str, studies: int, seed: int, only: Sequence[str] = ()) -> list[Rate]:
    """Rates of each check over so many studies with its fault, and the same without any."""
    checks = [check.id for check in CHECKS if not only or check.id in only]
    alarms, hits, passes = dict.fromkeys(checks, 0), dict.fromkeys(checks, 0), 0
    for number in range(studies):
        study = PlantedIn(np.random.default_rng([seed, number]), GENERATORS[generator], 3)
        context = study.context()
        passes += len(context.passes)
        for doubt in doubts_of(context, checks):
            alarms[doubt.check] += 1 if doubt.on else _about(context, doubt.lane, doubt.test)
        for fault in FAULTS:
            if fault.check in checks:
                changed, test, name = study.planted(fault)
                hits[fault.check] += any(_hit(doubt, test, name) for doubt in doubts_of(changed, [fault.check]))
    return [Rate(check, generator, studies, hits[check], passes, alarms[check]) for check in checks]


def _about(context: Context, lane: str | None, test: str | None) -> int:
    """How many passes a doubt without a pass is about."""
    return sum((lane in (None, one.lane)) and (test in (None, one.test)) for one in context.passes)


def _hit(doubt: Doubt, test: str, name: str) -> bool:
    """Whether a doubt is about what was planted."""
    if doubt.check == "offset":
        return True
    return doubt.test == test if doubt.on is None else doubt.on == name
