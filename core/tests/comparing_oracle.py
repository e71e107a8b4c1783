"""From passes to a result once more, in plain Python from the definitions: written apart from the core."""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from scipy.stats import t as student

Values = dict[tuple[str, str], list[float]]


@dataclass
class Cells:
    """Accepted values of one figure by (lane, test), the scene of each test, and the capped cells."""

    values: Values
    scene_of: dict[str, str]
    capped: set[tuple[str, str]] = field(default_factory=set)
    school: str = "mean"
    band: float = 0.01

    def value(self, lane: str, test: str) -> float:
        """A cell's value."""
        own = self.values[lane, test]
        return statistics.median(own) if self.school == "median_pass" else math.fsum(own) / len(own)

    def noise(self, scene: str) -> tuple[float | None, int, str]:
        """s, df and the pool it stands on."""
        own = self._pool([scene])
        return (*own, scene) if own[1] >= 8 else (*self._pool(sorted(set(self.scene_of.values()))), "study")

    def _pool(self, scenes: Sequence[str]) -> tuple[float | None, int]:
        squares, freedom = 0.0, 0
        for (lane, test), own in self.values.items():
            if self.scene_of[test] not in scenes or len(own) < 2 or (lane, test) in self.capped:
                continue
            squares += (len(own) - 1) * statistics.variance(map(math.log, own))
            freedom += len(own) - 1
        return (math.sqrt(squares / freedom), freedom) if freedom else (None, 0)

    def wider(self, test: str) -> float:
        """The median of three or more passes in both lanes scatters wider."""
        enough = min(len(self.values["A", test]), len(self.values["B", test])) >= 3
        return math.sqrt(math.pi / 2) if self.school == "median_pass" and enough else 1.0

    def tests(self) -> list[str]:
        """Tests that take part."""
        return [
            test
            for test in self.scene_of
            if all((lane, test) in self.values and (lane, test) not in self.capped for lane in "AB")
        ]

    def margin(self, test: str) -> dict[str, Any]:
        """B over A in one test."""
        log = math.log(self.value("B", test) / self.value("A", test))
        s, df, _ = self.noise(self.scene_of[test])
        if s is None:
            return {"b_over_a": math.expm1(log), "interval": None, "verdict": "open", "p": None}
        n_a, n_b = len(self.values["A", test]), len(self.values["B", test])
        error = self.wider(test) * s * math.sqrt(1 / n_a + 1 / n_b)
        reach = student.ppf(0.975, df) * error
        return {
            "b_over_a": math.expm1(log),
            "interval": (math.expm1(log - reach), math.expm1(log + reach)),
            "verdict": verdict(log - reach, log + reach, self.band),
            "p": 2 * student.sf(abs(log) / error, df) if error else float(log == 0),
        }

    def suite(self, school: str) -> dict[str, Any]:
        """The suite margin under a school, with its measured interval."""
        tests = self.tests()
        a, b = ([self.value(lane, test) for test in tests] for lane in "AB")
        r = [y / x for x, y in zip(a, b, strict=True)]
        count = len(tests)
        ratio, w_a, w_b = {
            "geometric": (math.exp(statistics.fmean(map(math.log, r))), [1 / count] * count, [1 / count] * count),
            "mean_of_margins": (statistics.fmean(r), [x / sum(r) for x in r], [x / sum(r) for x in r]),
            "ratio_of_means": (sum(b) / sum(a), [x / sum(a) for x in a], [x / sum(b) for x in b]),
            "equal_frames": (
                sum(1 / x for x in a) / sum(1 / x for x in b),
                [1 / x / sum(1 / y for y in a) for x in a],
                [1 / x / sum(1 / y for y in b) for x in b],
            ),
        }[school]
        pools: dict[str, list[float]] = {}
        freedoms: dict[str, int] = {}
        for i, test in enumerate(tests):
            s, df, pool = self.noise(self.scene_of[test])
            if s is None:
                return {"margin": ratio - 1, "df": None, "interval": None}
            s *= self.wider(test)
            n_a, n_b = len(self.values["A", test]), len(self.values["B", test])
            pools.setdefault(pool, []).append(s * s * (w_a[i] ** 2 / n_a + w_b[i] ** 2 / n_b))
            freedoms[pool] = df
        parts = {pool: sum(own) for pool, own in pools.items()}
        total = sum(parts.values())
        df = total**2 / sum(v**2 / freedoms[pool] for pool, v in parts.items())
        reach = student.ppf(0.975, df) * math.sqrt(total)
        low, high = math.log(ratio) - reach, math.log(ratio) + reach
        return {
            "margin": ratio - 1,
            "df": df,
            "interval": (math.expm1(low), math.expm1(high)),
            "verdict": verdict(low, high, self.band),
        }

    def games_interval(self) -> tuple[float, float] | None:
        """What other games might give."""
        logs = [math.log(self.value("B", test) / self.value("A", test)) for test in self.tests()]
        if len(logs) < 2:
            return None
        middle = statistics.fmean(logs)
        reach = student.ppf(0.975, len(logs) - 1) * statistics.stdev(logs) / math.sqrt(len(logs))
        return math.expm1(middle - reach), math.expm1(middle + reach)

    def outliers(self) -> set[str]:
        """Tests over three robust standard deviations from the median."""
        logs = {test: math.log(self.value("B", test) / self.value("A", test)) for test in self.tests()}
        if len(logs) < 5:
            return set()
        middle = statistics.median(logs.values())
        spread = statistics.median(abs(x - middle) for x in logs.values())
        return {test for test, x in logs.items() if spread and abs(x - middle) > 3 * 1.4826 * spread}

    def without(self, test: str) -> float:
        """The geometric mean with one test left out."""
        rest = [x for x in self.tests() if x != test]
        return math.expm1(statistics.fmean(math.log(self.value("B", x) / self.value("A", x)) for x in rest))


def verdict(low: float, high: float, band: float) -> str:
    """Even, ahead, behind, open: asked in this order."""
    edge = math.log1p(band)
    if -edge <= low and high <= edge:
        return "even"
    return "ahead" if low > 0 else "behind" if high < 0 else "open"


def adjusted(ps: Sequence[float]) -> list[float]:
    """After Benjamini and Hochberg."""
    ordered = sorted(range(len(ps)), key=lambda i: ps[i])
    found = [0.0] * len(ps)
    for rank, i in enumerate(ordered, start=1):
        found[i] = min([1.0] + [ps[j] * len(ps) / r for r, j in enumerate(ordered, start=1) if r >= rank])
    return found
