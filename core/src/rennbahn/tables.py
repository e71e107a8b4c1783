"""Answers to every kind of study as text for a terminal: the sentence, then a table of what it stands on."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from rennbahn.comparing.model import Study
from rennbahn.comparing.words import level_words
from rennbahn.display import fixed, fps, ms, percent, signed_percent
from rennbahn.kinds import Answer

Row = Mapping[str, Any]
_INTERVAL = "interval"


def aligned(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    """A table in columns: first and last to the left, numbers between to the right."""
    widths = [max(len(row[i]) for row in [heads, *rows]) for i in range(len(heads))]
    lines = []
    for row in (heads, ["─" * width for width in widths], *rows):
        cells = [
            cell.rjust(width) if 0 < i < len(row) - 1 else cell.ljust(width)
            for i, (cell, width) in enumerate(zip(row, widths, strict=True))
        ]
        lines.append("  ".join(cells).rstrip())
    return "\n".join(lines)


def answer_parts(study: Study, answer: Answer) -> list[str]:
    """Every block of an answer; none of A against B, whose comparisons stand alone."""
    names = {lane.id: lane.name for lane in study.lanes}
    whole = answer.sentence.text if answer.sentence else ""
    parts = [whole] if answer.blocks and whole != answer.blocks[0]["sentence"]["text"] else []
    for block in answer.blocks:
        heads, rows = _TABLES[answer.kind](block, names)
        # The level of every interval is said as it is, where looks make it stricter too.
        heads = [level_words(study.method) if name == _INTERVAL else name for name in heads]
        head = block["sentence"]["text"] + (f"\n{block['group']}" if block.get("group") else "")
        parts.append(f"{head}\n\n{aligned(heads, rows)}" if rows else head)
        parts += [one["words"] for one in block.get("needs", ())]
        parts += [block["equal_power"]["words"]] if block.get("equal_power") else []
    return parts


_Table = tuple[Sequence[str], list[list[str]]]


def _ladder(block: Row, names: Mapping[str, str]) -> _Table:
    rows = [
        [
            names[x["lane"]], fps(x["fps"]), _between(x["low"], x["high"], fps),
            "–".join(map(str, dict.fromkeys(x["ranks"]))), str(x["tier"]), _or(x["per_price"], lambda v: fixed(v, 3)),
            _or(x["per_watt"], lambda v: fixed(v, 2)),
            f"outclassed by {names[x['outclassed_by']]}" if x["outclassed_by"] else "",
        ]
        for x in block["lanes"]
    ]  # fmt: skip
    return ("lane", "fps", _INTERVAL, "rank", "tier", "fps per price", "fps per W", ""), rows


def _sweep(block: Row, names: Mapping[str, str]) -> _Table:
    rows = [
        [
            names[x["lane"]], fixed(x["level"], 1), fps(x["value"]), _between(x["low"], x["high"], fps),
            _or(x["watts"], lambda v: fixed(v, 0)), _or(x["per_watt"], lambda v: fixed(v, 3)),
            _or(x["gained"], lambda v: fixed(v, 3)),
        ]
        for x in block["points"]
    ]  # fmt: skip
    unit = block["unit"] or "level"
    level = f"level, {unit}" if block["unit"] else "level"
    return (
        "step",
        level,
        "fps",
        _INTERVAL,
        "W",
        "fps per W",
        f"fps gained per {unit}",
    ), rows


def _grid(block: Row, _: Mapping[str, str]) -> _Table:
    rows = [
        [
            where,
            f"{x['level']} over {x['over']}",
            _share(x["margin"]),
            _between(x["low"], x["high"], _share),
            x["verdict"],
        ]
        for where, found in [("all tests", block), *((one["test"], one) for one in block["tests"])]
        for x in found["effects"]
    ]
    return ("test", "effect", "margin", _INTERVAL, "verdict"), rows


def _scaling(block: Row, names: Mapping[str, str]) -> _Table:
    rows = [
        [
            x["test"] or "all tests", f"{names[x['from']]} to {names[x['to']]}", ms(x["cost_ms"]),
            _between(x["low"], x["high"], ms), _share(x["margin_down"]), _share(x["margin_up"]), x["verdict"],
        ]
        for x in [*block["suite"], *block["steps"]]
    ]  # fmt: skip
    return ("test", "step", "cost ms", _INTERVAL, "there", "back", "verdict"), rows


def _budget(block: Row, names: Mapping[str, str]) -> _Table:
    held = {True: "holds", False: "misses", None: "on the edge"}
    rows = [
        [
            x["test"], names[x["lane"]], _or(x["inside"], lambda v: f"{percent(v)}%"),
            _between(x["low"], x["high"], lambda v: f"{percent(v)}%"), _or(x["processor_limit_fps"], fps),
            _or(x["card_limit_fps"], fps), held[x["holds"]],
        ]
        for x in block["cells"]
    ]  # fmt: skip
    return ("test", "lane", "in time", _INTERVAL, "processor alone", "card alone", ""), rows


def _several(block: Row, names: Mapping[str, str]) -> _Table:
    rows = [
        [
            x["test"] or "all tests", names[x["lane"]], _share(x["margin"]), _between(x["low"], x["high"], _share),
            f"{percent(x['lost'])}%", x["held_by"] or "",
        ]
        for x in [*block["suite"], *block["scaling"]]
    ]  # fmt: skip
    return ("test", "lane", "added", _INTERVAL, "lost", "held by"), rows


def _proxy(block: Row, names: Mapping[str, str]) -> _Table:
    level, widest = block["level"], block["widest"]
    if level is None or widest is None:
        return ("",), []
    pair = f"{names[widest['b']]} over {names[widest['a']]}"
    rows = [
        ["play over benchmark", fixed(level["value"], 3), _between(level["low"], level["high"], _ratio), ""],
        [
            f"widest ratio of ratios, {pair}",
            _ratio(widest["value"]),
            _between(widest["low"], widest["high"], _ratio),
            "",
        ],
    ]
    return ("", "ratio", _INTERVAL, ""), rows


def _ratio(value: float) -> str:
    return fixed(value, 3)


def _share(value: float) -> str:
    return f"{signed_percent(value)}%"


def _or(value: float | None, words: Callable[[float], str]) -> str:
    return "–" if value is None else words(value)


def _between(low: float | None, high: float | None, words: Callable[[float], str]) -> str:
    return "–" if low is None or high is None else f"{words(low)} to {words(high)}"


_TABLES: Mapping[str, Callable[[Row, Mapping[str, str]], _Table]] = {
    "ladder": _ladder, "sweep": _sweep, "grid": _grid, "scaling": _scaling, "budget": _budget, "several": _several,
    "proxy": _proxy,
}  # fmt: skip
