"""A sweep: one part at steps of a clock, a limit, a voltage or a timing."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rennbahn.comparing.cells import Bools, Floats, Sheet
from rennbahn.comparing.composition import Gap
from rennbahn.errors import RennbahnError
from rennbahn.kinds.fit import Estimates, Fit, Interval, Share, group_tests, of_figure
from rennbahn.kinds.knee import Knee, knee_of
from rennbahn.kinds.watts import read_over, watts_over


@dataclass(frozen=True)
class Point:
    """A step: geometric mean in fps over the tests with its interval, power in W, fps a watt.

    `gained` is what it brought over the step before, in fps a unit of level, and `gained_per_watt` a watt. Temperature
    and fan of the card are means over the tests, where its sensors were logged.
    """

    lane: str
    level: float
    value: float
    low: float | None
    high: float | None
    watts: float | None
    per_watt: float | None
    gained: float | None
    gained_per_watt: float | None
    temperature_c: float | None
    fan_rpm: float | None


@dataclass(frozen=True)
class KneeFound:
    """The level from which more brings clearly less than before, with its interval; `lane` is the step nearest to it.

    `from_step` and `to_step` are the steps around the interval: what is said and drawn, since nobody ran what lies
    between two of them. Slopes are in fps a unit of level, before and after in the direction in which rates rise.
    """

    level: float
    low: float
    high: float
    lane: str
    before: float
    after: float
    from_step: float
    to_step: float


@dataclass(frozen=True)
class BestPerWatt:
    """The step that gives most fps a watt; `shared` are steps whose fps a watt is not shown to be less."""

    level: float
    lane: str
    per_watt: float
    shared: tuple[str, ...]


@dataclass(frozen=True)
class EqualPower:
    """The swept part over a rival at the rival's watts, between the two steps around them; rates in fps."""

    rival: str
    watts: float
    level: float
    fps: float
    rival_fps: float
    margin: float
    low: float | None
    high: float | None
    verdict: str


@dataclass(frozen=True)
class SweepBlock:
    """A sweep over the tests of one group in one figure. `shape` is rising, falling, peaked, flat or unclear; `whole`
    the margin of the last step over the first."""

    group: str | None
    figure: str
    unit: str
    tests: int
    left_out: tuple[Gap, ...]
    points: tuple[Point, ...]
    shape: str
    knee: KneeFound | None
    best_per_watt: BestPerWatt | None
    equal_power: EqualPower | None
    whole: Share | None = None


def sweep_of(sheet: Sheet, figure: str, group: str | None = None) -> SweepBlock:
    """The sweep over a group. Raises :class:`RennbahnError` without levels."""
    lanes = sheet.study.lanes
    rivals = [at for at, lane in enumerate(lanes) if lane.facts.rival]
    swept = [at for at, lane in enumerate(lanes) if not lane.facts.rival]
    for at in swept:
        if lanes[at].facts.level is None:
            message = f"lane {lanes[at].id} of a sweep has no level; a lane that is no part of it is a rival"
            raise RennbahnError("bad_study", message, field="lanes")
    swept.sort(key=lambda at: lanes[at].facts.level or 0.0)
    numbers = group_tests(sheet, group)
    whole = Fit(sheet, figure, swept, numbers)
    # A step without any result stands aside; a test that some step lacks is left out.
    fit = Fit(sheet, figure, [at for i, at in enumerate(swept) if whole.there[i].any()], numbers)
    unit = next((lanes[at].facts.unit for at in swept if lanes[at].facts.unit), "")
    common, name = fit.common(), of_figure(figure)
    nothing = SweepBlock(group, name, unit, 0, tuple(fit.left_out()), (), "unclear", None, None, None)
    if not common.any():
        return nothing
    weights = fit.lane_weights(common)
    found = fit.weighed(weights)
    levels = np.array([lanes[at].facts.level for at in fit.lanes], dtype=np.float64)
    watts = watts_over(fit, common)
    shape = _shape(fit, weights)
    return SweepBlock(
        group, name, unit, int(common.sum()), tuple(fit.left_out()), _points(fit, found, levels, watts, common), shape,
        _knee(fit, weights, levels, shape), _best(fit, weights, levels, watts),
        next((e for rival in rivals if (e := _equal_power(sheet, fit, rival, levels, common)) is not None), None),
        Share.of(fit.weighed((weights[-1] - weights[0])[None]).one(fit.level), fit.method.equal_band),
    )  # fmt: skip


def _points(fit: Fit, found: Estimates, levels: Floats, watts: Floats, common: Bools) -> tuple[Point, ...]:
    reach = found.reach(fit.level)
    beside = [read_over(fit, common, name) for name in ("temperature_c", "fan_rpm")]
    points: list[Point] = []
    for i in range(len(levels)):
        value, low, high = Interval.of(float(found.middle[i]), float(reach[i])).rate()
        power = None if math.isnan(watts[i]) else float(watts[i])
        before = points[-1] if points else None
        steps = None if before is None else levels[i] - before.level
        more_watts = None if before is None or power is None or before.watts is None else power - before.watts
        points.append(
            Point(
                fit.name(i), float(levels[i]), value, low, high, power, value / power if power else None,
                float((value - before.value) / steps) if before and steps else None,
                (value - before.value) / more_watts if before and more_watts else None,
                *(None if math.isnan(read[i]) else float(read[i]) for read in beside),
            )
        )  # fmt: skip
    return tuple(points)


