"""A whole study compared: every figure, every pair of lanes, every school."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from rennbahn.comparing.cells import Cell, Noise, Sheet
from rennbahn.comparing.margins import Margin, margins
from rennbahn.comparing.model import AVERAGE, CELL_SCHOOLS, SUITE_SCHOOLS, Study, low_figure
from rennbahn.comparing.suite import Suite, suite_of, suite_verdicts
from rennbahn.measures.rates import LOW_SCHOOLS, LOWS
from rennbahn.plain import plain


@dataclass(frozen=True)
class Agreement:
    """The suite verdict under every school, and whether it is the same word under all of them."""

    verdicts: dict[str, str]
    depends_on_method: bool


@dataclass(frozen=True)
class Comparison:
    """Lane B over lane A: margins and suite by figure, agreement by kind (`average_fps`, `low_1`, `low_0.1`)."""

    a: str
    b: str
    tests: dict[str, list[Margin]]
    suite: dict[str, Suite]
    agreement: dict[str, Agreement]

    def as_json(self) -> dict[str, Any]:
        """Plain data."""
        return {
            "a": self.a,
            "b": self.b,
            "tests": {figure: [m.as_json() for m in found] for figure, found in self.tests.items()},
            "suite": {figure: suite.as_json() for figure, suite in self.suite.items()},
            "agreement": plain(self.agreement),
        }


@dataclass(frozen=True)
class StudyResult:
    """Cells and noise by figure, and the comparisons asked for."""

    cells: dict[str, list[Cell]]
    noise: dict[str, dict[str, Noise]]
    compare: tuple[Comparison, ...]

    def as_json(self) -> dict[str, Any]:
        """Plain data, as `rennbahn study --json` prints it."""
        return {
            "cells": plain(self.cells),
            "noise": {f: {scene: n.as_json() for scene, n in by.items()} for f, by in self.noise.items()},
            "compare": [comparison.as_json() for comparison in self.compare],
        }


def compare_study(study: Study) -> StudyResult:
    """Compare the lanes of a study under its declared method, and under every other."""
    sheet = Sheet(study)
    return StudyResult(
        cells={figure: sheet.cells(figure, study.method.cell_school) for figure in sheet.figures},
        noise={figure: sheet.noise(figure) for figure in sheet.figures},
        compare=tuple(_comparison(sheet, a, b) for a, b in study.compare),
    )


def _comparison(sheet: Sheet, a: str, b: str) -> Comparison:
    method = sheet.study.method
    by_school = {
        (figure, school): margins(sheet, a, b, figure, school) for figure in sheet.figures for school in CELL_SCHOOLS
    }
    tests = {figure: by_school[figure, method.cell_school] for figure in sheet.figures}
    return Comparison(
        a=a,
        b=b,
        tests=tests,
        suite={
            figure: suite_of(found, method.suite_school, method.cell_school, method.equal_band)
            for figure, found in tests.items()
        },
        agreement=_agreement(by_school, method.equal_band),
    )


def _agreement(by_school: dict[tuple[str, str], list[Margin]], band: float) -> dict[str, Agreement]:
    kinds: dict[str, list[tuple[str, str]]] = {"average_fps": [("", AVERAGE)]}
    kinds |= {f"low_{low}": [(f"{school}/", low_figure(low, school)) for school in LOW_SCHOOLS] for low in LOWS}
    found = {}
    for kind, figures in kinds.items():
        verdicts: dict[str, str] = {}
        for prefix, figure in figures:
            for cell_school in CELL_SCHOOLS:
                kept = [m for m in by_school.get((figure, cell_school), ()) if m.left_out is None]
                if kept:
                    by_suite, _ = suite_verdicts(kept, cell_school, band)
                    verdicts |= {f"{prefix}{suite}/{cell_school}": by_suite[suite] for suite in SUITE_SCHOOLS}
        found[kind] = Agreement(verdicts, len(set(verdicts.values())) > 1)
    return found
