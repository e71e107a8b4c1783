"""What the house keeps beside its studies as blocks of a report: logs, what fits, sums, scenes, setups."""

from __future__ import annotations

from typing import Any

import pytest
from django.test import Client
from reports.models import Block
from reports.tests.writing import add, published, read, settled
from testkit import Bench, Caller, edit_body
from tuning.schemas import LogEdit
from tuning.tests.logs import a_setup, log_body, quick, run, step


@pytest.fixture
def log(lead: Caller, tester: Caller) -> dict[str, Any]:
    """A log of one proven step and one that crashed."""
    made = lead.post("/tuning", log_body(lead, a_setup(lead)), status=201)
    quick(tester, run(tester, step(tester, made, -30.0)), (90.0, 100.0), (91.0, 101.0))
    return run(tester, step(tester, made, -60.0), outcome="crashed")


@pytest.fixture
def looks(lead: Caller, log: dict[str, Any]) -> dict[str, Any]:
    """A look at one thing of each kind."""
    parts = [
        int(lead.post("/parts", {"kind": kind, "name": name}, status=201)["id"])
        for kind, name in (("machine", "Flat desk"), ("adapter", "Long bridge"), ("card", "Heron 7"))
    ]
    body = {"title": "Nine litres", "via_are": "Adapters", "rows": parts[:1], "via": parts[1:2], "columns": parts[2:]}
    matrix = lead.post("/fits", body, status=201)
    scene = lead.post("/scenes", {"game": "Moorfeuer", "name": "Pier", "route": "along the water"}, status=201)
    return {
        "log": {"log_id": log["id"], "over": "Core voltage"},
        "fit": matrix["id"],
        "sum": {"name": "percent", "of": [{"a": 80.0, "b": 100.0}]},
        "scene": scene["id"],
        "setup": next(one["version_id"] for one in lead.get("/setups") if one["name"] == "Walnut box"),
    }


SAYS = {
    "log": "Core voltage",
    "fit": "Nine litres",
    "sum": "b over a 25.00%",
    "scene": "along the water",
    "setup": "Finch 5",
}


def test_each_is_kept_put_in_and_printed(looks: dict[str, Any], tester: Caller, lead: Caller) -> None:
    report = tester.post("/reports", {"title": "Beside the studies"}, status=201)
    for kind, look in looks.items():
        body = {"kind": kind, "look": {kind: look}, "way": "/tuning/1?over=Core%20voltage"}
        report = tester.post(f"/reports/{report['id']}/shelf", body, status=201)
        report = add(tester, report, {"kind": kind, "look": {kind: look}})
    assert [one["study_id"] for one in report["shelf"]] == [None] * len(SAYS)
    assert [one["says"] != "" for one in report["blocks"]] == [True] * len(SAYS)
    for block in report["blocks"]:
        shown = tester.get(f"/reports/{report['id']}/blocks/{block['id']}/material")["house"]
        assert SAYS[block["kind"]] in f"{shown['title']} {shown['sentences']} {shown['heads']} {shown['rows']}"
    assert any("two supplies" in one or "power" in one.lower() for one in report["cautions"]), "adapters are handled so"
    told = published(lead, settled(tester, report))
    page = read(told["address"])
    assert {kind for kind, words in SAYS.items() if words not in page} == set()
    assert page.count("<svg") >= 4, "log and matrix are drawn, for wide and for narrow"
    tables = {one["name"] for one in told["editions"][0]["files"] if one["name"].endswith(".csv")}
    log = f"tuning-{looks['log']['log_id']}.csv"
    assert tables == {log, f"fit-{looks['fit']}.csv"}
    assert Client().get(f"{told['address']}{log}").content.startswith(b"step,sample")


def test_a_step_more_is_told_and_taken_over(looks: dict[str, Any], log: dict[str, Any], tester: Caller) -> None:
    report = tester.post("/reports", {"title": "Going on"}, status=201)
    report = add(tester, report, {"kind": "log", "look": {"log": looks["log"]}})
    before = report["blocks"][0]["says"]
    run(tester, step(tester, log, -40.0))
    report = tester.get(f"/reports/{report['id']}")
    (change,) = report["blocks"][0]["changes"]
    assert change["before"] == before != change["after"]
    report = tester.post(f"/reports/{report['id']}/take-over", {"block_id": report["blocks"][0]["id"]})
    assert (report["blocks"][0]["changes"], report["blocks"][0]["says"]) == ([], change["after"])


