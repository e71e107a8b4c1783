"""Findings to take along, as CSV."""

from __future__ import annotations

import csv
import io
from typing import Any

from rennbahn.comparing.words import level_words
from sheets import safe_cell
from studies.models import PassState
from studies.queries import with_lanes_and_tests

from findings.answers import kind_answer
from findings.queries import Asked, findings_of
from findings.record import record_of

_FIGURES = (("average", "average fps"), ("low_1", "1% low"), ("low_01", "0.1% low"))


def findings_csv(study_id: int, asked: Asked) -> str:
    """The margins of every test: levels, margins both ways round, interval, passes, verdict."""
    found = findings_of(study_id, asked)
    a, b = found["baseline"]["name"], found["other"]["name"]
    out = io.StringIO()
    sheet = csv.writer(out)
    head = [
        "game", "scene", "condition", "figure", f"{a} fps (baseline)", f"{b} fps", f"{b} over {a} %",
        f"{found['interval_words']} low %", f"{found['interval_words']} high %", f"{a} over {b} %",
        f"passes {a}", f"passes {b}",
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


#: What each kind of answer has a row for, by where a block holds it; a benchmark is a row by itself.
_ROWS = {
    "ladder": ("lanes",), "sweep": ("points",), "grid": ("effects", "interaction"), "scaling": ("suite", "steps"),
    "budget": ("cells",), "several": ("suite", "scaling"), "proxy": (),
}  # fmt: skip
#: What names a lane.
_LANES = ("lane", "from", "to", "outclassed_by", "widest_a", "widest_b")


def answer_csv(study_id: int) -> str:
    """The numbers of a study's own kind of answer, a row a lane, step or test, with names for ids; shares as shares."""
    found, study = kind_answer(study_id), with_lanes_and_tests().get(pk=study_id)
    lanes = {str(lane.pk): lane.name for lane in study.lanes.all()}
    tests = {str(test.pk): f"{test.scene.game.name}, {test.scene.name}" for test in study.tests.all()}
    names = {"test": tests} | dict.fromkeys(_LANES, lanes)
    kind, level = found["kind"], level_words(record_of(study_id).method)
    rows = [
        {"figure": block.get("figure", ""), "group": block["group_words"], "interval": level} | _cells(row, names)
        for block in (found[kind] if kind in _ROWS else ())
        for row in _rows(kind, block)
    ]
    out = io.StringIO()
    sheet = csv.DictWriter(out, list(dict.fromkeys(name for row in rows for name in row)), restval="")
    sheet.writeheader()
    sheet.writerows(rows)
    return out.getvalue()


def _rows(kind: str, block: dict[str, Any]) -> list[dict[str, Any]]:
    """The rows of a block: of a grid over all tests first, then test by test."""
    if not _ROWS[kind]:
        return [block]
    holders = [{"test": None} | block, *block["tests"]] if kind == "grid" else [block]
    found = []
    for holder in holders:
        where = {"test": holder["test"]} if kind == "grid" else {}
        for part in _ROWS[kind]:
            listed = holder[part] if isinstance(holder[part], list) else [holder[part]]
            found += [where | one for one in listed if one is not None]
    return found


def _cells(row: dict[str, Any], names: dict[str, dict[str, str]]) -> dict[str, str]:
    """A row as text: what is in parts a column a part, ranges as 2-3, nothing for what is unknown."""
    parted = {
        f"{name}_{part}" if part else name: cell
        for name, value in row.items()
        if name != "sentence"
        for part, cell in (value.items() if isinstance(value, dict) else (("", value),))
    }
    cells = {}
    for name, value in parted.items():
        if isinstance(value, list) and any(isinstance(one, dict | list) for one in value):
            continue
        told = "-".join(map(str, value)) if isinstance(value, list) else "" if value is None else str(value)
        told = names.get(name, {}).get(told, told)
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
