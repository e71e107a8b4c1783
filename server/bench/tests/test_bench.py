"""Parts and setups."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from testkit import Bench, Caller, setup


def test_a_part_is_there_once(lead: Caller) -> None:
    part = lead.post("/parts", {"kind": "card", "name": " Ostrane V5 "}, status=201)
    assert part["name"] == "Ostrane V5"
    again = lead.post("/parts", {"kind": "card", "name": "ostrane v5"}, status=409)
    assert (again["code"], again["field"]) == ("part_exists", "name")
    unknown = lead.post("/parts", {"kind": "spoon", "name": "x"}, status=422)
    assert (unknown["code"], unknown["field"]) == ("unknown_kind", "kind")
    nameless = lead.post("/parts", {"kind": "card", "name": "  "}, status=422)
    assert (nameless["code"], nameless["field"]) == ("invalid", "name")


def test_setups_name_their_parts_in_the_order_of_a_sheet(lead: Caller) -> None:
    lead.post("/setups", setup("Box", "Plain 40"), status=201)
    (found,) = lead.get("/setups")
    assert [part["kind"] for part in found["parts"]] == ["card", "cooler"]
    assert found["settings"] == [{"name": "Sync", "value": "off"}]
    assert {part["name"]: part["setups"] for part in lead.get("/parts")} == {"Ostrane V5": 1, "Plain 40": 1}
    taken = lead.post("/setups", setup("box", "Plain 40"), status=409)
    assert taken["code"] == "setup_exists"


def test_a_setup_that_names_something_twice_is_refused(lead: Caller) -> None:
    body = setup("Box", "Plain 40")
    body["settings"] += [{"name": "SYNC", "value": "on"}]
    assert lead.post("/setups", body, status=422)["field"] == "settings"
    body = setup("Box", "Plain 40")
    body["parts"] += [{"kind": "cooler", "name": "plain 40"}]
    assert lead.post("/setups", body, status=422)["field"] == "parts"


def test_a_used_setup_becomes_the_next_version_and_the_study_keeps_its_own(bench: Bench) -> None:
    used = bench.study["lanes_full"][0]["setup"]
    free = bench.lead.put(f"/setups/{used['id']}", setup("Box, plain", "Plain 41"))
    assert (free["version"], free["version_id"]) == (1, used["version_id"]), "not used yet: edited in place"
    bench.record(0, 0)
    edited = bench.lead.put(f"/setups/{used['id']}", setup("Box, plain", "Plain 42"))
    assert (edited["version"], edited["frozen"]) == (2, False)
    kept = bench.lead.get(f"/setup-versions/{used['version_id']}")
    assert kept["frozen"]
    assert {"kind": "cooler", "name": "Plain 41"} in kept["parts"]
    lane = bench.lead.get(f"/studies/{bench.id}")["lanes_full"][0]
    assert lane["setup"]["version"] == 1


def test_lists_take_the_same_queries_for_any_number(lead: Caller, queries: Callable[[int], Any]) -> None:
    for number in range(6):
        lead.post("/setups", setup(f"Box {number}", f"Fins {number}"), status=201)
    with queries(8):
        assert len(lead.get("/setups")) == 6
    with queries(5):
        assert len(lead.get("/parts")) == 7
