"""Readers through the API: kept by leads, told in words, and what a study is to one of them."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest
from findings.answer_schemas import ForReaderOut
from readers.schemas import ReaderEdit
from rennbahn.simulation import Scene
from rennbahn.simulation.sitting import LOGGER
from testkit import Bench, Caller, edit_body, study_body

COUCH: dict[str, Any] = {"name": "The couch", "display_hz": 60.0, "floor_fps": 40.0}


def test_a_lead_keeps_readers_and_everybody_reads_them(lead: Caller, viewer: Caller) -> None:
    made = lead.post("/readers", COUCH | {"price_per_kwh": "0.38", "currency": "eur", "budget": "350"}, status=201)
    assert viewer.get("/readers") == [made]
    assert made["words"] == "display fixed at 60 Hz, playable from 40 fps on average, notices 5%"
    assert (made["currency"], made["price_per_kwh"], made["budget"]) == ("EUR", 0.38, 350.0)
    body = edit_body(ReaderEdit, **COUCH, variable=True) | {"seen": made["seen"]}
    changed = lead.put(f"/readers/{made['id']}", body)
    assert changed["words"].startswith("display variable up to 60 Hz")
    refused = lead.put(f"/readers/{made['id']}", body, status=409)
    assert refused["code"] == "changed_meanwhile"
    lead.delete(f"/readers/{made['id']}", status=204)
    assert viewer.get("/readers") == []
    assert lead.delete(f"/readers/{made['id']}", status=404)["code"] == "not_found"


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"budget": "100"}, "currency"),
        ({"price_per_kwh": "0.3"}, "currency"),
        ({"floor_fps": 0.0}, "floor_fps"),
        ({"notices": 1.0}, "notices"),
        ({"floor_on": "median"}, "floor_on"),
        ({"name": " "}, "name"),
    ],
)
def test_a_wrong_reader_is_refused_by_field(lead: Caller, wrong: dict[str, Any], field: str) -> None:
    assert lead.post("/readers", COUCH | wrong, status=422)["field"] == field


def test_a_name_is_taken_once(lead: Caller) -> None:
    lead.post("/readers", COUCH, status=201)
    assert lead.post("/readers", COUCH | {"name": "the COUCH"}, status=409)["code"] == "reader_exists"


def test_a_study_is_told_for_a_reader(lead: Caller, tester: Caller) -> None:
    lead.post(
        "/parts",
        {"kind": "card", "name": "slow", "price": "200", "currency": "EUR", "price_from": "a shop",
         "price_day": "2026-11-02", "weight_g": 800, "facts": {"noise_dba": 33.0}},
        status=201,
    )  # fmt: skip
    lead.post("/parts", {"kind": "card", "name": "fast", "price": "300", "currency": "EUR"}, status=201)
    lanes = [
        {"name": name, "setup": {"name": f"Box, {name}", "settings": [],
                                 "parts": [{"kind": "card", "name": name}, {"kind": "processor", "name": "S6"}]}}
        for name in ("slow", "fast")
    ]  # fmt: skip
    study = lead.post("/studies", study_body(lanes=lanes, tests=study_body()["tests"][:2]), status=201)
    bench = Bench(lead, tester, study, Scene(4.0, 9.0, seconds=8.0), LOGGER)
    bench.fill(2, 3, (0.9, 1.8))
    # About 100 and 200 fps: across a floor of 140, and above a display of 60.
    fast = lead.post(
        "/readers", COUCH | {"name": "Quick", "display_hz": 240.0, "floor_fps": 140.0, "currency": "EUR",
                             "budget": "250", "price_per_kwh": "0.4"}, status=201
    )  # fmt: skip
    slow = lead.post("/readers", COUCH | {"budget": "250", "currency": "USD"}, status=201)
    found = lead.get(f"/studies/{bench.id}/for-reader/{fast['id']}")
    ForReaderOut.model_validate(found)
    assert found["sentence"]["text"].startswith(
        "Quick: it matters in 2 of 2 tests, fast over slow: 2 in which only fast holds 140 fps"
    )
    assert [one["words"] for one in found["tests"]] == ["only fast holds 140 fps"] * 2
    assert found["cheapest_words"].startswith("No lane surely holds 140 fps on average over the tests within 250 EUR")
    assert [(one["price"], one["within_budget"]) for one in found["lanes"]] == [(200.0, True), (300.0, False)]
    assert (found["lanes"][0]["weight_g"], found["lanes"][0]["noise_dba"]) == (800.0, 33.0)
    assert found["prices"][0] | {"lane_id": 0} == {
        "lane_id": 0, "part": "slow", "price": 200.0, "currency": "EUR", "price_from": "a shop",
        "price_day": date(2026, 11, 2).isoformat(),
    }  # fmt: skip
    couch = lead.get(f"/studies/{bench.id}/for-reader/{slow['id']}")
    assert "it does not matter" in couch["sentence"]["text"]
    assert [one["matters"] for one in couch["tests"]] == ["beyond_display"] * 2
    # Prices in one currency and a reader's money in another are told, and never summed.
    assert couch["money_words"].startswith("Prices are in EUR, this reader’s money is USD")
    assert couch["lanes"][0]["price"] is None
    nobody = lead.post("/readers", COUCH | {"name": "Says nothing of money"}, status=201)
    plain = lead.get(f"/studies/{bench.id}/for-reader/{nobody['id']}")
    assert (plain["reader"]["currency"], plain["money_words"], plain["lanes"][0]["price"]) == ("EUR", "", 200.0)
    assert plain["lanes"][0]["cost_owned"] is None
    turned = lead.get(f"/studies/{bench.id}/for-reader/{fast['id']}?baseline={bench.lane(1)}")
    assert "2 in which only fast" in turned["sentence"]["text"]
    assert lead.get(f"/studies/{bench.id}/for-reader/0", status=404)["code"] == "not_found"
