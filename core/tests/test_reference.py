"""Every reference case, at the stated tolerance."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from helpers import REFERENCE, differences, load
from rennbahn import display, worth
from rennbahn.capture import Capture, ColumnMap, read_capture
from rennbahn.comparing import Study, compare_study
from rennbahn.comparing.cells import median_factor
from rennbahn.comparing.settling import further_passes
from rennbahn.comparing.verdicts import adjusted_p
from rennbahn.errors import CaptureRefused
from rennbahn.inference.looks import look_level
from rennbahn.inference.power import Freedom, passes_for_even, passes_needed, resolvable
from rennbahn.kinds.budget import inside_of
from rennbahn.measures import Settings, figures_of
from rennbahn.plain import plain

CAPTURES = load("expected.json")["files"]
MALFORMED = load("malformed/expected.json")["files"]
STUDIES = load("study.json")["cases"]
#: Formulas of single values that nothing asks for: kinds of study compute them over passes, with their intervals.
OF_PASSES = {"upscaling_cost", "multi_card_scaling", "camera_check", "input_latency"}
ARITHMETIC = [case for case in load("arithmetic.json")["cases"] if case["what"] not in OF_PASSES]


def read(name: str, columns: dict[str, Any]) -> Capture:
    return read_capture((REFERENCE / name).read_bytes(), ColumnMap.from_json(columns))


@pytest.mark.parametrize("name", CAPTURES)
def test_figures_of_reference_captures(name: str) -> None:
    case = CAPTURES[name]
    capture = read(name, case["columns"])
    for wanted in case["figures"]:
        window = wanted["window"]
        figures = figures_of(capture.trimmed(*window) if window else capture, Settings.from_json(case["settings"]))
        assert differences(figures.as_json(), wanted) == []


@pytest.mark.parametrize("name", MALFORMED)
def test_malformed_captures_name_row_line_and_reason(name: str) -> None:
    case = MALFORMED[name]
    if case["accepted"]:
        figures = figures_of(read(f"malformed/{name}", case["columns"]))
        assert (figures.frames, list(figures.flags)) == (case["frames"], case["flags"])
        assert figures.rates is not None
        assert figures.rates.average_fps == pytest.approx(case["average_fps"], rel=1e-9)
        return
    with pytest.raises(CaptureRefused) as refused:
        read(f"malformed/{name}", case["columns"])
    error = refused.value
    assert (error.reason, error.row, error.line) == (case["reason"], case["row"], case["line"])
    assert error.hint


@pytest.mark.parametrize("case", STUDIES, ids=lambda case: case["name"])
def test_studies(case: dict[str, Any]) -> None:
    result = compare_study(Study.from_json(case["input"])).as_json()
    assert differences(result, case["expected"]) == []


FORMULAS: dict[str, Callable[..., Any]] = {
    "per_price": worth.per_price,
    "extra_frame_cost": worth.extra_frame_cost,
    "energy": worth.energy,
    "gpu_bandwidth": lambda **x: {"gb_per_s": worth.gpu_bandwidth(**x)},
    "memory": worth.memory,
    "pcie": lambda **x: {"gb_per_s": worth.pcie(**x)},
    "passes_needed": lambda s, m, cells: {"passes": passes_needed(s, m, Freedom(cells))},
    "passes_for_even": lambda s, d, cells: {"passes": passes_for_even(s, d, Freedom(cells))},
    "resolvable": lambda s, n, cells: {"margin": resolvable(s, n, Freedom(cells))},
    "further_passes": lambda **x: {"passes": further_passes(**x)},
    "budget": lambda over, **x: {
        "cells": [plain(one) | {"holds": one.holds} for one in inside_of(over, **x)],
    },
    "look_level": lambda **x: {"level": look_level(**x)},
    "median_factor": lambda n: {"factor": float(median_factor(n))},
    "adjusted_p": lambda p: {"p_adjusted": adjusted_p(p)},
    "display": lambda kind, value: {
        "text": {"fps": display.fps, "margin": display.percent, "ms": display.ms}[kind](value)
    },
}


@pytest.mark.parametrize("case", ARITHMETIC, ids=lambda case: f"{case['what']} {case['input']}")
def test_arithmetic(case: dict[str, Any]) -> None:
    got = plain(FORMULAS[case["what"]](**case["input"]))
    assert differences(got, case["expected"]) == []
