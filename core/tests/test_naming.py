"""File names as they are met on benches: what they say, what they leave open, and what is only a guess."""

from __future__ import annotations

import pytest
from rennbahn.capture.naming import Place, places_of

TESTS = [
    ("Moss Republic", "square", "1440 high"), ("Moss Republic", "square", "2160 high"),
    ("Ninth Ferry", "harbour", "1440 high"), ("Verge 2", "ring road", "1440 high"),
]  # fmt: skip


def place(name: str, lanes: list[str], tests: list[tuple[str, ...]] | None = None) -> Place:
    return places_of([name], lanes, tests if tests is not None else TESTS)[0]


DRIVERS = ["driver 12.4", "driver 13.1"]
FINS = ["plain fins", "tall fins"]
WATTS = ["80 W", "120 W", "160 W"]
CARDS = ["Kolk", "Kolk 16", "Kolk 16 Max"]
NUMBERED = ["Card 1", "Card 2", "Card 3"]


@pytest.mark.parametrize(
    ("name", "lanes", "lane", "number", "guess"),
    [
        ("old driver run 1.csv", DRIVERS, None, 1, False),
        ("driver run 1.csv", DRIVERS, None, 1, False),
        ("driver 13.1 run 1.csv", DRIVERS, 1, 1, False),
        ("driver-12.4_ferry_3.csv", DRIVERS, 0, 3, False),
        ("12.4 ferry pass 2.csv", DRIVERS, 0, 2, False),
        ("tall ferry 2.csv", FINS, 1, 2, False),
        ("TallFins_NinthFerry_run3.csv.gz", FINS, 1, 3, False),
        ("tallfins-ninthferry-2.parquet", FINS, 1, 2, False),
        ("fins 2.csv", FINS, None, 2, False),
        ("plain and tall ferry.csv", FINS, None, None, False),
        ("120W ferry 1.csv", WATTS, 1, 1, False),
        ("ferry 120 W 1.csv", WATTS, 1, 1, False),
        ("ferry_120_1.csv", WATTS, 1, 1, False),
        ("kolk16 ferry 2.csv", CARDS, 1, 2, False),
        ("kolk 16 max ferry.csv", CARDS, 2, None, False),
        ("kolk ferry 16.csv", CARDS, 1, None, True),
        ("ferry 2.csv", NUMBERED, None, 2, False),
        ("ferry card2 1.csv", NUMBERED, 1, 1, False),
        ("ferry card 3 run 2.csv", NUMBERED, 2, 2, False),
        ("ferry run 2 card.csv", NUMBERED, None, 2, False),
        ("Grün ferry 2.csv", ["grün", "rot"], 0, 2, False),
        ("ferry.csv", ["quiet profile A", "quiet profile B"], None, None, False),
        ("quiet ferry.csv", ["quiet profile", "loud profile"], 0, None, False),
        ("summer ferry.csv", ["summer room", "winter garden"], 0, None, True),
    ],
)  # fmt: skip
def test_lanes_and_passes(name: str, lanes: list[str], lane: int | None, number: int | None, guess: bool) -> None:
    found = place(name, lanes)
    assert (found.lane, found.number, found.lane_guess) == (lane, number, guess)


@pytest.mark.parametrize(
    ("name", "test", "number", "guess"),
    [
        ("tall ferry_2.csv", 2, 2, True),
        ("tall ninth-ferry_2.csv", 2, 2, False),
        ("tall verge 2.csv", 3, None, False),
        ("tall verge2 run 2.csv", 3, 2, False),
        ("verge tall 2.csv", 3, None, True),
        ("tallverge2.csv", 3, None, False),
        ("tall verge 2 3.csv", 3, 3, False),
        ("tall moss republic 2160 high 1.csv", 1, 1, False),
        ("tall moss republic 2160 1.csv", 1, 1, False),
        ("tall moss republic 1.csv", None, 1, False),
        ("tall_2.csv", None, 2, False),
        ("tall ring road 1.csv", 3, 1, True),
    ],
)
def test_tests_and_the_numbers_in_their_titles(name: str, test: int | None, number: int | None, guess: bool) -> None:
    found = place(name, FINS)
    assert (found.test, found.number, found.test_guess) == (test, number, guess)


def test_one_of_a_kind_needs_no_name() -> None:
    found = place("capture_0007 3.csv", ["only"], [("Moss Republic", "square", "1440 high")])
    assert (found.lane, found.test, found.number) == (0, 0, 3)
    assert not found.lane_guess
    assert not found.test_guess


def test_a_number_is_used_once() -> None:
    found = place("card 2.csv", NUMBERED)
    assert (found.lane, found.number) == (1, None)
    found = place("verge 2.csv", ["Card 1", "Card 2"], [("Verge 2", "a", "b"), ("Ninth Ferry", "a", "b")])
    assert (found.lane, found.test, found.number) == (None, 0, None)


@pytest.mark.parametrize(
    ("name", "found"),
    [
        ("quiet_salt-harvest_1440_pass2.csv", Place(1, 0, 2)),
        ("Standard - Moss Republic - 03.csv", Place(0, 2, 3)),
        ("MossRepublic_Quiet_run1.csv.gz", Place(1, 2, 1)),
        ("folder/saltharvest2160quiet_p3.tsv", Place(1, 1, 3)),
        ("quiet salt harvest.csv", Place(1, None, None)),
        ("standard_quiet_moss-republic_1.csv", Place(None, 2, 1)),
        ("capture-2031.csv", Place(None, None, None)),
    ],
)
def test_names_of_two_lanes_and_three_tests(name: str, found: Place) -> None:
    tests = [
        ("Salt Harvest", "dyke walk", "1440 high"),
        ("Salt Harvest", "dyke walk", "2160 high"),
        ("Moss Republic", "council square", "1440 high"),
    ]
    assert places_of([name], ["Standard profile", "Quiet profile"], tests) == [found]
