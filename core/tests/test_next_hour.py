"""The next block: the most verdicts a minute, within the time, and nothing for tests that are settled or hopeless."""

from __future__ import annotations

import pytest
from rennbahn.comparing.next_hour import OpenTest, expected_of, next_block
from trials.hours import trial


def one(name: str, *chances: float, prepare: float = 100.0, each: float = 50.0, priority: int = 2) -> OpenTest:
    return OpenTest(name, chances, prepare, each, priority)


def test_the_block_settles_most_a_minute_and_counts_the_change_of_lanes_once() -> None:
    quick, slow = one("quick", 0.6, 0.7), one("slow", 0.1, 0.2, 0.5)
    alone = next_block([quick], 3600.0, 0.0)
    assert alone.passes == {"quick": 1}, "the second pass adds less a second than the first"
    assert alone.seconds == pytest.approx(2 * (100.0 + 50.0))
    assert alone.a_minute == pytest.approx(60.0 * 0.6 / 300.0)
    far = next_block([quick, slow], 3600.0, 1800.0)
    assert far.passes == {"quick": 2, "slow": 3}, "a change of half an hour pays for more"
    assert far.seconds == pytest.approx(1800.0 + 2 * (100.0 + 100.0) + 2 * (100.0 + 150.0))
    assert far.expected == pytest.approx(1.2)


def test_no_other_choice_settles_more_a_minute() -> None:
    tests = [one("a", 0.3, 0.5, 0.6), one("b", 0.2, 0.25), one("c", 0.05, 0.5, prepare=10.0)]
    best = next_block(tests, 1e9, 600.0)
    choices = [{"a": a, "b": b, "c": c} for a in range(4) for b in range(3) for c in range(3)]
    for passes in choices:
        seconds = 600.0 + sum(test.seconds(passes[test.id]) for test in tests)
        assert 60.0 * expected_of(tests, passes) / seconds <= best.a_minute + 1e-12


def test_hopeless_tests_are_given_up_and_those_that_do_not_fit_are_named() -> None:
    block = next_block([one("dead", 0.01, 0.05), one("long", 0.9, each=5000.0), one("fits", 0.5)], 1000.0, 60.0)
    assert block.given_up == {"dead": 0.05}
    assert block.out_of_time == {"long": 0.9}
    assert block.passes == {"fits": 1}
    none = next_block([one("long", 0.9, each=5000.0)], 1000.0, 60.0)
    assert (none.passes, none.seconds, none.a_minute) == ({}, 0.0, 0.0)


def test_what_stays_longest_comes_first() -> None:
    block = next_block([one("first", 0.2, priority=1), one("better", 0.9, priority=2)], 3600.0, 0.0)
    assert block.passes == {"first": 1}


@pytest.mark.parametrize(("hours", "change_s"), [(1.5, 300.0), (3.0, 1800.0)])
def test_a_third_more_is_settled_in_the_same_hours_and_levels_hold(hours: float, change_s: float) -> None:
    """Twenty-five studies; docs/planning.md states three hundred a case."""
    found = trial(25, 7, hours * 3600.0, change_s)
    chosen, planned = found["the next hour"], found["as planned"]
    assert chosen.settled >= 1.33 * planned.settled
    assert chosen.false <= max(2, 0.1 * chosen.equal), "5% is the level of both sides together"
    for held in (chosen.added, chosen.not_added):
        assert sum(held) / len(held) >= 0.93
