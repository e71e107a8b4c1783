"""From tests to a suite (measures, section 6), for any number of pairs of lanes at once."""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from rennbahn.comparing.cells import Floats
from rennbahn.comparing.margins import VERDICTS, Pairing, median_factor, verdicts_of_logs
from rennbahn.comparing.model import CELL_SCHOOLS, SUITE_SCHOOLS
from rennbahn.plain import plain

BEYOND_PERCENT = (1, 3, 5, 10)
#: Robust standard deviations (1.4826 MAD) from the median that make an outlier, from five tests on.
OUTLIER = 3.0
_MAD_TO_SD = 1.4826
FEWEST_FOR_OUTLIERS = 5
FEWEST_FOR_INFLUENCE = 3
_TWO_SIDED = 0.975


@dataclass(frozen=True)
class _School:
    """A kind of mean: ln of the suite ratio is ln(total of `over`) less ln(total of `under`), of A, B and ln(B/A).

    The share of a test in its total is its weight in the suite, to first order (reading 17).
    """

    over: Callable[[Floats, Floats], Floats]
    under: Callable[[Floats, Floats], Floats]
    #: Weights of ln A and ln B from the shares in both totals.
    weights: Callable[[Floats, Floats], tuple[Floats, Floats]]


#: The geometric mean (Fleming & Wallace, "How not to lie with statistics", CACM 1986) is a mean of logarithms and
#: stands apart in the code below; the others are ratios of two totals.
_RATIOS = {
    "mean_of_margins": _School(lambda a, b: b / a, lambda a, _: np.ones_like(a), lambda o, _: (o, o)),
    "ratio_of_means": _School(lambda _, b: b, lambda a, _: a, lambda o, u: (u, o)),
    "equal_frames": _School(lambda a, _: 1.0 / a, lambda _, b: 1.0 / b, lambda o, u: (o, u)),
}


@dataclass(frozen=True)
class Measured:
    """Interval of the suite margin from pass noise alone, with its degrees of freedom (not rounded)."""

    df: float | None
    interval: tuple[float, float] | None


@dataclass(frozen=True)
class Spread:
    """How the margins of the tests lie: counts beyond some percent either way, verdicts, outliers."""

    beyond: dict[str, dict[str, int]]
    wins: int
    losses: int
    even: int
    open: int
    median_margin: float
    outliers: tuple[str, ...]


@dataclass(frozen=True)
class Influence:
    """Suite margin with each test left out, and the test that moves it most."""

    without: dict[str, float]
    largest_mover: str | None


@dataclass(frozen=True)
class Suite:
    """One figure over all tests of one pair of lanes. Margins are shares; by suite school where a dict.

    `measured` holds what pass noise leaves open, `games_interval` what other tests might give. In `each_game_once`, for
    screens, a game with several tests stands once; `games` counts them.
    """

    tests: int
    left_out: tuple[dict[str, Any], ...]
    margins: dict[str, float] | None = None
    measured: dict[str, Measured] | None = None
    games_interval: tuple[float, float] | None = None
    verdicts: dict[str, str] | None = None
    verdict: str | None = None
    spread: Spread | None = None
    influence: Influence | None = None
    games: int = 0
    each_game_once: tuple[float, float] | None = None

    def as_json(self) -> dict[str, Any]:
        """Plain data; with no test left only `tests` and `left_out`."""
        if not self.tests:
            return {"tests": 0, "left_out": list(self.left_out)}
        data: dict[str, Any] = plain(self)
        del data["games"], data["each_game_once"]
        return data


@dataclass(frozen=True)
class Suites:
    """Suites of all pairs, arrays of shape (M, S, F, P): suite school, cell school, figure, pair.

    `middle` is ln of the suite ratio, NaN without a test; `low` and `high` the ends of its measured interval in ln, NaN
    without noise; `df` its degrees of freedom; `codes` the verdicts as in :data:`VERDICTS`; `tests` (F, P) counts.
    """

    middle: Floats
    low: Floats
    high: Floats
    df: Floats
    codes: NDArray[np.int8]
    tests: NDArray[np.int64]


