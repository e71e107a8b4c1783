"""A proxy check: does a game's built-in benchmark keep the ratios of play, even where its level is another?

`relative` is equivalence of every ratio of ratios by two one-sided tests at 5% each (Schuirmann, J. Pharmacokinet.
Biopharm. 15:657, 1987): all must be shown, so that together they err in at most 5% (Berger, "Multiparameter hypothesis
testing", Technometrics 24:295, 1982).
"""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass

import numpy as np

from rennbahn.comparing.cells import Bools, Floats, Sheet
from rennbahn.kinds.fit import Fit, Interval, of_figure

#: Each side of each equivalence is tried at this level.
_EACH_SIDE = 0.05


@dataclass(frozen=True)
class Level:
    """Play over benchmark, as a ratio, mean over the lanes."""

    value: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Widest:
    """The ratio of ratios furthest from 1: the margin of b over a in play over the same in the benchmark.

    Its interval is one of all pairs of lanes at once. `off`, `off_low` and `off_high` are the same less 1, as shares.
    """

    a: str
    b: str
    value: float
    low: float | None
    high: float | None
    off: float
    off_low: float | None
    off_high: float | None


@dataclass(frozen=True)
class Gauge:
    """What the benchmark of a game is worth: `relative` (keeps ratios), `absolute` (keeps the level too), `neither`
    (some ratio is off by more than the band), or `open`.

    `held` is how far the widest of the ratios may be off, by which relative was asked: the furthest end of all
    intervals at 90%, as a share. `lanes` have results in both; `benchmarks` are tests with what each stands for.
    """

    game: str
    figure: str
    gauge: str
    level: Level | None
    widest: Widest | None
    held: float | None
    band: float
    lanes: tuple[str, ...]
    benchmarks: tuple[tuple[str, str], ...]


def stands_for(told: Sequence[tuple[Hashable, Hashable, bool]]) -> list[int | None]:
    """Which test of play each test stands for, by their places, from game, condition and whether it is a benchmark.

    A benchmark stands for the first play of its game under its own condition; play stands for none.

    >>> stands_for([("Ferry", "high", True), ("Ferry", "low", False), ("Ferry", "high", False)])
    [2, None, None]
    """
    play: dict[tuple[Hashable, Hashable], int] = {}
    for at, (game, condition, is_benchmark) in enumerate(told):
        if not is_benchmark:
            play.setdefault((game, condition), at)
    return [play.get((game, condition)) if is_benchmark else None for game, condition, is_benchmark in told]


def proxy_of(sheet: Sheet, figure: str) -> list[Gauge]:
    """By game, in the order in which the tests name them."""
    study = sheet.study
    game = {scene.id: scene.game for scene in study.scenes}
    pairs: dict[str, list[tuple[int, int]]] = {}
    for at, test in enumerate(study.tests):
        if test.facts.play_of is not None:
            pairs.setdefault(game[test.scene], []).append((at, sheet.test_at[test.facts.play_of]))
    return [_gauge(sheet, figure, name, own) for name, own in pairs.items()]


def _gauge(sheet: Sheet, figure: str, game: str, pairs: list[tuple[int, int]]) -> Gauge:
    study, band = sheet.study, sheet.study.aims.proxy_band
    tests = list(dict.fromkeys(at for pair in pairs for at in pair))
    everyone = Fit(sheet, figure, range(len(study.lanes)), tests)
    there = np.flatnonzero(everyone.there.all(axis=1)).tolist()
    told = tuple((study.tests[a].id, study.tests[b].id) for a, b in pairs)
    if not there:
        return Gauge(game, of_figure(figure), "open", None, None, None, band, (), told)
    fit = Fit(sheet, figure, there, tests)
    lanes = tuple(fit.name(i) for i in range(len(fit.lanes)))
    count = len(lanes)
    if not fit.common().all():
        return Gauge(game, of_figure(figure), "open", None, None, None, band, lanes, told)
    sign = np.zeros(len(tests))
    for bench, play in pairs:
        sign[tests.index(bench)] -= 1.0 / len(pairs)
        sign[tests.index(play)] += 1.0 / len(pairs)
    weights: Floats = np.eye(count)[:, :, None] * sign[None, None, :]
    level = fit.weighed(weights.mean(axis=0)[None]).one(fit.level)
    if count == 1:
        return Gauge(game, of_figure(figure), "open", Level(*level.rate()), None, None, band, lanes, told)
    a, b = np.triu_indices(count, 1)
    over = fit.weighed(weights[b] - weights[a])
    reach, own = over.reach_at_once(count, fit.level), over.reach(2.0 * _EACH_SIDE)
    furthest = int(np.argmax(np.abs(over.middle)))
    widest = Interval.of(float(over.middle[furthest]), float(reach[furthest]))
    edge = math.log1p(band)
    off: Bools = np.abs(over.middle) - reach > edge
    ends = np.abs(over.middle) + own
    relative = bool((ends <= edge).all())
    gauge = "neither" if off.any() else "relative" if relative else "open"
    if gauge == "relative" and level.low is not None and level.high is not None:
        gauge = "absolute" if level.low >= -edge and level.high <= edge else gauge
    held = None if np.isnan(ends).any() else math.expm1(float(ends.max()))
    return Gauge(
        game, of_figure(figure), gauge, Level(*level.rate()),
        Widest(lanes[a[furthest]], lanes[b[furthest]], *widest.rate(), *widest.share()),
        held, band, lanes, told,
    )  # fmt: skip
