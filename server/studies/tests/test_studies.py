"""Studies: made in one go, changed with a line in the record, finished once decided."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

import pytest
from django.db import IntegrityError, connection, transaction
from studies.deciding import change_pass
from studies.models import Pass, Study
from studies.schemas import MethodEdit
from testkit import Bench, Caller, edit_body, study_body


def test_a_study_comes_with_lanes_tests_and_planned_passes(lead: Caller) -> None:
    study = lead.post("/studies", study_body(passes_wanted=4, baseline=1), status=201)
    assert [lane["baseline"] for lane in study["lanes_full"]] == [False, True]
    assert [test["game"] for test in study["tests_full"]] == ["Moss Republic", "Ninth Ferry", "Paper Comets"]
    assert study["counts"]["planned"] == 2 * 3 * 4
    assert [line["what"] for line in lead.get(f"/studies/{study['id']}/audit")] == ["created the study"]
    assert lead.get("/studies")[0]["question"] == "Do tall fins help?"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"question": "  "}, "question"),
        ({"lanes": study_body()["lanes"][:1]}, "lanes"),
        ({"tests": []}, "tests"),
        ({"tests": study_body()["tests"][:1] * 2}, "tests"),
        ({"method": {"equal_band": 0}}, "method.equal_band"),
        ({"method": {"low_school": "mine"}}, "method.low_school"),
        ({"lanes": [study_body()["lanes"][0], {"name": "b", "setup_id": 0}]}, "lanes.1.setup_id"),
        ({"lanes": [study_body()["lanes"][0], {**study_body()["lanes"][1], "name": "Plain Fins"}]}, "lanes.1.name"),
    ],
)
def test_a_wrong_study_names_the_field_and_leaves_nothing(lead: Caller, change: dict[str, Any], field: str) -> None:
    refused = lead.client.post("/api/studies", study_body(**change), content_type="application/json")
    assert refused.status_code in (409, 422)
    assert refused.json()["field"] == field
    assert Study.objects.count() == 0
    assert lead.get("/setups") == []


def test_lanes_of_one_setup_have_nothing_to_compare(lead: Caller) -> None:
    first = lead.post("/studies", study_body(), status=201)["lanes_full"][0]["setup"]["id"]
    lanes = [{"name": "one", "setup_id": first}, {"name": "two", "setup_id": first}]
    assert lead.post("/studies", study_body(lanes=lanes), status=422)["code"] == "lanes_alike"


def test_decisions_need_reasons_and_leave_lines(bench: Bench) -> None:
    one = bench.record(0, 0)
    state = f"/studies/passes/{one}/state"
    refused = bench.tester.put(state, {"state": "rejected", "reason": "  "}, status=422)
    assert (refused["code"], refused["field"]) == ("reason_needed", "reason")
    assert bench.tester.put(state, {"state": "rejected", "reason": "an update ran"})["reason"] == "an update ran"
    assert bench.tester.put(state, {"state": "accepted"})["reason"] == ""
    assert bench.tester.put(state, {"state": "planned"}, status=409)["code"] == "wrong_state"
    said = [(line["who"], line["what"], line["why"]) for line in bench.lead.get(f"/studies/{bench.id}/audit")]
    assert said[:3] == [
        (bench.tester.name, "accepted the pass", ""),
        (bench.tester.name, "rejected the pass", "an update ran"),
        (bench.tester.name, "recorded a pass", ""),
    ]


def test_a_pass_that_did_not_run(bench: Bench) -> None:
    planned = bench.tester.get(f"/studies/{bench.id}/passes")[0]
    state = f"/studies/passes/{planned['id']}/state"
    assert bench.tester.put(state, {"state": "accepted"}, status=409)
    assert bench.tester.put(state, {"state": "did_not_run", "reason": "crashed"})["state"] == "did_not_run"
    assert bench.tester.put(state, {"state": "planned"})["reason"] == ""


def test_one_more_pass_and_one_more_test(bench: Bench) -> None:
    more = bench.tester.post("/studies/passes", {"lane_id": bench.lane(0), "test_id": bench.test(0)}, status=201)
    assert more["number"] == 4
    test = {"game": "Glass Caravan", "scene": "dunes", "condition": "1440 high"}
    there = [{key: one[key] for key in ("game", "scene", "condition")} for one in bench.study["tests_full"]]
    path = f"/studies/{bench.id}/tests"
    assert bench.lead.save(path, {"tests": [*there, test]})["tests_full"][-1]["position"] == 3
    assert bench.lead.save(path, {"tests": [*there, test, test]}, status=409)["code"] == "test_twice"


def test_a_finished_study_changes_no_more(bench: Bench) -> None:
    one = bench.record(0, 0)
    assert bench.lead.post(f"/studies/{bench.id}/finish", status=409)["code"] == "passes_undecided"
    bench.accept(one)
    assert bench.lead.post(f"/studies/{bench.id}/finish")["state"] == "finished"
    for method, path, body in [
        ("PUT", f"/studies/passes/{one}/state", {"state": "recorded"}),
        ("PUT", f"/studies/{bench.id}/method", edit_body(MethodEdit, equal_band=0.02)),
        ("POST", "/studies/passes", {"lane_id": bench.lane(0), "test_id": bench.test(0)}),
        ("PUT", f"/studies/{bench.id}/baseline/{bench.lane(1)}", None),
    ]:
        assert bench.lead.call(method, path, body, status=409)["code"] == "study_finished"
    refused = bench.tester.hand_in(bench.id, "late.csv", bench.log(5), status=409)
    assert refused["code"] == "study_finished"
    assert bench.lead.post(f"/studies/{bench.id}/reopen")["finished_at"] is None


def test_another_baseline(bench: Bench) -> None:
    study = bench.lead.put(f"/studies/{bench.id}/baseline/{bench.lane(1)}")
    assert [lane["baseline"] for lane in study["lanes_full"]] == [False, True]
    assert bench.lead.put(f"/studies/{bench.id}/baseline/0", status=404)


def test_the_database_refuses_wrong_states(bench: Bench) -> None:
    one = Pass.objects.first()
    assert one is not None
    for change in ({"state": "rejected", "reason": ""}, {"state": "lost"}, {"number": 0}):
        with pytest.raises(IntegrityError), transaction.atomic():
            Pass.objects.filter(pk=one.pk).update(**change)


def test_lists_take_the_same_queries_for_any_number(bench: Bench, queries: Callable[[int], Any]) -> None:
    for number in range(4):
        body = study_body(question=f"Question {number}")
        for lane in body["lanes"]:
            lane["setup"]["name"] += str(number)
        bench.lead.post("/studies", body, status=201)
    with queries(6):
        assert len(bench.lead.get("/studies")) == 5
    with queries(11):
        bench.lead.get(f"/studies/{bench.id}")


@pytest.mark.django_db(transaction=True)
def test_two_decisions_at_once_are_taken_one_after_the_other(bench: Bench, django_user_model: Any) -> None:
    one = bench.record(0, 0)
    user = django_user_model.objects.get(username=bench.tester.name)
    begun, done = threading.Event(), []

    def reject() -> None:
        begun.set()
        change_pass(user, one, "rejected", "second thoughts")
        done.append(True)
        connection.close()

    other = threading.Thread(target=reject)
    with transaction.atomic():
        change_pass(user, one, "accepted")
        other.start()
        begun.wait(5)
        other.join(0.3)
        assert not done, "the second decision waits for the first"
    other.join(10)
    assert [line["what"] for line in bench.lead.get(f"/studies/{bench.id}/audit")][:2] == [
        "rejected the pass",
        "accepted the pass",
    ]


def described(name: str, **settings: str) -> dict[str, Any]:
    said = [{"name": key.replace("_", " "), "value": value} for key, value in settings.items()]
    parts = [{"kind": "card", "name": "Ostrane V5"}]
    return {"name": name, "setup": {"name": f"Box, {name}", "parts": parts, "settings": said}}


def test_every_kind_of_study(lead: Caller) -> None:
    sweep = [{**described(f"{watts} W", power_limit=f"{watts} W"), "levels": {"Power limit": f"{watts} W"}}
             for watts in (160, 140, 120)]  # fmt: skip
    made = lead.post("/studies", study_body(kind="sweep", factor="Power limit", lanes=sweep), status=201)
    assert [lane["levels"]["Power limit"]["words"] for lane in made["lanes_full"]] == ["160 W", "140 W", "120 W"]
    assert made["counts"]["planned"] == 3 * 3 * 3

    grid = [described(f"{fans}, {sync}", fans=fans, sync=sync) for fans in ("slow", "fast") for sync in ("on", "off")]
    crossed = study_body(kind="grid", factor="Fans", second_factor="Sync", lanes=grid)
    assert lead.post("/studies", crossed, status=201)["second_factor"] == "Sync"
    assert lead.get(f"/studies/{lead.get('/studies')[0]['id']}/plan")["objections"][1:] == [], (
        "but for what no lane says"
    )

    one = lead.post("/setups", described("alone")["setup"], status=201)["id"]
    scaling = [{"name": name, "setup_id": one, "condition": name} for name in ("1080 high", "1440 high", "2160 high")]
    scaled = lead.post("/studies", study_body(kind="scaling", factor="Resolution", lanes=scaling), status=201)
    assert [lane["condition"] for lane in scaled["lanes_full"]] == ["1080 high", "1440 high", "2160 high"]
    assert lead.get(f"/studies/{scaled['id']}/plan")["objections"][1:] == [], "but for what no lane says"
    assert [study["kind"] for study in lead.get("/studies")] == ["scaling", "grid", "sweep"]


@pytest.mark.parametrize(
    ("change", "code", "field"),
    [
        ({"lanes": [described(str(n), fans=str(n)) for n in range(3)]}, "two_lanes", "lanes"),
        ({"kind": "grid"}, "second_factor_missing", "second_factor"),
        ({"kind": "scaling"}, "condition_missing", "lanes.0.condition"),
        ({"baseline": 2}, "no_such_lane", "baseline"),
        ({"kind": "tower"}, "invalid", "kind"),
    ],
)
def test_lanes_must_fit_their_kind(lead: Caller, change: dict[str, Any], code: str, field: str) -> None:
    refused = lead.post("/studies", study_body(**change), status=422)
    assert (refused["code"], refused["field"]) == (code, field)


def test_a_described_setup_that_is_there_already_is_used_again(lead: Caller) -> None:
    first = lead.post("/studies", study_body(), status=201)
    second = lead.post("/studies", study_body(question="And at night?"), status=201)
    versions = [[lane["setup"]["version_id"] for lane in study["lanes_full"]] for study in (first, second)]
    assert versions[0] == versions[1]
    body = study_body()
    body["lanes"][0]["setup"]["settings"] = []
    other = lead.post("/studies", body, status=201)["lanes_full"][0]["setup"]
    assert other["name"] == f"{study_body()['lanes'][0]['setup']['name']} (2)", "another setup under that name"
    body["lanes"][0]["setup"]["name"] = "asked at night"
    again = lead.post("/studies", body, status=201)["lanes_full"][0]["setup"]
    assert again["id"] == other["id"], "an equal setup is that setup, whatever it is called"


def test_the_tests_of_a_study_are_set_as_a_whole(bench: Bench) -> None:
    path = f"/studies/{bench.id}/tests"
    kept = {"game": "Ninth Ferry", "scene": "harbour", "condition": "1440 high"}
    bench.accept(bench.record(0, 1))
    more = {"game": "ninth ferry", "scene": "harbour", "condition": "1080 low", "priority": 3, "passes_wanted": 5}
    study = bench.lead.save(path, {"tests": [more, {**kept, "priority": 1, "passes_wanted": 4}]})
    assert [(t["condition"], t["priority"], t["passes_wanted"]) for t in study["tests_full"]] == [
        ("1080 low", 3, 5),
        ("1440 high", 1, 4),
    ]
    assert (study["counts"]["planned"], study["counts"]["accepted"]) == (2 * 5 + 2 * 4 - 1, 1)
    fewer = bench.lead.save(path, {"tests": [{**kept, "passes_wanted": 1}, more]})
    assert (fewer["counts"]["planned"], fewer["counts"]["accepted"]) == (1 + 2 * 5, 1), "what was run stays"
    gone = bench.lead.save(path, {"tests": [more]}, status=409)
    assert (gone["code"], gone["field"]) == ("test_has_passes", "tests")
    assert bench.lead.save(path, {"tests": [more, more]}, status=409)["code"] == "test_twice"
    assert bench.lead.save(path, {"tests": [{**more, "priority": 4}]}, status=422)["field"] == "tests.0.priority"
    said = [line["what"] for line in bench.lead.get(f"/studies/{bench.id}/audit")]
    assert said.count("changed the tests") == 2


def test_what_a_tester_planned_stays_planned_and_the_record_is_never_shortened(bench: Bench) -> None:
    place = {"lane_id": bench.lane(0), "test_id": bench.test(0)}
    bench.tester.post("/studies/passes", place, status=201)
    tests = [{key: test[key] for key in ("game", "scene", "condition")} for test in bench.study["tests_full"]]
    same = bench.lead.save(f"/studies/{bench.id}/tests", {"tests": [{**tests[0], "priority": 1}, *tests[1:]]})
    assert same["counts"]["planned"] == 19, "another priority takes no pass away"
    fewer = bench.lead.save(f"/studies/{bench.id}/tests", {"tests": [{**tests[0], "passes_wanted": 2}, *tests[1:]]})
    assert fewer["counts"]["planned"] == 16
    bench.lead.save(f"/studies/{bench.id}/tests", {"tests": tests[1:]})
    said = [(line["what"], line["on"]) for line in bench.lead.get(f"/studies/{bench.id}/audit")]
    assert ("planned one more pass", "Moss Republic, square, 1440 high, plain fins, pass 4") in said


def test_a_rejected_pass_is_repeated_beside_what_is_wanted(bench: Bench) -> None:
    one = bench.record(0, 0)
    bench.tester.put(f"/studies/passes/{one}/state", {"state": "rejected", "reason": "an update ran"})
    tests = [{key: test[key] for key in ("game", "scene", "condition")} for test in bench.study["tests_full"]]
    study = bench.lead.save(f"/studies/{bench.id}/tests", {"tests": tests})
    assert (study["counts"]["planned"], study["counts"]["rejected"]) == (18, 1)


def test_findings_compare_any_two_lanes_of_a_ladder(lead: Caller, tester: Caller) -> None:
    lanes = [described(f"step {n}", fans=str(n)) for n in range(3)]
    body = study_body(kind="ladder", factor="fans", lanes=lanes, tests=study_body()["tests"][:1])
    bench = Bench(lead, tester, lead.post("/studies", body, status=201))
    bench.fill(1, 3, (1.0, 1.1, 1.2))
    path = f"/studies/{bench.id}/findings"
    first, last = (lead.get(f"{path}?other={bench.lane(n)}") for n in (1, 2))
    assert first["average"]["margin"] < last["average"]["margin"]
    assert (first["other"]["name"], last["other"]["name"]) == ("step 1", "step 2")
    levels = [level["average"] for level in last["levels"]]
    assert len(levels) == 3
    assert levels == sorted(levels)
    for level in last["levels"]:
        assert level["low_1"] < level["median"]
        assert abs(level["median"] / level["average"] - 1) < 0.1
    assert lead.get(f"{path}?other={bench.lane(0)}", status=404)["code"] == "not_found"
