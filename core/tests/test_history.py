"""Cells of many days: how unlike sessions are, margins between them, steps; by another computation and on trial."""

from __future__ import annotations

import json
import math
import statistics
from dataclasses import replace
from pathlib import Path
from typing import Any

import comparing_oracle as oracle
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.cli import main
from rennbahn.errors import RennbahnError
from rennbahn.history import Cell, HistoryAsked, history_from_json, history_of, sentences_of
from scipy.stats import t as student
from trials.history import trial


def cell(*passes: float, part: str = "p", test: str = "t", session: str = "one", **more: Any) -> Cell:
    return Cell(part, test, session, more.pop("date", "2026-09-01"), passes, **more)


def by_hand(asked: HistoryAsked) -> dict[str, Any]:
    """The same in plain loops, with pools as of the oracle of studies."""
    logs = [[math.log(x) for x in one.passes] for one in asked.cells]
    squares: dict[str, float] = {}
    freedom: dict[str, int] = {}
    for one, own in zip(asked.cells, logs, strict=True):
        squares[one.test] = squares.get(one.test, 0) + sum((x - statistics.fmean(own)) ** 2 for x in own)
        freedom[one.test] = freedom.get(one.test, 0) + len(own) - 1
    pools = {test: oracle.pool_of(test, freedom, squares) for test in squares}
    groups: dict[tuple[str, ...], dict[str, list[float]]] = {}
    for one, own in zip(asked.cells, logs, strict=True):
        of = groups.setdefault((one.part, one.driver, one.build, one.test), {})
        of.setdefault(one.session, []).extend(own)
    q = c = inner = d = met = 0.0
    for (_, _, _, test), sessions in groups.items():
        if len(sessions) > 1:
            everything = [x for own in sessions.values() for x in own]
            middle, whole = statistics.fmean(everything), len(everything)
            q += sum(len(own) * (statistics.fmean(own) - middle) ** 2 for own in sessions.values())
            c += whole - sum(len(own) ** 2 for own in sessions.values()) / whole
            inner += (len(sessions) - 1) * (pools[test].v or 0)
            d, met = d + len(sessions) - 1, met + 1
    seen = max(0, (q - inner) / c) if c else 0
    between = (4 * 0.006**2 + d * seen) / (4 + d)

    def ends(a: int, b: int, level: float) -> tuple[float, float | None, float | None]:
        one, other = asked.cells[a], asked.cells[b]
        log = math.log(statistics.fmean(other.passes) / statistics.fmean(one.passes))
        pool = pools[one.test]
        if pool.v is None or pool.df < 1:
            return log, None, None
        own = pool.v * (1 / len(one.passes) + 1 / len(other.passes))
        alone = student.ppf(1 - level / 2, pool.df) * math.sqrt(own)
        if one.session == other.session:
            return log, alone, alone
        df = (own + 2 * between) ** 2 / (own**2 / pool.df + (2 * between) ** 2 / (4 + d))
        return log, max(alone, student.ppf(1 - level / 2, df) * math.sqrt(own + 2 * between)), alone

    order = sorted(range(len(logs)), key=lambda at: (asked.cells[at].date, at))
    neighbours = []
    for key in dict.fromkeys((one.part, one.test) for one in asked.cells):
        own = [at for at in order if (asked.cells[at].part, asked.cells[at].test) == key]
        neighbours += [(a, b) for a, b in zip(own, own[1:], strict=False)]  # noqa: RUF007
    steps = set()
    for a, b in neighbours:
        log, half, _ = ends(a, b, 0.05 / len(neighbours))
        if half is not None and not -half <= log <= half:
            steps.add((a, b))
    return {"sd": math.sqrt(between), "df": 4 + d, "met": met, "ends": [ends(a, b, 0.05) for a, b in asked.pairs],
            "steps": steps}  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 30))
def test_all_of_it_is_what_another_computation_says(seed: int, many: int) -> None:
    rng = np.random.default_rng(seed)
    cells = tuple(
        cell(
            *(float(80 * math.exp(rng.normal(0.02 * rng.integers(3), 0.01))) for _ in range(int(rng.integers(1, 5)))),
            part=f"p{rng.integers(3)}", test=f"t{rng.integers(7)}", session=f"s{rng.integers(4)}",
            driver=f"d{rng.integers(2)}", date=f"2026-0{rng.integers(1, 10)}-11",
        )
        for _ in range(many)
    )  # fmt: skip
    pairs = tuple((a, b) for a in range(many) for b in range(many) if a != b and cells[a].test == cells[b].test)[:20]
    asked = HistoryAsked(cells, pairs)
    found, other = history_of(asked), by_hand(asked)
    assert found.between.sd == pytest.approx(other["sd"])
    assert (found.between.df, found.between.from_cells) == (other["df"], other["met"])
    assert {(one.from_, one.to) for one in found.steps} == other["steps"]
    for one, (log, half, alone) in zip(found.margins, other["ends"], strict=True):
        assert one.margin == pytest.approx(math.expm1(log))
        if half is None:
            assert (one.low, one.verdict, one.widened_by) == (None, "open", None)
        else:
            assert one.high == pytest.approx(math.expm1(log + half))
            assert one.widened_by == pytest.approx(half / alone - 1 if alone else 0)


