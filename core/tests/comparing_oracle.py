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
class Known:
    """What the passes say of noise, drift and lanes: pools by scene; slope an hour with its variance, how much of the
    allowance holding may leave in; how large each lane's scatter is, over how many degrees of freedom."""

    pools: dict[str, Pool]
    slope: float = 0.0
    var: float = 0.0
    left: float = 0.0
    h: dict[str, float] = field(default_factory=lambda: {"A": 1.0, "B": 1.0})
    d: dict[str, int] = field(default_factory=dict)
    in_use: bool = False
    p: float | None = None


@dataclass
class Cells:
    """Accepted values of one figure by (lane, test), their hours and sessions, the scene of each test, and the capped
    cells."""

    values: Values
    scene_of: dict[str, str]
    capped: set[tuple[str, str]] = field(default_factory=set)
    school: str = "mean"
    band: float = 0.01
    hours: Values = field(default_factory=dict)
    allowance: float = 0.0
    level: float = 0.05
    sessions: dict[tuple[str, str], list[str]] = field(default_factory=dict)
    between: tuple[float, float] | None = None
    known: dict[Any, Any] = field(default_factory=dict)

    def value(self, lane: str, test: str) -> float:
        """A cell's value."""
        own = self.values[lane, test]
        return statistics.median(own) if self.school == "median_pass" else math.fsum(own) / len(own)

    def noisy(self) -> list[tuple[str, str]]:
        """Cells that tell of noise."""
        return [cell for cell, own in self.values.items() if len(own) > 1 and cell not in self.capped]

    @once
    def state(self) -> Known:
        """Noise, drift and lanes, each from the others (readings 13, 34, 35)."""
        now = Known(self.pools(0.0, 1.0, 1.0))
        before = 0.0
        for turn in range(3 if self.allowance else 0):
            if turn:
                now.pools = self.pools(now.slope, 1.0, 1.0)
            before = now.slope
            self.take_drift(now)
        sums = self.sums(now, before)
        uneven = any(len(self.values["A", test]) != len(self.values["B", test]) for test in self.tests())
        if min(now.d.values()) >= 1 and min(sums.values()) > 0:
            d_a, d_b = now.d["A"], now.d["B"]
            over = (sums["A"] / d_a) / (sums["B"] / d_b)
            now.p = 2 * min(fisher.cdf(over, d_a, d_b), fisher.sf(over, d_a, d_b))
            now.in_use = uneven or now.p < 0.05
        for _ in range(5 if now.in_use else 0):
            sums = self.sums(now, now.slope)
            d_a, d_b = now.d["A"], now.d["B"]
            q = math.log((sums["A"] / d_a) / (sums["B"] / d_b))
            now.h = {"A": math.exp(q * d_b / (d_a + d_b)), "B": math.exp(-q * d_a / (d_a + d_b))}
            now.pools = self.pools(now.slope, now.h["A"], now.h["B"])
            if self.allowance:
                self.take_drift(now)
        return now

    def sums(self, now: Known, slope: float) -> dict[str, float]:
        """Each lane's squares over the noise; its degrees of freedom are noted in `now`."""
        found, now.d = {"A": 0.0, "B": 0.0}, {"A": 0, "B": 0}
        for lane, test in self.noisy():
            v = now.pools[self.scene_of[test]].v
            if v:
                found[lane] += self.squares((lane, test), slope) / v
                now.d[lane] += len(self.values[lane, test]) - 1
        return found

    def take_drift(self, now: Known) -> None:
        """The drift as the passes show it, or held."""
        by_pool: dict[str, list[float]] = {}
        sxx = sxy = 0.0
        for lane, test in self.noisy():
            pool = now.pools[self.scene_of[test]]
            if not pool.v:
                continue
            t, x = self.hours[lane, test], [math.log(y) for y in self.values[lane, test]]
            middle, weight = statistics.fmean(t), 1 / (now.h[lane] * pool.v)
            own = weight * math.fsum((u - middle) ** 2 for u in t)
            sxx += own
            sxy += weight * math.fsum((u - middle) * y for u, y in zip(t, x, strict=True))
            by_pool.setdefault(pool.name, [pool.df, 0.0])[1] += own
        now.slope = now.var = 0.0
        now.left = 1.0
        if not sxx:
            return
        tau2 = (self.allowance / 1.96) ** 2
        k = 1.0 if sxx * tau2 >= 3 else sxx / (sxx + 1 / tau2)
        more = 1 + 4 * sum(own / sxx * (1 - own / sxx) / df for df, own in by_pool.values())
        now.slope, now.var, now.left = k * sxy / sxx, k * k * more / sxx, 1 - k

    def pools(self, slope: float, h_a: float, h_b: float) -> dict[str, Pool]:
        """The noise of every scene."""
        return {scene: self.noise(scene, slope, h_a, h_b) for scene in sorted(set(self.scene_of.values()))}

    @once
    def squares(self, cell: tuple[str, str], slope: float) -> float:
        """Sum of squares of what the drift leaves of ln x."""
        hours = self.hours.get(cell) or [0.0] * len(self.values[cell])
        left = [math.log(x) - slope * t for x, t in zip(self.values[cell], hours, strict=True)]
        return math.fsum((x - statistics.fmean(left)) ** 2 for x in left)

    @once
    def noise(self, scene: str, slope: float, h_a: float, h_b: float) -> Pool:
        """What a scene is judged by."""
        scenes = sorted(set(self.scene_of.values()))
        freedom, squares = dict.fromkeys(scenes, 0), dict.fromkeys(scenes, 0.0)
        for cell in self.noisy():
            freedom[self.scene_of[cell[1]]] += len(self.values[cell]) - 1
            squares[self.scene_of[cell[1]]] += self.squares(cell, slope) / (h_a if cell[0] == "A" else h_b)
        return pool_of(scene, freedom, squares)

    def factor(self, n: int) -> float:
        """How much further the value of n passes scatters than their mean, squared."""
        return MEDIANS.get(n, 1.0) ** 2 if self.school == "median_pass" else 1.0

    def part(self, lane: str, test: str) -> float:
        """Variance of a cell's value as a share of one pass's."""
        n = len(self.values[lane, test])
        return self.factor(n) / n

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
        return math.log(self.value("B", test) / self.value("A", test)) - self.state().slope * self.later(test)

    def loss(self, part_a: float, part_b: float) -> float:
        """What sizes of the lanes' scatter that were estimated cost."""
        now = self.state()
        if not now.in_use:
            return 0.0
        a = part_a / (part_a + part_b)
        return a * a / now.d["A"] + (1 - a) ** 2 / now.d["B"] - 1 / sum(now.d.values())

    def apart(self, test: str) -> dict[str, str]:
        """Lanes that stand on a session in which the other has no pass of the test, with that session."""
        if not self.between:
            return {}
        of = {lane: set(self.sessions[lane, test]) for lane in "AB"}
        return {lane: min(of[lane]) for lane in "AB" if len(of[lane]) == 1 and not of["A"] & of["B"]}

    @once
    def margin(self, test: str) -> dict[str, Any]:
        """B over A in one test."""
        log, now = self.log_ratio(test), self.state()
        pool = now.pools[self.scene_of[test]]
        nothing = {"b_over_a": math.expm1(log), "interval": None, "verdict": "open", "p": None}
        if pool.v is None or pool.df < 1:
            return nothing
        u_a, u_b = now.h["A"] * self.part("A", test), now.h["B"] * self.part("B", test)
        measured = pool.v * (u_a + u_b) + now.var * self.later(test) ** 2
        df = 1 / (1 / pool.df + self.loss(u_a, u_b))
        variance = measured
        if self.apart(test):
            sd, own_df = self.between or (0.0, 0.0)
            between = len(self.apart(test)) * sd**2
            variance += between
            df = variance**2 / (measured**2 / df + between**2 / own_df)
        if df < 1:
            return nothing
        bias = now.left * self.allowance * abs(self.later(test))
        error = math.sqrt(variance)
        reach = half(error, df, bias, self.level)
        q, off = (abs(log) / error, bias / error) if error else (0.0, 0.0)
        return {
            "b_over_a": math.expm1(log),
            "interval": (math.expm1(log - reach), math.expm1(log + reach)),
            "verdict": verdict(log - reach, log + reach, self.band),
            "p": student.sf(q - off, df) + student.sf(q + off, df) if error else float(abs(log) <= bias),
        }

    @once
    def suite(self, school: str) -> dict[str, Any]:
        """The suite margin under a school, with its measured interval."""
        tests, now = self.tests(), self.state()
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
        if any(self.margin(test)["interval"] is None for test in tests):
            return {"margin": ratio - 1, "df": None, "interval": None, "rounds": None}
        weights = {"A": w_a, "B": w_b}
        by_pool: dict[str, list[float]] = {}
        by_lane = {"A": 0.0, "B": 0.0}
        for i, test in enumerate(tests):
            pool = now.pools[self.scene_of[test]]
            for lane in "AB":
                own = (pool.v or 0.0) * now.h[lane] * self.part(lane, test) * weights[lane][i] ** 2
                by_pool.setdefault(pool.name, [pool.df, 0.0])[1] += own
                by_lane[lane] += own
        noise = sum(by_lane.values())
        df_noise = 1 / (sum(x * x / df for df, x in by_pool.values()) / noise**2 + self.loss(*by_lane.values()))
        whole = sum(len(self.values[cell]) - 1 for cell in self.noisy())
        behind = sum(w * self.later(test) for w, test in zip(w_b, tests, strict=True))
        rest = [(now.var * behind**2, float(whole))]
        if self.between:
            shift: dict[str, float] = {}
            for i, test in enumerate(tests):
                for lane, session in self.apart(test).items():
                    shift[session] = shift.get(session, 0.0) + (w_b[i] if lane == "B" else -w_a[i])
            rest.append((self.between[0] ** 2 * sum(x * x for x in shift.values()), self.between[1]))
        bias = now.left * self.allowance * abs(behind)
        df, reach = self.together([(noise, df_noise), *rest], bias)
        rounds = self.rounds(tests, weights, whole)
        if rounds is not None and rounds["p"] < 0.3:
            units_df, by_units = self.together([(rounds.pop("instead"), rounds.pop("df")), *rest], bias)
            rounds["in_use"] = by_units > reach
            if rounds["in_use"]:
                df, reach = units_df, by_units
        low, high = math.log(ratio) - reach, math.log(ratio) + reach
        return {
            "margin": ratio - 1,
            "df": df,
            "interval": (math.expm1(low), math.expm1(high)),
            "verdict": verdict(low, high, self.band),
            "rounds": rounds,
        }

    def together(self, parts: Sequence[tuple[float, float]], bias: float) -> tuple[float, float]:
        """Degrees of freedom of parts of a variance, and half the interval."""
        variance = sum(x for x, _ in parts)
        df = variance**2 / sum(x * x / df for x, df in parts)
        return df, half(math.sqrt(variance), df, bias, self.level)

    def rounds(self, tests: list[str], weights: dict[str, list[float]], whole: int) -> dict[str, Any] | None:
        """How the lanes' sums scatter from round to round, or from session to session where each has two."""
        now = self.state()
        for unit in ("session", "round"):
            sums: dict[str, list[float]] = {"A": [], "B": []}
            alone: list[float] = []
            if unit == "session" and not self.sessions:
                continue
            for lane in "AB":
                names = {
                    test: self.sessions[lane, test] if unit == "session" else list(range(len(self.values[lane, test])))
                    for test in tests
                }
                for name in {name for own in names.values() for name in own}:
                    if not all(name in own for own in names.values()):
                        continue
                    total = by_chance = 0.0
                    for w, test in zip(weights[lane], tests, strict=True):
                        hours = self.hours.get((lane, test)) or [0.0] * len(names[test])
                        own = [
                            math.log(x) - now.slope * t
                            for x, t, told in zip(self.values[lane, test], hours, names[test], strict=True)
                            if told == name
                        ]
                        total += w * statistics.fmean(own)
                        by_chance += w * w * now.h[lane] * (now.pools[self.scene_of[test]].v or 0.0) / len(own)
                    sums[lane].append(total)
                    alone.append(by_chance)
            if unit == "session" and min(map(len, sums.values())) < 2:
                continue
            count = len(alone)
            if min(map(len, sums.values())) < 1 or count < 4:
                return None
            square = sum((y - statistics.fmean(own)) ** 2 for own in sums.values() for y in own) / (count - 2)
            each = sum(self.factor(len(own)) / len(own) for own in sums.values())
            return {
                "unit": unit, "n_a": len(sums["A"]), "n_b": len(sums["B"]), "sd": math.sqrt(square),
                "p": float(fisher.sf(square / statistics.fmean(alone), count - 2, whole)), "in_use": False,
                "instead": square * each, "df": count - 2,
            }  # fmt: skip
        return None

    def games(self, scenes: dict[str, str]) -> tuple[tuple[float, float], tuple[float, float]] | None:
        """What the mean of other such games, and one other game, might give; `scenes` names the game of each."""
        of_game: dict[str, list[float]] = {}
        for test in self.tests():
            of_game.setdefault(scenes[self.scene_of[test]], []).append(self.log_ratio(test))
        means = [statistics.fmean(own) for own in of_game.values()]
        if len(means) < 8:
            return None
        middle, sd = statistics.fmean(means), statistics.stdev(means)
        found = []
        for share in (1 / len(means), 1 + 1 / len(means)):
            reach = student.ppf(0.975, len(means) - 1) * sd * math.sqrt(share)
            found.append((math.expm1(middle - reach), math.expm1(middle + reach)))
        return found[0], found[1]

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


def pool_of(scene: str, freedom: dict[str, int], squares: dict[str, float]) -> Pool:
    """What a scene is judged by, from the sums of squares of all and their degrees of freedom (reading 13)."""
    scenes = list(freedom)
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
        if rare < 0.2:
            return Pool(own, d, scene)
    if math.isinf(d0):
        return Pool(pooled, whole, "study")
    return Pool((d0 * s0 + squares[scene]) / (d0 + d), min(d0 + d, whole), scene)


def half(error: float, df: float, bias: float, level: float) -> float:
    """c times the error, c with P(|T + bias / error| <= c) = 1 - level; the bias where there is no error."""
    if not error:
        return bias
    x, edge = bias / error, float(student.ppf(1 - level / 2, df))
    if not x:
        return edge * error
    found: float = brentq(
        lambda c: student.cdf(c - x, df) - student.cdf(-c - x, df) - (1 - level), 0.0, edge + x + 1.0, xtol=1e-13
    )
    return found * error


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
