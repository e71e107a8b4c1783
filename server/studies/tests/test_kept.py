"""What a study keeps: levels, lanes and tests that come later, reasons with a code, a record that nobody changes."""

from __future__ import annotations

from typing import Any

import pytest
from django.db import DatabaseError, transaction
from django.db.models import ProtectedError
from studies.models import AuditLine, Lane, Pass, Study, Test
from testkit import Bench, Caller, study_body


def box(name: str, **levels: str) -> dict[str, Any]:
    settings = [{"name": factor, "value": words} for factor, words in levels.items()]
    parts = [{"kind": "card", "name": "V5"}]
    return {"name": name, "levels": levels, "setup": {"name": f"Box {name}", "parts": parts, "settings": settings}}


def test_a_level_has_a_number_and_a_unit_where_it_is_one(lead: Caller) -> None:
    lanes = [box("a", Power="1,200 W"), box("b", Power="2,5 kW"), box("c", Power="+20 %"), box("d", Power="open")]
    made = lead.post("/studies", study_body(kind="sweep", factor="Power", lanes=lanes), status=201)
    assert [lane["levels"]["Power"] for lane in made["lanes_full"]] == [
        {"words": "1,200 W", "number": 1200, "unit": "W"},
        {"words": "2,5 kW", "number": 2.5, "unit": "kW"},
        {"words": "+20 %", "number": 20, "unit": "%"},
        {"words": "open", "number": None, "unit": ""},
    ]


def test_a_grid_says_which_of_its_cells_are_missing_and_takes_them_later(lead: Caller) -> None:
    lanes = [box("a", Card="V5", Link="x8"), box("b", Card="V7", Link="x4")]
    body = study_body(kind="grid", factor="Card", second_factor="Link", lanes=lanes)
    made = lead.post("/studies", body, status=201)
    assert made["missing_cells"] == [{"Card": "V5", "Link": "x4"}, {"Card": "V7", "Link": "x8"}]
    more = lead.post(f"/studies/{made['id']}/lanes", box("c", Card="V5", Link="x4"), status=201)
    assert more["missing_cells"] == [{"Card": "V7", "Link": "x8"}]
    assert more["counts"]["planned"] == 3 * 3 * 3, "the new lane has its passes planned"
    assert lead.post(f"/studies/{made['id']}/lanes", box("c"), status=422)["code"] == "lane_twice"


def test_a_against_b_stays_two(bench: Bench) -> None:
    assert bench.lead.post(f"/studies/{bench.id}/lanes", box("third"), status=409)["code"] == "two_lanes"


def test_kinds_of_long_names_fit(lead: Caller) -> None:
    made = lead.post("/studies", study_body(kind="proxy_check"), status=201)
    assert lead.get(f"/studies/{made['id']}")["kind"] == "proxy_check"


@pytest.mark.parametrize("code", ["odd", "wrong_setting", "interrupted", "crashed", "unstable", "below_floor"])
def test_a_reason_is_a_code_with_words_where_one_wants_them(bench: Bench, code: str) -> None:
    one = bench.record(0, 0)
    path = f"/studies/passes/{one}/state"
    assert bench.tester.put(path, {"state": "rejected"}, status=422)["code"] == "reason_needed"
    done = bench.tester.put(path, {"state": "rejected", "reason_code": code})
    assert (done["reason_code"], done["reason"]) == (code, "")
    said = bench.tester.put(path, {"state": "rejected", "reason_code": code, "reason": "a scan ran"})
    assert said["reason"] == "a scan ran"
    (listed,) = bench.lead.get(f"/studies/{bench.id}/findings")["rejected"]
    assert listed["reason"].endswith(": a scan ran")
    back = bench.tester.put(path, {"state": "recorded"})
    assert (back["reason_code"], back["reason"]) == ("", "")


def test_a_reason_fits_what_happened(bench: Bench) -> None:
    planned = Pass.objects.filter(lane=bench.lane(1), test=bench.test(0)).first()
    assert planned is not None
    path = f"/studies/passes/{planned.pk}/state"
    odd = bench.tester.put(path, {"state": "did_not_run", "reason_code": "odd"}, status=422)
    assert (odd["code"], odd["field"]) == ("reason_unknown", "reason_code")
    assert bench.tester.put(path, {"state": "did_not_run", "reason_code": "other"}, status=422)["field"] == "reason"
    bench.tester.put(path, {"state": "did_not_run", "reason_code": "did_not_launch"})
    bench.accept(bench.record(0, 0))
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    out = next(test["average"]["left_out"] for test in found["tests"] if test["test_id"] == bench.test(0))
    assert (out["reason"], out["words"]) == ("did_not_launch", "tall fins: did not launch")


def test_a_decision_on_several_passes_is_one_act(bench: Bench) -> None:
    ids = [bench.record(0, 0, seed=seed) for seed in range(3)]
    path = f"/studies/{bench.id}/passes/state"
    assert bench.tester.put(path, {"state": "accepted", "pass_ids": ids}) == {"changed": 3}
    assert bench.tester.put(path, {"state": "accepted", "pass_ids": ids}) == {"changed": 0}
    planned = Pass.objects.filter(test__study=bench.id, state="planned").values_list("pk", flat=True)[0]
    refused = bench.tester.put(path, {"state": "recorded", "pass_ids": [*ids, planned]}, status=409)
    assert refused["code"] == "wrong_state"
    assert set(Pass.objects.filter(pk__in=ids).values_list("state", flat=True)) == {"accepted"}, "all or none"
    assert bench.tester.put(path, {"state": "accepted", "pass_ids": [*ids, 0]}, status=404)
    lines = bench.lead.get(f"/studies/{bench.id}/audit")
    assert [line["pass_id"] for line in lines if line["what"] == "accepted the pass"] == ids[::-1]
    assert all(line["on"].startswith("Moss Republic, square, 1440 high, plain fins, pass") for line in lines[:3])


def test_the_record_is_never_changed_not_even_by_who_has_the_database(bench: Bench) -> None:
    bench.record(0, 0)
    for change in (
        lambda: AuditLine.objects.update(why="never was"),
        lambda: AuditLine.objects.all().delete(),
    ):
        with pytest.raises(DatabaseError, match="never changed"), transaction.atomic():
            change()


def test_what_is_kept_goes_with_nothing(bench: Bench) -> None:
    one = Pass.objects.get(pk=bench.record(0, 0))
    for kept in (one, one.capture, one.test, one.lane, Study.objects.get(pk=bench.id), one.capture.arrival):
        with pytest.raises(ProtectedError):
            kept.delete()
    assert Lane.objects.count() == 2
    assert Test.objects.count() == 3


def test_the_record_says_which_tests_changed(bench: Bench) -> None:
    kept = {"game": "Moss Republic", "scene": "square", "condition": "1440 high"}
    more = {"game": "Tin Lighthouse", "scene": "stairs", "condition": "1440 high"}
    bench.lead.save(f"/studies/{bench.id}/tests", {"tests": [kept, more]})
    said = bench.lead.get(f"/studies/{bench.id}/audit")[0]["why"]
    assert "added Tin Lighthouse, stairs, 1440 high" in said
    assert "left out Ninth Ferry, harbour, 1440 high" in said
