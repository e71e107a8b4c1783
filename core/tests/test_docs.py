"""The documents say what the code does: every figure, school, channel and reason has its line."""

from __future__ import annotations

import re
from dataclasses import fields
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from rennbahn.capture import CHANNELS, Capture
from rennbahn.checks import CHECKS
from rennbahn.cli import main
from rennbahn.comparing import CELL_SCHOOLS, SUITE_SCHOOLS
from rennbahn.errors import REASONS
from rennbahn.inference.looks import SequentialRule
from rennbahn.measures import LOW_SCHOOLS, figures_of
from rennbahn.parts import KINDS
from rennbahn.planning.noise import GUESSED_NOISE
from rennbahn.planning.schedule import ORDERS, Costs
from rennbahn.simulation import FAULTS

REPOSITORY = Path(__file__).parents[2]
MEASURES = (REPOSITORY / "docs" / "measures.md").read_text(encoding="utf-8")
FORMATS = (REPOSITORY / "docs" / "formats.md").read_text(encoding="utf-8")
PLANNING = (REPOSITORY / "docs" / "planning.md").read_text(encoding="utf-8")
#: Keys of a figure that its own line explains.
_OBVIOUS = {"window", "frames", "duration_s", "flags", "rates", "smoothness", "limits"}


def test_every_figure_has_its_line() -> None:
    figures: dict[str, Any] = figures_of(Capture(np.full(300, 10.0))).as_json()
    names = set(figures) | {key for part in ("rates", "smoothness", "limits") for key in figures[part]}
    assert {name for name in names - _OBVIOUS if f"`{name}`" not in MEASURES} == set()


def test_every_school_channel_and_reason_has_its_line() -> None:
    for school in (*LOW_SCHOOLS, *SUITE_SCHOOLS, CELL_SCHOOLS[1]):
        assert f"`{school}`" in MEASURES
    for name in (*CHANNELS, *REASONS):
        assert f"`{name}`" in FORMATS


def test_every_kind_order_cost_and_guess_has_its_line() -> None:
    names = [kind.id for kind in KINDS] + [*ORDERS, *(one.name for one in fields(Costs)), *GUESSED_NOISE]
    assert {name for name in names if f"`{name}`" not in PLANNING} == set()
    for noise in GUESSED_NOISE.values():
        assert f"{noise:.3f}" in PLANNING
    for limit in (5, 8, 12):
        assert f"| {limit} | {SequentialRule(limit).level:.3f} |" in PLANNING


def test_readings_that_the_code_names_exist() -> None:
    named = {
        int(number)
        for file in (REPOSITORY / "core" / "src").rglob("*.py")
        for number in re.findall(r"reading (\d+)", file.read_text(encoding="utf-8"))
    }
    there = {int(number) for number in re.findall(r"^(\d+)\. ", MEASURES, re.MULTILINE)}
    assert named <= there
    assert len(named) > 5


def test_every_check_and_every_fault_has_its_line() -> None:
    checks = (REPOSITORY / "docs" / "checks.md").read_text(encoding="utf-8")
    assert {name for name in (*(check.id for check in CHECKS), *FAULTS) if f"`{name}`" not in checks} == set()


@pytest.mark.parametrize("command", ["latency", "history", "tuning"])
def test_every_file_of_the_command_line_that_is_shown_is_answered(
    command: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    shown = re.search(rf"\*\*{command.title()}\*\*.*?```json\n(.*?)```", FORMATS, re.DOTALL)
    assert shown is not None
    path = tmp_path / "shown.json"
    path.write_text(shown[1], encoding="utf-8")
    assert main([command, str(path)]) == 0
    assert len(capsys.readouterr().out.splitlines()) > 3
