"""Tuning on trial: logs of parts whose edge, noise and curve are known, by what is answered and by a hand.

A hand goes on by the same step until something fails, and back by one; takes the step with the better means for better;
and reads a rival's watts off the step that lies nearest to them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from rennbahn.tuning import Quick, Rival, Setting, Stability, Step, TuningLog, tuning_of
from rennbahn.tuning.proposal import next_of

from trials.rates import Rate

#: Of passes: standard deviations of ln fps and ln W.
FPS_NOISE, W_NOISE = 0.006, 0.008
_PASSES = 3
_RESOLUTION = 5.0


def trial(logs: int, seed: int) -> list[Rate]:
    """All of it, on so many logs each."""
    rng = np.random.default_rng(seed)
    return [*_edges(logs, rng), *_fronts(logs, rng), *_equal(logs, rng), *_knees(logs, rng)]


# --- to the edge --------------------------------------------------------------------------------------------


@dataclass
class Part:
    """A part that fails more often the nearer it comes to its edge: the chance an hour grows tenfold in `width`."""

    edge: float
    width: float
    rng: np.random.Generator

    def fails(self, value: float) -> bool:
        """Whether an hour at a value ends in a crash. At the edge it does in one of two hours."""
        hazard = math.log(2.0) * 10.0 ** ((value - self.edge) / self.width) if self.width else 0.0
        return value >= self.edge if not self.width else bool(self.rng.random() < -math.expm1(-hazard))


def _edges(logs: int, rng: np.random.Generator) -> list[Rate]:
    """Undervolts, sharp edges first, then soft ones: how near one ends, and how far too deep a part is left."""
    rates = []
    for width, name in ((0.0, "a sharp edge"), (15.0, "crashes that come at random, tenfold in 15 mV")):
        within, near, deep, safe, past = 0, 0, 0, 0, 0
        for _ in range(logs):
            edge, limit = float(rng.uniform(40.0, 220.0)), float(rng.choice((150.0, 200.0, 300.0)))
            part, first = Part(edge, width, rng), float(rng.choice((15.0, 25.0, 40.0)))
            steps = _followed(part, first, limit)
            depths = [-one.set["offset"] for one in steps]
            past += any(value > limit for value in depths)
            best = max([0.0, *(d for d, one in zip(depths, steps, strict=True) if one.state() == "proven")])
            by_hand = _by_hand(Part(edge, width, rng), first, limit)
            within += min(edge, limit) - best <= 2 * _RESOLUTION
            near += min(edge, limit) - by_hand <= 2 * _RESOLUTION
            # What crashes in more than one of ten hours is left too deep.
            margin = 0.0 if not width else width * math.log10(-math.log(0.9) / math.log(2.0))
            deep += best > edge + margin
            safe += by_hand > edge + margin
        rates.append(Rate(f"{name}: ends within two resolutions of edge or limit", within / logs, near / logs,
                          "all" if not width else ""))  # fmt: skip
        rates.append(Rate(f"{name}: a step past a limit", past / logs, None, "none"))
        rates.append(Rate(f"{name}: ends where it crashes in over one of ten hours", deep / logs, safe / logs,
                          "none" if not width else ""))  # fmt: skip
    return rates


def _followed(part: Part, first: float, limit: float) -> list[Step]:
    setting = Setting("mV", 0.0, _RESOLUTION, limit_low=-limit, limit_high=0.0, kind="voltage")
    value, steps = min(first, limit), list[Step]()
    while len(steps) < 60:
        outcome = "crashed" if part.fails(value) else "passed"
        stability = (Stability("long run", 60.0, outcome),)
        steps.append(Step(str(len(steps)), {"offset": -value}, stability=stability))
        proposed = next_of(TuningLog({"offset": setting}, tuple(steps)))
        if proposed.value is None:
            break
        value = -proposed.value
    return steps


def _by_hand(part: Part, step: float, limit: float) -> float:
    value = 0.0
    while value + step <= limit and not part.fails(value + step):
        value += step
    return value


# --- fps and watts ------------------------------------------------------------------------------------------


def _step(name: str, fps: float, w: float, rng: np.random.Generator) -> Step:
    drawn = rng.standard_normal((_PASSES, 2))
    passes = tuple(Quick(fps * math.exp(FPS_NOISE * a), w * math.exp(W_NOISE * b)) for a, b in drawn)
    return Step(name, {}, stability=(Stability("long run", 60.0, "passed"),), passes=passes)


def _log(points: Sequence[tuple[float, float]], rng: np.random.Generator, rival: Rival | None = None) -> TuningLog:
    return TuningLog({}, tuple(_step(str(i), fps, w, rng) for i, (fps, w) in enumerate(points)), rival)


def _fronts(logs: int, rng: np.random.Generator) -> list[Rate]:
    """Six steps of which none beats another: each a little faster for a little more, or all alike."""
    off = hand = 0
    for i in range(logs):
        grows = (0.0, 0.002, 0.01)[i % 3]
        log = _log([(100 * (1 + grows * k), 200 * (1 + grows * k)) for k in range(6)], rng)
        found = tuning_of(log)
        off += any(one.on_front is False for one in found.steps)
        hand += any((a.fps or 0) > (b.fps or 0) and (a.w or 0) < (b.w or 0) for a in found.steps for b in found.steps)
    return [Rate("of six steps that none beats in both, one is off the front", off / logs, hand / logs, "at most 5%")]


def _equal(logs: int, rng: np.random.Generator) -> list[Rate]:
    """Four power limits around a rival: the interval at its watts, and a hand's at the nearest step."""
    covered = hand = false = alike = 0
    for _ in range(logs):
        curve = _curve(rng)
        w_r = float(rng.uniform(175, 285))
        margin = float(rng.choice((0.0, rng.normal(0.0, 0.05))))
        points = [(curve(w), w) for w in (170.0, 210.0, 250.0, 290.0)]
        low, high = next((a, b) for a, b in pairwise(points) if a[1] <= w_r <= b[1])
        part = (w_r - low[1]) / (high[1] - low[1])
        fps = (1 - part) * low[0] + part * high[0]
        rival = Rival(_step("rival", fps / (1 + margin), w_r, rng).passes)
        log = _log(points, rng, rival)
        found = tuning_of(log).equal_power
        if found is None:
            continue
        covered += found.low <= margin <= found.high
        alike += margin == 0.0
        false += margin == 0.0 and found.verdict in ("ahead", "behind")
        theirs = np.log([one.fps for one in rival.passes])
        nearest = min(log.steps, key=lambda one: abs((one.w or 0) - w_r))
        own = np.log([one.fps for one in nearest.passes])
        reach = 2.776 * math.sqrt((own.var(ddof=1) + theirs.var(ddof=1)) / _PASSES)
        hand += abs(own.mean() - theirs.mean() - math.log1p(margin)) <= reach
    return [
        Rate("at a rival's watts: the interval holds the truth", covered / logs, hand / logs, "95%"),
        Rate("at a rival's watts: a direction that is not there", false / max(1, alike), None, "at most 5%"),
    ]


