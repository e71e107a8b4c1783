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
from rennbahn.comparing.margins import Pairing
from rennbahn.comparing.model import CELL_SCHOOLS, SUITE_SCHOOLS
from rennbahn.comparing.suite_errors import UNIT_WORDS, ErrorsOf, SuiteErrors
from rennbahn.comparing.verdicts import VERDICTS, verdicts_of_logs, within_of
from rennbahn.inference.drift import BOUND
from rennbahn.plain import plain

BEYOND_PERCENT = (1, 3, 5, 10)
#: Robust standard deviations (1.4826 MAD) from the median that make an outlier, from five tests on.
OUTLIER = 3.0
_MAD_TO_SD = 1.4826
FEWEST_FOR_OUTLIERS = 5
FEWEST_FOR_INFLUENCE = 3
#: What other games might give is not told from fewer tests.
FEWEST_FOR_GAMES = 8
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
class Rounds:
    """How far a lane's suite scatters from one `unit` (round, session) to the next, `n_a` and `n_b` of them complete.

    `sd` is that of ln of the suite ratio's part in a unit, `p` how rarely as much comes from the noise of tests alone;
    `in_use` where the interval rests on it.
    """

    unit: str
    n_a: int
    n_b: int
    sd: float
    p: float
    in_use: bool


@dataclass(frozen=True)
class Measured:
    """Interval of the suite margin from what was measured, with its degrees of freedom (not rounded).

    Without any scatter there are no degrees of freedom, and the interval is a point. `rounds` is None where too few
    units are complete to ask.
    """

    df: float | None
    interval: tuple[float, float] | None
    rounds: Rounds | None = None


@dataclass(frozen=True)
class SuiteDrift:
    """What slow drift of the bench does to a suite, as shares.

    `share` was taken off the margin, which is `raw` as measured; `left` is how far what is left uncertain of the drift
    could still move it, either way at 95%. `untold` says that the passes do not show the drift and that it is most of
    the interval: the order in which they were run cannot tell it from lanes.
    """

    share: float
    raw: float
    left: float
    untold: bool


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

    `measured` holds what was measured leaves open; `games_interval` what the mean of other such games might be, and
    `single_game_interval` what one other might give (None under eight games; a game with several tests stands once),
    `games` counts them. `within` is as in :class:`~rennbahn.comparing.margins.Margin`. For screens, `drift` is that of
    the declared school, None where none is allowed for, and `apart` holds `a` and `b` where that lane stands in some
    test on one session in which the other is not.
    """

    tests: int
    left_out: tuple[dict[str, Any], ...]
    margins: dict[str, float] | None = None
    measured: dict[str, Measured] | None = None
    games: int = 0
    games_interval: tuple[float, float] | None = None
    single_game_interval: tuple[float, float] | None = None
    verdicts: dict[str, str] | None = None
    verdict: str | None = None
    within: str | None = None
    spread: Spread | None = None
    influence: Influence | None = None
    drift: SuiteDrift | None = None
    apart: tuple[str, ...] = ()

    def as_json(self) -> dict[str, Any]:
        """Plain data; with no test left only `tests` and `left_out`."""
        if not self.tests:
            return {"tests": 0, "left_out": list(self.left_out)}
        data: dict[str, Any] = plain(self)
        del data["drift"], data["apart"]
        return data


@dataclass(frozen=True)
class Suites:
    """Suites of all pairs, arrays of shape (M, S, F, P): suite school, cell school, figure, pair.

    `middle` is ln of the suite ratio, NaN without a test; `low` and `high` the ends of its measured interval in ln, NaN
    without noise; `errors` what they are made with; `codes` the verdicts as in :data:`VERDICTS`; `tests` (F, P) counts.
    """

    middle: Floats
    low: Floats
    high: Floats
    errors: SuiteErrors
    codes: NDArray[np.int8]
    tests: NDArray[np.int64]


def suites_of(pairing: Pairing) -> Suites:
    """Every suite of a pairing: each figure under each kind of mean and cell school."""
    kept = np.broadcast_to(pairing.kept, pairing.a.shape)
    tests = pairing.kept.sum(axis=-1)
    errors_of = ErrorsOf(pairing)
    found = [_middle_and_weights(school, pairing.a, pairing.right, kept) for school in SUITE_SCHOOLS]
    middle = np.stack([one[0] for one in found])
    each = [errors_of(*one[1]) for one in found]
    errors = SuiteErrors(*(np.stack([getattr(one, name) for one in each]) for name in SuiteErrors.__dataclass_fields__))
    low, high = middle - errors.reach, middle + errors.reach
    codes = verdicts_of_logs(low, high, pairing.sheet.study.method.equal_band)
    return Suites(middle, low, high, errors, codes, tests)


def _middle_and_weights(school: str, a: Floats, b: Floats, kept: Any) -> tuple[Floats, tuple[Floats, Floats]]:
    """ln of the suite ratio of B over A, and the weights of both lanes' tests in it; arrays of shape (.., T)."""
    with np.errstate(invalid="ignore", divide="ignore"):
        if school == "geometric":
            count = kept.sum(axis=-1)
            middle = np.where(kept, np.log(b / a), 0.0).sum(axis=-1) / count
            weight = kept / count[..., None]
            return middle, (weight, weight)
        ratio = _RATIOS[school]
        over, under = np.where(kept, ratio.over(a, b), 0.0), np.where(kept, ratio.under(a, b), 0.0)
        all_over, all_under = over.sum(axis=-1, keepdims=True), under.sum(axis=-1, keepdims=True)
        middle = np.log(all_over / all_under)[..., 0]
        return middle, ratio.weights(over / all_over, under / all_under)


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
    by_game = _by_game(games, logs)
    declared = SUITE_SCHOOLS.index(method.suite_school)
    low, high = (float(x[declared][place]) for x in (suites.low, suites.high))
    verdicts = {name: VERDICTS[suites.codes[m][place]] for m, name in enumerate(SUITE_SCHOOLS)}
    verdict = verdicts[method.suite_school]
    return Suite(
        tests=tests,
        left_out=out,
        margins={name: math.expm1(suites.middle[m][place]) for m, name in enumerate(SUITE_SCHOOLS)},
        measured={name: _measured(suites, m, place) for m, name in enumerate(SUITE_SCHOOLS)},
        games=len(by_game),
        games_interval=_games_interval(by_game, 1.0 / max(len(by_game), 1)),
        single_game_interval=_games_interval(by_game, 1.0 + 1.0 / max(len(by_game), 1)),
        verdicts=verdicts,
        verdict=verdict,
        within=within_of(verdict, low, high),
        spread=_spread(names, logs, pairing.verdicts(school, at, pair)[kept]),
        influence=_influence(names, pairing.a[place][kept], pairing.right[place][kept], method.suite_school),
        drift=_drift(pairing, suites, place),
        apart=tuple(side for side, there in zip("ab", pairing.apart, strict=True) if there[at, pair].any()),
    )


