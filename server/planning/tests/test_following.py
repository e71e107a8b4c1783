"""A plan follows its study: lanes with conditions, passes that were run, and two leads at once."""

from __future__ import annotations

import threading
from datetime import date
from typing import Any

import pytest
from bench.models import Part
from django.db import connection, transaction
from planning.models import Acceptance
from planning.schemas import AcceptIn, PlanEdit, PlanIn
from planning.services import accept_difference, save_plan
from rennbahn.simulation import Scene
from studies.models import Pass
from studies.schemas import TestIn
from studies.services import set_tests
from testkit import RECORDED, Bench, Caller, edit_body, study_body

PLAN = {"starts_on": "2026-01-05"}


def scaling(lead: Caller, tester: Caller, *conditions: str) -> Bench:
    """One setup under several conditions, in two scenes."""
    said = [*RECORDED, {"name": "Sync", "value": "off"}]
    box = {"name": "Box", "parts": [{"kind": "card", "name": "V5"}], "settings": said}
    setup = lead.post("/setups", box, status=201)["id"]
    lanes = [{"name": name, "setup_id": setup, "condition": name} for name in conditions]
    tests = [{**test, "condition": conditions[0]} for test in study_body()["tests"][:2]]
    body = study_body(kind="scaling", factor="Resolution", lanes=lanes, tests=tests)
    return Bench(lead, tester, lead.post("/studies", body, status=201), Scene(4.0, 6.0, seconds=8.0))


def test_lanes_of_a_scaling_study_tell_the_games_themselves(lead: Caller, tester: Caller) -> None:
    for name, resolution in (("small", "1280 x 720"), ("large", "3840 x 2160")):
        lead.post("/conditions", {"name": name, "resolution": resolution, "preset": "high"}, status=201)
    bench = scaling(lead, tester, "small", "large")
    plan = lead.get(f"/studies/{bench.id}/plan")
    assert plan["objections"] == []
    assert plan["pairings"][0]["factor"][0] == {
        "key": "condition", "label": "Condition", "a": "small", "b": "large", "weight": "harmless",
        "reason": "this is the question",
    }  # fmt: skip
    told = [
        change["words"] for block in plan["blocks"] for change in block["changes"] if change["kind"] == "resolution"
    ]
    assert set(told) == {"set 1280 x 720 high", "set 3840 x 2160 high"}
    rows = bench.tester.get(f"/studies/{bench.id}/plan.csv").decode()
    assert ",large,Moss Republic,square,large,1" in rows


def test_figures_of_a_pass_are_measured_against_its_lanes_own_limit(lead: Caller, tester: Caller) -> None:
    lead.post("/conditions", {"name": "free"}, status=201)
    lead.post("/conditions", {"name": "held", "frame_limit_fps": 90}, status=201)
    bench = scaling(lead, tester, "free", "held")
    free, held = (lead.get(f"/passes/{bench.record(lane, 0, seed=lane)}")["made_by"]["settings"] for lane in (0, 1))
    assert (free["limited_to_fps"], held["limited_to_fps"]) == (None, 90)
    assert [cap["name"] for cap in held["known_caps"]] == ["frame limit"]
    assert free["known_caps"] == []


def test_a_scaling_finding_compares_conditions(lead: Caller, tester: Caller) -> None:
    bench = scaling(lead, tester, "small", "large")
    bench.fill(1, 3, (1.0, 0.5))
    found = lead.get(f"/studies/{bench.id}/findings")
    assert found["average"]["margin"] == pytest.approx(-0.5, abs=0.03)
    assert found["average"]["sentence"]["text"].startswith("Large: ")
    assert found["caveats"] == []


def test_a_moved_capture_takes_along_when_and_with_what_it_was_run(bench: Bench) -> None:
    first = bench.record(0, 0)
    before = Pass.objects.get(pk=first)
    assert before.setup_version_id is not None
    detail = bench.tester.get(f"/passes/{first}")
    place = {"lane_id": bench.lane(0), "test_id": bench.test(1), "number": 2}
    moved = bench.tester.put(f"/captures/{detail['one']['capture_id']}/place", place)
    after, left = Pass.objects.get(pk=moved["one"]["id"]), Pass.objects.get(pk=first)
    assert (after.setup_version_id, after.recorded_at) == (before.setup_version_id, before.recorded_at)
    assert (left.state, left.setup_version_id, left.recorded_at) == ("planned", None, None)


def test_a_finished_study_is_planned_no_more(bench: Bench) -> None:
    bench.accept(bench.record(0, 0))
    bench.lead.post(f"/studies/{bench.id}/finish")
    path = f"/studies/{bench.id}"
    tests = {"tests": [{"game": "a", "scene": "b", "condition": "c"}], "seen": ""}
    for method, where, body in (
        ("PUT", f"{path}/plan", edit_body(PlanEdit, **PLAN)),
        ("PUT", f"{path}/plan/sequence", {"sequence": [], "seen": ""}),
        ("POST", f"{path}/acceptances", {"key": "nothing", "about": "x", "reason": "y"}),
        ("POST", f"{path}/ready", None),
        ("PUT", f"{path}/tests", tests),
        ("PUT", f"{path}/question", {"question": "q", "factor": "f", "second_factor": "", "seen": ""}),
        ("PUT", f"/studies/lanes/{bench.lane(0)}/newest-version", None),
    ):
        assert bench.lead.call(method, where, body, status=409)["code"] == "study_finished"
    assert bench.lead.get("/outlooks") == []


