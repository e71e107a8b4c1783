"""Every number that a study comes to, a row each: named by what it is of, so that it is found again."""

from __future__ import annotations

import json
import math
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import Study
from rennbahn.comparing.study import compare_study
from rennbahn.kinds.answer import answer_of
from rennbahn.packages.tables import Row, Table, cell

#: What names a number by a word beside it.
_NAMES = {
    "a", "b", "lane", "test", "scene", "group", "figure", "game", "from", "to", "factor", "target", "level_of", "part",
}  # fmt: skip
#: The number that an interval beside it is of, whichever comes first.
_MAIN = ("b_over_a", "margin", "value", "cost_ms", "fps", "inside", "share_kept", "scaling", "processor_ceiling_fps")
_INTERVAL = "interval"
COLUMNS = ("id", "what", "value", "low", "high", "verdict")


@dataclass(frozen=True)
class Number:
    """A number with its interval and verdict; `what` names it, as JSON."""

    what: str
    value: float | None
    low: float | None = None
    high: float | None = None
    verdict: str = ""


def numbers_of(study: Study) -> list[Number]:
    """All numbers of a study: cells, margins of the pairs to compare, suites, and what its kind is asked for."""
    return [number for _, number in named_numbers(study)]


def named_numbers(
    study: Study, wanted: Callable[[Mapping[str, Any]], bool] = lambda _: True
) -> Iterator[tuple[Mapping[str, Any], Number]]:
    """The numbers of a study whose names are `wanted`, each with what names it; their `what` is as among all."""
    sheet = Sheet(study)
    result = compare_study(study, sheet).as_json() | answer_of(sheet).as_json()
    seen: Counter[str] = Counter()
    for names, number in _walk(result, {"of": []}):
        # Numbers of the same names are all wanted or none of them, so that which of them one is stays the same.
        if not wanted(names):
            continue
        what = json.dumps(names, ensure_ascii=False, sort_keys=True)
        seen[what] += 1
        # The same words twice are told apart by which of them it is.
        again = json.dumps(names | {"nth": seen[what]}, ensure_ascii=False, sort_keys=True) if seen[what] > 1 else what
        yield names, Number(again, **number)


def findings_table(study: Study) -> Table:
    """The numbers of a study as the table of a package."""
    rows: list[Row] = [
        {
            "id": f"f{at}", "what": one.what, "value": cell(one.value), "low": cell(one.low), "high": cell(one.high),
            "verdict": one.verdict,
        }
        for at, one in enumerate(numbers_of(study), start=1)
    ]  # fmt: skip
    return Table(COLUMNS, rows)


def _walk(node: Any, names: Mapping[str, Any]) -> Iterator[tuple[dict[str, Any], dict[str, Any]]]:
    if isinstance(node, dict):
        here = dict(names) | {name: value for name, value in node.items() if name in _NAMES and isinstance(value, str)}
        yield from _own(node, here)
        told = _main_of(node) is not None
        for name, below in node.items():
            if isinstance(below, (dict, list)) and not (told and name == _INTERVAL):
                yield from _walk(below, here | {"of": [*here["of"], name]})
    elif isinstance(node, list):
        for at, below in enumerate(node):
            if isinstance(below, (dict, list)):
                named = isinstance(below, dict) and any(isinstance(below.get(name), str) for name in _NAMES)
                yield from _walk(below, names if named else dict(names) | {"of": [*names["of"], at]})
            elif _is_number(below):
                yield dict(names) | {"of": [*names["of"], at]}, {"value": float(below)}


def _own(node: Mapping[str, Any], here: dict[str, Any]) -> Iterator[tuple[dict[str, Any], dict[str, Any]]]:
    """The numbers of one block, its interval and verdict with the one that they are of."""
    numbers = {name: float(value) for name, value in node.items() if _is_number(value)}
    main, pair = _main_of(node), node.get(_INTERVAL)
    if isinstance(pair, list) and len(pair) == 2 and all(map(_is_number, pair)):
        numbers |= {"low": float(pair[0]), "high": float(pair[1])}
    for name, value in numbers.items():
        if main is not None and name in ("low", "high"):
            continue
        number: dict[str, Any] = {"value": value}
        if name == main:
            verdict = node.get("verdict")
            number |= {
                "low": numbers.get("low"), "high": numbers.get("high"),
                "verdict": verdict if isinstance(verdict, str) else "",
            }  # fmt: skip
        yield here | {"number": name}, number


def _main_of(node: Mapping[str, Any]) -> str | None:
    """The number that a block's interval is of."""
    return next((name for name in _MAIN if _is_number(node.get(name))), None)


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)
