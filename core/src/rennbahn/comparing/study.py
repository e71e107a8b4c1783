"""A whole study compared: every figure, every pair of lanes, every group of tests, every school."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from rennbahn.comparing.cells import Cell, Sheet
from rennbahn.comparing.margins import Margin, Pairing
from rennbahn.comparing.model import AVERAGE, CELL_SCHOOLS, SUITE_SCHOOLS, Study, low_figure
from rennbahn.comparing.noise import LaneNoise, Noise, SlowDrift
from rennbahn.comparing.suite import Suite, Suites, suite_of, suites_of
from rennbahn.comparing.verdicts import VERDICTS
from rennbahn.measures.rates import LOW_SCHOOLS, LOWS
from rennbahn.plain import plain

#: Kinds of figure by the figures of their schools, each with what goes before its ways in the agreement.
KINDS: dict[str, tuple[tuple[str, str], ...]] = {
    AVERAGE: (("", AVERAGE),),
    **{f"low_{low}": tuple((f"{school}/", low_figure(low, school)) for school in LOW_SCHOOLS) for low in LOWS},
}


@dataclass(frozen=True)
class Agreement:
    """The suite verdict under every school, and whether it is the same word under all of them."""

    verdicts: dict[str, str]
    depends_on_method: bool


@dataclass(frozen=True)
class PairSessions:
    """In how many sessions lanes `a` and `b` were run, and how many both were run in."""

    a: int
    b: int
    shared: int


class Block:
    """Pairs of lanes over the tests of one group, or over tests by their numbers, with the suites of all of them.

    Arrays are computed once for all pairs; margins, suites and agreements as objects are made of the pair asked for.
    """

    def __init__(
        self,
        sheet: Sheet,
        pairs: tuple[tuple[str, str], ...],
        group: str | None = None,
        tests: Sequence[int] | None = None,
    ) -> None:
        self.sheet, self.pairs, self.group = sheet, pairs, group
        if tests is None and group is not None:
            tests = [at for at, test in enumerate(sheet.study.tests) if test.group == group]
        self.pairing = Pairing(sheet, pairs, tests)

    @cached_property
    def suites(self) -> Suites:
        """The suites of all pairs."""
        return suites_of(self.pairing)

    def margins(self, figure: str, pair: int = 0) -> list[Margin]:
        """Margins of a pair in every test of the group."""
        return self.pairing.margins(figure, pair)

    def noise(self, figure: str, pair: int = 0) -> dict[str, Noise]:
        """The noise that a pair is judged by, by scene."""
        at, found = self.sheet.figure_at[figure], self.pairing.noise
        return {scene.id: found.noise(at, pair, g) for g, scene in enumerate(self.sheet.study.scenes)}

    def drift(self, figure: str, pair: int = 0) -> SlowDrift | None:
        """The drift of the bench that is taken out of a pair's ratios, where any is."""
        return self.pairing.noise.drift(self.sheet.figure_at[figure], pair)

    def lane_noise(self, figure: str, pair: int = 0) -> LaneNoise:
        """How the noise of a pair is shared between its lanes."""
        return self.pairing.noise.lanes(self.sheet.figure_at[figure], pair)

    def sessions(self, figure: str, pair: int = 0) -> PairSessions | None:
        """In how many sessions the lanes of a pair were run, None where a pass does not tell its own."""
        at = self.sheet.figure_at[figure]
        if not self.pairing.sessions_told[at, pair]:
            return None
        a, b = self.sheet.sessions.there[at, self.pairing.lanes_at[pair]].any(axis=1)
        return PairSessions(int(a.sum()), int(b.sum()), int((a & b).sum()))

    def suite(self, figure: str, pair: int = 0) -> Suite:
        """The suite of a pair."""
        return suite_of(self.pairing, self.suites, figure, pair)

    def agreement(self, kind: str, pair: int = 0) -> Agreement:
        """The verdicts on a pair under every school of a kind of figure."""
        verdicts: dict[str, str] = {}
        for prefix, figure in KINDS[kind]:
            at = self.sheet.figure_at.get(figure)
            if at is None or not self.suites.tests[at, pair]:
                continue
            for s, cell_school in enumerate(CELL_SCHOOLS):
                for m, suite_school in enumerate(SUITE_SCHOOLS):
                    code = self.suites.codes[m, s, at, pair]
                    verdicts[f"{prefix}{suite_school}/{cell_school}"] = VERDICTS[code]
        return Agreement(verdicts, len(set(verdicts.values())) > 1)

    def depends_on_method(self, kind: str) -> np.ndarray[Any, np.dtype[np.bool_]]:
        """Of each pair: is the verdict on a kind of figure another word under another school? Shape (P,)."""
        places = [self.sheet.figure_at[figure] for _, figure in KINDS[kind] if figure in self.sheet.figure_at]
        if not places:
            return np.zeros(len(self.pairs), dtype=np.bool_)
        codes = self.suites.codes[:, :, places]
        there = np.broadcast_to(self.suites.tests[places] > 0, codes.shape)
        low = np.where(there, codes, len(VERDICTS)).min(axis=(0, 1, 2))
        high = np.where(there, codes, -1).max(axis=(0, 1, 2))
        found: np.ndarray[Any, np.dtype[np.bool_]] = (high > low) & there.any(axis=(0, 1, 2))
        return found


