"""Parts: facts within their ranges, refusals that say what and why, and what follows from the facts."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rennbahn.errors import RennbahnError
from rennbahn.parts import (
    KINDS,
    Fact,
    checked_facts,
    derived,
    fact_from_text,
    fact_to_text,
    fact_words,
    kind_meant,
    kind_named,
)


@pytest.mark.parametrize(
    ("kind", "facts", "words"),
    [
        ("card", {"bus_bits": 12}, "Bus width: must be 32 to 8192 bit (got 12)."),
        ("card", {"bus_bits": 128.5}, "Bus width: must be a whole number (got 128.5)."),
        ("card", {"memory_gb": "much"}, "Memory: must be a number (got much)."),
        ("card", {"memory_gb": float("nan")}, "Memory: must be a number (got nan)."),
        ("cooler", {"type": "ice"}, "Type: must be one of air, liquid, passive (got ice)."),
        ("display", {"built_in": "perhaps"}, "Built into a laptop: must be yes or no (got perhaps)."),
        ("driver", {"date": "2026-02-30"}, "Released on: must be a date such as 2026-09-12 (got 2026-02-30)."),
        ("driver", {"version": "x" * 200}, "Version: must be at most 120 characters (got xxxxxxxxxxxxxxxxxxxx…)."),
        ("build", {"game": 7}, "Game: must be text (got 7)."),
    ],
)
def test_a_wrong_fact_is_refused_with_the_reason(kind: str, facts: dict[str, object], words: str) -> None:
    with pytest.raises(RennbahnError) as refused:
        checked_facts(kind, facts)
    assert (refused.value.code, refused.value.message) == ("wrong_fact", words)
    assert refused.value.field == f"facts.{next(iter(facts))}"


def test_facts_and_kinds_that_do_not_exist() -> None:
    with pytest.raises(RennbahnError, match="A power supply has no fact 'bus_bits'"):
        checked_facts("supply", {"bus_bits": 128})
    with pytest.raises(RennbahnError, match="'saddle' is no kind of part"):
        kind_named("saddle")


def test_nothing_beyond_a_stated_limit() -> None:
    facts = {"power_limit_w": 160, "max_power_w": 150}
    with pytest.raises(RennbahnError, match="over the stated limit max_power_w of 150") as refused:
        checked_facts("card", facts)
    assert "never go beyond a stated limit" in str(refused.value.hint)
    assert checked_facts("card", {**facts, "max_power_w": 160})["power_limit_w"] == 160


def test_what_is_empty_is_left_out_and_the_order_is_the_definitions() -> None:
    facts = checked_facts("memory", {"cl": 30.0, "size_gb": 32, "trcd": None, "trp": "", "mt_per_s": 6000})
    assert list(facts.items()) == [("size_gb", 32), ("mt_per_s", 6000), ("cl", 30)]


def _values(fact: Fact) -> st.SearchStrategy[object]:
    if fact.type == "flag":
        return st.booleans()
    if fact.type == "choice":
        return st.sampled_from(fact.choices)
    if fact.type == "date":
        return st.dates().map(str)
    if fact.type == "text":
        return st.text(st.characters(categories=["L", "N"]), min_size=1, max_size=20)
    low, high = float(fact.low or 0), float(fact.high or 0)
    return st.integers(int(-(-low // 1)), int(high)) if fact.type == "whole" else st.floats(low, high)


FACTS = [(kind.id, fact) for kind in KINDS for fact in kind.facts]


@given(st.sampled_from(FACTS).flatmap(lambda pair: st.tuples(st.just(pair), _values(pair[1]))))
def test_every_value_in_range_survives_being_written_and_read(drawn: tuple[tuple[str, Fact], object]) -> None:
    (kind, fact), value = drawn
    facts = checked_facts(kind, {fact.name: value})
    assert checked_facts(kind, {fact.name: fact_from_text(fact, fact_to_text(facts[fact.name]))}) == facts


def test_texts_that_are_no_values() -> None:
    size, flag = kind_named("memory").fact("size_gb"), kind_named("display").fact("variable_refresh")
    assert size is not None
    assert flag is not None
    with pytest.raises(RennbahnError, match="must be a number"):
        fact_from_text(size, "32 GB")
    with pytest.raises(RennbahnError, match="must be yes or no"):
        fact_from_text(flag, "maybe")
    assert fact_to_text(None) == ""
    assert (fact_to_text(True), fact_to_text(False)) == ("yes", "no")


def test_derived_values() -> None:
    def values(kind: str, facts: dict[str, object]) -> dict[str, float]:
        return {one.name: one.value for one in derived(kind, checked_facts(kind, facts))}

    assert values("memory", {"mt_per_s": 6000, "cl": 30, "channels": 2}) == {"first_word_ns": 10, "peak_gb_per_s": 96}
    card = values("card", {"bus_bits": 128, "gbit_per_pin": 18, "generation": 4, "lanes": 8})
    assert card == pytest.approx({"memory_gb_per_s": 288, "link_gb_per_s": 16 * 128 / 130})
    assert values("adapter", {"generation": 3, "lanes": 4})["link_gb_per_s"] == pytest.approx(8 * 128 / 130 / 2)
    assert values("memory", {"cl": 30}) == {}


def test_facts_in_words() -> None:
    kit = {"size_gb": 32, "sticks": 1, "ranks": 2, "mt_per_s": 5600, "cl": 36, "voltage_v": 1.25, "max_voltage_v": 1.35}
    assert fact_words("memory", kit) == (
        "32 GB", "1 stick", "2 ranks", "5600 MT/s", "CL 36", "1.25 V", "at most 1.35 V",
    )  # fmt: skip
    assert fact_words("processor", {"fast_cores": 6, "small_cores": 0}) == ("6 fast cores",)
    assert fact_words("driver", {"version": "41.2", "date": "2026-06-02", "beta": True}) == (
        "41.2",
        "of 2026-06-02",
        "beta",
    )
    assert fact_words("display", {"variable_refresh": False}) == ()


def test_names_are_said_once_a_kind() -> None:
    assert len({kind.id for kind in KINDS}) == len(KINDS)
    for kind in KINDS:
        for one, other in itertools.combinations(kind.facts, 2):
            assert one.name != other.name
            assert one.label != other.label


def test_a_factor_means_a_kind_by_its_id_or_its_label_and_else_a_setting():
    for kind in KINDS:
        assert kind_meant(kind.id) is kind
        assert kind_meant(f"  {kind.label.upper().replace(' ', '  ')} ") is kind
    assert kind_meant("power limit") is None
    assert kind_meant("") is None
