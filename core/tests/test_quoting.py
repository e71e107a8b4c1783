"""Numbers as an article says them: tied to what they are of, found where they are bare, held against what was said."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from kinds_files import study as made_up
from rennbahn.comparing.model import Study
from rennbahn.packages.numbers import numbers_of
from rennbahn.quoting import bare_numbers, corrections, is_of_money, quotes_of

REFERENCE = json.loads((Path(__file__).parent / "reference" / "study.json").read_text())["cases"]
LANES = [{"id": f"l{at}", "name": f"Brandt {at}", "price": 100 + 50 * at} for at in range(3)]
TESTS = [{"id": f"t{at}", "scene": f"s{at}", "game": f"Game {at}"} for at in range(3)]


def ladder(**more: Any) -> Study:
    told = made_up("ladder", LANES, TESTS, lambda lane, _: 60.0 + 10 * int(lane["id"][1:]), **more)
    return Study.from_json(told)


@pytest.mark.parametrize("case", [pytest.param(one, id=one["name"]) for one in REFERENCE])
def test_every_quote_is_a_number_of_the_package_by_its_name(case: dict[str, Any]) -> None:
    study = Study.from_json(case["input"])
    told = {one.what: one for one in numbers_of(study)}
    quotes = quotes_of(study)
    assert len({one.key for one in quotes}) == len(quotes)
    for one in quotes:
        assert told[one.key].value == one.value
    assert quotes or not any(one["status"] == "accepted" for one in case["input"]["passes"])


def test_a_margin_is_said_with_its_direction_its_baseline_and_its_interval() -> None:
    case = next(one for one in REFERENCE if one["name"] == "nine games, some at two conditions")
    names = {lane["id"]: lane["name"] for lane in case["input"]["lanes"]}
    first, *rest = quotes_of(Study.from_json(case["input"]))
    assert first.of == f"Average fps: {names['B']} over {names['A']}, suite", "the suite comes first"
    assert first.text == "+3.3%"
    assert first.interval == "+3.0% to +3.6%"
    assert (first.lanes, first.verdict) == (("A", "B"), "ahead")
    back = next(one for one in rest if one.of.startswith(f"Average fps: {names['A']} over {names['B']} in"))
    forth = next(one for one in rest if one.tests == back.tests and one.lanes == ("A", "B"))
    assert back.lanes == ("B", "A"), "the one that all are held against comes first"
    assert back.value == pytest.approx(1 / (1 + forth.value) - 1, rel=1e-9)


def test_a_figure_of_another_school_is_never_quoted() -> None:
    for one in quotes_of(ladder()):
        assert "slowest" not in one.key


def test_money_is_said_in_its_currency_and_not_at_all_without_one() -> None:
    prices = [one for one in quotes_of(ladder(), "EUR") if one.of.startswith("Price of")]
    assert {one.text for one in prices} == {"100 EUR", "150 EUR", "200 EUR"}
    assert {is_of_money(one.key) for one in prices} == {True}
    told = {one.key for one in quotes_of(ladder())}
    dear = {one.key for one in quotes_of(ladder(), "EUR")}
    assert {key for key in dear if is_of_money(key)} == dear - told
    assert not [one for one in quotes_of(ladder()) if "ost" in one.of or one.of.startswith("Price")]


def test_bare_numbers_are_found_with_what_they_might_be() -> None:
    quotes = quotes_of(ladder(), "EUR")
    level = next(one for one in quotes if one.of == "Average fps of Brandt 2, suite")
    text = f"In 2026 Brandt 2 ran at {level.text}, 12,5 % more; a frame took 12.5 ms; it costs 200 EUR."
    found = bare_numbers(text, quotes)
    assert [one.text for one in found] == [level.text, "12,5 %", "12.5 ms", "200 EUR"]
    assert found[0].guesses[0].key == level.key
    assert not found[1].guesses
    assert [one.of for one in found[3].guesses] == ["Price of Brandt 2"]
    for one in found:
        assert text[one.start : one.stop] == one.text


@pytest.mark.parametrize(
    "text", ["Brandt 520", "2560 x 1440", "in 3 of 4 games", "100 passes", "v1.2.3", "60", "5 Waffles"]
)
def test_what_is_no_claim_is_left_alone(text: str) -> None:
    assert bare_numbers(text) == []


def test_a_rounded_number_may_be_what_it_was_rounded_from() -> None:
    quotes = quotes_of(ladder())
    level = next(one for one in quotes if one.of == "Average fps of Brandt 1, suite")
    assert level in bare_numbers(f"{level.value:.0f} fps", quotes)[0].guesses


@pytest.mark.parametrize("case", [pytest.param(one, id=one["name"]) for one in REFERENCE])
def test_no_words_stand_for_two_numbers(case: dict[str, Any]) -> None:
    of = [one.of for one in quotes_of(Study.from_json(case["input"]), "EUR")]
    assert len(set(of)) == len(of)


def test_a_cost_names_what_it_is_over_and_by_which_figure() -> None:
    lanes = [{"id": "off", "name": "Off", "step": 1}, {"id": "on", "name": "Haze", "step": 2}]
    told = made_up("scaling", lanes, TESTS, lambda lane, _: 100.0 if lane["id"] == "off" else 80.0)
    costs = {one.of: one for one in quotes_of(Study.from_json(told)) if one.text.endswith(" ms")}
    assert {one for one in costs if one.endswith("suite")} == {
        "Cost of Haze over Off a frame, by average fps, suite",
        "Cost of Haze over Off a frame, by 1% low, suite",
    }
    suite = costs["Cost of Haze over Off a frame, by average fps, suite"]
    assert suite.value == pytest.approx(1000 / 80 - 1000 / 100, rel=0.05)
    assert (suite.lanes, suite.interval[-3:]) == (("off", "on"), " ms")


def test_the_lowest_and_the_highest_pass_of_a_cell_are_no_interval() -> None:
    cells = [one for one in quotes_of(ladder()) if '"cells"' in one.key]
    assert cells
    assert {one.interval for one in cells} == {""}


def test_a_suite_stands_on_the_tests_that_take_part_in_it() -> None:
    case = next(one for one in REFERENCE if one["name"] == "a capped test")
    capped = {one["test"] for one in case["input"]["passes"] if "capped" in one.get("flags", ())}
    suite = quotes_of(Study.from_json(case["input"]))[0]
    assert capped
    assert set(suite.tests) == {one["id"] for one in case["input"]["tests"]} - capped


def test_a_suite_within_the_band_is_even_as_its_verdict_says() -> None:
    case = next(one for one in REFERENCE if one["name"] == "nine games, some at two conditions")
    wide = {**case["input"], "settings": {**case["input"].get("settings", {}), "equal_band": 0.2}}
    assert quotes_of(Study.from_json(wide))[0].verdict == "even"


def test_corrections_name_what_was_said_and_is_said_no_more_flips_first() -> None:
    before = {"x": ("of x", "+1%", "ahead"), "y": ("of y", "+2%", "ahead"), "gone": ("of z", "3", "")}
    after = {"x": ("of x", "+1.5%", "ahead"), "y": ("of y", "−2%", "behind"), "new": ("of n", "4", "")}
    found = corrections(before, after)
    assert [(one.key, one.before, one.after, one.flip) for one in found] == [
        ("y", "+2%", "−2%", True), ("x", "+1%", "+1.5%", False), ("gone", "3", "", False),
    ]  # fmt: skip
    assert corrections(before, before) == []
