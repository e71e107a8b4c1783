"""Tuning logs through their API: steps, limits, failures, setups, rivals, captures of the test machine, the marks."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from rennbahn.simulation import Dialect, Rig, Scene, run_pass, write_log
from testkit import Bench, Caller, edit_body
from tuning.schemas import LogEdit
from tuning.tests.logs import LIMIT, LIMITS, OFFSET, log_body, one, part_id, quick, run, step


def test_an_undervolt_goes_down_crashes_and_goes_back(log: dict[str, Any], tester: Caller) -> None:
    assert log["sentences"] == ["Nothing was set on Finch 5 yet."]
    found = run(tester, step(tester, log, -60.0))
    assert (found["next"]["setting"], found["next"]["value"]) == ("Core voltage", -120.0)
    found = run(tester, step(tester, log, -120.0), "crashed", 7.0)
    assert found["next"]["value"] == -90.0
    assert "half way" in found["next"]["words"]
    assert found["steps"][-1]["why_unstable"] == "crashed after 7 minutes of long load"
    back = found["steps"][0]["id"]
    found = run(tester, step(tester, log, -90.0, after=back))
    assert [one["after"] for one in found["steps"]] == [None, back, back]
    assert found["steps"][-1]["state"] == "proven"
    assert found["sentences"][0] == (
        "Finch 5 is proven stable at Core voltage -90 mV (step 3: 60 minutes in 1 program)."
    )


def test_a_limit_is_crossed_knowingly_or_not_at_all_and_stays_marked(
    log: dict[str, Any], tester: Caller, lead: Caller
) -> None:
    refused = step(tester, log, -220.0, status=409)
    assert refused["code"] == "crosses_limit"
    assert "-200 to 0 mV (maker’s manual, page 12)" in refused["message"]
    assert "void its warranty" in refused["hint"]
    found = step(tester, log, -220.0, crossing=["Core voltage"])
    assert found["steps"][0]["over_limit"] == ["Core voltage"]
    assert found["next"]["value"] is None
    wider = [OFFSET | LIMITS | {"limit_low": -300.0}, LIMIT]
    edit = edit_body(LogEdit, **log_body(lead, {"id": log["setup_id"]}, settings=wider, seen=log["seen"]))
    found = lead.put(f"/tuning/{log['id']}", edit)
    assert found["steps"][0]["over_limit"] == ["Core voltage"], "it was past what was known then"


def test_what_reads_back_past_a_limit_is_marked_too(log: dict[str, Any], tester: Caller) -> None:
    found = step(tester, log, -200.0)
    body = {"read_back": {"Core voltage": -205.0}}
    found = tester.put(f"/tuning/steps/{found['steps'][0]['id']}/read-back", body)
    assert found["steps"][0]["over_limit"] == ["Core voltage"]


def test_of_power_without_a_known_limit_nothing_is_proposed(log: dict[str, Any], tester: Caller) -> None:
    found = run(tester, step(tester, log, 0.0, set={"Power limit": 130.0}))
    assert (found["next"]["value"], found["next"]["why"]) == (None, "no_known_limit")


def test_memory_work_begins_with_a_backup(lead: Caller, tester: Caller, base: dict[str, Any]) -> None:
    timing = {"name": "tRCD", "unit": "clocks", "kind": "timing", "stock": 36.0, "resolution": 1.0, "harder": "down"}
    body = log_body(lead, base, part_id=part_id(lead, "Two sticks"), settings=[timing])
    log = lead.post("/tuning", body, status=201)
    assert log["memory"]
    assert "Back your data up" in log["settings"][0]["caution"]
    assert step(tester, log, 0.0, status=409, set={"tRCD": 34.0})["code"] == "not_backed_up"
    assert tester.post(f"/tuning/{log['id']}/backed-up", None)["backed_up_by"] == "a-tester"
    step(tester, log, 0.0, set={"tRCD": 34.0})


def test_what_is_sent_twice_is_done_once(log: dict[str, Any], tester: Caller) -> None:
    body = {"client_id": one(), "set": {"Core voltage": -10.0}}
    for _ in range(2):
        found = tester.post(f"/tuning/{log['id']}/steps", body, status=201)
    first = found["steps"][0]["id"]
    again = {"client_id": one(), "program": "x", "minutes": 5.0, "outcome": "passed"}
    for _ in range(2):
        found = tester.post(f"/tuning/steps/{first}/runs", again, status=201)
    assert (len(found["steps"]), len(found["steps"][0]["runs"])) == (1, 1)


@pytest.mark.parametrize(
    ("change", "code", "field"),
    [
        ({"settings": [OFFSET, OFFSET]}, "setting_twice", "settings.1.name"),
        ({"settings": [OFFSET | {"limit_low": -1.0}]}, "limit_without_source", "settings.0.limit_source"),
        ({"settings": [OFFSET | LIMITS | {"limit_low": 9.0}]}, "limits_crossed", "settings.0.limit_low"),
        ({"part_id": 0}, "part_missing", "part_id"),
        ({"setup_id": 0}, "setup_missing", "setup_id"),
        ({"rival_lane_id": 1}, "rival_half", "rival_test_id"),
    ],
)
def test_what_is_no_log_is_refused_by_field(
    lead: Caller, base: dict[str, Any], change: dict[str, Any], code: str, field: str
) -> None:
    status = 422
    found = lead.post("/tuning", log_body(lead, base) | change, status=status)
    assert (found["code"], found["field"]) == (code, field)


def test_a_limit_may_not_lie_over_that_of_the_part(lead: Caller, base: dict[str, Any]) -> None:
    part = next(one for one in lead.get("/parts") if one["name"] == "Finch 5")
    fields = ("kind", "name", "maker", "price", "currency", "price_from", "price_day", "weight_g", "notes", "seen")
    lead.put(f"/parts/{part['id']}", {name: part[name] for name in fields} | {"facts": {"max_power_w": 150.0}})
    over = LIMIT | {"limit_high": 160.0, "limit_source": "a forum"}
    refused = lead.post("/tuning", log_body(lead, base, settings=[over]), status=422)
    assert refused["code"] == "over_part_limit"
    assert "150 W" in refused["message"]


def test_steps_keep_what_they_have_set(log: dict[str, Any], lead: Caller, tester: Caller) -> None:
    step(tester, log, -10.0)
    other = edit_body(
        LogEdit, **log_body(lead, {"id": log["setup_id"]}, settings=[OFFSET | {"stock": 5.0}], seen=log["seen"])
    )
    assert lead.put(f"/tuning/{log['id']}", other, status=409)["code"] == "setting_used"
    stale = edit_body(LogEdit, **log_body(lead, {"id": log["setup_id"]}, seen="x"))
    assert lead.put(f"/tuning/{log['id']}", stale, status=409)["code"] == "changed_meanwhile"


def test_a_step_becomes_a_setup_and_a_failed_one_marks_it_everywhere(
    log: dict[str, Any], lead: Caller, tester: Caller
) -> None:
    found = step(tester, log, -60.0, set={"Core voltage": -60.0, "Power limit": 110.0})
    first = found["steps"][0]["id"]
    made = lead.post(f"/tuning/steps/{first}/setup", None, status=201)
    assert made["name"] == "Walnut box, Core voltage -60 mV, Power limit 110 W"
    assert lead.post(f"/tuning/steps/{first}/setup", None, status=201)["setup_id"] == made["setup_id"]
    setup = next(one for one in lead.get("/setups") if one["id"] == made["setup_id"])
    values = {one["name"]: one["value"] for one in setup["settings"]}
    assert values == {"power LIMIT": "110 W", "Core voltage": "-60 mV"}
    assert tester.get("/tuning/marks") == []
    found = run(tester, found, "errors", 12.0)
    [mark] = tester.get("/tuning/marks")
    assert (mark["setup_id"], mark["words"]) == (
        made["setup_id"], "gave errors after 12 minutes of long load at step 1 of “How far down”",
    )  # fmt: skip
    entry = found["steps"][0]["runs"][0]["id"]
    tester.put(f"/tuning/runs/{entry}/struck", {"why": "the cable was loose"}, status=403)
    found = lead.put(f"/tuning/runs/{entry}/struck", {"why": "the cable was loose"})
    assert found["steps"][0]["runs"][0]["struck"] == "a-lead: the cable was loose"
    assert (found["steps"][0]["state"], tester.get("/tuning/marks")) == ("unproven", [])


def test_a_pass_that_crashed_in_one_game_marks_its_setup(bench: Bench, tester: Caller) -> None:
    one_pass = next(one for one in tester.get(f"/studies/{bench.id}/passes") if one["state"] == "planned")
    body = {"state": "did_not_run", "reason_code": "crashed", "reason": "black screen"}
    tester.put(f"/studies/passes/{one_pass['id']}/state", body)
    [mark] = tester.get("/tuning/marks")
    assert "crashed in" in mark["words"]


def test_a_rival_is_a_lane_of_any_study(log: dict[str, Any], bench: Bench, lead: Caller, tester: Caller) -> None:
    study = lead.get(f"/studies/{bench.id}")
    lane, test = study["lanes_full"][0]["id"], study["tests_full"][0]["id"]
    edit = edit_body(
        LogEdit,
        **log_body(lead, {"id": log["setup_id"]}, rival_lane_id=lane, rival_test_id=test, seen=log["seen"]),
    )
    found = lead.put(f"/tuning/{log['id']}", edit)
    assert (found["rival"]["lane_id"], found["rival"]["passes"], found["equal_power"]) == (lane, 0, None)


def test_two_steps_are_a_study_before_and_after(
    log: dict[str, Any], bench: Bench, lead: Caller, tester: Caller
) -> None:
    step(tester, log, 0.0, set={})
    found = step(tester, log, -60.0)
    ids = [one["id"] for one in found["steps"]]
    body = {"before": ids[0], "after": ids[1], "tests_of": bench.id, "question": "What does the undervolt bring?"}
    made = lead.post(f"/tuning/{log['id']}/study", body, status=201)
    study = lead.get(f"/studies/{made['study_id']}")
    assert [one["name"] for one in study["lanes_full"]] == ["stock (step 1)", "Core voltage -60 mV (step 2)"]
    assert study["tests"] == lead.get(f"/studies/{bench.id}")["tests"]


def capture(seed: int = 1) -> bytes:
    names = {"frame_time": "frame_time_ms", "gpu_power_w": "card_power_w"}
    run = run_pass(Scene(5.0, 9.0, seconds=12.0), Rig(), np.random.default_rng(seed))
    return write_log(run, Dialect(names=names))


def test_a_capture_is_measured_as_a_pass_of_its_step(log: dict[str, Any], tester: Caller) -> None:
    found = step(tester, log, -10.0)
    path = f"/tuning/steps/{found['steps'][0]['id']}/captures"
    for _ in range(2):
        data = {"file": SimpleUploadedFile("quay.csv", capture())}
        response = tester.client.post(f"/api{path}", data)
        assert response.status_code == 201, response.content
    [row] = response.json()["steps"][0]["passes"]
    assert row["file_name"] == "quay.csv"
    assert 50 < row["fps"] < 400
    assert row["w"] > 0
    refused = tester.client.post(f"/api{path}", {"file": SimpleUploadedFile("x.csv", b"\x00" * 99)})
    assert (refused.status_code, refused.json()["field"]) == (422, "file")


@pytest.fixture
def machine(tester: Caller) -> tuple[int, str]:
    made = tester.post("/bench-links", {"name": "Bench 2"}, status=201)
    return tester.get("/machines")[0]["id"], made["token"]


def send(token: str, content: bytes, written_at: datetime | None = None) -> Any:
    now = datetime.now(UTC)
    times = {"written_at": (written_at or now).isoformat(), "now": now.isoformat()}
    data = {"file": SimpleUploadedFile("a.csv", content), **times}
    return Client(headers={"authorization": f"Bearer {token}"}).post("/api/link/files", data)


def test_what_the_test_machine_sends_is_a_pass_of_the_last_step(
    log: dict[str, Any], bench: Bench, tester: Caller, machine: tuple[int, str]
) -> None:
    machine_id, token = machine
    tester.put(f"/tuning/{log['id']}/machine", {"machine_id": machine_id})
    assert send(token, capture()).json()["code"] == "no_step"
    step(tester, log, -10.0)
    taken = send(token, capture())
    assert (taken.status_code, taken.json()["became"]) == (201, "step"), taken.content
    assert send(token, b"no capture at all\n" * 50).json()["became"] == "refused"
    assert len(tester.get(f"/tuning/{log['id']}")["steps"][0]["passes"]) == 1
    refused = tester.post(f"/studies/{bench.id}/sessions", {"machine_id": machine_id}, status=409)
    assert refused["code"] == "machine_taken"
    tester.put(f"/tuning/{log['id']}/machine", {"machine_id": None})
    assert send(token, capture(2)).json()["code"] == "no_session"


def test_the_simulated_bench_finds_its_edge_and_says_what_it_is(
    lead: Caller, tester: Caller, base: dict[str, Any]
) -> None:
    log = lead.post("/tuning", log_body(lead, base, seed=7), status=201)
    value = -20.0
    for _ in range(12):
        found = step(tester, log, value)
        found = tester.post(f"/tuning/steps/{found['steps'][-1]['id']}/simulated", None, status=201)
        if found["next"]["value"] is None:
            break
        value = found["next"]["value"]
    states = [one["state"] for one in found["steps"]]
    assert "unstable" in states
    failed = max(one["set"]["Core voltage"] for one in found["steps"] if one["state"] == "unstable")
    proven = min(one["set"]["Core voltage"] for one in found["steps"] if one["state"] == "proven")
    assert 0 < proven - failed <= 10
    assert found["sentences"][0] == "Simulated bench: nothing here is a result."
    again = tester.post(f"/tuning/steps/{found['steps'][0]['id']}/simulated", None, status=409)
    assert again["code"] == "step_was_run"


def test_a_log_goes_as_a_table(log: dict[str, Any], tester: Caller) -> None:
    run(tester, quick(tester, step(tester, log, -10.0, sample="=A"), (80.0, 100.0), (81.0, 101.0)), "hang", 3.0)
    text = tester.client.get(f"/api/tuning/{log['id']}/steps.csv").content.decode()
    head, row = text.splitlines()
    assert head.startswith("step,sample,Core voltage mV,Power limit W,")
    assert row.startswith("1,'=A,-10.0,120.0,")
    assert "hung after 3 minutes of long load" in row
    assert "80.5" in row


def test_a_log_is_told_in_few_queries(log: dict[str, Any], tester: Caller, queries: Any) -> None:
    quick(tester, run(tester, step(tester, log, -10.0)), (80.0, 100.0))
    for value in (-20.0, -30.0, -40.0):
        quick(tester, run(tester, step(tester, log, value)), (80.0, 100.0))
    with queries(12):
        tester.get(f"/tuning/{log['id']}")


def test_a_rival_of_a_study_that_is_kept_is_nobodys_elses(
    log: dict[str, Any], bench: Bench, lead: Caller, tester: Caller
) -> None:
    study = lead.get(f"/studies/{bench.id}")
    lane, test = study["lanes_full"][0]["id"], study["tests_full"][0]["id"]
    rival = log_body(lead, {"id": log["setup_id"]}, rival_lane_id=lane, rival_test_id=test, seen=log["seen"])
    lead.put(f"/tuning/{log['id']}", edit_body(LogEdit, **rival))
    one_pass = next(one for one in tester.get(f"/studies/{bench.id}/passes") if one["state"] == "planned")
    body = {"state": "did_not_run", "reason_code": "crashed", "reason": "black screen"}
    tester.put(f"/studies/passes/{one_pass['id']}/state", body)
    lead.put(f"/studies/{bench.id}/kept", {"names": []})
    assert lead.get(f"/tuning/{log['id']}")["rival"]["lane_id"] == lane
    assert tester.get(f"/tuning/{log['id']}")["rival"] is None
    assert tester.get("/tuning/marks") == []


def test_a_capture_that_has_grown_replaces_itself(log: dict[str, Any], tester: Caller) -> None:
    found = step(tester, log, -10.0)
    path = f"/api/tuning/steps/{found['steps'][0]['id']}/captures"
    whole = capture()
    for part in (whole[: whole.index(b"\n", len(whole) // 2) + 1], whole):
        answer = tester.client.post(path, {"file": SimpleUploadedFile("quay.csv", part)})
        assert answer.status_code == 201, answer.content
    other = tester.client.post(path, {"file": SimpleUploadedFile("quay.csv", capture(5))}).json()
    rows = other["steps"][0]["passes"]
    assert len(rows) == 2
    alone = step(tester, log, -20.0)
    again = tester.client.post(
        f"/api/tuning/steps/{alone['steps'][1]['id']}/captures", {"file": SimpleUploadedFile("b.csv", whole)}
    ).json()
    assert again["steps"][1]["passes"][0]["fps"] == rows[0]["fps"], "as of the whole file"


def test_an_id_of_another_step_is_nobodys_save(log: dict[str, Any], tester: Caller) -> None:
    step(tester, log, -10.0)
    found = step(tester, log, -20.0)
    body = {"client_id": one(), "program": "x", "minutes": 5.0, "outcome": "passed"}
    first, second = (at["id"] for at in found["steps"])
    tester.post(f"/tuning/steps/{first}/runs", body, status=201)
    assert tester.post(f"/tuning/steps/{second}/runs", body, status=409)["code"] == "made_meanwhile"


@pytest.mark.parametrize("value", [-1e6, 0.0, 1e6])
def test_the_simulated_bench_bears_any_value(lead: Caller, tester: Caller, base: dict[str, Any], value: float) -> None:
    bare = [{"name": "Power limit", "kind": "power", "stock": 0.0, "resolution": 1.0}, LIMIT | {"name": "Other"}]
    log = lead.post("/tuning", log_body(lead, base, seed=1, settings=bare), status=201)
    found = step(tester, log, 0.0, set={"Power limit": value, "Other": value})
    tester.post(f"/tuning/steps/{found['steps'][0]['id']}/simulated", None, status=201)


def test_what_is_of_the_simulated_bench_says_so_everywhere(lead: Caller, tester: Caller, base: dict[str, Any]) -> None:
    log = lead.post("/tuning", log_body(lead, base, seed=7), status=201)
    found = step(tester, log, -199.0)
    only = found["steps"][0]["id"]
    lead.post(f"/tuning/steps/{only}/setup", None, status=201)
    assert tester.post(f"/tuning/steps/{only}/simulated", None, status=201)["steps"][0]["state"] == "unstable"
    assert tester.get("/tuning")[0]["sentence"].startswith("Simulated bench: nothing here is a result.")
    assert tester.get("/tuning/marks")[0]["words"].endswith("“How far down”, on the simulated bench")
    assert tester.get("/tuning/origins")[0]["words"] == "step 1 of “How far down”, on the simulated bench"
    assert tester.client.get(f"/api/tuning/{log['id']}/steps.csv").content.decode().rstrip().endswith("simulated")


def test_a_setup_on_a_rig_stays_on_it_and_the_factor_is_what_differs(
    lead: Caller, tester: Caller, bench: Bench
) -> None:
    parts = [{"kind": "card", "name": "Finch 5"}, {"kind": "board", "name": "Flat board"}]
    rig = lead.post("/rigs", {"name": "Walnut", "parts": parts}, status=201)
    swap = [{"kind": "card", "name": "Finch 6"}]
    base = lead.post("/setups", {"name": "Walnut, six", "rig_id": rig["id"], "parts": swap}, status=201)
    log = lead.post("/tuning", log_body(lead, base, part_id=part_id(lead, "Finch 6")), status=201)
    for watts in (120.0, 105.123456789):
        found = step(tester, log, 0.0, set={"Core voltage": -50.0, "Power limit": watts})
    first, second = (at["id"] for at in found["steps"])
    body = {"before": first, "after": second, "tests_of": bench.id, "question": "Less power?"}
    made = lead.post(f"/tuning/{log['id']}/study", body, status=201)
    study = lead.get(f"/studies/{made['study_id']}")
    assert study["factor"] == "Power limit"
    setup = study["lanes_full"][1]["setup"]
    assert setup["rig"] == "Walnut"
    assert {"name": "Power limit", "value": "105.123456789 W"} in setup["settings"]


def test_a_study_is_told_of_its_own_setups_only(
    log: dict[str, Any], bench: Bench, lead: Caller, tester: Caller
) -> None:
    one_pass = next(one for one in tester.get(f"/studies/{bench.id}/passes") if one["state"] == "planned")
    tester.put(
        f"/studies/passes/{one_pass['id']}/state",
        {"state": "did_not_run", "reason_code": "unstable", "reason": "lines across the picture"},
    )
    found = run(tester, step(tester, log, -60.0), "crashed", 2.0)
    lead.post(f"/tuning/steps/{found['steps'][0]['id']}/setup", None, status=201)
    assert len(tester.get("/tuning/marks")) == 2
    [own] = tester.get(f"/tuning/marks?study_id={bench.id}")
    assert own["words"].startswith("was unstable in")
    assert tester.get("/tuning/marks?study_id=0") == []


def test_many_logs_with_rivals_take_no_query_each(
    lead: Caller, bench: Bench, base: dict[str, Any], queries: Any
) -> None:
    study = lead.get(f"/studies/{bench.id}")
    rival = {"rival_lane_id": study["lanes_full"][0]["id"], "rival_test_id": study["tests_full"][0]["id"]}
    for number in range(4):
        lead.post("/tuning", log_body(lead, base, title=f"Log {number}", **rival), status=201)
    with queries(12):
        lead.get("/tuning")


def test_a_file_that_comes_late_is_of_the_step_it_was_written_in(
    log: dict[str, Any], tester: Caller, machine: tuple[int, str]
) -> None:
    machine_id, token = machine
    tester.put(f"/tuning/{log['id']}/machine", {"machine_id": machine_id})
    before = datetime.now(UTC)
    step(tester, log, -10.0)
    between = datetime.now(UTC)
    step(tester, log, -20.0)
    assert "at step 1 of" in send(token, capture(1), between).json()["words"]
    assert "at step 2 of" in send(token, capture(2)).json()["words"]
    early = send(token, capture(3), before - timedelta(minutes=1)).json()
    assert (early["became"], early["words"]) == ("refused", "it was written before the first step of How far down")
