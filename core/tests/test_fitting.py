"""What works together: states by the last attempt, what to try next, and what part facts say before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rennbahn.fitting import (
    NOT_TRIED,
    OUTCOMES,
    WORKING,
    Attempt,
    Fitted,
    Link,
    Place,
    Tried,
    cautions_of,
    checks_of,
    expected_link,
    helped_at,
    link_words,
    matrix_sentences,
    next_things,
    state_of,
)

DOCK = Fitted("adapter", "Short bridge", {"generation": 3, "lanes": 4, "max_power_w": 75})
CARD = Fitted("card", "Finch 5", {"generation": 4, "lanes": 8, "power_limit_w": 110, "length_mm": 240, "slots": 2.5})
HOST = Fitted("machine", "Walnut box", {"generation": 4, "lanes": 4, "card_length_mm": 220, "max_power_w": 180})


def next_at(place: Place, places: Mapping[Place, Sequence[Attempt]]) -> tuple[Tried, ...]:
    return next_things(place, places.get(place, ()), helped_at(places))


def test_a_place_stands_as_its_last_attempt_ended() -> None:
    assert state_of([]) == NOT_TRIED
    assert state_of([Attempt("works"), Attempt("no_picture", ("another cable",))]) == "no_picture"


def test_what_helped_in_the_same_row_or_column_is_tried_next() -> None:
    places = {
        Place("box", "finch", "bridge"): [Attempt("no_picture"), Attempt("works", ("New firmware 1.4",))],
        Place("box", "heron", "bridge"): [Attempt("not_detected"), Attempt("limited", ("new  firmware 1.4",))],
        Place("desk", "finch", "dock"): [Attempt("crashes"), Attempt("works", ("short cable",))],
        Place("desk", "wren", "dock"): [Attempt("crashes"), Attempt("works", ("another driver",))],
        Place("box", "wren", "bridge"): [Attempt("no_picture")],
    }
    found = next_at(Place("box", "wren", "bridge"), places)
    assert [one.change for one in found] == ["New firmware 1.4", "another driver"]
    assert found[0].shared == ("box", "bridge")
    assert found[1].shared == ("wren",)
    assert [one.change for one in next_at(Place("box", "heron", "bridge"), places)] == []
    places[Place("box", "wren", "bridge")] = [Attempt("no_picture"), Attempt("no_picture", ("NEW firmware 1.4",))]
    assert [one.change for one in next_at(Place("box", "wren", "bridge"), places)] == ["another driver"]


NAMES = st.sampled_from(["a", "b", "c"])
ATTEMPTS = st.lists(
    st.builds(Attempt, st.sampled_from(OUTCOMES), st.lists(st.sampled_from(["x", "y", "X"]), max_size=2).map(tuple)),
    max_size=4,
)


@given(st.dictionaries(st.builds(Place, NAMES, NAMES, st.sampled_from(["", "v"])), ATTEMPTS, max_size=9))
def test_nothing_is_proposed_that_was_tried_or_helped_nowhere(places: dict[Place, list[Attempt]]) -> None:
    for place, own in places.items():
        found = next_at(place, places)
        tried = {change.casefold() for one in own for change in one.changed}
        if state_of(own) in WORKING or not own:
            assert found == ()
        for one in found:
            assert one.change.casefold() not in tried
            assert all(other != place and place.shares(other) for other in one.helped)
            for other in one.helped:
                assert any(
                    attempt.outcome in WORKING and one.change.casefold() in {x.casefold() for x in attempt.changed}
                    for attempt in places[other]
                )


def test_a_link_is_the_least_of_what_it_goes_through() -> None:
    expected = expected_link([HOST, DOCK, CARD])
    assert expected == Link(3, 4)
    assert expected.gb_per_s == pytest.approx(3.938, abs=1e-3)
    slow = "negotiated: generation 3, 1 lane (1.0 GB/s one way), 25% of the expected generation 3, 4 lanes"
    assert link_words(expected, Link(3, 1)) == slow
    assert link_words(expected, Link(3, 4)).endswith("as expected")
    assert link_words(expected, None) == "expected: generation 3, 4 lanes (3.9 GB/s one way)"
    assert link_words(None, None) == ""
    assert expected_link([DOCK, Fitted("card", "bare", {})]) is None, "one end alone says nothing"


def test_power_and_size_are_checked_before_anything_is_plugged_in() -> None:
    found = checks_of([HOST, DOCK, CARD])
    assert sorted(found) == [
        "Finch 5 draws up to 110 W; Short bridge passes on at most 75 W",
        "Finch 5 is 240 mm long; Walnut box takes cards up to 220 mm",
    ]
    assert checks_of([HOST, Fitted("card", "bare", {})]) == ()
    four = Fitted("memory", "Four sticks", {"sticks": 4})
    assert checks_of([Fitted("board", "Flat board", {"memory_slots": 2}), four]) == (
        "Four sticks has 4 sticks; Flat board has 2 memory slots",
    )


def test_external_cards_are_connected_with_the_power_off() -> None:
    found = " ".join(cautions_of([HOST, DOCK, CARD]))
    assert "with the power off, unless their maker says otherwise" in found
    assert "which is switched on first" in found
    live = Fitted("adapter", "Live dock", {"live_plugging": True})
    assert "Of Live dock its maker says so" in " ".join(cautions_of([HOST, live, CARD]))
    assert not any("power off" in one for one in cautions_of([Fitted("board", "b", {}), CARD]))


def test_a_matrix_is_told_in_sentences_also_where_little_was_tried() -> None:
    assert matrix_sentences({}) == ()
    places = {Place("a", "x"): NOT_TRIED, Place("a", "y"): NOT_TRIED}
    assert matrix_sentences(places) == ("Nothing of 2 combinations was tried yet.",)
    told = matrix_sentences({**places, Place("b", "x", "dock"): "no_picture", Place("b", "y"): "limited"})
    assert told == (
        "Of 4 combinations 2 were tried; 0 work, 1 more with limits.",
        "No picture: b + dock + x.",
        "2 were not tried.",
    )
