"""What was not run: a margin at another resolution, and rates that each side could reach alone.

Over resolutions the logarithm of a frame time grows with that of the pixels, the steeper the more the card holds it.
Where the card holds a rate the margin settles: from one resolution to the next it changes less than before. So between
two resolutions a margin lies between theirs, and beyond the largest one that the card holds it moves on by no more than
it moved before. The interval is of all that this leaves possible, with the noise of the passes at each end.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from rennbahn.comparing.cells import Bools, Floats, Sheet
from rennbahn.comparing.model import ACCEPTED, AVERAGE, Pass
from rennbahn.errors import RennbahnError
from rennbahn.kinds.fit import Fit, Interval, Share, group_tests
from rennbahn.kinds.limits import CARD, PROCESSOR, Limits

BETWEEN, BEYOND, BELOW = "between", "beyond", "below"
#: Resolutions whose ln pixels lie closer are one.
_SAME = 1e-9
#: Why a scene has no estimate.
FEW, RUN, UNHELD = "one_resolution", "was_run", "not_held"


@dataclass(frozen=True)
class ExpectedMargin:
    """B over A in a scene at a resolution that was not run, as a share with all that is possible from `low` to `high`.

    `how` says where that lies to what was run: `between` two resolutions, `beyond` the largest or `below` the smallest.
    `basis` are the tests it is made from. Without an estimate `reason` says why.
    """

    scene: str
    preset: str
    margin: float | None
    low: float | None
    high: float | None
    verdict: str
    how: str | None
    basis: tuple[str, ...]
    reason: str | None


@dataclass(frozen=True)
class Expected:
    """A pair of lanes at a resolution that was not run: scene by scene, and over those that have an estimate."""

    resolution: tuple[int, int]
    a: str
    b: str
    scenes: tuple[ExpectedMargin, ...]
    count: int
    suite: Share | None


def expected_of(sheet: Sheet, limits: Limits, pair: tuple[str, str], resolution: tuple[int, int]) -> Expected:
    """B over A at a resolution. Raises :class:`RennbahnError` of a size that is none."""
    if len(resolution) != 2 or min(resolution) < 1:
        raise RennbahnError("bad_resolution", "a resolution is a width and a height in pixels", field="resolution")
    study = sheet.study
    fit = Fit(sheet, AVERAGE, [sheet.lane_at[lane] for lane in pair])
    held = {(one.lane, one.test): one.held_by for one in limits.tests}
    pixels = math.log(resolution[0] * resolution[1])
    rows: dict[tuple[str, str, str], list[int]] = {}
    for t, test in enumerate(study.tests):
        if test.facts.pixels is not None:
            rows.setdefault((test.scene, test.facts.preset, test.facts.intent), []).append(t)
    there: Bools = np.asarray(fit.there.all(axis=0))
    scenes, ends = [], []
    for (scene, preset, _), tests in rows.items():
        # Of tests that draw as many pixels the first: between them nothing is asked about resolution.
        of_pixels: dict[int, int] = {}
        for t in tests:
            if there[t]:
                of_pixels.setdefault(study.tests[t].facts.pixels or 0, t)
        row = [of_pixels[pixels_there] for pixels_there in sorted(of_pixels)]
        found = _ends(fit, row, pixels, [[held.get((lane, study.tests[t].id), "") for t in row] for lane in pair])
        if isinstance(found, str):
            scenes.append(ExpectedMargin(scene, preset, None, None, None, "open", None, (), found))
            continue
        how, weights, basis = found
        interval = _hull(fit, weights)
        share = Share.of(interval, fit.method.equal_band)
        names = tuple(study.tests[t].id for t in basis)
        scenes.append(
            ExpectedMargin(scene, preset, share.margin, share.low, share.high, share.verdict, how, names, None)
        )
        ends.append(weights)
    suite = None
    if ends:
        # The lower ends of all scenes at once, and the upper ones.
        sorted_ends = [w[np.argsort(fit.weighed(w).middle)] for w in ends]
        whole: Floats = np.mean(np.stack(sorted_ends), axis=0)
        suite = Share.of(_hull(fit, whole), fit.method.equal_band)
    return Expected(resolution, *pair, tuple(scenes), len(ends), suite)


_Ends = tuple[str, Floats, list[int]]


def _ends(fit: Fit, row: Sequence[int], x: float, held: Sequence[Sequence[str]]) -> _Ends | str:
    """Weights of ln x, shape (2, 2, T), of the two ends between which the margin at ln pixels `x` lies, or why not."""
    at = [math.log(fit.study.tests[t].facts.pixels or 1) for t in row]
    if any(abs(one - x) < _SAME for one in at):
        return RUN
    if len(set(at)) < 2:
        return FEW
    if at[0] < x < at[-1]:
        upper = next(i for i, one in enumerate(at) if one > x)
        around = row[upper - 1], row[upper]
        return BETWEEN, np.stack([_margin(fit, t) for t in around]), list(around)
    how, end, holder = (BEYOND, -1, CARD) if x > at[-1] else (BELOW, 0, PROCESSOR)
    if not all(own[end] == holder for own in held):
        return UNHELD
    here = _margin(fit, row[end])
    if how == BELOW:
        # Where the processor holds both lanes already, fewer pixels change nothing more.
        return how, np.stack([here, here]), [row[0]]
    step = (x - at[-1]) / (at[-1] - at[-2])
    return how, np.stack([here, here + step * (here - _margin(fit, row[-2]))]), list(row[-2:])


def _margin(fit: Fit, test: int) -> Floats:
    weights: Floats = np.zeros(fit.there.shape)
    weights[1, test], weights[0, test] = 1.0, -1.0
    return weights


def _hull(fit: Fit, weights: Floats) -> Interval:
    """From the lower end less its noise to the upper one with it; the estimate is the middle of the ends."""
    found = fit.weighed(weights)
    reach = found.reach(fit.level)
    middle = float(found.middle.mean())
    if np.isnan(reach).any():
        return Interval(middle, None, None)
    return Interval(middle, float((found.middle - reach).min()), float((found.middle + reach).max()))


@dataclass(frozen=True)
class Alone:
    """Rates in fps that card and processor of a lane could reach alone in a test, from busy times, with their ends."""

    lane: str
    test: str
    card_fps: float
    card_low: float | None
    card_high: float | None
    processor_fps: float | None
    processor_low: float | None
    processor_high: float | None


@dataclass(frozen=True)
class AloneMargin:
    """B over A in a test of what one side could do alone, as a share: what shows where the other's limit is away.

    `side` is `card` or `processor`.
    """

    test: str
    side: str
    margin: float
    low: float | None
    high: float | None
    verdict: str


@dataclass(frozen=True)
class AloneRates:
    """What every lane's sides could do alone, and B over A of it, in the tests whose captures have busy times."""

    cells: tuple[Alone, ...]
    margins: tuple[AloneMargin, ...]


