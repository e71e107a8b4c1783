"""The answers to other kinds of study put on trial: simulated studies whose truth is known, beside what a hand says.

The hand takes the same passes: means of passes, means over tests, and what a spreadsheet would show as it stands.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.facts import Aims, LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.kinds.budget import budget_of
from rennbahn.kinds.grid import grid_of
from rennbahn.kinds.ladder import LadderBlock, ladder_of
from rennbahn.kinds.limits import CARD, PROCESSOR, limits_of
from rennbahn.kinds.proxy import proxy_of
from rennbahn.kinds.scaling import scaling_of
from rennbahn.kinds.several import several_of
from rennbahn.kinds.sweep import SweepBlock, sweep_of

from trials.draws import Row

#: Noise of scenes, standard deviation of ln x, is drawn between these.
_QUIET, _LOUD = 0.004, 0.015
_PASSES = 3
#: A hand calls lanes further apart than this different.
_THUMB = 0.02


@dataclass(frozen=True)
class Bench:
    """A made-up study: what each lane truly gives in each test (fps), and its passes with noise by scene."""

    lanes: Sequence[LaneFacts]
    tests: int
    truth: Callable[[int, int], float]
    facts: Sequence[TestFacts] = ()
    scene_of: Callable[[int], int] = field(default=lambda test: test)
    passes: int = _PASSES
    #: By lane, how much louder than the scene it is.
    louder: Sequence[float] = ()
    kind: str = "ladder"
    aims: Aims = field(default_factory=Aims)
    band: float = 0.01

    def draw(self, rng: np.random.Generator) -> Study:
        """A study of it."""
        scenes = sorted({self.scene_of(t) for t in range(self.tests)})
        noise = dict(zip(scenes, np.exp(rng.uniform(math.log(_QUIET), math.log(_LOUD), len(scenes))), strict=True))
        passes = [
            Pass(
                f"{lane}.{test}.{number}", str(lane), str(test), "accepted",
                figures={AVERAGE: self.truth(lane, test) * math.exp(self._log(rng, noise[self.scene_of(test)], lane))},
            )
            for lane in range(len(self.lanes))
            for test in range(self.tests)
            for number in range(self.passes)
        ]  # fmt: skip
        facts = self.facts or [TestFacts()] * self.tests
        return Study(
            "trial", Method(equal_band=self.band),
            tuple(Lane(str(i), f"lane {i}", one) for i, one in enumerate(self.lanes)),
            tuple(Scene(str(g), f"Game {g}", "run") for g in scenes),
            tuple(Test(str(t), str(self.scene_of(t)), facts=facts[t]) for t in range(self.tests)),
            tuple(passes), (), self.kind, self.aims,
        )  # fmt: skip

    def _log(self, rng: np.random.Generator, scene: float, lane: int) -> float:
        return float(rng.normal(0.0, scene * (self.louder[lane] if self.louder else 1.0)))


def hand_levels(study: Study) -> list[float]:
    """What a hand puts beside each lane: the mean over tests of the mean of passes."""
    rates: dict[tuple[str, str], list[float]] = {}
    for one in study.passes:
        rates.setdefault((one.lane, one.test), []).append(one.figures[AVERAGE])
    return [statistics.fmean(statistics.fmean(rates[lane.id, test.id]) for test in study.tests) for lane in study.lanes]


def ladder(rng: np.random.Generator, studies: int) -> list[Row]:
    """Ladders of 3, 8 and 30 equal lanes over 12 tests; and eight lanes of which some are 0.7% apart."""
    rows = []
    for count in (3, 8, 30):
        wrong, by_hand = [], []
        for _ in range(studies if count < 30 else max(studies // 3, 1)):
            study = Bench([LaneFacts()] * count, 12, lambda _, test: 60.0 + 10.0 * test).draw(rng)
            block = ladder_of(Sheet(study), AVERAGE)
            wrong.append(any(rung.ranks != (1, count) for rung in block.lanes))
            levels = hand_levels(study)
            by_hand.append(max(levels) / min(levels) - 1.0 > _THUMB / 4.0)
        rows.append(Row(f"{count} equal lanes: some order is claimed", rate_of(wrong), rate_of(by_hand), (0.0, 0.07)))
    wrong = []
    for _ in range(studies):
        bench = Bench([LaneFacts()] * 6, 8, lambda _, test: 60.0 + 10.0 * test, louder=(3.0, 1.0, 1.0, 1.0, 1.0, 1.0))
        wrong.append(any(rung.ranks != (1, 6) for rung in ladder_of(Sheet(bench.draw(rng)), AVERAGE).lanes))
    rows.append(Row("6 equal lanes, one three times louder: some order is claimed", rate_of(wrong), None, (0.0, 0.07)))
    apart = [1.0, 1.0, 1.007, 1.014, 1.014, 1.05, 1.1, 1.1]
    ranks, at_once, by_hand = [], [], []
    for _ in range(studies):
        study = Bench([LaneFacts()] * 8, 12, lambda lane, test: apart[lane] * (60.0 + 10.0 * test)).draw(rng)
        block = ladder_of(Sheet(study), AVERAGE)
        ranks.append(_ranks_hold(block, apart))
        at_once.append(
            all(margin_holds(math.log(apart[int(p.b)] / apart[int(p.a)]), p.low, p.high) for p in block.pairs)
        )
        order = np.argsort(hand_levels(study))
        by_hand.append(all(apart[a] <= apart[b] for a, b in pairwise(order)))
    return [
        *rows,
        Row("eight lanes: all true ranks lie within those given", rate_of(ranks), rate_of(by_hand), (0.94, 1.0)),
        Row("eight lanes: all 28 margins hold at once", rate_of(at_once), None, (0.93, 0.97)),
    ]


def _ranks_hold(block: LadderBlock, truth: Sequence[float]) -> bool:
    """Does every lane have a rank of its own within those given? Equal lanes share theirs."""
    for rung in block.lanes:
        own = truth[int(rung.lane)]
        best = 1 + sum(x > own for x in truth)
        worst = sum(x >= own for x in truth)
        if rung.ranks[0] > best or rung.ranks[1] < worst:
            return False
    return True


#: Levels of the swept part of the trial, W.
_LEVELS = tuple(100.0 + 10.0 * i for i in range(8))
_KNEE = 140.0


def sweep(rng: np.random.Generator, studies: int) -> list[Row]:
    """Eight steps over six tests: a knee at 140 W, after which a step brings a tenth; and four curves without one."""
    facts = [LaneFacts(level=x, unit="W", power_w=x) for x in _LEVELS] + [LaneFacts(rival=True, power_w=146.0)]

    def drawn(curve: Callable[[float], float]) -> tuple[Study, SweepBlock]:
        rate = [curve(x) for x in _LEVELS] + [80.0]
        study = Bench(facts, 6, lambda lane, test: rate[lane] * (1.0 + 0.1 * test), kind="sweep").draw(rng)
        return study, sweep_of(Sheet(study), AVERAGE)

    def bent(x: float) -> float:
        return 80.0 + 0.3 * min(x - 100.0, _KNEE - 100.0) + 0.03 * max(x - _KNEE, 0.0)

    mean = math.exp(statistics.fmean(math.log1p(0.1 * t) for t in range(6)))
    found, by_hand, holds, equal, inside = [], [], [], [], []
    for _ in range(studies):
        study, block = drawn(bent)
        found.append(block.knee is not None and abs(block.knee.level - _KNEE) <= 10.0)
        inside.append(block.knee is not None and block.knee.low <= _KNEE <= block.knee.high)
        by_hand.append(abs((_hand_knee(hand_levels(study)[:-1]) or 0.0) - _KNEE) <= 10.0)
        holds += [_between(bent(p.level) * mean, p.low, p.high) for p in block.points]
        if block.equal_power is not None:
            equal.append(margin_holds(math.log(bent(146.0) / 80.0), block.equal_power.low, block.equal_power.high))
    rows = [
        Row("a knee at 140 W is found within a step", rate_of(found), rate_of(by_hand), (0.9, 1.0)),
        Row("its interval holds it", rate_of(inside), None, (0.9, 1.0)),
        Row("intervals of the points hold the truth", rate_of(holds), None, (0.93, 0.97)),
        Row("equal power: the interval holds the truth", rate_of(equal), None, (0.93, 0.97)),
    ]
    without: Mapping[str, Callable[[float], float]] = {
        "flat": lambda _: 80.0,
        "a line": lambda x: 80.0 + 0.2 * (x - 100.0),
        "as the root of the watts": lambda x: 8.0 * math.sqrt(x),
        "falling": lambda x: 100.0 - 0.1 * (x - 100.0),
    }
    for name, curve in without.items():
        claimed, by_hand = [], []
        for _ in range(studies):
            study, block = drawn(curve)
            claimed.append(block.knee is not None)
            by_hand.append(_hand_knee(hand_levels(study)[:-1]) is not None)
        rows.append(Row(f"no knee ({name}): one is claimed", rate_of(claimed), rate_of(by_hand), (0.0, 0.05)))
    return rows


def _hand_knee(levels: Sequence[float]) -> float | None:
    """The first step that brings less than half of what the step before brought."""
    gains = [b - a for a, b in pairwise(levels)]
    for at, (before, after) in enumerate(pairwise(gains)):
        if before > 0 and after < before / 2.0:
            return _LEVELS[at + 1]
    return None


def grid(rng: np.random.Generator, studies: int) -> list[Row]:
    """Two by two over six tests, with no dependence, and with one of 2% beyond a band of 1%."""
    places = [(a, b) for a in "ab" for b in "xy"]
    facts = [LaneFacts(levels={"processor": a, "interface": b}) for a, b in places]
    rows = []
    for together, words, wrong_word in (
        (1.0, "no dependence: depends", "depends"),
        (1.02, "a dependence of 2%: does not", "does_not_depend"),
    ):
        effects, whole, wrong, by_hand = [], [], [], []
        for _ in range(studies):

            def truth(lane: int, test: int, joint: float = together) -> float:
                a, b = places[lane]
                return (
                    60.0
                    * (1.0 + 0.1 * test)
                    * (1.08 if a == "b" else 1.0)
                    * (1.03 if b == "y" else 1.0)
                    * (joint if (a, b) == ("b", "y") else 1.0)
                )

            study = Bench(facts, 6, truth, kind="grid").draw(rng)
            block = grid_of(Sheet(study), AVERAGE)
            half = math.log(together) / 2.0
            effects += [
                margin_holds(math.log(x) + half, one.low, one.high)
                for x, one in zip((1.08, 1.03), block.effects, strict=True)
            ]
            assert block.interaction is not None
            whole.append(margin_holds(math.log(together), block.interaction.low, block.interaction.high))
            wrong.append(block.interaction.verdict == wrong_word)
            v = hand_levels(study)
            off = abs(v[3] / v[1] / (v[2] / v[0]) - 1.0)
            by_hand.append(off > 0.01 if wrong_word == "depends" else off <= 0.01)
        rows.append(Row(f"{words}", rate_of(wrong), rate_of(by_hand), (0.0, 0.06)))
        rows.append(Row("its interval holds the truth", rate_of(whole), None, (0.92, 0.98)))
        rows.append(Row("both effects hold the truth", rate_of(effects), None, (0.93, 0.97)))
    return rows


def scaling(rng: np.random.Generator, studies: int) -> list[Row]:
    """Four steps of one setup over six tests."""
    rates = (150.0, 110.0, 70.0, 66.0)
    facts = [LaneFacts(step=float(i), upscaled_from="0" if i == 3 else None) for i in range(4)]
    each, kept, suite = [], [], []
    for _ in range(studies):
        study = Bench(facts, 6, lambda lane, test: rates[lane] * (1.0 + 0.1 * test), kind="scaling").draw(rng)
        block = scaling_of(Sheet(study), AVERAGE)
        for one in block.steps:
            scale = 1.0 + 0.1 * int(one.test or 0)
            cost = 1000.0 / rates[int(one.to)] / scale - 1000.0 / rates[int(one.from_)] / scale
            each.append(_between(cost, one.low, one.high))
        kept += [_between(rates[3] / rates[0], one.share_low, one.share_high) for one in block.upscaling]
        for one in block.suite:
            cost = statistics.fmean(1000.0 / (rates[int(one.to)] * (1.0 + 0.1 * t)) for t in range(6))
            cost -= statistics.fmean(1000.0 / (rates[int(one.from_)] * (1.0 + 0.1 * t)) for t in range(6))
            suite.append(_between(cost, one.low, one.high))
    return [
        Row("costs of steps hold the truth, test by test", rate_of(each), None, (0.93, 0.97)),
        Row("over the suite", rate_of(suite), None, (0.93, 0.97)),
        Row("shares kept by upscaling hold the truth", rate_of(kept), None, (0.93, 0.97)),
    ]


def budget(rng: np.random.Generator, studies: int) -> list[Row]:
    """Two lanes over eight tests: one is over in 0.5% of frames, one in 1.5%, and passes scatter."""
    holds, true_side, by_hand = [], [], []
    for _ in range(studies):
        study = Bench([LaneFacts(), LaneFacts()], 8, lambda _, __: 90.0, kind="budget").draw(rng)
        passes = [replace(one, facts=PassFacts(over_budget_share=_share(rng, one.lane))) for one in study.passes]
        for cell in budget_of(replace(study, passes=tuple(passes))).cells:
            share = 0.995 if cell.lane == "0" else 0.985
            holds.append(_between(share, cell.low, cell.high))
            true_side.append(cell.holds is not (cell.lane == "1"))
            by_hand.append((cell.inside or 0.0) >= 0.99 if cell.lane == "0" else (cell.inside or 0.0) < 0.99)
    return [
        Row("shares inside hold the truth", rate_of(holds), None, (0.93, 0.97)),
        Row(
            "a side of 99% is claimed that is not the true one",
            1.0 - rate_of(true_side),
            1.0 - rate_of(by_hand),
            (0.0, 0.025),
        ),
    ]


def _share(rng: np.random.Generator, lane: str) -> float:
    angle = math.asin(math.sqrt(0.005 if lane == "0" else 0.015)) + rng.normal(0.0, 0.008)
    return math.sin(max(angle, 0.0)) ** 2


def several(rng: np.random.Generator, studies: int) -> list[Row]:
    """One card and two over eight tests, which add from 40 to 96%."""
    facts = [LaneFacts(cards=1), LaneFacts(cards=2)]
    gains = [1.4 + 0.08 * t for t in range(8)]
    each, suite = [], []
    for _ in range(studies):
        study = Bench(facts, 8, lambda lane, test: 60.0 * (gains[test] if lane else 1.0), kind="several").draw(rng)
        sheet = Sheet(study)
        block = several_of(sheet, AVERAGE, limits_of(sheet))
        each += [margin_holds(math.log(gains[int(one.test or 0)]), one.low, one.high) for one in block.scaling]
        suite += [margin_holds(statistics.fmean(map(math.log, gains)), one.low, one.high) for one in block.suite]
    return [
        Row("what a card adds holds the truth, test by test", rate_of(each), None, (0.93, 0.97)),
        Row("over the suite", rate_of(suite), None, (0.92, 0.98)),
    ]


def proxy(rng: np.random.Generator, studies: int) -> list[Row]:
    """Five lanes in ten games, benchmark and play; ratios that hold, and one lane that is off by 5% (band 3%)."""
    rows = []
    for off, wrong, words in (
        (1.0, "neither", "ratios hold: neither is claimed"),
        (1.05, "relative", "a ratio off by 5%: relative is claimed"),
    ):
        claimed, at_once, by_hand, right = [], [], [], []
        for _ in range(max(studies // 4, 1)):
            facts = [TestFacts(play_of=str(t + 1) if t % 2 == 0 else None) for t in range(20)]

            def truth(lane: int, test: int, gap: float = off) -> float:
                play = test % 2 == 1
                return (60.0 + 8.0 * lane) * (0.85 if play else 1.0) * (gap if play and lane == 4 else 1.0)

            bench = Bench([LaneFacts()] * 5, 20, truth, facts, passes=5, kind="proxy")
            study = bench.draw(rng)
            # Every pair of tests is a game of its own.
            study = replace(study, scenes=tuple(Scene(s.id, f"Game {int(s.id) // 2}", "run") for s in study.scenes))
            for gauge in proxy_of(Sheet(study), AVERAGE):
                claimed.append(gauge.gauge in (wrong, "absolute" if wrong == "relative" else wrong))
                right.append(gauge.gauge == ("relative" if off == 1.0 else "neither"))
                widest = gauge.widest
                assert widest is not None
                true = off if widest.b == "4" else 1.0 / off if widest.a == "4" else 1.0
                at_once.append(_between(true, widest.low, widest.high))
                by_hand.append(
                    widest.value >= 1.03 or widest.value <= 1 / 1.03 if off == 1.0 else abs(widest.value - 1) < 0.03
                )
        rows.append(Row(words, rate_of(claimed), rate_of(by_hand), (0.0, 0.05)))
        rows.append(Row("the true word is found", rate_of(right), None, (0.0, 1.0)))
        rows.append(Row("the widest ratio's interval holds the truth", rate_of(at_once), None, (0.93, 1.0)))
    return rows


def limits(rng: np.random.Generator, studies: int) -> list[Row]:
    """Two lanes in six scenes at four resolutions: the slower of processor and card holds a frame."""
    sizes = ((1280, 720), (1920, 1080), (2560, 1440), (3840, 2160))
    facts = [TestFacts(sizes[t % 4], "high") for t in range(24)]
    wrong, told, ceilings, by_hand = [], [], [], []
    for _ in range(studies):
        processor, card = rng.uniform(5.0, 9.0, (2, 6)), rng.uniform(2.0, 6.0, (2, 6))

        def times(lane: int, test: int, cpu: np.ndarray = processor, gpu: np.ndarray = card) -> tuple[float, float]:
            pixels = sizes[test % 4][0] * sizes[test % 4][1] / (1920 * 1080)
            return float(cpu[lane, test // 4]), float(gpu[lane, test // 4]) * (0.15 + 0.85 * pixels)

        bench = Bench(
            [LaneFacts()] * 2, 24, lambda lane, test: 1000.0 / max(times(lane, test)), facts, lambda t: t // 4
        )
        found = limits_of(Sheet(bench.draw(rng)))
        for one in found.tests:
            cpu, gpu = times(int(one.lane), int(one.test))
            true = PROCESSOR if cpu >= gpu else CARD
            clear = max(cpu, gpu) > 1.15 * min(cpu, gpu)
            if one.held_by in (PROCESSOR, CARD):
                wrong.append(one.held_by != true and clear)
            told.append(one.held_by == true)
            by_hand.append((PROCESSOR if int(one.test) % 4 < 2 else CARD) != true and clear)
        for ceiling in found.scenes:
            true_rate = 1000.0 / float(processor[int(ceiling.lane), int(ceiling.scene)])
            ceilings.append(_between(true_rate, ceiling.low, ceiling.high))
    return [
        Row("a limit is told wrongly", rate_of(wrong), rate_of(by_hand), (0.0, 0.02)),
        Row("a limit is told", rate_of(told), None, (0.5, 1.0)),
        Row("processor ceilings hold the truth", rate_of(ceilings), None, (0.9, 0.98)),
    ]


#: What is tried, by kind.
CASES: Mapping[str, Callable[[np.random.Generator, int], list[Row]]] = {
    "ladder": ladder,
    "sweep": sweep,
    "grid": grid,
    "scaling": scaling,
    "budget": budget,
    "several cards": several,
    "proxy check": proxy,
    "limits": limits,
}


def margin_holds(truth: float, low: float | None, high: float | None) -> bool:
    """Does an interval of a margin hold a true ln ratio?"""
    return low is not None and high is not None and math.log1p(low) <= truth <= math.log1p(high)


def _between(truth: float, low: float | None, high: float | None) -> bool:
    return low is not None and high is not None and low <= truth <= high


def rate_of(found: Sequence[bool]) -> float:
    """How often something was so."""
    return sum(found) / len(found) if found else math.nan