@pytest.mark.parametrize(
    ("body", "code"),
    [
        ({"kind": "log", "look": None}, "no_look"),
        ({"kind": "log", "look": {"fit": 1}}, "no_look"),
        ({"kind": "scene", "look": {"scene": 99_999}}, "not_found"),
        ({"kind": "setup", "look": {"setup": 99_999}}, "not_found"),
        ({"kind": "fit", "look": {"fit": 99_999}}, "not_found"),
        ({"kind": "log", "look": {"log": {"log_id": 99_999}}}, "not_found"),
        ({"kind": "sum", "look": {"sum": {"name": "luck", "of": [{"a": 1}]}}}, "not_found"),
        ({"kind": "sum", "look": {"sum": {"name": "percent", "of": [{"a": 1}]}}}, "bad_sum"),
        ({"kind": "sum", "look": {"sum": {"name": "percent", "of": [{"a": 1e-300, "b": 1e300}]}}}, "bad_sum"),
        ({"kind": "picture", "look": {"scene": 1}}, "no_look"),
    ],
)
def test_what_is_not_there_is_refused(tester: Caller, body: dict[str, Any], code: str) -> None:
    report = tester.post("/reports", {"title": "Nothing"}, status=201)
    status = 404 if code == "not_found" else 422
    told = tester.post(f"/reports/{report['id']}/blocks", {"after": None, **body}, status=status)
    assert told["code"] == code
    assert tester.get(f"/reports/{report['id']}")["blocks"] == []


def test_a_log_over_what_it_has_not_is_drawn_over_watts(looks: dict[str, Any], tester: Caller, lead: Caller) -> None:
    report = tester.post("/reports", {"title": "Over nothing"}, status=201)
    look = {"log": looks["log"] | {"over": "Moon phase", "of": "noise_dba"}}
    report = add(tester, report, {"kind": "log", "look": look})
    page = read(published(lead, settled(tester, report))["address"])
    assert "No step has a place in this picture yet." in page
    assert "NaN" not in page
    assert "Infinity" not in page


def test_a_report_of_no_study_needs_a_title(tester: Caller) -> None:
    assert tester.post("/reports", {}, status=422)["field"] == "title"


def test_a_rival_makes_a_report_one_of_its_study(
    log: dict[str, Any], bench: Bench, lead: Caller, tester: Caller
) -> None:
    """What is kept to some stays with them, also where a log that is held against it stands in a report."""
    study = lead.get(f"/studies/{bench.id}")
    lane, test = study["lanes_full"][0]["id"], study["tests_full"][0]["id"]
    rival = log_body(lead, {"id": log["setup_id"]}, rival_lane_id=lane, rival_test_id=test, seen=log["seen"])
    lead.put(f"/tuning/{log['id']}", edit_body(LogEdit, **rival))
    report = lead.post("/reports", {"title": "Against it"}, status=201)
    report = add(lead, report, {"kind": "log", "look": {"log": {"log_id": log["id"]}}})
    assert [one["id"] for one in report["studies"]] == [bench.id]
    lead.put(f"/studies/{bench.id}/kept", {"names": []})
    assert report["id"] not in [one["id"] for one in tester.get("/reports")]


def test_what_is_there_no_more_stops_a_report_and_not_its_page(looks: dict[str, Any], tester: Caller) -> None:
    report = tester.post("/reports", {"title": "Gone"}, status=201)
    report = add(tester, report, {"kind": "sum", "look": {"sum": looks["sum"]}})
    Block.objects.update(content={"look": {"sum": {"name": "percent", "of": [{"a": 0.0, "b": 1.0}]}}, "caption": ""})
    found = tester.get(f"/reports/{report['id']}")
    assert [one["blocks"] for one in found["points"] if "shows nothing" in one["words"]] == [True]
