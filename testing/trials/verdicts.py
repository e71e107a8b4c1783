"""The verdicts put on trial: simulated studies whose truth is known, judged as findings judge and as a hand would.

Each case returns rates over the same draws, so that the two columns differ by nothing but the judgement.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.margins import Margin
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.study import Block
from rennbahn.comparing.suite import Suite
from rennbahn.inference.looks import SequentialRule
from rennbahn.planning.needs import Asked, needs_of
from rennbahn.planning.noise import Estimate
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
    """A study to be simulated: noise by scene and lane, true ln ratio by scene, drift an hour, and when passes run.

    `hours` gives the hour of the bench of a pass from its lane, scene and number.
    """

    noise: Sequence[float]
    ratio: Sequence[float]
    passes: tuple[int, int] = (3, 3)
    louder: float = 1.0
    drift: float = 0.0
    hours: Callable[[int, int, int], float] | None = None

    def draw(self, rng: np.random.Generator, method: Method) -> Study:
        """A study of it, a test a scene."""
        found = []
        for scene, (noise, ratio) in enumerate(zip(self.noise, self.ratio, strict=True)):
            for lane, (name, count) in enumerate(zip("AB", self.passes, strict=True)):
                for number in range(count):
                    hour = self.hours(lane, scene, number) if self.hours else None
                    log = rng.normal(0.0, noise * (self.louder if lane else 1.0)) + lane * ratio
                    log += self.drift * (hour or 0.0)
                    figures = {AVERAGE: 100.0 * math.exp(log)}
                    found.append(
                        Pass(f"{scene}{name}{number}", name, str(scene), "accepted", figures=figures, clock_h=hour)
                    )
        return Study(
            "trial", method, (Lane("A", "A"), Lane("B", "B")),
            tuple(Scene(str(g), f"Game {g}", "run") for g in range(len(self.noise))),
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

    def suite_claims(self) -> bool:
        """Over 1% on average is a win."""
        return abs(statistics.fmean(math.expm1(self.margin(int(test))) for test in self.tests)) > SUITE_WIN


def unequal_noise(rng: np.random.Generator, studies: int) -> list[Row]:
    """Noise of 0.4 to 2.5% by scene, three passes; the quietest scene is truly 2% apart."""
    count = 14
    ours: dict[str, list[bool]] = {}
    hand: dict[str, list[bool]] = {}
    for _ in range(studies):
        noise = np.exp(rng.uniform(math.log(0.004), math.log(0.025), count))
        noise[0], noise[1] = 0.025, 0.004
        ratio = [0.0] * count
        ratio[1] = math.log(1.02)
        study = Truth(noise.tolist(), ratio).draw(rng, Method())
        found, by_hand = Judged.of(study), Hand(study)
        for one, kept in ((found, ours), (by_hand, hand)):
            kept.setdefault("all", []).extend(one.covers(g, ratio[g]) for g in range(count))
            kept.setdefault("loud", []).append(one.covers(0, 0.0))
        verdict = found.margins[0].verdict
        ours.setdefault("ahead", []).append(verdict == "ahead")
        ours.setdefault("behind", []).append(verdict == "behind")
        hand.setdefault("claims", []).append(by_hand.claims(0))
        ours.setdefault("quiet", []).append(found.margins[1].verdict == "ahead")
        hand.setdefault("quiet", []).append(by_hand.claims(1))
    sides = max(_rate(ours["ahead"]), _rate(ours["behind"]))
    thumb = _rate(hand["claims"]) / 2.0
    return [
        Row("all scenes together hold the truth", _rate(ours["all"]), _rate(hand["all"]), (0.94, 0.96)),
        Row("the loudest scene holds the truth", _rate(ours["loud"]), _rate(hand["loud"]), (0.92, 0.97), (0.87, 0.93)),
        Row("the loudest scene claims falsely, a side", sides, thumb, (0.0, 0.04), (0.03, 0.07)),
        Row("the quietest scene, truly 2% apart, is seen", _rate(ours["quiet"]), _rate(hand["quiet"]), (0.95, 1.0)),
    ]


def noisy_lane(rng: np.random.Generator, studies: int) -> list[Row]:
    """One lane three times noisier, with two passes against six of the other."""
    truth = Truth([0.006] * 14, [0.0] * 14, passes=(6, 2), louder=3.0)
    ours, hand = [], []
    for _ in range(studies):
        study = truth.draw(rng, Method())
        found, by_hand = Judged.of(study), Hand(study)
        ours += [found.covers(g, 0.0) for g in range(14)]
        hand += [by_hand.covers(g, 0.0) for g in range(14)]
    return [Row("intervals of tests hold the truth", _rate(ours), _rate(hand), (0.94, 0.96), (0.88, 0.93))]


def drifting(rng: np.random.Generator, studies: int) -> list[Row]:
    """Equal lanes, 14 tests of three passes at 0.5% noise, on a bench that slows."""
    count, passes = 14, 3
    method = Method(drift_allowance=0.01)
    orders = {"rounds": in_rounds(count, passes), "there and back": there_and_back(count)}
    claims: dict[str, list[bool]] = {name: [] for name in (*orders, "back to back")}
    by_hand: dict[str, list[bool]] = {name: [] for name in claims}
    widths: list[float] = []
    for _ in range(studies):
        for name, hours in orders.items():
            study = Truth([0.005] * count, [0.0] * count, drift=-0.01, hours=hours).draw(rng, method)
            found = Judged.of(study)
            claims[name].append(found.suite_claims())
            by_hand[name].append(Hand(study).suite_claims())
            if name == "there and back":
                still = Truth([0.005] * count, [0.0] * count).draw(rng, Method())
                reach = [_reach(one) for one in (found, Judged.of(still))]
                widths.append(reach[0] / reach[1])
        drift = float(rng.normal(0.0, 0.01 / 1.96))
        hours = back_to_back(count, passes)
        study = Truth([0.005] * count, [0.0] * count, drift=drift, hours=hours).draw(rng, method)
        claims["back to back"].append(Judged.of(study).suite_claims())
        by_hand["back to back"].append(Hand(study).suite_claims())
    named = {
        "rounds": ("lane after lane in rounds: the suite claims a difference", (0.0, 0.03)),
        "there and back": ("there and back: the suite claims a difference", (0.0, 0.05)),
        "back to back": ("back to back, any drift up to that: the suite claims a difference", (0.0, 0.06)),
    }
    rows = [Row(words, _rate(claims[name]), _rate(by_hand[name]), wanted) for name, (words, wanted) in named.items()]
    return [
        *rows,
        Row("there and back: intervals as wide as without drift", statistics.fmean(widths), None, (0.9, 1.1)),
    ]


def looking(rng: np.random.Generator, studies: int) -> list[Row]:
    """Equal lanes of four tests, looked at after every pass from three to twelve, stopped at the first settled look.

    The hand looks as often, at 95% each time.
    """
    rule = SequentialRule(12)
    truth = Truth([0.008] * 4, [0.0] * 4, passes=(rule.limit, rule.limit))
    covered: dict[bool, list[bool]] = {True: [], False: []}
    claims: dict[bool, list[bool]] = {True: [], False: []}
    for _ in range(studies):
        whole = truth.draw(rng, Method())
        for strict in (True, False):
            method = Method(looks=rule if strict else None, equal_band=0.002)
            stop = None
            for n in range(rule.first, rule.limit + 1):
                stop = Judged.of(_up_to(replace(whole, method=method), n))
                if stop.suite.verdict != "open":
                    break
            assert stop is not None
            low, high = stop.suite_interval()
            covered[strict].append(low <= 0.0 <= high)
            claims[strict].append(stop.suite_claims())
    return [
        Row("the interval holds the truth", _rate(covered[True]), _rate(covered[False]), (0.94, 1.0)),
        Row("the suite claims a difference", _rate(claims[True]), _rate(claims[False]), (0.0, 0.05), (0.0, 0.06)),
    ]


def settling(rng: np.random.Generator, studies: int) -> list[Row]:
    """Do the further passes that an open verdict asks for settle it?"""
    settled: list[bool] = []
    for _ in range(studies):
        ratio = rng.normal(0.0, 0.01, 6)
        truth = Truth([0.008] * 6, ratio.tolist())
        study = truth.draw(rng, Method())
        for g, margin in enumerate(Judged.of(study).margins):
            k = margin.further_passes
            if margin.verdict != "open" or k is None or k > 60:
                continue
            more = Truth(truth.noise, truth.ratio, passes=(k, k)).draw(rng, Method())
            added = tuple(replace(one, id=f"more {one.id}") for one in more.passes if one.test == str(g))
            again = Judged.of(replace(study, passes=study.passes + added))
            settled.append(again.margins[g].verdict != "open")
    return [Row("so many do settle it", _rate(settled), None, (0.75, 0.85))]


def power(rng: np.random.Generator, studies: int) -> list[Row]:
    """Studies at the margin that the plan calls resolvable: how often findings show it."""
    rows = []
    for scenes, passes, noise in ((14, 3, 0.006), (3, 4, 0.008)):
        asked = [Asked(str(g), {AVERAGE: Estimate(noise, "scene")}, passes) for g in range(scenes)]
        margin = needs_of(asked, AVERAGE, 0.02, 0.01)[0].resolvable[AVERAGE] or math.nan
        truth = Truth([noise] * scenes, [math.log1p(margin)] * scenes, passes=(passes, passes))
        shown = []
        for _ in range(studies):
            study = truth.draw(rng, Method(equal_band=1e-4))
            shown += [one.verdict == "ahead" for one in Judged.of(study).margins]
        rows.append(Row(f"{scenes} tests of {passes} passes show it", _rate(shown), None, (0.89, 0.91)))
    return rows


#: What is tried, by what it is about.
CASES: Mapping[str, Callable[[np.random.Generator, int], list[Row]]] = {
    "noise of 0.4 to 2.5% by scene, three passes": unequal_noise,
    "one lane three times noisier, six passes against two": noisy_lane,
    "equal lanes on a bench that slows by 1% an hour": drifting,
    "equal lanes, stopped at the first settled look of up to twelve": looking,
    "further passes that an open verdict asks for": settling,
    "a margin that the plan calls shown in 90%": power,
}


def _up_to(study: Study, passes: int) -> Study:
    """The study as it was after so many passes a lane."""
    kept: dict[tuple[str, str], int] = {}
    there = []
    for one in study.passes:
        cell = (one.lane, one.test)
        kept[cell] = kept.get(cell, 0) + 1
        if kept[cell] <= passes:
            there.append(one)
    return replace(study, passes=tuple(there))


def _reach(judged: Judged) -> float:
    """Half the suite's interval, in ln."""
    low, high = judged.suite_interval()
    return (high - low) / 2.0


def _rate(found: Sequence[bool]) -> float:
    return sum(found) / len(found) if found else math.nan
