"""Several cards in one machine: what each further card adds, how evenly frames come, and what holds the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from rennbahn.comparing.cells import Bools, Sheet
from rennbahn.comparing.composition import Gap
from rennbahn.comparing.model import ACCEPTED, Pass
from rennbahn.errors import RennbahnError
from rennbahn.kinds.fit import Fit, Share, group_tests, of_figure
from rennbahn.kinds.limits import CARD, UNCLEAR, Limits
from rennbahn.kinds.watts import watts_over

#: Cards that lose more than this share of what they could add are asked what holds them.
LOST = 0.1


@dataclass(frozen=True)
class Added:
    """What `cards` give over one in a test (None over all of them), as a margin: 1 is twice the rate.

    `alternating` is the share of the passes whose frames come in groups, `amplitude` the mean of by how much;
    `alternating_alone` the same with one card. `lost` is the share of what could be added that is not, `held_by` what
    holds it where that is shown to be more than a tenth. `watts` is what they draw over one.
    """

    test: str | None
    lane: str
    over: str
    cards: int
    margin: float
    low: float | None
    high: float | None
    verdict: str
    lost: float
    held_by: str | None
    alternating: float | None
    alternating_alone: float | None
    amplitude: float | None
    watts: float | None


@dataclass(frozen=True)
class SeveralBlock:
    """What further cards add over the tests of one group in one figure: test by test, and over all (`suite`)."""

    group: str | None
    figure: str
    tests: int
    left_out: tuple[Gap, ...]
    scaling: tuple[Added, ...]
    suite: tuple[Added, ...]


def several_of(sheet: Sheet, figure: str, limits: Limits, group: str | None = None) -> SeveralBlock:
    """Over a group. Raises :class:`RennbahnError` without a lane of one card."""
    lanes = sheet.study.lanes
    alone = next((at for at, lane in enumerate(lanes) if lane.facts.cards == 1), None)
    more = sorted(
        (at for at, x in enumerate(lanes) if (x.facts.cards or 0) > 1), key=lambda at: lanes[at].facts.cards or 0
    )
    if alone is None or not more:
        message = "several cards are compared with one: a lane with cards 1 and one with more are wanted"
        raise RennbahnError("bad_study", message, field="lanes")
    numbers = group_tests(sheet, group)
    fit = Fit(sheet, figure, [alone, *more], numbers)
    common = fit.common()
    passes: dict[tuple[str, str], list[Pass]] = {}
    for one in sheet.study.passes:
        if one.status == ACCEPTED:
            passes.setdefault((one.lane, one.test), []).append(one)
    held = {(one.lane, one.test): one.held_by for one in limits.tests}
    own = [
        replace(_added(fit, way, np.arange(len(numbers)) == t, passes, held), test=sheet.study.tests[fit.tests[t]].id)
        for t in np.flatnonzero(common).tolist()
        for way in range(1, len(more) + 1)
    ]
    return SeveralBlock(
        group, of_figure(figure), int(common.sum()), tuple(fit.left_out()), tuple(own),
        tuple(_added(fit, way, common, passes, held) for way in range(1, len(more) + 1)) if common.any() else (),
    )  # fmt: skip


def _added(
    fit: Fit,
    way: int,
    tests: Bools,
    passes: Mapping[tuple[str, str], Sequence[Pass]],
    held: Mapping[tuple[str, str], str],
) -> Added:
    weights = fit.lane_weights(tests)
    share = Share.of(fit.weighed((weights[way] - weights[0])[None]).one(fit.level), fit.method.equal_band)
    cards = fit.study.lanes[fit.lanes[way]].facts.cards or 1
    ids = [fit.study.tests[fit.tests[t]].id for t in np.flatnonzero(tests)]
    own, alone = ([p for test in ids for p in passes.get((fit.name(i), test), ())] for i in (way, 0))
    best = cards - 1
    lost = 1.0 - share.margin / best
    most = share.high if share.high is not None else share.margin
    is_lost = most < (1.0 - LOST) * best
    words = [held.get((fit.name(way), test), UNCLEAR) for test in ids]
    # Cards that are all at work in their turns lose what lies between them.
    words = [UNCLEAR if word == CARD else word for word in words]
    watts = watts_over(fit, tests)
    draws = float(watts[way] - watts[0])
    return Added(
        None, fit.name(way), fit.name(0), cards, share.margin, share.low, share.high,
        share.verdict, lost, max(dict.fromkeys(words), key=words.count) if is_lost else None,
        _alternating(own), _alternating(alone), _amplitude(own), None if np.isnan(draws) else draws,
    )  # fmt: skip


def _alternating(passes: Sequence[Pass]) -> float | None:
    told = [p.facts.alternating for p in passes if p.facts.alternating is not None]
    return sum(told) / len(told) if told else None


def _amplitude(passes: Sequence[Pass]) -> float | None:
    told = [p.facts.amplitude for p in passes if p.facts.amplitude is not None]
    return sum(told) / len(told) if told else None
