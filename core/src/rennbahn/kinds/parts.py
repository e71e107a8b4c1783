"""An answer in parts: sets of tests as suites of their own, what changes from group to group, what each test weighs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from rennbahn.comparing import Block
from rennbahn.comparing.cells import Floats, Sheet
from rennbahn.comparing.sentences import figure_words
from rennbahn.comparing.words import interval_words
from rennbahn.display import percent, signed_percent
from rennbahn.kinds.fit import Fit, Share, of_figure


@dataclass(frozen=True)
class PartSuite:
    """B over A in a set of tests, as a share with its interval and verdict, and what it is there over the tests of the
    group that are not in the set (`apart`, a ratio of ratios less 1)."""

    name: str
    figure: str
    tests: int
    margin: float | None
    low: float | None
    high: float | None
    verdict: str | None
    apart: Share | None


@dataclass(frozen=True)
class Change:
    """How B over A changes from one group to the next, over the scenes of both: a ratio of ratios less 1."""

    from_group: str
    to_group: str
    figure: str
    scenes: int
    change: Share | None


@dataclass(frozen=True)
class Weighs:
    """The suite margin without a test, and by how much the test moves it, as shares."""

    test: str
    without: float
    moves: float


def part_suites(
    sheet: Sheet, pair: tuple[str, str], figure: str, group: str | None, sets: Mapping[str, Sequence[str]]
) -> tuple[PartSuite, ...]:
    """Suites of named sets of tests within a group. A set that holds none of its tests, or all of them, is no part."""
    own = [test.id for test in sheet.study.tests if group is None or test.group == group]
    found = []
    for name, wanted in sets.items():
        inside = [test for test in own if test in set(wanted)]
        if not inside or len(inside) == len(own):
            continue
        block = Block(sheet, (pair,), tests=[sheet.test_at[test] for test in inside])
        suite = block.suite(figure) if figure in sheet.figure_at else None
        if suite is None or suite.margins is None or suite.measured is None:
            found.append(PartSuite(name, of_figure(figure), 0, None, None, None, None, None))
            continue
        school = sheet.study.method.suite_school
        low, high = suite.measured[school].interval or (None, None)
        apart = _apart(sheet, pair, figure, [inside, [test for test in own if test not in set(inside)]])
        found.append(
            PartSuite(name, of_figure(figure), suite.tests, suite.margins[school], low, high, suite.verdict, apart)
        )
    return tuple(found)


def _apart(sheet: Sheet, pair: tuple[str, str], figure: str, sets: Sequence[Sequence[str]]) -> Share | None:
    """The mean ln B/A of the first set less that of the second."""
    fit = Fit(sheet, figure, [sheet.lane_at[lane] for lane in pair])
    there = fit.common()
    weights: Floats = np.zeros((1, *fit.there.shape))
    for sign, tests in zip((1.0, -1.0), sets, strict=True):
        at = [sheet.test_at[test] for test in tests if there[sheet.test_at[test]]]
        if not at:
            return None
        weights[0, 1, at] += sign / len(at)
        weights[0, 0, at] -= sign / len(at)
    return Share.of(fit.weighed(weights).one(fit.level), fit.method.equal_band)


def changes(sheet: Sheet, pair: tuple[str, str], figure: str) -> tuple[Change, ...]:
    """From each group to the next, over the scenes that both have in both lanes: what the conditions change."""
    fit = Fit(sheet, figure, [sheet.lane_at[lane] for lane in pair])
    there, study = fit.common(), sheet.study
    by_group: dict[str, dict[str, int]] = {}
    for t, test in enumerate(study.tests):
        # Of several tests of a scene in a group the first that both lanes have.
        if there[t]:
            by_group.setdefault(test.group, {}).setdefault(test.scene, t)
    groups = study.groups
    found = []
    for before, after in pairwise(groups):
        here, then = by_group.get(before, {}), by_group.get(after, {})
        scenes = [scene for scene in here if scene in then]
        if not scenes:
            found.append(Change(before, after, of_figure(figure), 0, None))
            continue
        weights: Floats = np.zeros((1, *fit.there.shape))
        for at, sign in ((here, -1.0), (then, 1.0)):
            tests = [at[scene] for scene in scenes]
            weights[0, 1, tests] += sign / len(tests)
            weights[0, 0, tests] -= sign / len(tests)
        share = Share.of(fit.weighed(weights).one(fit.level), fit.method.equal_band)
        found.append(Change(before, after, of_figure(figure), len(scenes), share))
    return tuple(found)


def influences(sheet: Sheet, pair: tuple[str, str], figure: str, group: str | None) -> tuple[Weighs, ...]:
    """What the suite would be without each test, from the one that moves it most; nothing of fewer than three."""
    block = Block(sheet, (pair,), group)
    suite = block.suite(figure) if figure in sheet.figure_at else None
    if suite is None or suite.margins is None or suite.influence is None:
        return ()
    whole = suite.margins[sheet.study.method.suite_school]
    found = [Weighs(test, without, whole - without) for test, without in suite.influence.without.items()]
    return tuple(sorted(found, key=lambda one: -abs(one.moves)))


def change_words(change: Change, groups: Mapping[str, str], a: str, b: str) -> str:
    """What changes from one group to the next, in a sentence."""
    between = f"From {groups[change.from_group]} to {groups[change.to_group]}"
    if change.change is None:
        return f"{between}: no scene was run in both lanes under both."
    share, scenes = change.change, "1 scene" if change.scenes == 1 else f"{change.scenes} scenes"
    ends = f", {interval_words((share.low, share.high))}" if share.low is not None and share.high is not None else ""
    over = f"{b} over {a} in {figure_words(change.figure)}"
    told = {
        "even": f"{over} stays the same",
        "open": f"whether {over} changes is open",
        "ahead": f"{over} gains {signed_percent(share.margin)}%",
        "behind": f"{over} loses {signed_percent(share.margin)}%".replace("-", "−"),
    }
    return f"{between}, {told[share.verdict]} ({scenes}{ends})."


def part_words(part: PartSuite) -> str:
    """How a set of tests parts from the others of its group."""
    if part.apart is None:
        return "nothing to hold it against"
    share = part.apart
    return {
        "even": "as in the others", "open": "not told apart from the others",
        "ahead": f"{percent(share.margin)}% more than in the others",
        "behind": f"{percent(-share.margin)}% less than in the others",
    }[share.verdict]  # fmt: skip
