"""From passes to a result once more, in plain Python from the definitions: written apart from the core."""

from __future__ import annotations

import functools
import math
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from scipy.optimize import brentq
from scipy.special import digamma, polygamma
from scipy.stats import chi2
from scipy.stats import f as fisher
from scipy.stats import t as student

Values = dict[tuple[str, str], list[float]]
MEDIANS = {3: 1.160178, 4: 1.092153, 5: 1.197568}


def once(method: Callable[..., Any]) -> Callable[..., Any]:
    """Works a thing out once for its arguments: the cells do not change after they are filled."""

    @functools.wraps(method)
    def kept(self: Cells, *told: Any) -> Any:
        if (method.__name__, told) not in self.known:
            self.known[method.__name__, told] = method(self, *told)
        return self.known[method.__name__, told]

    return kept


@dataclass
class Pool:
    """The noise of a scene: variance, degrees of freedom, the name of its pool."""

    v: float | None
    df: float
    name: str


@dataclass
class Cells:
    """Accepted values of one figure by (lane, test), their hours, the scene of each test, and the capped cells."""

    values: Values
    scene_of: dict[str, str]
    capped: set[tuple[str, str]] = field(default_factory=set)
    school: str = "mean"
    band: float = 0.01
    hours: Values = field(default_factory=dict)
    allowance: float = 0.0
    level: float = 0.05
    known: dict[Any, Any] = field(default_factory=dict)

    def value(self, lane: str, test: str) -> float:
        """A cell's value."""
        own = self.values[lane, test]
        return statistics.median(own) if self.school == "median_pass" else math.fsum(own) / len(own)

    def noisy(self) -> list[tuple[str, str]]:
        """Cells that tell of noise."""
        return [cell for cell, own in self.values.items() if len(own) > 1 and cell not in self.capped]

    @once
    def drift(self) -> tuple[float, float, float]:
        """Slope an hour with its variance, and the slope whose residuals gave the noise."""
        if not self.allowance:
            return 0.0, 0.0, 0.0
        slope = var = before = 0.0
        for _ in range(3):
            before = slope
            sxx = sxy = 0.0
            for lane, test in self.noisy():
                v = self.noise(self.scene_of[test], before).v
                if not v:
                    continue
                t, x = self.hours[lane, test], [math.log(y) for y in self.values[lane, test]]
                middle = statistics.fmean(t)
                sxx += math.fsum((u - middle) ** 2 for u in t) / v
                sxy += math.fsum((u - middle) * y for u, y in zip(t, x, strict=True)) / v
            tau = self.allowance / 1.96
            slope, var = sxy / (sxx + 1 / tau**2), 1 / (sxx + 1 / tau**2)
        return slope, var, before

    @once
    def squares(self, cell: tuple[str, str], slope: float) -> float:
        """Sum of squares of what the drift leaves of ln x."""
        hours = self.hours.get(cell) or [0.0] * len(self.values[cell])
        left = [math.log(x) - slope * t for x, t in zip(self.values[cell], hours, strict=True)]
        return math.fsum((x - statistics.fmean(left)) ** 2 for x in left)

    @once
    def noise(self, scene: str, slope: float) -> Pool:
        """What a scene is judged by."""
        scenes = sorted(set(self.scene_of.values()))
        freedom, squares = dict.fromkeys(scenes, 0), dict.fromkeys(scenes, 0.0)
        for cell in self.noisy():
            freedom[self.scene_of[cell[1]]] += len(self.values[cell]) - 1
            squares[self.scene_of[cell[1]]] += self.squares(cell, slope)
        whole = sum(freedom.values())
        if not whole:
            return Pool(None, 0, "study")
        pooled = sum(squares.values()) / whole
        own = squares[scene] / freedom[scene] if freedom[scene] else None
        telling = [g for g in scenes if freedom[g] and squares[g] > 0]
        if len(telling) < 5:
            return Pool(own, freedom[scene], scene) if freedom[scene] >= 4 else Pool(pooled, whole, "study")
        e = {g: math.log(squares[g] / freedom[g]) - digamma(freedom[g] / 2) + math.log(freedom[g] / 2) for g in telling}
        rest = statistics.variance(e.values()) - statistics.fmean(polygamma(1, freedom[g] / 2) for g in telling)
        if rest > 0:
            d0 = 2 * brentq(lambda x: polygamma(1, x) - rest, 1e-6, 1e12, xtol=1e-14, rtol=1e-14, maxiter=500)
            s0 = math.exp(statistics.fmean(e.values()) + digamma(d0 / 2) - math.log(d0 / 2))
        else:
            d0, s0 = math.inf, pooled
        d = freedom[scene]
        if own is not None:
            rare = chi2.sf(d * own / s0, d) if math.isinf(d0) else fisher.sf(own / s0, d, d0)
            if rare < 0.1:
                return Pool(own, d, scene)
        if math.isinf(d0):
            return Pool(pooled, whole, "study")
        return Pool((d0 * s0 + squares[scene]) / (d0 + d), min(d0 + d, whole), scene)

    @once
    def lane_shares(self, slope: float) -> tuple[float, float, bool]:
        """Each lane's share of the noise, and whether they differ."""
        r, d = {"A": 0.0, "B": 0.0}, {"A": 0, "B": 0}
        for lane, test in self.noisy():
            v = self.noise(self.scene_of[test], slope).v
            if v:
                r[lane] += self.squares((lane, test), slope) / v
                d[lane] += len(self.values[lane, test]) - 1
        if min(d.values()) < 8 or not min(r.values()):
            return 1.0, 1.0, False
        over = (r["A"] / d["A"]) / (r["B"] / d["B"])
        p = 2 * min(fisher.cdf(over, d["A"], d["B"]), fisher.sf(over, d["A"], d["B"]))
        return (r["A"] / d["A"], r["B"] / d["B"], True) if p < 0.05 else (1.0, 1.0, False)

    def part(self, lane: str, test: str) -> float:
        """Variance of a cell's value as a share of one pass's."""
        n = len(self.values[lane, test])
        return (MEDIANS.get(n, 1.0) ** 2 if self.school == "median_pass" else 1.0) / n

    def later(self, test: str) -> float:
        """Hours that B's passes lie after A's."""
        if not self.allowance:
            return 0.0
        return statistics.fmean(self.hours["B", test]) - statistics.fmean(self.hours["A", test])

    def tests(self) -> list[str]:
        """Tests that take part."""
        return [
            test
            for test in self.scene_of
            if all((lane, test) in self.values and (lane, test) not in self.capped for lane in "AB")
        ]

    def log_ratio(self, test: str) -> float:
        """ln(B/A) set right for drift."""
        return math.log(self.value("B", test) / self.value("A", test)) - self.drift()[0] * self.later(test)

    @once
    def margin(self, test: str) -> dict[str, Any]:
        """B over A in one test."""
        log, (_, var, before) = self.log_ratio(test), self.drift()
        pool = self.noise(self.scene_of[test], before)
        if pool.v is None or pool.df < 1:
            return {"b_over_a": math.expm1(log), "interval": None, "verdict": "open", "p": None}
        h_a, h_b, unlike = self.lane_shares(before)
        u_a, u_b = h_a * self.part("A", test), h_b * self.part("B", test)
        error = math.sqrt(pool.v * (u_a + u_b) + var * self.later(test) ** 2)
        df = pool.df / 2 * (u_a + u_b) ** 2 / (u_a**2 + u_b**2) if unlike else pool.df
        reach = student.ppf(1 - self.level / 2, df) * error
        return {
            "b_over_a": math.expm1(log),
            "interval": (math.expm1(log - reach), math.expm1(log + reach)),
            "verdict": verdict(log - reach, log + reach, self.band),
            "p": 2 * student.sf(abs(log) / error, df) if error else float(log == 0),
        }

    @once
    def suite(self, school: str) -> dict[str, Any]:
        """The suite margin under a school, with its measured interval."""
        tests = self.tests()
        _, var, before = self.drift()
        r = [math.exp(self.log_ratio(test)) for test in tests]
        a = [self.value("A", test) for test in tests]
        b = [x * y for x, y in zip(a, r, strict=True)]
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
        h_a, h_b, unlike = self.lane_shares(before)
        pools: dict[str, list[Any]] = {}
        for i, test in enumerate(tests):
            pool = self.noise(self.scene_of[test], before)
            if pool.v is None or pool.df < 1:
                return {"margin": ratio - 1, "df": None, "interval": None}
            own = pools.setdefault(pool.name, [pool, 0.0, 0.0])
            own[1] += h_a * self.part("A", test) * w_a[i] ** 2
            own[2] += h_b * self.part("B", test) * w_b[i] ** 2
        total = below = 0.0
        for pool, u_a, u_b in pools.values():
            df = pool.df / 2 * (u_a + u_b) ** 2 / (u_a**2 + u_b**2) if unlike else pool.df
            total += pool.v * (u_a + u_b)
            below += (pool.v * (u_a + u_b)) ** 2 / df
        drift = var * sum(w * self.later(test) for w, test in zip(w_b, tests, strict=True)) ** 2
        total += drift
        below += drift**2 / sum(len(self.values[cell]) - 1 for cell in self.noisy())
        df = total**2 / below
        reach = student.ppf(1 - self.level / 2, df) * math.sqrt(total)
        low, high = math.log(ratio) - reach, math.log(ratio) + reach
        return {
            "margin": ratio - 1,
            "df": df,
            "interval": (math.expm1(low), math.expm1(high)),
            "verdict": verdict(low, high, self.band),
        }

    def games_interval(self) -> tuple[float, float] | None:
        """What other games might give."""
        logs = [self.log_ratio(test) for test in self.tests()]
        if len(logs) < 8:
            return None
        middle = statistics.fmean(logs)
        reach = student.ppf(0.975, len(logs) - 1) * statistics.stdev(logs) / math.sqrt(len(logs))
        return math.expm1(middle - reach), math.expm1(middle + reach)

    def outliers(self) -> set[str]:
        """Tests over three robust standard deviations from the median."""
        logs = {test: self.log_ratio(test) for test in self.tests()}
        if len(logs) < 5:
            return set()
        middle = statistics.median(logs.values())
        spread = statistics.median(abs(x - middle) for x in logs.values())
        return {test for test, x in logs.items() if spread and abs(x - middle) > 3 * 1.4826 * spread}

    def without(self, test: str) -> float:
        """The geometric mean with one test left out."""
        rest = [x for x in self.tests() if x != test]
        return math.expm1(statistics.fmean(self.log_ratio(x) for x in rest))


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
