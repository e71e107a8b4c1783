"""Reported results as a table: one row a pass, with the numbers that a game or another program gave."""

from __future__ import annotations

from dataclasses import dataclass

from faults import place_of, sentence_of
from problems import Problem
from pydantic import ValidationError
from rennbahn.errors import RennbahnError
from sheets import number_in, rows_of
from studies.deciding import Run
from studies.models import Lane, Study, Test

from intake.schemas import ReportedIn

_WHERE = ("lane", "game")
_NUMBERS = ("average_fps", "minimum_fps", "low_1_fps", "low_01_fps", "score")
#: Columns that a table may have; of the numbers at least one.
COLUMNS = (*_WHERE, "scene", "condition", "pass", *_NUMBERS, "read_from")
MOST_PASSES = 999


@dataclass(frozen=True)
class ReportedRow:
    """One row of the table: the run it is of, and its numbers."""

    run: Run
    data: ReportedIn


def reported_rows(study: Study, content: bytes) -> list[ReportedRow]:
    """The rows of a table, each with the lane and test it is of. Raises :class:`Problem` naming row and column."""
    lanes = {lane.name.lower(): lane for lane in study.lanes.select_related("setup_version", "condition")}
    tests = list(study.tests.select_related("scene__game", "condition"))
    found = []
    for row in rows_of(content, COLUMNS, _WHERE, f"It has {', '.join(COLUMNS)}."):
        if not set(row.cells) & set(_NUMBERS):
            message = f"No column holds a result: {', '.join(_NUMBERS)}."
            raise Problem("missing_column", message, field="average_fps")
        try:
            found.append(_row(row.cells, lanes, tests))
        except RennbahnError as error:
            raise row.problem(error) from None
    return found


def _row(said: dict[str, str], lanes: dict[str, Lane], tests: list[Test]) -> ReportedRow:
    lane = lanes.get(said["lane"].lower())
    if lane is None:
        raise _fault("lane", f"no lane is called “{said['lane'][:80]}”")
    fits = [test for test in tests if _fits(test, said)]
    if len(fits) != 1:
        what = "no test" if not fits else f"{len(fits)} tests"
        raise _fault("game", f"{what} of this study fit “{said['game'][:80]}”; name scene and condition too")
    numbers = {name: number_in(name, said[name]) if said.get(name) else None for name in _NUMBERS}
    which = said.get("pass", "")
    number = int(number_in("pass", which, whole=True)) if which else None
    if number is not None and not 1 <= number <= MOST_PASSES:
        raise _fault("pass", f"“{which}” is no number of a pass")
    try:
        data = ReportedIn(**numbers, read_from=said.get("read_from") or "a table")
    except ValidationError as error:
        fault = error.errors()[0]
        raise Problem("bad_row", sentence_of(fault), field=place_of(fault) or "average_fps") from None
    return ReportedRow(Run(lane, fits[0], number), data)


def _fits(test: Test, said: dict[str, str]) -> bool:
    own = {"game": test.scene.game.name, "scene": test.scene.name, "condition": test.condition.name}
    return all(not said.get(name) or said[name].lower() == value.lower() for name, value in own.items())


def _fault(field: str, message: str) -> Problem:
    return Problem("bad_row", f"{field}: {message}.", field=field)