def suites_of(pairing: Pairing) -> Suites:
    """Every suite of a pairing: each figure under each kind of mean and cell school."""
    kept = np.broadcast_to(pairing.kept, pairing.a.shape)
    tests = pairing.kept.sum(axis=-1)
    variance_of = _Variances(pairing)
    found = [_middle_and_weights(school, pairing, kept) for school in SUITE_SCHOOLS]
    middle = np.stack([one[0] for one in found])
    variance, df = (np.stack(x) for x in zip(*(variance_of(*one[1]) for one in found), strict=True))
    with np.errstate(invalid="ignore"):
        reach = np.where(variance == 0.0, 0.0, stdtrit(df, _TWO_SIDED) * np.sqrt(variance))
    low, high = middle - reach, middle + reach
    codes = verdicts_of_logs(low, high, pairing.sheet.study.method.equal_band)
    return Suites(middle, low, high, df, codes, tests)


def _middle_and_weights(school: str, pairing: Pairing, kept: Any) -> tuple[Floats, tuple[Floats, Floats]]:
    with np.errstate(invalid="ignore", divide="ignore"):
        if school == "geometric":
            count = kept.sum(axis=-1)
            middle = np.where(kept, pairing.middle, 0.0).sum(axis=-1) / count
            weight = kept / count[..., None]
            return middle, (weight, weight)
        ratio = _RATIOS[school]
        over = np.where(kept, ratio.over(pairing.a, pairing.b), 0.0)
        under = np.where(kept, ratio.under(pairing.a, pairing.b), 0.0)
        all_over, all_under = over.sum(axis=-1, keepdims=True), under.sum(axis=-1, keepdims=True)
        middle = np.log(all_over / all_under)[..., 0]
        return middle, ratio.weights(over / all_over, under / all_under)


class _Variances:
    """Variance of ln of a suite ratio from pass noise, with its degrees of freedom, by weights of the tests."""

    def __init__(self, pairing: Pairing) -> None:
        sheet, kept = pairing.sheet, pairing.kept
        n_a, n_b = np.maximum(pairing.n_a, 1), np.maximum(pairing.n_b, 1)
        variance = np.where(np.isnan(pairing.s), 0.0, pairing.s**2)[:, None, :]
        factor = np.stack([median_factor(n_a, n_b, school) ** 2 for school in CELL_SCHOOLS])
        self.of_a, self.of_b = factor * variance * kept / n_a, factor * variance * kept / n_b
        #: No suite is measured with a test whose noise nobody knows.
        self.unknown = (kept & np.isnan(pairing.s)[:, None, :]).any(axis=-1)
        # Tests of one scene share its pool; all that lean on the study share that one.
        scenes = np.unique(pairing.scene)
        pools = sheet.pools
        self.of_scene = (pairing.scene[:, None] == scenes[None, :]).astype(np.float64)
        self.own = pools.own[:, scenes]
        self.df = np.where(self.own, pools.df[:, scenes], 0).astype(np.float64)
        self.study_df = np.where(self.own, 0, pools.df[:, scenes]).max(axis=1, initial=0).astype(np.float64)
        #: Freedom of the pools that take part, for suites without any scatter.
        there = (kept @ self.of_scene) > 0
        self.exact_df = (there * self.df[:, None, :]).sum(axis=-1) + (there & ~self.own[:, None, :]).any(
            axis=-1
        ) * self.study_df[:, None]

    def __call__(self, weight_a: Floats, weight_b: Floats) -> tuple[Floats, Floats]:
        """Variance and degrees of freedom, arrays of shape (S, F, P); NaN where noise is unknown."""
        by_scene = (self.of_a * weight_a**2 + self.of_b * weight_b**2) @ self.of_scene
        own = np.where(self.own[:, None, :], by_scene, 0.0)
        study = np.where(self.own[:, None, :], 0.0, by_scene).sum(axis=-1)
        variance = own.sum(axis=-1) + study
        # Welch and Satterthwaite over the distinct noise pools (reading 18).
        with np.errstate(invalid="ignore", divide="ignore"):
            pooled = np.where(own > 0, own**2 / self.df[:, None, :], 0.0).sum(axis=-1)
            pooled = pooled + np.where(study > 0, study**2 / self.study_df[:, None], 0.0)
            df = np.where(variance > 0, variance**2 / pooled, self.exact_df)
        return np.where(self.unknown, math.nan, variance), np.where(self.unknown, math.nan, df)


