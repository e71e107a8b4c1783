"""Simulated studies whose truth is known, and the two who judge them: findings, and a hand with a spreadsheet."""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.study import Block
from rennbahn.comparing.suite import Suite
from scipy.special import stdtrit

#: What a hand calls a win in a test, and over the suite.
WIN = 0.03
SUITE_WIN = 0.01
#: Hours from pass to pass where nothing else is said.
_PASS_H = 4.0 / 60.0


@dataclass(frozen=True)
class Row:
    """One line of the trial: a rate of the findings and of a hand, and between what the findings' is wanted.

    `reached` is what the docs state where the wish is not met.
    """

    case: str
    ours: float
    hand: float | None
    wanted: tuple[float, float]
    reached: tuple[float, float] | None = None

    @property
    def stated(self) -> tuple[float, float]:
        """Between what the docs say the rate lies."""
        return self.reached or self.wanted


@dataclass(frozen=True)
class Truth:
    """A study to be simulated: noise by scene and by lane, true ln ratio by scene, drift an hour, and when passes run.

    `hours` gives the hour of the bench of a pass from its lane, scene and number, `sessions` its session. Each round of
    a lane is shifted by `round_shift` (a standard deviation, all tests together), each session by `session_shift`.
    `games` scenes belong to one game each, where it is not 1.
    """

    noise: Sequence[float]
    ratio: Sequence[float]
    passes: tuple[int, int] = (3, 3)
    louder: float = 1.0
    drift: float = 0.0
    hours: Callable[[int, int, int], float] | None = None
    sessions: Callable[[int, int, int], str] | None = None
    round_shift: float = 0.0
    session_shift: float = 0.0
    tests_a_game: int = 1

    def draw(self, rng: np.random.Generator, method: Method) -> Study:
        """A study of it, a test a scene."""
        found = []
        rounds = rng.normal(0.0, self.round_shift, (2, max(self.passes))) if self.round_shift else None
        shifts: dict[str, float] = {}
        for scene, (noise, ratio) in enumerate(zip(self.noise, self.ratio, strict=True)):
            for lane, (name, count) in enumerate(zip("AB", self.passes, strict=True)):
                for number in range(count):
                    hour = self.hours(lane, scene, number) if self.hours else None
                    session = self.sessions(lane, scene, number) if self.sessions else None
                    log = rng.normal(0.0, noise * (self.louder if lane else 1.0)) + lane * ratio
                    log += self.drift * (hour or 0.0)
                    log += 0.0 if rounds is None else float(rounds[lane, number])
                    if session is not None:
                        if session not in shifts:
                            shifts[session] = float(rng.normal(0.0, self.session_shift))
                        log += shifts[session]
                    found.append(
                        Pass(
                            f"{scene}{name}{number}", name, str(scene), "accepted",
                            figures={AVERAGE: 100.0 * math.exp(log)}, clock_h=hour, session=session,
                        )
                    )  # fmt: skip
        return Study(
            "trial", method, (Lane("A", "A"), Lane("B", "B")),
            tuple(Scene(str(g), f"Game {g // self.tests_a_game}", "run") for g in range(len(self.noise))),
            tuple(Test(str(g), str(g)) for g in range(len(self.noise))), tuple(found), (("A", "B"),),
        )  # fmt: skip


def back_to_back(scenes: int, passes: int) -> Callable[[int, int, int], float]:
    """Lane after lane, the passes of a test one after another."""
    return lambda lane, scene, number: _PASS_H * ((lane * scenes + scene) * passes + number)


def in_rounds(scenes: int, passes: int) -> Callable[[int, int, int], float]:
    """Lane after lane, all tests once, then again."""
    return lambda lane, scene, number: _PASS_H * ((lane * passes + number) * scenes + scene)