def _curve(rng: np.random.Generator) -> Callable[[float], float]:
    gain = float(rng.uniform(0.15, 0.5))
    return lambda w: 60.0 * (w / 170.0) ** gain


def _knees(logs: int, rng: np.random.Generator) -> list[Rate]:
    """Nine power limits of 20 W each, with a bend at one of the middle ones, and without."""
    watts = np.arange(150.0, 311.0, 20.0)
    near = hit = claimed = 0
    for _ in range(logs):
        at = int(rng.integers(2, 7))
        rise = np.minimum(watts, watts[at]) - watts[0]
        bent = 60 + 0.25 * rise + 0.03 * (watts - watts[0] - rise)
        found = tuning_of(_log(list(zip(bent.tolist(), watts.tolist(), strict=True)), rng))
        near += found.knee is not None and abs(found.knee.level - watts[at]) <= 21.0
        # A hand names the step after which a watt brings least over what it brought before.
        fps = np.array([one.fps for one in found.steps])
        slopes = np.diff(fps) / np.diff(np.array([one.w for one in found.steps]))
        hit += abs(int(np.argmax(slopes[:-1] - slopes[1:])) + 1 - at) <= 1
        straight = (60 + 0.12 * (watts - watts[0])).tolist()
        claimed += tuning_of(_log(list(zip(straight, watts.tolist(), strict=True)), rng)).knee is not None
    return [
        Rate("a knee is found within a step", near / logs, hit / logs, "90%"),
        Rate("a knee is claimed of a straight line", claimed / logs, 1.0, "at most 5%"),
    ]
