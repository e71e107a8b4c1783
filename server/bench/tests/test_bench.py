"""Parts and setups."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone
from testkit import Bench, Caller, setup, study_body


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
    assert found["settings"] == setup("Box", "Plain 40")["settings"]
    assert {part["name"]: part["setups"] for part in lead.get("/parts")} == {"Ostrane V5": 1, "Plain 40": 1}
    taken = lead.post("/setups", setup("box", "Plain 40"), status=409)
    assert taken["code"] == "setup_exists"


def test_a_part_that_a_study_names_first_brings_its_price(lead: Caller) -> None:
    lead.post("/parts", {"kind": "card", "name": "Corv 20", "price": "279", "currency": "EUR"}, status=201)
    body = study_body(kind="ladder", factor="Graphics card")
    for lane, (name, price) in zip(body["lanes"], (("Corv 20", "299"), ("Corv 30", "419.50")), strict=True):
        lane["setup"] = {"name": name, "parts": [{"kind": "card", "name": name, "price": price, "currency": "eur"}]}
    lead.post("/studies", body, status=201)
    found = {part["name"]: (part["price"], part["currency"], part["price_day"]) for part in lead.get("/parts")}
    assert found["Corv 20"] == (279.0, "EUR", None), "a price that is on record stays"
    assert found["Corv 30"] == (419.5, "EUR", str(timezone.localdate()))
    body["lanes"][0]["setup"]["parts"][0] |= {"name": "Corv 40", "currency": ""}
    assert lead.post("/studies", body, status=422)["code"] == "no_currency"
    assert "Corv 40" not in {part["name"] for part in lead.get("/parts")}


def test_a_whole_machine_is_a_part(lead: Caller) -> None:
    part = {"kind": "machine", "name": "Fennik Reise 14", "facts": {"form": "laptop", "memory_gb": 32}}
    lead.post("/parts", part, status=201)
    assert lead.post("/parts", {**part, "name": "Toaster", "facts": {"form": "toaster"}}, status=422)
    made = lead.post("/setups", {"name": "On the road", "parts": [{"kind": "machine", "name": "Fennik Reise 14"}]},
                     status=201)  # fmt: skip
    assert [one["kind"] for one in made["parts"]] == ["machine"]


def test_a_setup_that_names_something_twice_is_refused(lead: Caller) -> None:
    body = setup("Box", "Plain 40")
    body["settings"] += [{"name": "SYNC", "value": "on"}]
    assert lead.post("/setups", body, status=422)["field"] == "settings"


def test_a_setup_may_hold_the_same_part_twice(lead: Caller) -> None:
    body = setup("Box", "Plain 40")
    body["parts"] += [{"kind": "memory", "name": "Kelp 16"}] * 2
    made = lead.post("/setups", body, status=201)
    assert [part["name"] for part in made["parts"] if part["kind"] == "memory"] == ["Kelp 16", "Kelp 16"]
    body["parts"].pop()
    edited = lead.save(f"/setups/{made['id']}", body)
    assert [part["name"] for part in edited["parts"] if part["kind"] == "memory"] == ["Kelp 16"]
    rig = lead.post("/rigs", {"name": "Two kits", "parts": [{"kind": "memory", "name": "Kelp 16"}] * 2}, status=201)
    on_rig = lead.post("/setups", {"name": "On it", "rig_id": rig["id"]}, status=201)
    assert [part["swapped"] for part in on_rig["parts"]] == [False, False]
    one_of_them = {"name": "Half", "rig_id": rig["id"], "parts": [{"kind": "memory", "name": "Kelp 16"}]}
    half = lead.post("/setups", one_of_them, status=201)
    assert [part["swapped"] for part in half["parts"]] == [True], "one kit where the rig has two is a difference"


def test_a_used_setup_becomes_the_next_version_and_the_study_keeps_its_own(bench: Bench) -> None:
    used = bench.study["lanes_full"][0]["setup"]
    free = bench.lead.save(f"/setups/{used['id']}", setup("Box, plain", "Plain 41"))
    assert (free["version"], free["version_id"]) == (1, used["version_id"]), "not used yet: edited in place"
    bench.record(0, 0)
    edited = bench.lead.save(f"/setups/{used['id']}", setup("Box, plain", "Plain 42"))
    assert (edited["version"], edited["frozen"]) == (2, False)
    kept = bench.lead.get(f"/setup-versions/{used['version_id']}")
    assert kept["frozen"]
    assert ("cooler", "Plain 41") in [(part["kind"], part["name"]) for part in kept["parts"]]
    lane = bench.lead.get(f"/studies/{bench.id}")["lanes_full"][0]
    assert lane["setup"]["version"] == 1


def test_lists_take_the_same_queries_for_any_number(lead: Caller, queries: Callable[[int], Any]) -> None:
    for number in range(6):
        lead.post("/setups", setup(f"Box {number}", f"Fins {number}"), status=201)
    for number in range(5):
        lead.post("/rigs", {"name": f"Rig {number}", "parts": [{"kind": "card", "name": f"V{number}"}]}, status=201)
    with queries(8):
        assert len(lead.get("/setups")) == 6
    with queries(5):
        assert len(lead.get("/rigs")) == 5
    with queries(5):
        assert len(lead.get("/parts")) == 12


def refs(found: dict[str, Any]) -> dict[str, str]:
    return {part["kind"]: part["name"] for part in found["parts"]}


def test_parts_carry_the_facts_of_their_kind(lead: Caller) -> None:
    kinds = {kind["kind"]: kind for kind in lead.get("/part-kinds")}
    bus = next(fact for fact in kinds["card"]["facts"] if fact["name"] == "bus_bits")
    assert (bus["unit"], bus["low"], bus["high"], bus["type"]) == ("bit", 32, 8192, "whole")
    card = {"kind": "card", "name": "V5", "facts": {"gbit_per_pin": 18, "bus_bits": 128}, "price": "399.5",
            "currency": "eur", "price_from": "a shop", "weight_g": 700}  # fmt: skip
    part = lead.post("/parts", card, status=201)
    assert list(part["facts"]) == ["bus_bits", "gbit_per_pin"]
    assert [(one["name"], one["value"], one["unit"]) for one in part["derived"]] == [("memory_gb_per_s", 288.0, "GB/s")]
    assert (part["price"], part["currency"], part["used"]) == (399.5, "EUR", False)
    wrong = lead.save(f"/parts/{part['id']}", {**card, "facts": {"bus_bits": 12}}, status=422)
    assert (wrong["code"], wrong["field"]) == ("wrong_fact", "facts.bus_bits")
    assert "32 to 8192 bit" in wrong["message"]
    assert lead.save(f"/parts/{part['id']}", {**card, "currency": ""}, status=422)["field"] == "currency"
    assert lead.save(f"/parts/{part['id']}", {**card, "currency": "coins"}, status=422)["field"] == "currency"
    assert lead.save("/parts/0", card, status=404)["code"] == "not_found"


def test_what_is_written_of_a_part_that_ran_stays(bench: Bench) -> None:
    card = next(part for part in bench.lead.get("/parts") if part["kind"] == "card")
    path, body = f"/parts/{card['id']}", {"kind": "card", "name": card["name"], "facts": {"bus_bits": 128}}
    bench.lead.save(path, body)
    bench.record(0, 0)
    more = bench.lead.save(path, {**body, "facts": {"bus_bits": 128, "memory_gb": 8}, "price": 300, "currency": "EUR"})
    assert (more["facts"]["memory_gb"], more["price"], more["used"]) == (8, 300, True)
    changes: list[dict[str, Any]] = [{"name": "V6"}, {"facts": {"bus_bits": 192, "memory_gb": 8}}, {"facts": {}}]
    for change in changes:
        assert bench.lead.save(path, {**body, **change}, status=409)["code"] == "part_in_use"


def test_setups_stand_on_a_rig_and_follow_it(bench: Bench) -> None:
    lead = bench.lead
    parts = [{"kind": "card", "name": "V5"}, {"kind": "board", "name": "Mini 3"}, {"kind": "driver", "name": "41.2"}]
    rig = lead.post("/rigs", {"name": "Neun", "parts": parts}, status=201)
    plain = lead.post("/setups", {"name": "Neun, plain", "rig_id": rig["id"]}, status=201)
    swap = [{"kind": "driver", "name": "42.0"}]
    other = lead.post("/setups", {"name": "Neun, new driver", "rig_id": rig["id"], "parts": swap}, status=201)
    assert refs(plain) == {"card": "V5", "board": "Mini 3", "driver": "41.2"}
    assert refs(other) == {"card": "V5", "board": "Mini 3", "driver": "42.0"}
    assert [part["swapped"] for part in other["parts"]] == [False, False, True]
    assert (other["rig"], lead.get("/rigs")[0]["setups"]) == ("Neun", 2)
    two = [{"kind": "driver", "name": "41.2"}, {"kind": "driver", "name": "7.10"}]
    both = lead.post("/setups", {"name": "Neun, two drivers", "rig_id": rig["id"], "parts": two}, status=201)
    assert [part["swapped"] for part in both["parts"]] == [False, False, True, True], "a kind is swapped as a whole"
    lanes = [{"name": "old", "setup_id": plain["id"]}, {"name": "new", "setup_id": other["id"]}]
    study = Bench(lead, bench.tester, lead.post("/studies", study_body(lanes=lanes, factor="Driver"), status=201))
    study.record(0, 0)
    parts[1] = {"kind": "board", "name": "Mini 4"}
    parts[2] = {"kind": "driver", "name": "41.9"}
    lead.save(f"/rigs/{rig['id']}", {"name": "Neun", "parts": parts})
    now = {setup["name"]: setup for setup in lead.get("/setups")}
    used, free = now["Neun, plain"], now["Neun, new driver"]
    assert (used["version"], refs(used)["board"], refs(used)["driver"]) == (2, "Mini 4", "41.9")
    assert (free["version"], refs(free)["board"], refs(free)["driver"]) == (1, "Mini 4", "42.0"), "a swap stays"
    kept = lead.get(f"/setup-versions/{plain['version_id']}")
    assert (refs(kept)["board"], kept["newest"]) == ("Mini 3", False), "what a run used never changes"
    assert lead.post("/rigs", {"name": "NEUN"}, status=409)["code"] == "rig_exists"
    assert lead.save("/rigs/0", {"name": "x"}, status=404)["code"] == "not_found"
    assert lead.post("/setups", {"name": "y", "rig_id": 0}, status=404)["code"] == "not_found"


def hand_in_table(who: Caller, table: str | bytes, status: int = 200) -> Any:
    content = table.encode() if isinstance(table, str) else table
    response = who.client.post("/api/parts.csv", {"file": SimpleUploadedFile("parts.csv", content)})
    assert response.status_code == status, response.content
    return response.json()


def test_parts_go_out_and_come_back_as_a_table(lead: Caller) -> None:
    table = (
        "\ufeffname;kind;bus_bits;price;currency;weight_g;variable_refresh;notes\r\n"
        "V5;card;128;399.50;EUR;700;;=SUM(1)\r\nPanora 27;display;;;;;yes;\r\n\r\n"
    )
    assert hand_in_table(lead, table) == {"added": 2, "changed": 0, "unchanged": 0}
    said = {part["name"]: part for part in lead.get("/parts")}
    assert (said["V5"]["facts"], said["V5"]["price"], said["V5"]["notes"]) == ({"bus_bits": 128}, 399.5, "=SUM(1)")
    assert said["Panora 27"]["facts"] == {"variable_refresh": True}
    out = lead.client.get("/api/parts.csv").content.decode()
    assert "'=SUM(1)" in out, "no spreadsheet takes it for a formula"
    assert hand_in_table(lead, out) == {"added": 0, "changed": 0, "unchanged": 2}
    assert hand_in_table(lead, out.replace("128", "192")) == {"added": 0, "changed": 1, "unchanged": 1}
    assert {part["name"]: part["notes"] for part in lead.get("/parts")}["V5"] == "=SUM(1)"


@pytest.mark.parametrize(
    ("table", "code", "field", "row"),
    [
        ("name\nV5\n", "missing_column", "kind", None),
        ("kind,name,wings\n", "unknown_column", "wings", None),
        ("kind,name,name\n", "ambiguous_column", "file", None),
        ("kind,name,bus_bits\ncard,V5,128\ncard,V6,wide\n", "wrong_fact", "facts.bus_bits", 2),
        ("kind,name,bus_bits\nsupply,S,128\n", "unknown_fact", "facts.bus_bits", 1),
        ("kind,name\nspoon,V5\n", "unknown_kind", "kind", 1),
        ("kind,name\ncard,\n", "invalid", "name", 1),
        ("kind,name,price\ncard,V5,3\n", "no_currency", "currency", 1),
        ("kind,name\ncard,V5,3\n", "broken_row", None, 1),
        (b"\xff\xfe\x00kind", "not_text", "file", None),
    ],
)
def test_a_table_is_taken_whole_or_not_at_all(
    lead: Caller, table: str | bytes, code: str, field: str | None, row: int | None
) -> None:
    refused = hand_in_table(lead, table, status=422)
    assert (refused["code"], refused.get("field"), refused.get("row")) == (code, field, row)
    assert refused["hint"]
    assert lead.get("/parts") == []
    assert lead.post("/parts.csv", status=422)["code"] == "no_table"


def test_a_setting_beyond_a_stated_limit_is_warned_of(lead: Caller) -> None:
    facts = {"power_limit_w": 160, "max_power_w": 170}
    lead.post("/parts", {"kind": "card", "name": "Ostrane V5", "facts": facts}, status=201)
    body = setup("Box", "Plain 40")
    assert lead.post("/setups", body, status=201)["cautions"] == []
    body = {**body, "name": "Hot box", "settings": [{"name": "Power limit", "value": "190 W"}]}
    (words,) = lead.post("/setups", body, status=201)["cautions"]
    assert "is beyond the stated highest power limit of 170 W that is recorded for Ostrane V5" in words


def test_ticks_of_a_sheet_are_kept_with_day_who_and_when(bench: Bench) -> None:
    path = f"/setup-versions/{bench.study['lanes_full'][0]['setup']['version_id']}/ticks"
    tick = {"on_day": "2026-01-05", "line": "Sync: off", "done": True}
    (kept,) = bench.tester.post(path, tick)
    assert (kept["line"], kept["on_day"], kept["who"]) == ("Sync: off", "2026-01-05", "a-tester")
    assert bench.lead.post(path, tick) == [kept], "who ticked it first stays"
    assert len(bench.tester.post(path, {**tick, "on_day": "2026-01-06"})) == 2
    assert bench.tester.post(path, {**tick, "done": False})[0]["on_day"] == "2026-01-06"
    assert bench.tester.get("/setup-versions/0/ticks", status=404)
    bench.lead.post(f"/studies/{bench.id}/archive")
    assert bench.tester.post(path, tick, status=409)["code"] == "study_finished"


@pytest.mark.parametrize(("text", "field"), [("1_6", "weight_g"), ("2.5", "weight_g"), ("1e400", "price")])
def test_numbers_of_a_table_are_read_to_the_letter(lead: Caller, text: str, field: str) -> None:
    table = f"kind,name,currency,{field}\ncard,V,EUR,{text}\n"
    file = SimpleUploadedFile("parts.csv", table.encode())
    refused = lead.client.post("/api/parts.csv", {"file": file}).json()
    assert (refused["row"], refused["field"]) == (1, field)
