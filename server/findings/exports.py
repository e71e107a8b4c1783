"""Findings to take along, as CSV."""

from __future__ import annotations

import csv
import io
from typing import Any

from rennbahn.display import fps, percent
from sheets import safe_cell

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
        "interval low %", "interval high %", f"{a} over {b} %", f"passes {a}", f"passes {b}", "verdict",
    ]  # fmt: skip
    sheet.writerow([safe_cell(name) for name in head])
    for test in found["tests"]:
        where = [safe_cell(test[name]) for name in ("game", "scene", "condition")]
        for key, name in _FIGURES:
            sheet.writerow([*where, name, *_margin_cells(test[key])])
    for key, name in _FIGURES:
        sheet.writerow(["all tests", "", "", name, *[""] * 8, safe_cell(found[key]["sentence"]["text"])])
    for one in found["caveats"]:
        words = f"{one['label']}: {one['about']}: {one['reason']}"
        sheet.writerow(["caveat", *[""] * 11, safe_cell(words)])
    return out.getvalue()


def _margin_cells(margin: dict[str, Any]) -> list[str]:
    if margin["left_out"] is not None:
        return [*[""] * 8, safe_cell(f"left out: {margin['left_out']['words']}")]
    levels = [fps(margin[lane]) if margin[lane] is not None else "" for lane in ("a", "b")]
    shares = (margin[name] for name in ("b_over_a", "low", "high", "a_over_b"))
    over = ["" if share is None else percent(share) for share in shares]
    return [*levels, *over, str(margin["n_a"]), str(margin["n_b"]), safe_cell(margin["words"])]
