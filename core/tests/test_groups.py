"""Groups of tests, the rule of adding passes, sentences in parts, and levels with numbers."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from rennbahn import cli
from rennbahn.comparing import Block, Study, compare_study
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.study import KINDS
from rennbahn.comparing.words import suite_sentence
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
        assert block.suite(AVERAGE, at) == one.suite(AVERAGE)
        assert block.margins(AVERAGE, at) == one.margins(AVERAGE)
        for kind in KINDS:
            assert block.agreement(kind, at) == one.agreement(kind)
        assert depends[at] == one.agreement(AVERAGE).depends_on_method


def test_the_command_line_gives_groups(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "study.json"
    file.write_text(json.dumps(study()))
    assert cli.main(["study", str(file), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)["compare"][0]["groups"]
    assert list(found) == list(MARGINS)
    assert set(found["expose"]) == {"tests", "suite", "agreement"}


def test_who_looks_after_every_pass_claims_less() -> None:
    claims = {}
    for looks in (None, {"first": 3, "limit": 12}):
        found = [
            margin
            for seed in range(30)
            for margin in compare_study(Study.from_json(study(looks=looks, seed=seed, spread=0.02)))
            .compare[0]
            .tests[AVERAGE]
            if margin.verdict in ("ahead", "behind")
        ]
        claims[looks is None] = sum(not margin.could_be_chance for margin in found)
        for margin in found:
            assert margin.p is not None
    assert claims[False] < claims[True], "the stricter level takes claims away and adds none"


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
        ("open", None, ""), ("two sticks", None, ""), ("V5", None, ""), ("1.2.3", None, ""),
    ],
)  # fmt: skip
def test_levels_are_read_as_they_are_typed(words: str, number: float | None, unit: str) -> None:
    assert level_of(f"  {words} ") == Level(words, number, unit)


def test_missing_cells_of_a_grid() -> None:
    assert missing_cells([], ["a", "b"]) == []
    full = [{"a": x, "b": y} for x in "12" for y in "34"]
    assert missing_cells(full, ["a", "b"]) == []
    assert missing_cells(full[:3], ["a", "b"]) == [{"a": "2", "b": "4"}]
