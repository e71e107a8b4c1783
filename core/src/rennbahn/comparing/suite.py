"""From tests to a suite (measures, section 6)."""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from rennbahn.comparing.margins import MEDIAN_FACTOR, MEDIAN_FROM, Margin, verdict_of
from rennbahn.comparing.model import SUITE_SCHOOLS
from rennbahn.plain import plain

Floats = NDArray[np.float64]

BEYOND_PERCENT = (1, 3, 5, 10)
#: Robust standard deviations (1.4826 MAD) from the median that make an outlier, from five tests on.
OUTLIER = 3.0
_MAD_TO_SD = 1.4826
FEWEST_FOR_OUTLIERS = 5
FEWEST_FOR_INFLUENCE = 3
_TWO_SIDED = 0.975

#: ln of the suite ratio from the values of A and B over the tests, by school.
_LOG_RATIO: dict[str, Callable[[Floats, Floats], float]] = {
    # Fleming & Wallace, "How not to lie with statistics", CACM 1986.
    "geometric": lambda a, b: float(np.mean(np.log(b / a))),
    "mean_of_margins": lambda a, b: float(np.log(np.mean(b / a))),
    "ratio_of_means": lambda a, b: float(np.log(b.sum() / a.sum())),
    "equal_frames": lambda a, b: float(np.log((1.0 / a).sum() / (1.0 / b).sum())),
}

#: Weights of each test's ln B and ln A in the suite's ln ratio, to first order (reading 17).
_WEIGHTS: dict[str, Callable[[Floats, Floats], tuple[Floats, Floats]]] = {
    "geometric": lambda a, b: (np.full(len(a), 1.0 / len(a)), np.full(len(b), 1.0 / len(b))),
    "mean_of_margins": lambda a, b: ((b / a) / (b / a).sum(), (b / a) / (b / a).sum()),
    "ratio_of_means": lambda a, b: (a / a.sum(), b / b.sum()),
    "equal_frames": lambda a, b: ((1.0 / a) / (1.0 / a).sum(), (1.0 / b) / (1.0 / b).sum()),
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

    `measured` holds what pass noise leaves open, `games_interval` what other games might give.
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

    def as_json(self) -> dict[str, Any]:
        """Plain data; with no test left only `tests` and `left_out`."""
        if not self.tests:
            return {"tests": 0, "left_out": list(self.left_out)}
        data: dict[str, Any] = plain(self)
        return data


def suite_of(found: Sequence[Margin], school: str, cell_school: str, band: float) -> Suite:
    """The suite over margins of one figure, under the study's suite `school`."""
    out = tuple(
        {"test": m.test, "lane": m.left_out.lane, "reason": m.left_out.reason} for m in found if m.left_out is not None
    )
    kept = [m for m in found if m.left_out is None]
    if not kept:
        return Suite(0, out)
    a, b = np.array([m.a for m in kept]), np.array([m.b for m in kept])
    verdicts, measured = suite_verdicts(kept, cell_school, band)
    return Suite(
        tests=len(kept),
        left_out=out,
        margins={name: math.expm1(log_ratio(a, b)) for name, log_ratio in _LOG_RATIO.items()},
        measured=measured,
        games_interval=_games_interval(np.log(b / a)),
        verdicts=verdicts,
        verdict=verdicts[school],
        spread=_spread(kept),
        influence=_influence(kept, a, b, school),
    )


def suite_verdicts(kept: Sequence[Margin], cell_school: str, band: float) -> tuple[dict[str, str], dict[str, Measured]]:
    """Verdict and measured interval under every suite school, over tests that are not left out."""
    a, b = np.array([m.a for m in kept]), np.array([m.b for m in kept])
    measured = {school: _measured(kept, a, b, school, cell_school) for school in SUITE_SCHOOLS}
    return {school: verdict_of(m.interval, band) for school, m in measured.items()}, measured


def _measured(kept: Sequence[Margin], a: Floats, b: Floats, school: str, cell_school: str) -> Measured:
    weight_a, weight_b = _WEIGHTS[school](a, b)
    by_pool: dict[tuple[str, int], float] = {}
    for margin, w_a, w_b in zip(kept, weight_a, weight_b, strict=True):
        noise = margin.noise
        if noise is None or noise.s is None:
            return Measured(None, None)
        wider = cell_school == "median_pass" and min(margin.n_a, margin.n_b) >= MEDIAN_FROM
        s = noise.s * (MEDIAN_FACTOR if wider else 1.0)
        # Tests of one scene share its pool; all that lean on the study share that one.
        pool = (noise.owner, noise.df)
        part = s * s * (w_a * w_a / margin.n_a + w_b * w_b / margin.n_b)
        by_pool[pool] = by_pool.get(pool, 0.0) + float(part)
    variance = math.fsum(by_pool.values())
    middle = _LOG_RATIO[school](a, b)
    if variance == 0.0:
        exact = math.expm1(middle)
        return Measured(float(sum(df for _, df in by_pool)), (exact, exact))
    # Welch and Satterthwaite over the distinct noise pools (reading 18).
    df = variance**2 / math.fsum(part**2 / pool[1] for pool, part in by_pool.items())
    reach = float(stdtrit(df, _TWO_SIDED)) * math.sqrt(variance)
    return Measured(df, (math.expm1(middle - reach), math.expm1(middle + reach)))


def _games_interval(logs: Floats) -> tuple[float, float] | None:
    if len(logs) < 2:
        return None
    middle = float(logs.mean())
    reach = float(stdtrit(len(logs) - 1, _TWO_SIDED)) * float(logs.std(ddof=1)) / math.sqrt(len(logs))
    return math.expm1(middle - reach), math.expm1(middle + reach)


def _spread(kept: Sequence[Margin]) -> Spread:
    shares = [m.b_over_a for m in kept]
    count = [m.verdict for m in kept].count
    return Spread(
        beyond={
            str(percent): {
                "up": sum(share > percent / 100.0 for share in shares),
                "down": sum(share < -percent / 100.0 for share in shares),
            }
            for percent in BEYOND_PERCENT
        },
        wins=count("ahead"),
        losses=count("behind"),
        even=count("even"),
        open=count("open"),
        median_margin=statistics.median(shares),
        outliers=_outliers(kept),
    )


def _outliers(kept: Sequence[Margin]) -> tuple[str, ...]:
    if len(kept) < FEWEST_FOR_OUTLIERS:
        return ()
    logs = np.array([m.log_ratio for m in kept])
    off = np.abs(logs - np.median(logs))
    mad = float(np.median(off))
    if mad == 0.0:
        return ()
    return tuple(m.test for m, far in zip(kept, off > OUTLIER * _MAD_TO_SD * mad, strict=True) if far)


def _influence(kept: Sequence[Margin], a: Floats, b: Floats, school: str) -> Influence:
    if len(kept) < FEWEST_FOR_INFLUENCE:
        return Influence({}, None)
    log_ratio = _LOG_RATIO[school]
    whole = log_ratio(a, b)
    rest = [log_ratio(np.delete(a, i), np.delete(b, i)) for i in range(len(kept))]
    mover = max(range(len(kept)), key=lambda i: abs(rest[i] - whole))
    return Influence(
        {m.test: math.expm1(value) for m, value in zip(kept, rest, strict=True)},
        kept[mover].test,
    )
