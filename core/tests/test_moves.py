"""How an answer moves when passes are left out, and what rejections and shifted sessions say."""

from __future__ import annotations

import pytest
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.moves import left_out, moved, moved_words, shift_words, taken_in, without_shift
from rennbahn.comparing.rejections import favours, rejections_of, rejections_words
from rennbahn.comparing.suite import Suite

LANES = (Lane("a", "plain fins"), Lane("b", "tall fins"))
NAMES = {lane.id: lane.name for lane in LANES}


def one(lane: str, fps: float, test: str = "t", status: str = "accepted", name: str = "") -> Pass:
    return Pass(name or f"{lane}{fps}", lane, test, status, figures={AVERAGE: fps})


def suite(passes: list[Pass]) -> Suite:
    study = Study(
        "x", Method(), LANES, (Scene("s", "Moss Republic", "square"),), (Test("t", "s"),), tuple(passes), (("a", "b"),)
    )
    (found,) = compare_study(study).compare
    return found.suite[AVERAGE]


PASSES = [*(one("a", 60.0 + n / 10) for n in range(3)), *(one("b", 63.0 + n / 10) for n in range(3)), one("b", 58.0)]


def test_the_margin_before_and_after_in_a_sentence() -> None:
    after = left_out(PASSES, {"b58.0"})
    assert [p.status for p in after].count("rejected") == 1
    found = moved(suite(PASSES), suite(after), Method(), AVERAGE)
    assert found.after == pytest.approx(63.1 / 60.1 - 1)
    assert found.by is not None
    assert found.by > 0
    words = moved_words(found, "plain fins", "tall fins")
    assert words.startswith("tall fins over plain fins in average fps goes from +2.9% (")
    assert words.endswith("The verdict turns from open to ahead.")
    back = taken_in(after, {"b58.0"})
    assert [p.status for p in back] == [p.status for p in PASSES]


def test_what_moves_nothing_or_leaves_nothing_says_so() -> None:
    same = moved(suite(PASSES), suite(PASSES), Method(), AVERAGE)
    assert "stays at +2.9% (" in moved_words(same, "plain fins", "tall fins")
    none = suite(left_out(PASSES, {p.id for p in PASSES if p.lane == "b"}))
    gone = moved(suite(PASSES), none, Method(), AVERAGE)
    assert moved_words(gone, "plain fins", "tall fins") == "Nothing would be left to compare in average fps."
    came = moved(none, suite(PASSES), Method(), AVERAGE)
    assert "would be +2.9%" in moved_words(came, "plain fins", "tall fins")
    assert "before or after" in moved_words(moved(none, none, Method(), AVERAGE), "plain fins", "tall fins")


def test_rejections_count_by_lane_and_say_which_way_they_help() -> None:
    accepted = [p for p in PASSES if p.figures[AVERAGE] != 58.0]
    found = rejections_of(
        LANES, accepted, [one("b", 58.0), one("b", 59.0), one("b", 66.0), one("a", 0.5, "u")], AVERAGE
    )
    assert [(x.count, x.raising, x.lowering) for x in found] == [(1, 0, 0), (3, 2, 1)]
    assert rejections_words(found, NAMES) == (
        "4 passes rejected: plain fins 1, tall fins 3 (2 below and 1 above what counts). What was left out happens to "
        "favour tall fins: look at the reasons."
    )


def test_balanced_rejections_favour_nobody_and_none_say_nothing() -> None:
    accepted = [p for p in PASSES if p.figures[AVERAGE] != 58.0]
    both = rejections_of(LANES, accepted, [one("b", 58.0), one("a", 55.0)], AVERAGE)
    assert favours(both) is None
    assert rejections_words(both, NAMES) == (
        "2 passes rejected: plain fins 1 (1 below what counts), tall fins 1 (1 below what counts)."
    )
    lowered = rejections_of(LANES, accepted, [one("a", 70.0)], AVERAGE)
    assert favours(lowered) == "b", "leaving out the best of one lane helps the other"
    assert rejections_words(rejections_of(LANES, accepted, [], AVERAGE), NAMES) == ""
    assert favours(rejections_of(LANES[:1], accepted, [one("a", 55.0)], AVERAGE)) is None


def test_a_shift_is_taken_off_and_told_with_its_reason() -> None:
    slow = [one("b", 63.0 * 0.98, name="late")]
    passes = [*PASSES[:6], *slow]
    found = moved(suite(passes), suite(without_shift(passes, {"late"}, -0.02)), Method(), AVERAGE)
    assert found.after == pytest.approx((63.0 + 63.1 + 63.2 + 63.0) / 4 / 60.1 - 1)
    words = shift_words("Session 2", -0.02, "control passes", found, "plain fins", "tall fins")
    assert words.startswith("Session 2 ran 2.0% slow, by control passes. Taken off, tall fins over plain fins")
    assert "a control test speaks for its own scene" in words
    same = moved(suite(passes), suite(passes), Method(), AVERAGE)
    assert "the answer would be the same" in shift_words(
        "Session 2", 0.01, "all tests", same, "plain fins", "tall fins"
    )
