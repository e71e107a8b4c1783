"""Scaling: one setup at steps of preset, resolution, upscaling or a limit. What does each step cost?"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from rennbahn.comparing.cells import Bools, Floats, Sheet
from rennbahn.comparing.composition import Gap
from rennbahn.errors import RennbahnError
from rennbahn.kinds.fit import Fit, Interval, group_tests, of_figure


@dataclass(frozen=True)
class Step:
    """From one step to the next, in one test or over all of them (`test` None): cost in ms a frame with its interval.

    `margin_down` is the rate there over the rate here, `margin_up` the way back, as shares with their ends.
    `at_once` are the ends of the cost of all steps at once, by which one may pick the dearest; None in one test.
    """

    test: str | None
    from_: str
    to: str
    cost_ms: float
    low: float | None
    high: float | None
    margin_down: float
    margin_down_low: float | None
    margin_down_high: float | None
    margin_up: float
    verdict: str
    at_once: tuple[float, float] | None = None


@dataclass(frozen=True)
class Upscaled:
    """Upscaling against native at the internal resolution: cost in ms a frame, share of the rate kept, with ends."""

    test: str | None
    lane: str
    native: str
    cost_ms: float
    low: float | None
    high: float | None
    share_kept: float
    share_low: float | None
    share_high: float | None


@dataclass(frozen=True)
class ScalingBlock:
    """Steps of one setup over a group's tests in one figure, test by test; `suite` is over those of all steps.

    Steps lie within one resolution each, none leads from one to another. `modes` are upscaled lanes against the native
    one that puts out the same resolution, over the tests that both have.
    """

    group: str | None
    figure: str
    tests: int
    left_out: tuple[Gap, ...]
    steps: tuple[Step, ...]
    upscaling: tuple[Upscaled, ...]
    suite: tuple[Step, ...]
    suite_upscaling: tuple[Upscaled, ...]
    modes: tuple[Step, ...] = ()


def scaling_of(sheet: Sheet, figure: str, group: str | None = None) -> ScalingBlock:
    """The steps over a group. Raises :class:`RennbahnError` without steps."""
    lanes = sheet.study.lanes
    stepped = [at for at, lane in enumerate(lanes) if lane.facts.step is not None]
    if not stepped:
        raise RennbahnError("bad_study", "no lane of a scaling has a step", field="lanes")
    stepped.sort(key=lambda at: lanes[at].facts.step or 0.0)
    numbers = group_tests(sheet, group)
    fit = Fit(sheet, figure, range(len(lanes)), numbers)
    chains = dict.fromkeys(lanes[at].facts.chain for at in stepped)
    ways = [way for one in chains for way in pairwise(at for at in stepped if lanes[at].facts.chain == one)]
    by_id = {lane.id: at for at, lane in enumerate(lanes)}
    upscaled = [(by_id[x.facts.upscaled_from], at) for at, x in enumerate(lanes) if x.facts.upscaled_from is not None]
    each = [np.arange(len(numbers)) == t for t in range(len(numbers))]
    modes = [(by_id[x.facts.mode_of], at) for at, x in enumerate(lanes) if x.facts.mode_of is not None]
    # A test counts where all steps have it, whatever else takes part: what is left out is left out of that.
    chain = Fit(sheet, figure, stepped, numbers)
    common = chain.common()
    return ScalingBlock(
        group, of_figure(figure), int(common.sum()), tuple(chain.left_out()),
        tuple(
            replace(_step(fit, way, one), test=_id(fit, one)) for one in each for way in ways if _both(fit, way, one)
        ),
        tuple(
            replace(_upscaled(fit, way, one), test=_id(fit, one))
            for one in each
            for way in upscaled
            if _both(fit, way, one)
        ),
        tuple(
            replace(_step(fit, way, common), at_once=_ends(_cost(fit, way, common, fit.level / len(ways))))
            for way in ways
            if common.any()
        ),
        tuple(_upscaled(fit, way, common & _pair_there(fit, way)) for way in upscaled if _both_any(fit, way, common)),
        tuple(_step(fit, way, both) for way in modes if (both := _pair_there(fit, way)).any()),
    )  # fmt: skip


def _pair_there(fit: Fit, way: tuple[int, int]) -> Bools:
    """Tests in which both lanes stand, from one source."""
    sources = fit.sources[way[0]] | fit.sources[way[1]]
    found: Bools = fit.there[way[0]] & fit.there[way[1]] & ((sources & (sources - 1)) == 0)
    return found


def _both(fit: Fit, way: tuple[int, int], tests: Bools) -> bool:
    return bool(_pair_there(fit, way)[tests].all())


def _both_any(fit: Fit, way: tuple[int, int], tests: Bools) -> bool:
    return bool((_pair_there(fit, way) & tests).any())


def _ends(interval: Interval) -> tuple[float, float] | None:
    return None if interval.low is None or interval.high is None else (interval.low, interval.high)


def _cost(fit: Fit, way: tuple[int, int], tests: Bools, level: float | None = None) -> Interval:
    """Mean over tests of the frame time there less that here, ms, at the study's level or another.

    To first order a frame time moves with ln x by itself, so that its error is a weighed sum of those of ln x.
    """
    here, there = way
    time = np.where(tests[None, :] & fit.there, 1000.0 / np.exp(np.where(fit.there, fit.log, 0.0)), 0.0) / tests.sum()
    weights: Floats = np.zeros((1, *fit.there.shape))
    weights[0, there], weights[0, here] = time[there] * tests, -time[here] * tests
    found = fit.weighed(weights)
    middle = float(time[there][tests].sum() - time[here][tests].sum())
    return Interval.of(middle, float(found.reach(level or fit.level)[0]))


def _ratio(fit: Fit, way: tuple[int, int], tests: Bools) -> Interval:
    here, there = way
    weights: Floats = np.zeros((1, *fit.there.shape))
    weights[0, there], weights[0, here] = tests / tests.sum(), -1.0 * tests / tests.sum()
    return fit.weighed(weights).one(fit.level)


def _step(fit: Fit, way: tuple[int, int], tests: Bools) -> Step:
    cost, ratio = _cost(fit, way, tests), _ratio(fit, way, tests)
    down, low, high = ratio.share()
    return Step(
        None, fit.name(way[0]), fit.name(way[1]), cost.middle, cost.low, cost.high, down, low, high,
        math.expm1(-ratio.middle), ratio.verdict(fit.method.equal_band),
    )  # fmt: skip


def _upscaled(fit: Fit, way: tuple[int, int], tests: Bools) -> Upscaled:
    cost, kept = _cost(fit, way, tests), _ratio(fit, way, tests).rate()
    return Upscaled(None, fit.name(way[1]), fit.name(way[0]), cost.middle, cost.low, cost.high, *kept)


def _id(fit: Fit, test: Bools) -> str:
    return str(fit.study.tests[fit.tests[np.flatnonzero(test)[0]]].id)
