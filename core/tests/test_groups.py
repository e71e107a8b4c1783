"""Groups of tests, the rule of adding passes, sentences in parts, and levels with numbers."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from helpers import differences
from rennbahn import cli
from rennbahn.comparing import Block, Method, Study, compare_study
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.study import KINDS
from rennbahn.comparing.words import level_sentence, suite_sentence
from rennbahn.inference.looks import SequentialRule
from rennbahn.planning.amounts import amounts_of
from rennbahn.planning.levels import Level, level_of, missing_cells

MARGINS = {"typical": 0.02, "expose": 0.25}


def study(lanes: int = 2, looks: dict[str, int] | None = None, seed: int = 1, spread: float = 0.004) -> dict[str, Any]:
    rng = np.random.default_rng(seed)
    names = [chr(ord("A") + n) for n in range(lanes)]
    tests = [{"id": f"{g}-{n}", "scene": f"s{n}", "group": g} for g in MARGINS for n in range(6)]
    passes = [
        {
            "lane": lane, "test": test["id"], "status": "accepted",
            "figures": {AVERAGE: 80 * (1 + MARGINS[test["group"]]) ** at * float(np.exp(rng.normal(0, spread)))},
        }
        for test in tests for at, lane in enumerate(names) for _ in range(3)
    ]  # fmt: skip
    return {
        "name": "groups", "settings": {"looks": looks} if looks else {}, "lanes": [{"id": name} for name in names],
        "scenes": [{"id": f"s{n}"} for n in range(6)], "tests": tests, "passes": passes,
        "compare": [[a, b] for i, a in enumerate(names) for b in names[i + 1 :]],
    }  # fmt: skip


def alone(data: dict[str, Any], group: str) -> dict[str, Any]:
    """The same study with the passes of one group only; its noise is still that of all."""
    return {**data, "tests": [t for t in data["tests"] if t["group"] == group],
            "passes": [p for p in data["passes"] if p["test"].startswith(group)]}  # fmt: skip


def test_a_group_is_compared_as_if_it_stood_alone() -> None:
    data = study()
    comparison = compare_study(Study.from_json(data)).compare[0]
    assert comparison.groups is not None
    for group, margin in MARGINS.items():
        found = comparison.groups[group].suite[AVERAGE]
        apart = compare_study(Study.from_json(alone(data, group))).compare[0].suite[AVERAGE]
        assert found.margins == pytest.approx(apart.margins)
        assert found.margins is not None
        assert found.margins["geometric"] == pytest.approx(margin, abs=0.01)
        assert found.tests == 6
    assert comparison.suite[AVERAGE].tests == 12


def test_all_pairs_at_once_say_what_each_says_alone() -> None:
    whole = Study.from_json(study(lanes=5))
    sheet = Sheet(whole)
    block = Block(sheet, whole.compare, "expose")
    depends = block.depends_on_method(AVERAGE)
    for at, pair in enumerate(whole.compare):
        one = Block(sheet, (pair,), "expose")
        # Sums over pairs may be taken in another order: the last digits are not held.
        assert differences(block.suite(AVERAGE, at).as_json(), one.suite(AVERAGE).as_json()) == []
        together, alone_ = (found.margins(AVERAGE, number) for found, number in ((block, at), (one, 0)))
        for a, b in zip(together, alone_, strict=True):
            assert differences(a.as_json(), b.as_json()) == []
        for kind in KINDS:
            assert block.agreement(kind, at) == one.agreement(kind)
        assert depends[at] == one.agreement(AVERAGE).depends_on_method


def test_the_command_line_gives_groups(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "study.json"
    file.write_text(json.dumps(study()))
    assert cli.main(["study", str(file), "--json"]) == 0
    whole = json.loads(capsys.readouterr().out)["compare"][0]
    found = whole["groups"]
    assert list(found) == list(MARGINS)
    assert set(found["expose"]) == {"suite", "agreement"}
    assert set(whole["suite"].values()) | set(whole["agreement"].values()) == {None}, "nothing is pooled over groups"
    assert cli.main(["study", str(file)]) == 0
    lines = capsys.readouterr().out.splitlines()
    for group in MARGINS:
        assert sum(f"in average fps with {group} in these games" in line for line in lines) == 1


def test_who_looks_after_every_pass_has_wider_intervals_everywhere() -> None:
    once, often = (
        compare_study(Study.from_json(study(looks=looks, spread=0.02))).compare[0]
        for looks in (None, {"first": 3, "limit": 12})
    )
    assert once.interval_level == 0.05
    assert often.interval_level == pytest.approx(0.012954, abs=1e-6)
    for a, b in zip(once.tests[AVERAGE], often.tests[AVERAGE], strict=True):
        assert a.interval is not None
        assert b.interval is not None
        assert b.interval[0] < a.interval[0] < a.interval[1] < b.interval[1]
        assert a.p == b.p, "p is that of one look"
    assert once.suite[AVERAGE].measured is not None
    assert often.suite[AVERAGE].measured is not None
    for school, narrow in once.suite[AVERAGE].measured.items():
        wide = often.suite[AVERAGE].measured[school]
        assert narrow.interval is not None
        assert wide.interval is not None
        assert wide.interval[0] < narrow.interval[0]
    assert once.suite[AVERAGE].games_interval == often.suite[AVERAGE].games_interval
    words = suite_sentence(often.suite[AVERAGE], Method(looks=SequentialRule(12)), AVERAGE, "A", "B").text
    assert "98.7% interval −" in words or "98.7% interval +" in words
    assert "3, 4, … 12 passes a lane" in level_sentence(Method(looks=SequentialRule(12)))


@pytest.mark.parametrize("share", [0.05, -0.05, 0.0001])
def test_a_sentence_is_its_parts(share: float) -> None:
    data = study()
    for one in data["passes"]:
        level = 100.0 * (1 + share if one["lane"] == "B" else 1)
        one["figures"] = {AVERAGE: level * (1 + 1e-6 * (hash(one["test"]) % 7))}
    whole = Study.from_json(data)
    sentence = suite_sentence(compare_study(whole).compare[0].suite[AVERAGE], whole.method, AVERAGE, "A lane", "b lane")
    answer = {0.05: "5.0% ahead", -0.05: "5.0% behind"}.get(share, "even")
    assert sentence.answer == answer
    assert sentence.text == f"{sentence.before}{answer}{sentence.after} ({sentence.basis})."
    assert sentence.before.startswith("B lane")


@pytest.mark.parametrize(
    ("words", "number", "unit"),
    [
        ("120 W", 120, "W"), ("120W", 120, "W"), ("1,200 W", 1200, "W"), ("0.3 kW", 0.3, "kW"), ("2,5 GHz", 2.5, "GHz"),
        ("+20 %", 20, "%"), ("-50 mV", -50, "mV"), ("1.234.567 x", 1_234_567, "x"), ("1,234.5 MHz", 1234.5, "MHz"),
        ("1.200 W", 1200, "W"), ("1 200 W", 1200, "W"), ("1’200 W", 1200, "W"), ("1.350 V", 1.35, "V"),
        ("−50 mV", -50, "mV"), ("1,200 points", 1200, "points"),
        ("open", None, ""), ("two sticks", None, ""), ("V5", None, ""), ("1.2.3", None, ""),
    ],
)  # fmt: skip
def test_levels_are_read_as_they_are_typed(words: str, number: float | None, unit: str) -> None:
    assert level_of(f"  {words} ") == Level(words, number, unit)


@pytest.mark.parametrize("text", ["1.200 W", "1 200 W", "1,200 W", "2,5 GHz", "1.350 V", "−50 mV", "+20 %", "300 Watt"])
def test_an_axis_and_a_difference_read_the_same_amount(text: str) -> None:
    level, (amount,) = level_of(text), amounts_of(text)
    factor = {"GHz": 1000.0, "mV": 0.001}.get(level.unit, 1.0)
    assert level.number is not None
    assert level.number * factor == pytest.approx(amount.number)


def test_missing_cells_of_a_grid() -> None:
    assert missing_cells([], ["a", "b"]) == []
    full = [{"a": x, "b": y} for x in "12" for y in "34"]
    assert missing_cells(full, ["a", "b"]) == []
    assert missing_cells(full[:3], ["a", "b"]) == [{"a": "2", "b": "4"}]