def suite_of(pairing: Pairing, suites: Suites, figure: str, pair: int = 0) -> Suite:
    """The suite of one pair and figure under the declared method, with its spread, outliers and influence."""
    at, method = pairing.sheet.figure_at[figure], pairing.sheet.study.method
    school = CELL_SCHOOLS.index(method.cell_school)
    out = tuple(
        {"test": pairing.sheet.study.tests[pairing.tests[i]].id, "lane": why.lane, "reason": why.reason}
        for i in np.flatnonzero(~pairing.kept[at, pair]).tolist()
        if (why := pairing.left_out(at, pair, i)) is not None
    )
    tests = int(suites.tests[at, pair])
    if not tests:
        return Suite(0, out)
    place = (school, at, pair)
    kept = pairing.kept[at, pair]
    study = pairing.sheet.study
    # A scene that names no game is one of its own.
    of_scene = {scene.id: scene.game or f"scene {scene.id}" for scene in study.scenes}
    names = [study.tests[i].id for i in pairing.tests[kept].tolist()]
    games = [of_scene[study.tests[i].scene] for i in pairing.tests[kept].tolist()]
    logs = pairing.middle[place][kept]
    verdicts = {name: VERDICTS[suites.codes[m][place]] for m, name in enumerate(SUITE_SCHOOLS)}
    return Suite(
        tests=tests,
        left_out=out,
        margins={name: math.expm1(suites.middle[m][place]) for m, name in enumerate(SUITE_SCHOOLS)},
        measured={name: _measured(suites, m, place) for m, name in enumerate(SUITE_SCHOOLS)},
        games_interval=_games_interval(logs),
        verdicts=verdicts,
        verdict=verdicts[method.suite_school],
        spread=_spread(names, logs, pairing.verdicts(school, at)[pair][kept]),
        influence=_influence(names, pairing.a[place][kept], pairing.b[place][kept], method.suite_school),
        games=len(set(games)),
        each_game_once=_games_interval(_by_game(games, logs)),
    )


def _measured(suites: Suites, school: int, place: tuple[int, int, int]) -> Measured:
    df, low, high = (float(x[school][place]) for x in (suites.df, suites.low, suites.high))
    if math.isnan(df):
        return Measured(None, None)
    return Measured(df, (math.expm1(low), math.expm1(high)))


def _by_game(games: list[str], logs: Floats) -> Floats:
    """The mean of ln r of each game's tests."""
    _, at = np.unique(games, return_inverse=True)
    means: Floats = np.bincount(at, weights=logs) / np.bincount(at)
    return means


def _games_interval(logs: Floats) -> tuple[float, float] | None:
    if len(logs) < 2:
        return None
    middle = float(logs.mean())
    reach = float(stdtrit(len(logs) - 1, _TWO_SIDED)) * float(logs.std(ddof=1)) / math.sqrt(len(logs))
    return math.expm1(middle - reach), math.expm1(middle + reach)


def _spread(names: list[str], logs: Floats, codes: NDArray[np.int8]) -> Spread:
    shares = np.expm1(logs)
    wins, losses, even, still_open = np.bincount(codes, minlength=len(VERDICTS)).tolist()
    return Spread(
        beyond={
            str(percent): {
                "up": int(np.count_nonzero(shares > percent / 100.0)),
                "down": int(np.count_nonzero(shares < -percent / 100.0)),
            }
            for percent in BEYOND_PERCENT
        },
        wins=wins,
        losses=losses,
        even=even,
        open=still_open,
        median_margin=statistics.median(shares.tolist()),
        outliers=_outliers(names, logs),
    )


def _outliers(names: list[str], logs: Floats) -> tuple[str, ...]:
    if len(names) < FEWEST_FOR_OUTLIERS:
        return ()
    off = np.abs(logs - np.median(logs))
    mad = float(np.median(off))
    if mad == 0.0:
        return ()
    return tuple(name for name, far in zip(names, off > OUTLIER * _MAD_TO_SD * mad, strict=True) if far)


def _influence(names: list[str], a: Floats, b: Floats, school: str) -> Influence:
    count = len(names)
    if count < FEWEST_FOR_INFLUENCE:
        return Influence({}, None)
    if school == "geometric":
        logs = np.log(b / a)
        whole, rest = float(logs.mean()), (logs.sum() - logs) / (count - 1)
    else:
        over, under = _RATIOS[school].over(a, b), _RATIOS[school].under(a, b)
        whole = math.log(over.sum() / under.sum())
        rest = np.log((over.sum() - over) / (under.sum() - under))
    mover = int(np.argmax(np.abs(rest - whole)))
    return Influence(dict(zip(names, np.expm1(rest).tolist(), strict=True)), names[mover])
