"""Reported results as a table: one row a pass, with the numbers that a game or another program gave."""

from __future__ import annotations

import csv
import io

from problems import Problem
from pydantic import ValidationError
from rennbahn.capture.numbers import as_number
from studies.models import Lane, Study, Test

from intake.schemas import ReportedIn

_WHERE = ("lane", "game")
_NUMBERS = ("average_fps", "minimum_fps", "low_1_fps", "low_01_fps", "score")
#: Columns that a table may have; of the numbers at least one.
COLUMNS = (*_WHERE, "scene", "condition", "pass", *_NUMBERS, "read_from")
MOST_ROWS = 5_000

Row = tuple[Lane, Test, int | None, ReportedIn]


def reported_rows(study: Study, content: bytes) -> list[Row]:
    """The rows of a table, each with the lane and test it is of. Raises :class:`Problem` naming row and column."""
    rows = list(_table(content))
    lanes = {lane.name.lower(): lane for lane in study.lanes.select_related("setup_version", "condition")}
    tests = list(study.tests.select_related("scene__game", "condition"))
    return [_row(number, row, lanes, tests) for number, row in enumerate(rows, start=1)]


def _table(content: bytes) -> csv.DictReader[str]:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise Problem("unreadable", "The file is not UTF-8 text.", hint="Save it as CSV in UTF-8.") from None
    first = text.split("\n", 1)[0]
    table = csv.DictReader(io.StringIO(text), delimiter=max(",;\t", key=first.count), strict=True)
    names = [name.strip().lower() for name in table.fieldnames or []]
    table.fieldnames = names
    for name in names:
        if name not in COLUMNS:
            known = ", ".join(COLUMNS)
            raise Problem(
                "unknown_column", f"“{name}” is no column of this table.", field=name, hint=f"It has {known}."
            )
    for name in _WHERE:
        if name not in names:
            raise Problem("missing_column", f"The table has no column “{name}”.", field=name)
    if not set(names) & set(_NUMBERS):
        raise Problem("missing_column", f"No column holds a result: {', '.join(_NUMBERS)}.", field="average_fps")
    return table


def _row(number: int, row: dict[str, str], lanes: dict[str, Lane], tests: list[Test]) -> Row:
    if number > MOST_ROWS:
        raise _fault(number, "lane", f"more than {MOST_ROWS:,} rows")
    said = {name: (value or "").strip() for name, value in row.items() if isinstance(name, str)}
    if None in row:
        raise _fault(number, "lane", "more fields than the header has")
    lane = lanes.get(said["lane"].lower())
    if lane is None:
        raise _fault(number, "lane", f"no lane is called “{said['lane']}”")
    fits = [test for test in tests if _fits(test, said)]
    if len(fits) != 1:
        what = "no test" if not fits else f"{len(fits)} tests"
        raise _fault(number, "game", f"{what} of this study fit “{said['game']}”; name scene and condition too")
    numbers: dict[str, float | None] = {}
    for name in _NUMBERS:
        text = said.get(name, "")
        decimal = "," if "," in text else "."
        numbers[name] = as_number(text, decimal) if text else None
    which = said.get("pass", "")
    if which and not which.isdecimal():
        raise _fault(number, "pass", f"“{which}” is no number of a pass")
    try:
        data = ReportedIn(**numbers, read_from=said.get("read_from") or "a table")
    except ValidationError as error:
        fault = error.errors()[0]
        raise _fault(number, str(fault["loc"][0] if fault["loc"] else "average_fps"), str(fault["msg"])) from None
    return lane, fits[0], int(which) if which else None, data


def _fits(test: Test, said: dict[str, str]) -> bool:
    own = {"game": test.scene.game.name, "scene": test.scene.name, "condition": test.condition.name}
    return all(not said.get(name) or said[name].lower() == value.lower() for name, value in own.items())


def _fault(row: int, field: str, message: str) -> Problem:
    return Problem("bad_row", f"Row {row}, {field}: {message}.", field=field, row=row)