def test_before_anything_returned_something_is_known() -> None:
    found = history_of(HistoryAsked((cell(90, 91, 90.4), cell(95, 96, 95.4, part="q", session="two")), ((0, 1),)))
    assert (found.between.sd, found.between.df, found.between.from_cells) == (0.006, 4, 0)
    assert found.margins[0].widened_by is not None
    assert found.margins[0].widened_by > 0


def test_within_a_session_nothing_is_added() -> None:
    cells = (cell(90, 91, 90.5), cell(95, 96, 95.5, part="q"))
    (together,) = history_of(HistoryAsked(cells, ((0, 1),))).margins
    (apart,) = history_of(HistoryAsked((cells[0], replace(cells[1], session="two")), ((0, 1),))).margins
    assert together.widened_by == 0
    assert together.high is not None
    assert apart.high is not None
    assert apart.high > together.high


def test_a_step_is_named_with_what_changed_and_a_wobble_is_not() -> None:
    days = [cell(80, 80.3, 79.8, session=f"s{n}", date=f"2026-0{n}-01", driver=f"{n}.0") for n in range(1, 5)]
    days += [cell(88, 88.3, 87.8, session="s5", date="2026-05-01", driver="5.0")]
    asked = HistoryAsked(tuple(reversed(days)))
    found = history_of(asked)
    assert [(one.from_, one.to) for one in found.steps] == [(1, 0)], "by date, not as they stand"
    assert sentences_of(asked, found)[0].startswith("p in t stepped by +10.0%")
    assert "driver 4.0 to 5.0" in sentences_of(asked, found)[0]


def test_sentences_say_how_much_wider_other_days_make_it() -> None:
    asked = HistoryAsked((cell(90, 90.2, 89.9), cell(95, 95.2, 94.9, part="q", session="two")), ((0, 1),))
    first, last = sentences_of(asked, history_of(asked))
    assert "q over p in t: +5.6%" in first
    assert "wider; a control pass would narrow it." in first
    assert "nothing was measured in two of them yet" in last
    alone = HistoryAsked((cell(90), cell(95, part="q")), ((0, 1),))
    assert "so there is no interval" in sentences_of(alone, history_of(alone))[0]


def test_it_is_told_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    cells = [
        {"part": "p", "test": "t", "session": f"s{n}", "date": f"2026-0{n}-01", "passes": [80 + n, 80.5 + n]}
        for n in (1, 2)
    ]
    path = tmp_path / "cells.json"
    path.write_text(json.dumps({"cells": cells, "pairs": [[0, 1]]}))
    assert main(["history", "--json", str(path)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {key: set(told[key]) if isinstance(told[key], dict) else len(told[key]) for key in told} == {
        "between": {"sd", "df", "from_cells"}, "margins": 1, "steps": 0,
    }  # fmt: skip
    assert set(told["margins"][0]) == {"a", "b", "margin", "low", "high", "verdict", "widened_by"}
    assert main(["history", str(path)]) == 0
    assert "p (2026-02-01) over p (2026-01-01) in t" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"cells": [{"part": "p"}]}, "cell 0 lacks date"),
        ({"of": {"date": "soon"}}, "cell 0: date must be a day"),
        ({"of": {"date": "2026-02-30"}}, "cell 0: date must be a day"),
        ({"of": {"passes": []}}, "cell 0 has no pass"),
        ({"of": {"passes": [80, -1]}}, "passes must be above 0"),
        ({"pairs": [[0, 2]]}, "names cell 2, of 2"),
        ({"pairs": [[0, 0]]}, "against itself"),
        ({"pairs": [[0]]}, "must name two cells"),
        ({"of": {"test": "u"}, "pairs": [[0, 1]]}, "are of two tests, u and t"),
        ({"of": {"lane": "x"}}, "the key lane is not known"),
    ],
)
def test_what_is_no_history_is_refused_by_name(change: dict[str, Any], says: str) -> None:
    one = {"part": "p", "test": "t", "session": "s", "date": "2026-01-01", "passes": [80]}
    data = {"cells": [one | change.get("of", {}), one]} | {key: x for key, x in change.items() if key != "of"}
    with pytest.raises(RennbahnError, match=says):
        history_from_json(data)


def test_rates_under_simulation() -> None:
    """Small and seeded; docs/measures.md has the rates of more."""
    found = {one.name: one.found for one in trial(250, seed=5)}
    assert min(share for name, share in found.items() if "interval" in name) >= 0.9
    assert max(share for name, share in found.items() if "direction" in name) <= 0.06
    assert found["a step that is not there, anywhere in a history"] <= 0.06
    assert found["a step of 5% is named"] >= 0.5