@dataclass(frozen=True)
class Comparison:
    """Lane B over lane A: margins and suite by figure, agreement by kind (`average_fps`, `low_1`, `low_0.1`).

    `interval_level` is the level of every interval (0.05, or stricter where the study is looked at often); `noise`,
    `drift`, `lane_noise` and `sessions` are what the intervals are made with. Where tests are of several groups,
    `groups` has the suite and agreement of each, and nothing is pooled over them.
    """

    a: str
    b: str
    interval_level: float
    noise: dict[str, dict[str, Noise]]
    drift: dict[str, SlowDrift | None]
    lane_noise: dict[str, LaneNoise]
    sessions: dict[str, PairSessions | None]
    tests: dict[str, list[Margin]]
    suite: dict[str, Suite]
    agreement: dict[str, Agreement]
    groups: dict[str, Comparison] | None = None

    @classmethod
    def of(cls, block: Block, pair: int, groups: dict[str, Comparison] | None = None) -> Comparison:
        """The comparison of one pair of a block."""
        figures = block.sheet.figures
        return cls(
            *block.pairs[pair],
            interval_level=block.pairing.level,
            noise={figure: block.noise(figure, pair) for figure in figures},
            drift={figure: block.drift(figure, pair) for figure in figures},
            lane_noise={figure: block.lane_noise(figure, pair) for figure in figures},
            sessions={figure: block.sessions(figure, pair) for figure in figures},
            tests={figure: block.margins(figure, pair) for figure in figures},
            suite={figure: block.suite(figure, pair) for figure in figures},
            agreement={kind: block.agreement(kind, pair) for kind in KINDS},
            groups=groups,
        )

    def as_json(self) -> dict[str, Any]:
        """Plain data; `groups` only where there are any."""
        data = {
            "a": self.a,
            "b": self.b,
            "interval_level": self.interval_level,
            "noise": {f: {scene: n.as_json() for scene, n in by.items()} for f, by in self.noise.items()},
            "drift": plain(self.drift),
            "lane_noise": plain(self.lane_noise),
            "sessions": plain(self.sessions),
            "tests": {figure: [m.as_json() for m in found] for figure, found in self.tests.items()},
            # Tests of several groups are never pooled (reading 16).
            "suite": {f: None if self.groups else suite.as_json() for f, suite in self.suite.items()},
            "agreement": {kind: None if self.groups else plain(one) for kind, one in self.agreement.items()},
        }
        if self.groups:
            data["groups"] = {
                name: {
                    "suite": {figure: suite.as_json() for figure, suite in found.suite.items()},
                    "agreement": plain(found.agreement),
                }
                for name, found in self.groups.items()
            }
        return data


@dataclass(frozen=True)
class StudyResult:
    """Cells by figure, and the comparisons asked for."""

    cells: dict[str, list[Cell]]
    compare: tuple[Comparison, ...]

    def as_json(self) -> dict[str, Any]:
        """Plain data, as `rennbahn study --json` prints it."""
        return {
            "cells": plain(self.cells),
            "compare": [comparison.as_json() for comparison in self.compare],
        }


def compare_study(study: Study, sheet: Sheet | None = None) -> StudyResult:
    """Compare the lanes of a study under its declared method, and under every other; `sheet` where it is there."""
    sheet = sheet or Sheet(study)
    whole = Block(sheet, study.compare)
    # Of one group alone the whole is that group's.
    by_group = {group: Block(sheet, study.compare, group) for group in study.groups if len(study.groups) > 1}
    return StudyResult(
        cells={figure: sheet.cells(figure, study.method.cell_school) for figure in sheet.figures},
        compare=tuple(
            Comparison.of(whole, pair, {group: Comparison.of(block, pair) for group, block in by_group.items()} or None)
            for pair in range(len(study.compare))
        ),
    )
