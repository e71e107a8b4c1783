"""Ready and accepted hold for what was read then, and for nothing else."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import pytest
from planning import calendar
from studies.models import Pass
from testkit import Bench, Caller, accepting, study_body


def said(lead: Caller, study: int) -> list[str]:
    return [line["what"] for line in lead.get(f"/studies/{study}/audit")]


def with_memory(lead: Caller) -> dict[str, Any]:
    """Lanes that differ in the cooler, and in memory of which nothing is written down yet."""
    body = study_body()
    for lane, kit in zip(body["lanes"], ("Fennik A", "Fennik B"), strict=True):
        lane["setup"]["parts"].append({"kind": "memory", "name": kit})
    study: dict[str, Any] = lead.post("/studies", body, status=201)
    for objection in lead.get(f"/studies/{study['id']}/plan")["objections"]:
        lead.post(f"/studies/{study['id']}/acceptances", accepting(objection, "as delivered"), status=201)
    assert lead.post(f"/studies/{study['id']}/ready")["ready_at"]
    return study


def test_an_acceptance_does_not_outlive_the_weight_of_its_difference(lead: Caller) -> None:
    study = with_memory(lead)
    kits = {part["name"]: part["id"] for part in lead.get("/parts") if part["kind"] == "memory"}
    lead.save(f"/parts/{kits['Fennik A']}", {"facts": {"size_gb": 32}})
    lead.save(f"/parts/{kits['Fennik B']}", {"facts": {"size_gb": 8}})
    (memory,) = [one for one in lead.get(f"/studies/{study['id']}/plan")["objections"] if one["key"] == "part:memory"]
    assert (memory["weight"], memory["acceptance"]) == ("spoils", None)
    assert lead.get(f"/studies/{study['id']}")["ready_at"] is None, "what was read was something milder"
    assert "is not ready any more" in said(lead, study["id"])
    refused = lead.post(f"/studies/{study['id']}/ready", status=409)
    assert (refused["code"], refused["field"]) == ("differences_open", "part:memory")


def test_a_new_difference_in_a_setup_takes_ready_back(lead: Caller) -> None:
    study = with_memory(lead)
    setup = study["lanes_full"][1]["setup"]
    lead.save(f"/setups/{setup['id']}", {"settings": [{"name": "Sync", "value": "on"}]})
    assert lead.get(f"/studies/{study['id']}")["ready_at"] is None


def test_a_change_that_changes_no_difference_leaves_it_ready(lead: Caller) -> None:
    study = with_memory(lead)
    part = next(part for part in lead.get("/parts") if part["name"] == "Fennik A")
    lead.save(f"/parts/{part['id']}", {"price_from": "a shop"})
    assert lead.get(f"/studies/{study['id']}")["ready_at"]


@pytest.mark.parametrize("change", ["baseline", "tests", "factor", "lane"])
def test_ready_does_not_outlive_what_it_was_said_of(lead: Caller, change: str) -> None:
    study = with_memory(lead)
    path = f"/studies/{study['id']}"
    if change == "baseline":
        lead.put(f"{path}/baseline/{study['lanes_full'][1]['id']}")
    elif change == "tests":
        lead.save(f"{path}/tests", {"tests": [{"game": "New", "scene": "x", "condition": "y"}]})
    elif change == "factor":
        lead.save(f"{path}/question", {"factor": "Memory kit"})
    else:
        lead.save(f"/setups/{study['lanes_full'][0]['setup']['id']}", {"settings": []})
    found = lead.get(path)
    assert found["ready_at"] is None
    assert "is not ready any more" in said(lead, study["id"])


def test_other_numbers_of_passes_leave_it_ready(lead: Caller) -> None:
    study = with_memory(lead)
    tests = [{**{k: t[k] for k in ("game", "scene", "condition")}, "passes_wanted": 4} for t in study["tests_full"]]
    found = lead.save(f"/studies/{study['id']}/tests", {"tests": tests})
    assert found["ready_at"]
    why = lead.get(f"/studies/{study['id']}/audit")[0]["why"]
    assert "Moss Republic, square, 1440 high: 3 → 4 passes" in why


def test_what_did_not_run_is_a_result_and_no_stray_pass_takes_its_place(bench: Bench) -> None:
    one = Pass.objects.filter(test=bench.test(0), lane=bench.lane(0))[0]
    bench.tester.put(f"/studies/passes/{one.pk}/state", {"state": "did_not_run", "reason_code": "crashed"})
    tests = [{k: t[k] for k in ("game", "scene", "condition")} for t in bench.study["tests_full"]]
    bench.lead.save(f"/studies/{bench.id}/tests", {"tests": tests[::-1]})
    assert Pass.objects.filter(test=bench.test(0), lane=bench.lane(0)).count() == 3
    assert bench.lead.get(f"/studies/{bench.id}/audit")[0]["why"] == "another order"


def test_what_is_left_is_laid_out_from_now_on(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    path = f"/studies/{bench.id}/plan"
    plan = bench.lead.save(path, {"starts_on": "2026-01-05", "deadline": "2026-01-09T18:00"})
    assert plan["sessions"][0]["day"] == "2026-01-05"
    monkeypatch.setattr(calendar, "now", lambda: datetime(2026, 1, 7, 15, 30, 20))
    now = bench.lead.get(path)
    assert now["sessions"][0]["starts"] == "2026-01-07T15:31:00"
    assert not now["late"]
    monkeypatch.setattr(calendar, "now", lambda: datetime(2026, 1, 12, 9))
    late = bench.lead.get(path)
    assert late["late"], "a deadline that has passed is late"
    assert [one["late"] for one in bench.lead.get("/outlooks")] == [True]


def test_what_all_tests_can_tell_leaves_out_those_that_are_left_out(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan"
    whole = bench.lead.save(path, {"starts_on": "2026-01-05"})
    cut = bench.lead.save(path, {"deadline": "2026-01-05T09:20"})
    assert cut["dropped"]
    assert whole["suite_resolvable"] is not None
    assert cut["suite_resolvable"] is None or cut["suite_resolvable"] > whole["suite_resolvable"]
