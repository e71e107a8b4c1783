"""Made-up studies of every kind that are incomplete in random ways, with what is true of them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from rennbahn.comparing.facts import Aims, LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test

KINDS = ("a_b", "ladder", "sweep", "grid", "scaling", "budget", "several", "proxy")
LOW, BAND = "low_1.percentile", 0.01
_PASSES, _TARGET, _BUDGET_MS = 4, 60.0, 1000.0 / 60.0
#: How often a cell is left as it is, its passes wait, are rejected, are not there, are capped, are numbers only.
_FATES = {"accepted": 0.93, "recorded": 0.03, "odd": 0.01, "planned": 0.01, "capped": 0.01, "own_report": 0.01}
#: So often nothing is missing at all, and so often a lane is missing altogether.
_WHOLE, _LANE_GONE = 0.3, 0.15


@dataclass(frozen=True)
class Truth:
    """A made-up study and what is true of it: ln of the rate of each lane in each test, shape (L, T).

    `stands` says of the average which cells count, `waits` which have a pass that waits; `late` is the true share of
    frames over the budget.
    """

    study: Study
    log: NDArray[np.float64]
    stands: NDArray[np.bool_]
    reported: NDArray[np.bool_]
    waits: NDArray[np.bool_]
    late: NDArray[np.float64]

    def lanes(self, ids: Sequence[str]) -> list[int]:
        """Numbers of lanes."""
        return [int(one) for one in ids]

    def tests(self, ids: Sequence[str]) -> list[int]:
        """Numbers of tests."""
        return [int(one) for one in ids]

    def mean(self, lane: str, tests: Sequence[str]) -> float:
        """True mean of ln of the rate of a lane over some tests."""
        return float(self.log[int(lane), self.tests(tests)].mean())


def drawn(kind: str, rng: np.random.Generator, number: int) -> Truth:
    """A study of a kind: its lanes alike or apart, in one group or several, whole or with something missing."""
    groups = 1 if kind in ("budget", "proxy") else int(rng.integers(1, 4))
    scenes = int(rng.integers(3, 6))
    lanes = _lanes(kind, rng)
    tests, of_scene, names = _tests(kind, groups, scenes)
    effect = _effects(kind, lanes, rng)
    log = np.log(_TARGET) + effect[:, None] + rng.normal(0.0, 0.2, scenes)[of_scene][None, :]
    log = log + rng.normal(0.0, rng.choice([0.0, 0.02, 0.06]), log.shape)
    if kind == "proxy":
        # Of some games the benchmark keeps the ratios of play, of others not.
        for bench in range(0, len(tests), 2):
            off = rng.normal(0.0, rng.choice([0.0, 0.0, 0.08]), len(lanes))
            log[:, bench] = log[:, bench + 1] + 0.1 + off
    late = np.clip(rng.choice([0.001, 0.004, 0.05], log.shape), 0.0, 1.0)
    fate = _fates(kind, rng, log.shape)
    passes, stands, reported, waits = _passes(rng, log, late, fate)
    study = Study(
        f"trial {number}", Method(equal_band=BAND), tuple(lanes), tuple(Scene(str(s), names[s], "run") for s in names),
        tuple(tests), tuple(passes), (("0", "1"),),
        kind, Aims(targets=(_TARGET,), budget_ms=_BUDGET_MS, may_miss=(None, 0, 1)[rng.integers(3)]),
        {test.group: f"{1080 + 360 * g} high" for g, test in enumerate({x.group: x for x in tests}.values())},
    )  # fmt: skip
    return Truth(study, log, stands, reported, waits, late)


def _lanes(kind: str, rng: np.random.Generator) -> list[Lane]:
    count = {"a_b": 2, "grid": 4, "several": 3, "budget": 3, "proxy": 3}.get(kind, int(rng.integers(3, 7)))
    facts = {
        "ladder": [LaneFacts(price=float(rng.integers(200, 900))) for _ in range(count)],
        "sweep": [LaneFacts(level=float(100 + 10 * i), unit="W") for i in range(count)],
        "grid": [LaneFacts(levels={"Card": f"C{i // 2}", "Kit": f"K{i % 2}"}) for i in range(4)],
        "scaling": [LaneFacts(step=float(i)) for i in range(count)],
        "several": [LaneFacts(cards=i + 1) for i in range(count)],
    }.get(kind, [LaneFacts()] * count)
    return [Lane(str(i), f"Lane {'ABCDEFG'[i]}", one) for i, one in enumerate(facts)]


def _tests(kind: str, groups: int, scenes: int) -> tuple[list[Test], NDArray[np.intp], Mapping[int, str]]:
    """Every scene in every group; of a proxy check each game's benchmark before its play."""
    names = {s: f"Game {'PQRSTUVWXY'[s]}" for s in range(scenes)}
    if kind == "proxy":
        tests, of_scene = [], []
        for s in range(scenes):
            tests.append(Test(str(2 * s), str(2 * s), facts=TestFacts(play_of=str(2 * s + 1))))
            tests.append(Test(str(2 * s + 1), str(2 * s + 1)))
            of_scene += [s, s]
        both = {2 * s + one: names[s] for s in range(scenes) for one in (0, 1)}
        return tests, np.array(of_scene), both
    tests = [
        Test(str(g * scenes + s), str(s), f"preset {g}", f"group {g}" if groups > 1 else "")
        for g in range(groups)
        for s in range(scenes)
    ]
    if kind == "budget":
        tests = [Test(str(p * scenes + s), str(s), f"preset {p}") for p in range(2) for s in range(scenes)]
    return tests, np.array([int(test.scene) for test in tests]), names


