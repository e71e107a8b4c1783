"""The next hour on trial: the same studies and hours, gone on with as planned, by hand, and as is chosen."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.margins import Pairing
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.next_hour import OpenTest, next_block
from rennbahn.inference.looks import SequentialRule

TESTS, FIRST, LIMIT = 10, 3, 12
#: Seconds: a pass with what lies before the next; loading and warming up; the change between lanes.
PASS_S, PREPARE_S = 80.0, 150.0
METHOD = Method(looks=SequentialRule(limit=LIMIT, first=FIRST), equal_band=0.01)


@dataclass
class Drawn:
    """A study that may come of it: true margins (ln) and noise by test, and what every pass would give, drawn once."""

    rng: np.random.Generator
    change_s: float
    margins: np.ndarray = field(init=False)
    values: np.ndarray = field(init=False)
    n: list[int] = field(init=False)

    def __post_init__(self) -> None:
        rng = self.rng
        # A third of the tests are truly equal, so that false claims are counted; the others are up to 5% apart.
        size = np.log1p(rng.uniform(0.0, 0.05, TESTS))
        self.margins = np.where(rng.random(TESTS) < 1.0 / 3.0, 0.0, size * rng.choice((-1.0, 1.0), TESTS))
        noise = np.exp(rng.uniform(math.log(0.003), math.log(0.02), TESTS))
        self.values = rng.normal(0.0, noise[None, :, None], (2, TESTS, LIMIT))
        self.values[1] += self.margins[:, None]

    def looked_at(self, n: list[int]) -> Pairing:
        """The findings with so many passes a lane in each test."""
        scenes = tuple(Scene(str(g), f"Game {g}", "run") for g in range(TESTS))
        passes = tuple(
            Pass(f"{lane} {g} {k}", "ab"[lane], str(g), "accepted",
                 figures={AVERAGE: 100.0 * math.exp(self.values[lane, g, k])})
            for lane in range(2) for g in range(TESTS) for k in range(n[g])
        )  # fmt: skip
        lanes = (Lane("a", "a"), Lane("b", "b"))
        study = Study("trial", METHOD, lanes, scenes, tuple(Test(s.id, s.id) for s in scenes), passes, ())
        return Pairing(Sheet(study), (("a", "b"),))


Way = Callable[[Drawn, float], list[int]]


def as_planned(drawn: Drawn, left_s: float) -> list[int]:
    """As many further passes of every test as fit, all of one lane and then of the other: the cheapest fixed plan."""
    room = left_s - drawn.change_s - TESTS * 2.0 * PREPARE_S
    more = max(0, int(room / (TESTS * 2.0 * PASS_S)))
    return [min(LIMIT, FIRST + more)] * TESTS


def one_more_each(drawn: Drawn, left_s: float) -> list[int]:
    """A hand that looks: one more pass of each test that is still open, round after round."""
    n = [FIRST] * TESTS
    while True:
        found = drawn.looked_at(n).margins(AVERAGE)
        open_ones = [g for g, one in enumerate(found) if one.verdict == "open" and n[g] < LIMIT]
        each = 2.0 * (PREPARE_S + PASS_S)
        fits = min(len(open_ones), int((left_s - drawn.change_s) / each))
        if fits <= 0:
            return n
        for g in open_ones[:fits]:
            n[g] += 1
        left_s -= drawn.change_s + fits * each


def chosen(drawn: Drawn, left_s: float) -> list[int]:
    """The next block by what is expected of it, until the time is over."""
    n = [FIRST] * TESTS
    while True:
        pairing = drawn.looked_at(n)
        tests = [
            OpenTest(str(g), found[: LIMIT - n[g]].tolist(), PREPARE_S, PASS_S)
            for g, found in pairing.chances(AVERAGE, LIMIT - FIRST).items()
            if n[g] < LIMIT
        ]
        block = next_block(tests, left_s, drawn.change_s)
        if not block.passes:
            return n
        for name, more in block.passes.items():
            n[int(name)] += more
        left_s -= block.seconds


WAYS: dict[str, Way] = {"as planned": as_planned, "one more each": one_more_each, "the next hour": chosen}


@dataclass
class Tally:
    """What a way reached: verdicts settled beyond those after three passes, false claims, intervals that hold."""

    settled: int = 0
    false: int = 0
    equal: int = 0
    added: list[bool] = field(default_factory=list)
    not_added: list[bool] = field(default_factory=list)


def trial(studies: int, seed: int, left_s: float, change_s: float) -> dict[str, Tally]:
    """Every way over the same studies and hours."""
    found = {name: Tally() for name in WAYS}
    for number in range(studies):
        drawn = Drawn(np.random.default_rng([seed, number]), change_s)
        before = [one.verdict for one in drawn.looked_at([FIRST] * TESTS).margins(AVERAGE)]
        for name, way in WAYS.items():
            n, tally = way(drawn, left_s), found[name]
            for g, one in enumerate(drawn.looked_at(n).margins(AVERAGE)):
                truth = float(drawn.margins[g])
                tally.settled += before[g] == "open" and one.verdict != "open"
                if truth == 0.0:
                    tally.equal += 1
                    tally.false += one.verdict in ("ahead", "behind")
                if one.interval is not None:
                    low, high = one.interval
                    holds = math.log1p(low) <= truth <= math.log1p(high)
                    (tally.added if n[g] > FIRST else tally.not_added).append(holds)
    return found