def _shape(fit: Fit, weights: Floats) -> str:
    """What is shown of the curve, all differences between steps at once."""
    count = len(weights)
    if count < 2:
        return "unclear"
    a, b = np.triu_indices(count, 1)
    over = fit.weighed(weights[b] - weights[a])
    reach = over.reach_at_once(count, fit.level)
    low, high = over.middle - reach, over.middle + reach
    edge = math.log1p(fit.method.equal_band)
    with np.errstate(invalid="ignore"):
        up, down = low > 0, high < 0
        flat = bool(((low >= -edge) & (high <= edge)).all())
    if flat:
        return "flat"
    if up.any() and not down.any():
        return "rising"
    if down.any() and not up.any():
        return "falling"
    # Up to some step and down from it is a peak; down to a step and up from it is nothing that one would name.
    peaks = any(up[b == at].any() and down[a == at].any() for at in range(count))
    dips = any(down[b == at].any() and up[a == at].any() for at in range(count))
    return "peaked" if peaks and not dips else "unclear"


def _knee(fit: Fit, weights: Floats, levels: Floats, shape: str) -> KneeFound | None:
    """The knee, asked in the direction in which rates rise: of a timing that is better when lower, downward."""
    if shape not in ("rising", "peaked", "falling"):
        return None
    own = fit.weighed(weights)
    rates = np.exp(own.middle)
    errors, df = rates * own.error, float(np.min(own.df))
    turned = -1.0 if shape == "falling" else 1.0
    order = np.argsort(turned * levels)
    knee: Knee | None = knee_of(turned * levels[order], rates[order], errors[order], df, fit.level)
    if knee is None:
        return None
    low, high = sorted((turned * knee.low, turned * knee.high))
    level = turned * knee.level
    nearest = int(np.argmin(np.abs(levels - level)))
    around = levels[levels <= low].max(initial=-math.inf), levels[levels >= high].min(initial=math.inf)
    if around[0] == around[1]:
        # Nobody ran what lies beside a step: an interval is never narrower than from one step to the next.
        around = levels[levels < low].max(initial=-math.inf), levels[levels > high].min(initial=math.inf)
    steps = (end if math.isinf(step) else float(step) for step, end in zip(around, (low, high), strict=True))
    return KneeFound(level, low, high, fit.name(nearest), knee.before, knee.after, *steps)


def _best(fit: Fit, weights: Floats, levels: Floats, watts: Floats) -> BestPerWatt | None:
    """The step with most fps a watt. Watts are taken as they were read."""
    known = np.flatnonzero(~np.isnan(watts))
    if not len(known):
        return None
    ln_watts = np.log(watts)
    found = fit.weighed(weights).middle - ln_watts
    best = int(known[np.argmax(found[known])])
    shared = []
    for other in known.tolist():
        if other == best:
            continue
        over = fit.weighed((weights[best] - weights[other])[None])
        apart = float(over.middle[0]) - ln_watts[best] + ln_watts[other]
        if not apart > float(over.reach_at_once(len(known), fit.level)[0]):
            shared.append(fit.name(other))
    return BestPerWatt(float(levels[best]), fit.name(best), float(np.exp(found[best])), tuple(shared))


def _equal_power(sheet: Sheet, fit: Fit, rival: int, levels: Floats, common: Bools) -> EqualPower | None:
    """The swept part over a rival where it draws the rival's watts: straight in ln fps over ln W between two steps."""
    both = Fit(sheet, fit.figure, [*fit.lanes.tolist(), rival], fit.tests.tolist())
    tests = common & both.common()
    if not tests.any():
        return None
    watts = watts_over(both, tests)
    own, theirs = watts[:-1], float(watts[-1])
    if np.isnan(own).any() or math.isnan(theirs):
        return None
    order = np.argsort(own, kind="stable")
    at = int(np.searchsorted(own[order], theirs))
    if theirs in own:
        low = high = int(np.flatnonzero(own == theirs)[0])
        part = 0.0
    elif 0 < at < len(own):
        low, high = int(order[at - 1]), int(order[at])
        part = math.log(theirs / own[low]) / math.log(own[high] / own[low])
    else:
        return None
    weights = both.lane_weights(tests)
    mixed = (1.0 - part) * weights[low] + part * weights[high] - weights[-1]
    share = Share.of(both.weighed(mixed[None]).one(both.level), both.method.equal_band)
    level = float((1.0 - part) * levels[low] + part * levels[high])
    here, rival_fps = (float(np.exp(both.weighed(w[None]).middle[0])) for w in (mixed + weights[-1], weights[-1]))
    return EqualPower(
        sheet.study.lanes[rival].id, theirs, level, here, rival_fps, share.margin, share.low, share.high, share.verdict
    )