def there_and_back(scenes: int) -> Callable[[int, int, int], float]:
    """Lanes in turn, A B B A, tests backward on the way back."""

    def hour(lane: int, scene: int, number: int) -> float:
        back = number % 2 == 1
        turn = 2 * number + (1 - lane if back else lane)
        return _PASS_H * (turn * scenes + (scenes - 1 - scene if back else scene))

    return hour


@dataclass(frozen=True)
class Judged:
    """A simulated study with its findings."""

    study: Study
    margins: list[Margin]
    suite: Suite

    @classmethod
    def of(cls, study: Study) -> Judged:
        """The findings of a study."""
        block = Block(Sheet(study), study.compare)
        return cls(study, block.margins(AVERAGE), block.suite(AVERAGE))

    def covers(self, test: int, ratio: float) -> bool:
        """Does the interval of a test hold the true ln ratio?"""
        interval = self.margins[test].interval
        return interval is not None and math.log1p(interval[0]) <= ratio <= math.log1p(interval[1])

    def suite_interval(self) -> tuple[float, float]:
        """The measured interval of the geometric mean, in ln."""
        measured = (self.suite.measured or {})["geometric"].interval
        return (-math.inf, math.inf) if measured is None else (math.log1p(measured[0]), math.log1p(measured[1]))

    def suite_claims(self) -> bool:
        """Does the suite say ahead or behind?"""
        return self.suite.verdict in ("ahead", "behind")

    def suite_covers(self, ratio: float) -> bool:
        """Does the measured interval of the geometric mean hold the true ln ratio?"""
        low, high = self.suite_interval()
        return low <= ratio <= high


class Hand:
    """What a spreadsheet makes of the same passes: a t interval from each test's own, and thumbs for wins."""

    def __init__(self, study: Study) -> None:
        self.logs: dict[tuple[str, str], list[float]] = {}
        for one in study.passes:
            self.logs.setdefault((one.lane, one.test), []).append(math.log(one.figures[AVERAGE]))
        self.tests = [test.id for test in study.tests]

    def margin(self, test: int) -> float:
        """ln(B/A) of a test."""
        return statistics.fmean(self.logs["B", str(test)]) - statistics.fmean(self.logs["A", str(test)])

    def covers(self, test: int, ratio: float) -> bool:
        """Does the pooled t interval of a test's own passes hold the true ratio?"""
        a, b = self.logs["A", str(test)], self.logs["B", str(test)]
        df = len(a) + len(b) - 2
        pooled = (statistics.variance(a) * (len(a) - 1) + statistics.variance(b) * (len(b) - 1)) / df
        reach = float(stdtrit(df, 0.975)) * math.sqrt(pooled * (1 / len(a) + 1 / len(b)))
        return abs(self.margin(test) - ratio) <= reach

    def claims(self, test: int) -> bool:
        """Over 3% is a win."""
        return abs(math.expm1(self.margin(test))) > WIN

    def suite_covers(self, ratio: float) -> bool:
        """Does a t interval of the margins of the tests hold the true ratio?"""
        logs = [self.margin(int(test)) for test in self.tests]
        reach = float(stdtrit(len(logs) - 1, 0.975)) * statistics.stdev(logs) / math.sqrt(len(logs))
        return abs(statistics.fmean(logs) - ratio) <= reach

    def suite_claims(self) -> bool:
        """Over 1% on average is a win."""
        return abs(statistics.fmean(math.expm1(self.margin(int(test))) for test in self.tests)) > SUITE_WIN


def up_to(study: Study, passes: int) -> Study:
    """The study as it was after so many passes a lane."""
    kept: dict[tuple[str, str], int] = {}
    there = []
    for one in study.passes:
        cell = (one.lane, one.test)
        kept[cell] = kept.get(cell, 0) + 1
        if kept[cell] <= passes:
            there.append(one)
    return replace(study, passes=tuple(there))


def half(judged: Judged) -> float:
    """Half the suite's interval, in ln."""
    low, high = judged.suite_interval()
    return (high - low) / 2.0


def rate(found: Sequence[bool]) -> float:
    return sum(found) / len(found) if found else math.nan
