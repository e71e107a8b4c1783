"""What lanes cost, weigh and sound like by the parts in which they differ."""

from __future__ import annotations

import pytest
from rennbahn.worth.lanes import Owned, noise_dba, own_parts, prices, weight_g

CASE = Owned(1, "case", 80.0, "EUR", 4000.0)
SLOW, FAST = Owned(2, "card", 300.0, "EUR", 700.0, 31.0), Owned(3, "card", 500.0, "EUR", 900.0, 34.0)
FAN, UNPRICED = Owned(4, "cooler", 40.0, "EUR", 300.0, 31.0), Owned(5, "cooler")
DRIVER = Owned(6, "driver")


def test_what_lanes_share_is_no_lanes_own_however_often_it_is_there() -> None:
    found = own_parts({"a": [CASE, SLOW], "b": [CASE, FAST, FAST], "c": [CASE, FAST]})
    assert found == {"a": [SLOW], "b": [FAST, FAST], "c": [FAST]}
    assert own_parts({}) == {}


def test_a_price_is_that_of_all_hardware_or_none() -> None:
    assert prices({"a": [SLOW, DRIVER], "b": [FAST, FAN]}) == ({"a": 300.0, "b": 540.0}, "EUR")
    assert prices({"a": [SLOW], "b": [FAST, UNPRICED]}) == ({}, ""), "a sum of which something is missing is no price"
    assert prices({"a": [SLOW], "b": [DRIVER]}) == ({}, ""), "software alone has no price"
    dollars = Owned(7, "card", 500.0, "USD")
    assert prices({"a": [SLOW], "b": [dollars]}) == ({}, ""), "money of two currencies is never summed"


def test_weights_are_told_whole_and_noise_as_far_as_it_is_known() -> None:
    assert weight_g([FAST, FAN, DRIVER]) == 1200.0
    assert weight_g([FAST, UNPRICED]) is None
    assert weight_g([DRIVER]) is None
    assert noise_dba([SLOW, FAN]) == pytest.approx(34.0, abs=0.02), "twice as much power is 3 dB more"
    assert noise_dba([UNPRICED]) is None