def _drift(pairing: Pairing, suites: Suites, place: tuple[int, int, int]) -> SuiteDrift | None:
    """What drift does to the suite of the declared school."""
    if not pairing.noise.drifting[place[1:]]:
        return None
    school, noise = pairing.sheet.study.method.suite_school, pairing.noise
    at = (SUITE_SCHOOLS.index(school), *place)
    raw, _ = _middle_and_weights(school, pairing.a[place], pairing.b[place], pairing.kept[place[1:]])
    later = abs(float((pairing.later * pairing.kept)[place[1:]].mean()))
    held = float(noise.held[place[1:]]) * noise.allowance
    left = BOUND * math.sqrt(float(suites.errors.drift_var[at])) + held * later
    reach = float(suites.high[at] - suites.middle[at])
    return SuiteDrift(
        share=math.expm1(float(raw) - float(suites.middle[at])),
        raw=math.expm1(float(raw)),
        left=math.expm1(left),
        # Of two parts of an interval the larger is over 1 / sqrt(2) of it.
        untold=held > 0 and left > reach / math.sqrt(2.0),
    )


def _measured(suites: Suites, school: int, place: tuple[int, int, int]) -> Measured:
    at, errors = (school, *place), suites.errors
    low, high, df = float(suites.low[at]), float(suites.high[at]), float(errors.df[at])
    interval = None if math.isnan(low) else (math.expm1(low), math.expm1(high))
    rounds = None
    if not math.isnan(errors.p[at]):
        rounds = Rounds(
            UNIT_WORDS[errors.unit[at]], int(errors.n_a[at]), int(errors.n_b[at]), float(errors.sd[at]),
            float(errors.p[at]), bool(errors.in_use[at]),
        )  # fmt: skip
    if math.isnan(df) or math.isinf(df):
        return Measured(None, interval, rounds)
    # Units alone are counted; what is left of parts by Satterthwaite is not.
    whole = rounds is not None and rounds.in_use and df.is_integer()
    return Measured(int(df) if whole else df, interval, rounds)


def _by_game(games: list[str], logs: Floats) -> Floats:
    """The mean of ln r of each game's tests."""
    _, at = np.unique(games, return_inverse=True)
    means: Floats = np.bincount(at, weights=logs) / np.bincount(at)
    return means


def _games_interval(by_game: Floats, share: float) -> tuple[float, float] | None:
    """Around the mean of games, with such a share of their variance (reading 19)."""
    if len(by_game) < FEWEST_FOR_GAMES:
        return None
    middle = float(by_game.mean())
    t = float(stdtrit(len(by_game) - 1, _TWO_SIDED))
    reach = t * float(by_game.std(ddof=1)) * math.sqrt(share)
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