def alone_of(sheet: Sheet, pair: tuple[str, str], group: str | None = None) -> AloneRates:
    """Rates that each side could reach alone, of all lanes, and their margins for a pair."""
    numbers = group_tests(sheet, group)
    card = _side(sheet, lambda one: one.facts.gpu_busy_ms, numbers)
    processor = _side(sheet, lambda one: one.facts.cpu_busy_ms, numbers)
    rates = [None if fit is None else fit.cells() for fit in (card, processor)]
    cells = []
    for t, number in enumerate(numbers):
        for i, lane in enumerate(sheet.study.lanes):
            own, other = (None if found is None or (one := found[i][t]) is None else one.rate() for found in rates)
            if own is not None:
                cells.append(Alone(lane.id, sheet.study.tests[number].id, *own, *(other or (None, None, None))))
    a, b = (sheet.lane_at[lane] for lane in pair)
    margins = []
    for t, number in enumerate(numbers):
        for side, fit in (("card", card), ("processor", processor)):
            if fit is not None and fit.there[a, t] and fit.there[b, t]:
                weights = np.zeros((1, *fit.there.shape))
                weights[0, b, t], weights[0, a, t] = 1.0, -1.0
                share = Share.of(fit.weighed(weights).one(fit.level), fit.method.equal_band)
                margins.append(
                    AloneMargin(sheet.study.tests[number].id, side, share.margin, share.low, share.high, share.verdict)
                )
    return AloneRates(tuple(cells), tuple(margins))


_Busy = Callable[[Pass], float | None]


def _side(sheet: Sheet, busy_ms: _Busy, numbers: Sequence[int]) -> Fit | None:
    """The same study with what one side could do alone in place of its rates."""
    study = sheet.study
    told = [
        replace(one, figures={AVERAGE: 1000.0 / ms})
        for one in study.passes
        if one.status == ACCEPTED and (ms := busy_ms(one)) is not None
    ]
    if not told:
        return None
    return Fit(Sheet(replace(study, passes=tuple(told))), AVERAGE, range(len(study.lanes)), list(numbers))
