"""Findings to take along, as CSV."""

from __future__ import annotations

import csv
import io
from typing import Any

from sheets import safe_cell
from studies.models import PassState
from studies.queries import with_lanes_and_tests

from findings.answers import kind_answer
from findings.queries import Asked, findings_of

_FIGURES = (("average", "average fps"), ("low_1", "1% low"), ("low_01", "0.1% low"))


def findings_csv(study_id: int, asked: Asked) -> str:
    """The margins of every test: levels, margins both ways round, interval, passes, verdict."""
    found = findings_of(study_id, asked)
    a, b = found["baseline"]["name"], found["other"]["name"]
    out = io.StringIO()
    sheet = csv.writer(out)
    head = [
        "game", "scene", "condition", "figure", f"{a} fps (baseline)", f"{b} fps", f"{b} over {a} %",
        "interval low %", "interval high %", f"{a} over {b} %", f"passes {a}", f"passes {b}",
        "as measured, before drift was taken off %", "verdict",
    ]  # fmt: skip
    sheet.writerow([safe_cell(name) for name in head])
    # Full values: a table is for further work. The screen rounds.
    for test in found["tests"]:
        where = [safe_cell(test[name]) for name in ("game", "scene", "condition")]
        for key, name in _FIGURES:
            sheet.writerow([*where, name, *_margin_cells(test[key])])
    for key, name in _FIGURES:
        suite = found[key]
        over = [_number(suite[part]) for part in ("margin", "low", "high")]
        reverse = None if suite["margin"] is None else 1.0 / (1.0 + suite["margin"]) - 1.0
        said = safe_cell(suite["sentence"]["text"])
        raw = _number(suite["drift"]["raw"] if suite["drift"] else suite["margin"])
        sheet.writerow(
            ["all tests", "", "", name, "", "", *over, _number(reverse), suite["tests"], suite["tests"], raw, said]
        )
    for one in found["rejected"]:
        words = safe_cell(f"{PassState(one['state']).label.lower()}: {one['reason']}")
        where = [safe_cell(one[part]) for part in ("test", "lane")]
        sheet.writerow(["left out", where[0], f"pass {one['number']}", where[1], *[""] * 9, words])
    for one in found["caveats"]:
        words = f"{one['label']}: {one['about']}: {one['reason']}"
        sheet.writerow(["caveat", *[""] * 12, safe_cell(words)])
    return out.getvalue()


#: What each kind of answer has a row for, by where a block holds it.
_ROWS = {
    "ladder": ("lanes",), "sweep": ("points",), "grid": ("effects",), "scaling": ("suite", "steps"),
    "budget": ("cells",), "several": ("suite", "scaling"), "proxy": (),
}  # fmt: skip
#: Parts of a block that are tables or texts of their own.
_NO_CELLS = (dict, list)


def answer_csv(study_id: int) -> str:
    """The numbers of a study's own kind of answer, a row a lane, step or test, with names for ids; shares as shares."""
    found, study = kind_answer(study_id), with_lanes_and_tests().get(pk=study_id)
    names = {str(lane.pk): lane.name for lane in study.lanes.all()}
    tests = {str(test.pk): f"{test.scene.game.name}, {test.scene.name}" for test in study.tests.all()}
    rows: list[dict[str, Any]] = []
    for block in found[found["kind"]] if found["kind"] in _ROWS else ():
        where = {"figure": block.get("figure", ""), "group": block["group_words"]}
        listed = [one for part in _ROWS[found["kind"]] for one in block[part]] or [block]
        rows += [where | _named(one, names, tests) for one in listed]
    heads = list(dict.fromkeys(name for row in rows for name in row))
    out = io.StringIO()
    sheet = csv.DictWriter(out, heads, restval="")
    sheet.writeheader()
    sheet.writerows(rows)
    return out.getvalue()


def _named(one: dict[str, Any], names: dict[str, str], tests: dict[str, str]) -> dict[str, str]:
    """A row's cells: ids of lanes and tests by their names, nothing for what is unknown."""
    of = {"test": tests} | dict.fromkeys(("lane", "over", "from", "to", "native", "outclassed_by"), names)
    cells = {}
    for name, value in one.items():
        if isinstance(value, list) and all(not isinstance(x, _NO_CELLS) for x in value):
            value = "-".join(map(str, value))  # noqa: PLW2901 - a range, as of ranks
        if not isinstance(value, _NO_CELLS):
            told = "" if value is None else str(of.get(name, {}).get(str(value), value))
            cells[name] = safe_cell(told) if isinstance(value, str) else told
    return cells


def _number(share: float | None) -> str:
    """A share in percent, in full."""
    return "" if share is None else repr(100.0 * share)


def _margin_cells(margin: dict[str, Any]) -> list[str]:
    if margin["left_out"] is not None:
        return [*[""] * 9, safe_cell(f"left out: {margin['left_out']['words']}")]
    levels = ["" if margin[lane] is None else repr(margin[lane]) for lane in ("a", "b")]
    over = [_number(margin[name]) for name in ("b_over_a", "low", "high", "a_over_b")]
    counts = [str(margin["n_a"]), str(margin["n_b"])]
    return [*levels, *over, *counts, _number(margin["raw_b_over_a"]), safe_cell(margin["words"])]
