"""What stands beside an answer put on trial: margins at resolutions that were not run, memory that runs out, readers.

The truth is known, and a hand's usual way is tried on the same passes: the margin of the nearest resolution, as it is.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.facts import LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.model import AVERAGE, Pass
from rennbahn.kinds.expected import expected_of
from rennbahn.kinds.ladder import ladder_of
from rennbahn.kinds.limits import limits_of
from rennbahn.kinds.readers import Reader, for_reader

from trials.draws import Row
from trials.kinds import Bench, margin_holds, rate_of

_SIZES = ((1920, 1080), (2560, 1440), (3840, 2160))
_SCENES = 6
#: A true rate by lane, scene and resolution.
_Truth = Callable[[int, int, int], float]


def expected(rng: np.random.Generator, studies: int) -> list[Row]:
    """Two lanes in six scenes: of three resolutions two are run, and the third one's margin is asked for.

    A frame takes as long as the slower side, or a little longer where the two are near each other; the card's part
    grows with the pixels, by a power of them or from a fixed cost on.
    """
    rows = []
    for name, run, asked in (("beyond the largest", (0, 1), 2), ("between two", (0, 2), 1)):
        held, suites, given, by_hand = [], [], [], []
        for _ in range(studies):
            truth = _machine(rng)
            facts = [TestFacts(_SIZES[run[t % 2]], "high") for t in range(2 * _SCENES)]

            def rate(lane: int, test: int, truth: _Truth = truth, run: tuple[int, int] = run) -> float:
                return truth(lane, test // 2, run[test % 2])

            bench = Bench([LaneFacts()] * 2, 2 * _SCENES, rate, facts, lambda t: t // 2)
            sheet = Sheet(bench.draw(rng))
            found = expected_of(sheet, limits_of(sheet), ("0", "1"), _SIZES[asked])
            true = {str(g): math.log(truth(1, g, asked) / truth(0, g, asked)) for g in range(_SCENES)}
            there = [one for one in found.scenes if one.margin is not None]
            given.append(len(there) / _SCENES)
            held += [margin_holds(true[one.scene], one.low, one.high) for one in there]
            if found.suite is not None:
                mean = math.fsum(true[one.scene] for one in there) / len(there)
                suites.append(margin_holds(mean, found.suite.low, found.suite.high))
            nearest = [math.log(truth(1, g, run[1]) / truth(0, g, run[1])) for g in range(_SCENES)]
            by_hand += [abs(nearest[g] - true[str(g)]) <= _THUMB for g in range(_SCENES)]
        rows += [
            Row(f"a margin {name}: held by its interval", rate_of(held), rate_of(by_hand), (0.93, 1.0)),
            Row(f"a margin {name}: the mean of all scenes held", rate_of(suites), None, (0.93, 1.0)),
            Row(f"a margin {name}: an estimate is given", float(np.mean(given)), None, (0.2, 1.0)),
        ]
    return rows


#: A hand's margin is right where it is within this of the truth.
_THUMB = 0.01


def _machine(rng: np.random.Generator) -> _Truth:
    """True rates of two lanes by scene and resolution."""
    processor, card = rng.uniform(4.0, 8.0, (2, _SCENES)), rng.uniform(4.0, 9.0, (2, _SCENES))
    fixed, power = rng.uniform(0.0, 0.25, _SCENES), rng.uniform(0.75, 1.0, _SCENES)
    soft, straight = float(rng.choice([6.0, 12.0, 60.0])), rng.random() < 0.5
    # Lanes of one study are not worlds apart.
    card[1] = card[0] * rng.uniform(0.7, 1.3)
    processor[1] = processor[0] * rng.choice([1.0, rng.uniform(0.9, 1.1)])

    def rate(lane: int, scene: int, size: int) -> float:
        pixels = _SIZES[size][0] * _SIZES[size][1] / (1920 * 1080)
        grown = fixed[scene] + (1.0 - fixed[scene]) * pixels if straight else pixels ** power[scene]
        sides = float(processor[lane, scene]), float(card[lane, scene] * grown)
        # A root of powers: the sharper, the nearer to the slower side alone.
        most = max(sides)
        return float(1000.0 / (most * math.fsum((side / most) ** soft for side in sides) ** (1.0 / soft)))

    return rate


def memory(rng: np.random.Generator, studies: int) -> list[Row]:
    """Four lanes of 6 to 16 GB in eight tests, of which one asks for 9 GB: the smaller two run short there."""
    sizes, wanted = (6.0, 8.0, 12.0, 16.0), [4.0, 5.0, 4.5, 5.0, 3.0, 4.0, 5.0, 9.0]
    found_of: dict[str, list[bool]] = {"lost": [], "whole": []}
    held = []
    for kind, told in found_of.items():
        for _ in range(studies):
            lost = {0: 0.55, 1: 0.8} if kind == "lost" else {}

            def rate(lane: int, test: int, lost: Mapping[int, float] = lost) -> float:
                return (60.0 + 15.0 * lane) * (1.0 + 0.1 * test) * (lost.get(lane, 1.0) if test == 7 else 1.0)

            bench = Bench([LaneFacts(memory_gb=size) for size in sizes], 8, rate)
            used = [[min(own, 0.98 * size) for own in wanted] for size in sizes]
            study = replace(study := bench.draw(rng), passes=tuple(_using(one, used) for one in study.passes))
            shorts = ladder_of(Sheet(study), AVERAGE).shorts
            told.append({one.lane for one in shorts if one.runs_out} == ({"0", "1"} if lost else set()))
            held += [margin_holds(math.log(lost.get(int(one.lane), 1.0)), one.low, one.high) for one in shorts]
    return [
        Row("memory that runs out in two lanes is found in both", rate_of(found_of["lost"]), None, (0.97, 1.0)),
        Row("short of memory without a loss: none is claimed", rate_of(found_of["whole"]), None, (0.97, 1.0)),
        Row("what running out costs: held by its interval", rate_of(held), None, (0.93, 0.97)),
    ]


def _using(one: Pass, used: Sequence[Sequence[float]]) -> Pass:
    return replace(one, facts=PassFacts(memory_mib=1024.0 * used[int(one.lane)][int(one.test)]))


#: Two alike at a floor of 40, two 5% apart, one across the floor.
_RATES = ([40.0, 40.0, 45.0, 48.0, 42.5], [40.0, 40.0, 47.25, 50.4, 38.0])


def readers(rng: np.random.Generator, studies: int) -> list[Row]:
    """Lanes alike at the floor, and apart by just what would be noticed; then truly across the floor."""
    reader = Reader("the trial", 60.0, variable=False, floor_fps=40.0)
    crossed, noticed, by_hand, seen = [], [], [], []
    for _ in range(studies):
        study = Bench([LaneFacts()] * 2, 5, lambda lane, test: _RATES[lane][test]).draw(rng)
        found = for_reader(Sheet(study), reader, ("0", "1")).tests
        crossed += [one.matters == "crosses" for one in found[:2]]
        noticed += [one.matters == "noticed" for one in found[2:4]]
        by_hand += [one.a is not None and one.b is not None and (one.a < 40.0) != (one.b < 40.0) for one in found[:2]]
        seen.append(found[4].matters == "crosses")
    return [
        Row("alike at the floor: said to cross it", rate_of(crossed), rate_of(by_hand), (0.0, 0.025)),
        Row("apart by what is just noticed: said to be noticed", rate_of(noticed), None, (0.0, 0.04)),
        Row("truly across the floor, 6% either way: told", rate_of(seen), None, (0.9, 1.0)),
    ]


#: What is tried, by name.
CASES: Mapping[str, Callable[[np.random.Generator, int], list[Row]]] = {
    "a resolution that was not run": expected,
    "memory": memory,
    "readers": readers,
}