def test_the_plan_leaves_lines_that_say_what_changed(bench: Bench) -> None:
    path = f"/studies/{bench.id}"
    bench.lead.save(f"{path}/plan", {**PLAN, "margin": 0.05, "hours_a_day": 6})
    bench.lead.save(f"{path}/plan", {**PLAN, "margin": 0.05, "hours_a_day": 6})
    bench.lead.save(f"{path}/question", {"question": "Do they?", "factor": "Cooler"})
    lines = [(line["what"], line["why"]) for line in bench.lead.get(f"{path}/audit")]
    assert [what for what, _ in lines].count("changed the plan") == 1, "what stayed the same leaves no line"
    assert "margin: 0.02 → 0.05" in lines[1][1]
    assert lines[0] == ("changed the question", "Do they? (Cooler)")


def test_a_plan_says_when_a_day_is_too_short(bench: Bench) -> None:
    plan = bench.lead.save(f"/studies/{bench.id}/plan", {**PLAN, "hours_a_day": 0.05})
    assert plan["unplaceable"] == 18
    assert plan["late"]
    assert plan["blocks"] == plan["sessions"] == []
    assert plan["chosen"]["ends"] is None


def test_a_shuffled_order_comes_from_its_seed(bench: Bench) -> None:
    def shuffled(seed: int) -> list[int]:
        plan = bench.lead.save(f"/studies/{bench.id}/plan", {**PLAN, "order": "random", "seed": seed})
        return [pk for block in plan["blocks"] for pk in block["pass_ids"]]

    first = shuffled(3)
    assert shuffled(4) != first == shuffled(3)


def test_harmless_differences_are_asked_about_too(lead: Caller) -> None:
    lanes = study_body()["lanes"]
    for lane, room in zip(lanes, ("22 °C", "23 °C"), strict=True):
        lane["setup"]["settings"].append({"name": "Room", "value": room})
    study = lead.post("/studies", study_body(lanes=lanes), status=201)
    (room,) = lead.get(f"/studies/{study['id']}/plan")["objections"]
    assert (room["weight"], room["acceptance"]) == ("harmless", None)
    assert lead.post(f"/studies/{study['id']}/ready", status=409)["field"] == "setting:room"


def test_facts_of_parts_reach_the_check(lead: Caller) -> None:
    for name, days in (("Plain 40", "95"), ("Tall 60", "95")):
        body = {"kind": "cooler", "name": name, "facts": {"type": "air", "max_heat_w": float(days)}}
        lead.post("/parts", body, status=201)
    study = lead.post("/studies", study_body(factor="Sync"), status=201)
    objections = {one["key"]: one for one in lead.get(f"/studies/{study['id']}/plan")["objections"]}
    assert objections["part:cooler"]["weight"] == "harmless"
    part = Part.objects.get(name="Tall 60")
    lead.save(f"/parts/{part.pk}", {"kind": "cooler", "name": "Tall 60", "facts": {"type": "air", "max_heat_w": 150}})
    objections = {one["key"]: one for one in lead.get(f"/studies/{study['id']}/plan")["objections"]}
    assert objections["part:cooler"]["weight"] == "mind"
    assert "no-factor" in objections


def waits_for_the_first(first: Any, second: Any) -> None:
    """Hold a change open; another one to the same study must wait until it is done."""
    begun, done = threading.Event(), []

    def other() -> None:
        begun.set()
        second()
        done.append(True)
        connection.close()

    thread = threading.Thread(target=other)
    with transaction.atomic():
        first()
        thread.start()
        begun.wait(5)
        thread.join(0.3)
        assert not done, "the second change waits for the first"
    thread.join(10)
    assert done == [True]


@pytest.mark.django_db(transaction=True)
def test_two_leads_change_the_tests_one_after_the_other(bench: Bench, django_user_model: Any) -> None:
    user = django_user_model.objects.get(username=bench.lead.name)
    one = TestIn(game="Moss Republic", scene="square", condition="1440 high", passes_wanted=4)
    two = TestIn(game="Ninth Ferry", scene="harbour", condition="1440 high", passes_wanted=2)
    waits_for_the_first(lambda: set_tests(user, bench.id, [one]), lambda: set_tests(user, bench.id, [two]))
    study = bench.lead.get(f"/studies/{bench.id}")
    assert [(test["game"], test["passes_wanted"]) for test in study["tests_full"]] == [("Ninth Ferry", 2)]
    assert study["counts"]["planned"] == 4, "no pass of the other lead's tests is left over"


@pytest.mark.django_db(transaction=True)
def test_two_leads_plan_and_accept_one_after_the_other(lead: Caller, django_user_model: Any) -> None:
    study = lead.post("/studies", study_body(factor="Sync"), status=201)
    user = django_user_model.objects.get(username=lead.name)
    cooler = next(o for o in lead.get(f"/studies/{study['id']}/plan")["objections"] if o["key"] == "part:cooler")

    def accept(reason: str) -> Any:
        return accept_difference(user, study["id"], AcceptIn(key=cooler["key"], about=cooler["about"], reason=reason))

    waits_for_the_first(lambda: accept("first"), lambda: accept("second"))
    assert Acceptance.objects.get().reason == "second"
    plans = [PlanIn(starts_on=date(2026, 1, 5), hours_a_day=hours) for hours in (3, 4)]
    waits_for_the_first(lambda: save_plan(user, study["id"], plans[0]), lambda: save_plan(user, study["id"], plans[1]))
    assert lead.get(f"/studies/{study['id']}/plan")["hours_a_day"] == 4
