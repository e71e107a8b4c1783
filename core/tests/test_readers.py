"""What a study is to a reader: the floor, the display, the money."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from rennbahn import comparing
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.facts import LaneFacts
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.sentences import Naming
from rennbahn.errors import RennbahnError
from rennbahn.kinds.reader_words import cheapest_words, lane_words, reader_sentence, test_words
from rennbahn.kinds.readers import ForReader, Reader, for_reader
from rennbahn.worth import break_even_years, ownership, together_dba

NAMES = Naming({"a": "Quiet", "b": "Loud"}, {}, {})
COUCH = Reader("the couch", 60.0, variable=False, floor_fps=40.0, price_per_kwh=0.4, currency="EUR", budget=300.0)


def sheet_of(
    rates: Mapping[str, Sequence[float | None]],
    facts: Mapping[str, LaneFacts] | None = None,
    noise: float = 0.004,
    seed: int = 3,
) -> Sheet:
    """Lanes a and b with five passes around true average rates in each test; a rate of None did not launch."""
    rng = np.random.default_rng(seed)
    count = len(next(iter(rates.values())))
    passes = []
    for lane, own in rates.items():
        for t, rate in enumerate(own):
            for number in range(5):
                where = {"id": f"{lane}{t}{number}", "lane": lane, "test": f"t{t}"}
                if rate is None:
                    passes.append(comparing.Pass(**where, status="did_not_launch", figures={}))
                    continue
                figures = {
                    AVERAGE: float(rate * math.exp(rng.normal(0, noise))),
                    "low_1.percentile": float(0.7 * rate * math.exp(rng.normal(0, noise))),
                }
                passes.append(comparing.Pass(**where, status="accepted", figures=figures))
    return Sheet(
        comparing.Study(
            name="Quiet or loud?", method=comparing.Method(), compare=(), passes=tuple(passes),
            lanes=tuple(comparing.Lane(x, NAMES.lanes.get(x, x), (facts or {}).get(x, LaneFacts())) for x in rates),
            scenes=tuple(comparing.Scene(f"s{t}", f"Game {t}", "yard") for t in range(count)),
            tests=tuple(comparing.Test(f"t{t}", f"s{t}", "usual") for t in range(count)),
        )
    )  # fmt: skip


def told(rates: Mapping[str, Sequence[float | None]], reader: Reader = COUCH, **more: Any) -> ForReader:
    return for_reader(sheet_of(rates, **more), reader, ("a", "b"))


@pytest.mark.parametrize(
    ("a", "b", "matters", "words"),
    [
        (50.0, 35.0, "crosses", "only Quiet holds 40 fps"),
        (35.0, 50.0, "crosses", "only Loud holds 40 fps"),
        (45.0, 40.0, "may_cross", "on the edge of 40 fps: Loud"),
        (45.0, 52.0, "noticed", "can be seen, +15."),
        (52.0, 45.0, "noticed", "can be seen, −13."),
        (45.0, 45.5, "not_noticed", "too little to see"),
        (90.0, 130.0, "beyond_display", "both faster than 60 Hz shows"),
        (20.0, 30.0, "both_below", "both below 40 fps"),
        (50.0, None, "no_number", "no rate in one of the lanes"),
    ],
)
def test_each_test_is_told_for_the_reader(a: float, b: float | None, matters: str, words: str) -> None:
    found = told({"a": [a, 45.0, 45.0], "b": [b, 45.0, 45.0]})
    assert found.tests[0].matters == matters
    assert test_words(found.tests[0], found, NAMES).startswith(words)
    assert sum(found.counts.values()) == 3


def test_no_rate_counts_for_more_than_the_display_shows() -> None:
    found = told({"a": [57.0], "b": [114.0]}).tests[0]
    assert found.seen == pytest.approx(60.0 / 57.0 - 1.0, abs=0.01)
    assert found.seen_high == pytest.approx(60.0 / 57.0 - 1.0, abs=0.01)
    fast = told({"a": [57.0], "b": [114.0]}, replace(COUCH, display_hz=240.0)).tests[0]
    assert fast.seen == pytest.approx(1.0, abs=0.02)


def test_a_floor_may_be_held_on_the_low() -> None:
    on_low = told({"a": [50.0, 70.0], "b": [60.0, 90.0]}, replace(COUCH, floor_on="low_1"))
    assert [one.matters for one in on_low.tests] == ["crosses", "beyond_display"]
    assert on_low.tests[0].a == pytest.approx(35.0, rel=0.01)


@pytest.mark.parametrize(
    ("a", "b", "sentence"),
    [
        (
            [50.0, 50.0, 90.0],
            [35.0, 35.0, 130.0],
            "it matters in 2 of 3 tests, Loud over Quiet: 2 in which only Quiet holds 40 fps",
        ),
        (
            [50.0, 35.0],
            [35.0, 50.0],
            "it matters in 2 of 2 tests, Loud over Quiet: 1 in which only Loud holds 40 fps and 1 in which only Quiet",
        ),
        ([45.0], [52.0], "it can be seen in 1 of 1 test, Loud over Quiet"),
        ([45.0, 90.0], [45.2, 99.0], "it does not matter, Loud over Quiet: none crosses 40 fps"),
        ([45.0], [40.0], "not shown to matter, Loud over Quiet; 1 on the edge of the floor"),
        ([None], [40.0], "nothing to tell yet"),
    ],
)
def test_the_sentence_says_whether_it_matters(a: list[float], b: list[float], sentence: str) -> None:
    text = reader_sentence(told({"a": a, "b": b}), NAMES).text
    assert text.startswith(f"the couch: {sentence}"), text
    assert "display fixed at 60 Hz, playable from 40 fps on average, notices 5%" in text


def test_price_and_power_are_held_against_the_baseline() -> None:
    facts = {
        "a": LaneFacts(price=200.0, power_w=250.0, weight_g=900.0),
        "b": LaneFacts(price=350.0, power_w=100.0, noise_dba=31.0),
    }
    found = told({"a": [50.0, 50.0], "b": [55.0, 55.0]}, facts=facts)
    base, other = found.lanes
    # By hand: 150 W less, 2 h a day, 365 days, 0.40 a kWh: 43.80 a year; 150 more in price: 3.42 years.
    assert base.kwh_a_year == pytest.approx(182.5)
    assert other.break_even_years == pytest.approx(150.0 / 43.8)
    assert other.cost_owned == pytest.approx(350.0 + 4 * 29.2)
    assert (other.within_budget, base.within_budget, base.weight_g, other.noise_dba) == (False, True, 900.0, 31.0)
    assert found.cheapest == "a"
    assert lane_words(other, found, NAMES) == (
        "beyond the budget of 300 EUR; 25 EUR less than Quiet over 4 years of use; makes up for its price after "
        "3.4 years"
    )
    assert cheapest_words(found, NAMES).startswith("Cheapest within 300 EUR that holds 40 fps on average over the")


def test_prices_in_another_currency_are_never_summed() -> None:
    facts = {"a": LaneFacts(price=200.0, power_w=250.0), "b": LaneFacts(price=350.0, power_w=100.0)}
    found = for_reader(sheet_of({"a": [50.0], "b": [55.0]}, facts), COUCH, ("a", "b"), priced=False)
    assert [(one.price, one.cost_owned, one.break_even_years) for one in found.lanes] == [(None, None, None)] * 2
    assert found.lanes[0].energy_cost_a_year == pytest.approx(73.0)
    assert cheapest_words(found, NAMES) == ""


@pytest.mark.parametrize(
    ("rates", "sentence"),
    [
        (
            {"a": [50.0, 60.0], "b": [70.0, 80.0], "c": [30.0, 30.0]},
            "the couch: Quiet is the cheapest within 300 EUR that holds 40 fps on average over the tests, 1 below it (",
        ),
        ({"a": [20.0], "b": [80.0], "c": [20.0]}, "the couch: no lane within 300 EUR holds 40 fps on average over the"),
        (
            {"a": [50.0, None], "b": [70.0, 80.0], "c": [50.0, 50.0]},
            "the couch: 2 of 2 lanes hold 40 fps on average over the tests: Quiet and Slow (",
        ),
    ],
)
def test_a_ladder_is_told_of_all_lanes_that_the_reader_can_pay(
    rates: Mapping[str, Sequence[float | None]], sentence: str
) -> None:
    names = Naming({"a": "Quiet", "b": "Loud", "c": "Slow"}, {}, {})
    facts = {"a": LaneFacts(price=200.0), "b": LaneFacts(price=350.0), "c": LaneFacts(price=250.0)}
    found = for_reader(sheet_of(rates, facts), COUCH, ("a", "b"))
    text = reader_sentence(found, names, of_all=True).text
    assert text.startswith(sentence), text
    assert "Loud" not in text, "beyond the purse"


def test_a_floor_that_nobody_surely_holds_is_said() -> None:
    facts = {"a": LaneFacts(price=200.0), "b": LaneFacts(price=350.0)}
    found = told({"a": [30.0], "b": [40.0]}, facts=facts)
    assert cheapest_words(found, NAMES) == ("No lane surely holds 40 fps on average over the tests within 300 EUR.")


def test_what_owning_comes_to() -> None:
    assert ownership(100.0, 2.0, 0.3, 50.0, 3.0).cost_owned == pytest.approx(50.0 + 3 * 73.0 * 0.3)
    assert ownership(100.0, 2.0, None, 50.0, 3.0).cost_owned is None
    assert break_even_years(100.0, 30.0, 160.0, 10.0) == pytest.approx(3.0)
    assert break_even_years(100.0, 10.0, 160.0, 30.0) is None
    assert break_even_years(160.0, 30.0, 100.0, 10.0) is None
    assert together_dba([40.0, 40.0]) == pytest.approx(43.0103, abs=1e-4)


def test_a_reader_is_described_whole() -> None:
    with pytest.raises(RennbahnError, match="floor_fps must be above 0"):
        replace(COUCH, floor_fps=0.0)
    with pytest.raises(RennbahnError, match="average_fps or low_1"):
        replace(COUCH, floor_on="median")


def test_what_is_not_there_is_not_claimed_to_matter() -> None:
    """Lanes alike, tests near the floor and near what is noticed: claims of either side stay under 2.5% a test."""
    claims = dict.fromkeys(("crosses", "noticed"), 0)
    tests = 0
    for seed in range(120):
        # Alike, at the floor; and 5% apart, just what would be noticed.
        rates = {"a": [40.0, 40.0, 45.0, 48.0], "b": [40.0, 40.0, 47.25, 50.4]}
        found = told(rates, noise=0.01, seed=seed)
        tests += 2
        claims["crosses"] += sum(one.matters == "crosses" for one in found.tests[:2])
        claims["noticed"] += sum(one.matters == "noticed" for one in found.tests[2:])
    assert claims["crosses"] / tests <= 0.025
    assert claims["noticed"] / tests <= 0.05