def _effects(kind: str, lanes: Sequence[Lane], rng: np.random.Generator) -> NDArray[np.float64]:
    """What lanes do to ln of the rate, all tests alike: often nothing, so that even and open are met."""
    size = float(rng.choice([0.0, 0.005, 0.03, 0.1]))
    if kind == "sweep":
        return np.asarray(size * np.arange(len(lanes)), dtype=np.float64)
    if kind == "scaling":
        return np.asarray(-size * np.arange(len(lanes)), dtype=np.float64)
    if kind == "grid":
        return size * np.array([0.0, 1.0, 1.0, 2.0 + float(rng.choice([0.0, 1.0]))])
    if kind == "several":
        return np.array([0.0, *(math.log1p(float(rng.choice([0.0, 0.5, 0.9])) * i) for i in range(1, len(lanes)))])
    return rng.normal(0.0, size, len(lanes)) if size else np.zeros(len(lanes))


def _fates(kind: str, rng: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.str_]:
    """What became of each cell."""
    if rng.random() < _WHOLE:
        return np.full(shape, "accepted", dtype="<U10")
    words = [one for one in _FATES if kind not in ("budget", "proxy") or one not in ("capped", "own_report")]
    odds = np.array([_FATES[one] for one in words])
    fate = rng.choice(words, size=shape, p=odds / odds.sum()).astype("<U10")
    if rng.random() < _LANE_GONE:
        fate[rng.integers(shape[0])] = rng.choice(["recorded", "planned"])
    return fate


def _passes(
    rng: np.random.Generator, log: NDArray[np.float64], late: NDArray[np.float64], fate: NDArray[np.str_]
) -> tuple[list[Pass], NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    passes, shape = list[Pass](), log.shape
    stands, reported, waits = (np.zeros(shape, dtype=np.bool_) for _ in range(3))
    for lane, test in np.ndindex(shape):
        word = str(fate[lane, test])
        # Now and then one pass of a cell that stands waits for a decision.
        one_waits = word == "accepted" and rng.random() < 0.05 and (fate != "accepted").any()
        waits[lane, test] = word == "recorded" or one_waits
        stands[lane, test] = word in ("accepted", "own_report")
        reported[lane, test] = word == "own_report"
        if word == "planned":
            continue
        status = word if word in ("recorded", "odd") else "accepted"
        for number in range(_PASSES):
            rate = float(np.exp(log[lane, test] + rng.normal(0.0, 0.008)))
            share = float(np.sin(np.arcsin(np.sqrt(late[lane, test])) + rng.normal(0.0, 0.004)) ** 2)
            passes.append(
                Pass(
                    f"{lane}.{test}.{number}", str(lane), str(test),
                    "recorded" if one_waits and number == 0 else status,
                    "own_report" if word == "own_report" else "frames",
                    ("capped",) if word == "capped" else (), {AVERAGE: rate, LOW: 0.7 * rate},
                    facts=PassFacts(over_budget_share=None if word == "own_report" else share),
                )
            )  # fmt: skip
    return passes, stands, reported, waits
