"""File names that say where they belong, and names that do not."""

from __future__ import annotations

import pytest
from rennbahn.capture.naming import Place, places_of

LANES = ["Standard profile", "Quiet profile"]
TESTS = [
    ("Salt Harvest", "dyke walk", "1440 high"),
    ("Salt Harvest", "dyke walk", "2160 high"),
    ("Moss Republic", "council square", "1440 high"),
]


@pytest.mark.parametrize(
    ("name", "place"),
    [
        ("quiet_salt-harvest_1440_pass2.csv", Place(1, 0, 2)),
        ("Standard - Moss Republic - 03.csv", Place(0, 2, 3)),
        ("MossRepublic_Quiet_run1.csv.gz", Place(1, 2, 1)),
        ("folder/saltharvest2160quiet_p3.tsv", Place(1, 1, 3)),
        ("quiet salt harvest.csv", Place(1, None, None)),
        ("standard_quiet_moss_1.csv", Place(None, 2, 1)),
        ("capture-2031.csv", Place(None, None, None)),
    ],
)
def test_places(name: str, place: Place) -> None:
    assert places_of([name], LANES, TESTS) == [place]


def test_a_single_test_needs_no_name() -> None:
    assert places_of(["quiet 2.csv"], LANES, TESTS[:1]) == [Place(1, 0, 2)]
