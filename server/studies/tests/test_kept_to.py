"""Studies that are kept to named people: for everybody else there is no such study, at any address."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

import pytest
from config.api import api
from config.kept import OF_STUDIES
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from films.models import Film, FilmState
from intake.models import Arrival, Capture, Pack, PassFile
from packages.models import Brought
from people.tests.test_people import TABLE
from studies.kept import show_all
from studies.models import HIDDEN, Pass
from testkit import Bench, Caller, Jobs, caller, study_body

SECRET = "Does the Umbral Nine keep its word?"
#: Parameters of addresses that name nothing of a study.
OF_NONE = {
    "part_id", "rig_id", "game_id", "condition_id", "setup_id", "version_id", "scene_id", "link_id", "reader_id",
    "sign_in_id", "invitation_id", "name", "position", "side", "check_id", "decision_id", "from_lane_id", "to_lane_id",
    "log_id", "step_id", "run_id", "quick_id", "matrix_id", "attempt_id", "photograph_id",
}  # fmt: skip

#: Behind their report, which is hidden where any study that it draws on is.
OF_REPORTS = {"report_id", "block_id", "kept_id"}


def parameters(path: str) -> list[str]:
    return re.findall(r"\{(\w+)\}", path)


def test_every_parameter_of_an_address_is_known_to_the_door() -> None:
    found = {name for path in api.get_openapi_schema()["paths"] for name in parameters(path)}
    assert found == OF_STUDIES | OF_NONE | OF_REPORTS, "a new one has to say whether it names something of a study"
    # What names nothing by itself stands behind its study.
    for path in api.get_openapi_schema()["paths"]:
        if set(parameters(path)) & {"decision_id", "from_lane_id", "to_lane_id", "check_id"}:
            assert "study_id" in parameters(path), path
        if set(parameters(path)) & OF_REPORTS:
            assert "report_id" in parameters(path), path


@pytest.fixture
def secret(lead: Caller, tester: Caller, jobs: Jobs) -> Iterator[tuple[Bench, dict[str, int]]]:
    """A study that is kept to its lead, with something of everything; and the ids of that."""
    bench = Bench(lead, tester, lead.post("/studies", study_body(question=SECRET), status=201))
    bench.fill(tests=2, passes=2)
    bench.tester.hand_in(bench.id, "waits.csv", bench.log(77))
    one = bench.lead.get(f"/studies/{bench.id}/passes")[0]["id"]
    note = {"file": SimpleUploadedFile("note.txt", b"x"), "role": "note"}
    assert tester.client.post(f"/api/passes/{one}/files", note).status_code == 201
    tester.post(f"/studies/{bench.id}/packs", {"name": "day 1.zip", "zone": ""}, status=201)
    tester.post(f"/studies/{bench.id}/sessions", {}, status=201)
    lead.save(f"/studies/{bench.id}/plan", {"starts_on": "2026-01-05", "deadline": "2026-01-05T23:00"})
    report = tester.post("/reports", {"study_id": bench.id}, status=201)["id"]
    way = {"kind": "answer", "study_id": bench.id, "way": f"/studies/{bench.id}/findings"}
    shelf = tester.post(f"/reports/{report}/shelf", way, status=201)["shelf"]
    blocks = tester.post(f"/reports/{report}/blocks", {"kind": "answer", "study_id": bench.id}, status=201)["blocks"]
    jobs.work()
    kept = lead.put(f"/studies/{bench.id}/kept", {"names": []})
    assert (kept["kept"], kept["kept_to"]) == (True, [lead.name])
    yield (
        bench,
        {
            "study_id": bench.id, "other_study_id": bench.id, "lane_id": bench.lane(0), "test_id": bench.test(0),
            "pass_id": Pass.objects.filter(capture__isnull=False).values_list("pk", flat=True)[0],
            "capture_id": Capture.objects.values_list("pk", flat=True)[0],
            "file_id": PassFile.objects.values_list("pk", flat=True)[0],
            "arrival_id": Arrival.objects.filter(name="waits.csv").values_list("pk", flat=True)[0],
            "pack_id": Pack.objects.values_list("pk", flat=True)[0],
            "brought_id": Brought.objects.create(
                name=f"{SECRET}.zip", study_id=bench.id, by=User.objects.get(username=lead.name)
            ).pk,
            "film_id": Film.objects.create(
                study_id=bench.id, test_id=bench.test(0), asked={}, rate=25, letters="light", said=SECRET, pictures=1,
                state=FilmState.READY, content=SECRET.encode(), by=User.objects.get(username=lead.name),
            ).pk,
            "report_id": report, "kept_id": shelf[0]["id"], "block_id": blocks[0]["id"],
        },
    )  # fmt: skip
    show_all()


def ask(client: Client, method: str, path: str, body: Any) -> Any:
    if isinstance(body, str):
        upload = SimpleUploadedFile("a.csv", b"ms\n5\n6\n7\n8\n9\n")
        return client.post(path, {"file": upload, "role": "note"})
    extra = {} if body is None else {"data": body, "content_type": "application/json"}
    return getattr(client, method.lower())(path, **extra)


@pytest.mark.parametrize("role", ["viewer", "tester", "lead"])
def test_who_is_not_named_finds_no_trace_of_it(secret: tuple[Bench, dict[str, int]], role: str) -> None:
    bench, ids = secret
    other = caller(role) if role != "lead" else second_lead()
    before = json.dumps(bench.lead.get(f"/studies/{bench.id}/audit"))
    for method, path, body, _ in TABLE:
        named = [name for name in parameters(path) if name in ids]
        if path in ("/session", "/me/password") and method != "GET":
            continue
        address = "/api" + re.sub(r"\{(\w+)\}", lambda found: str(ids.get(found[1], 1)), path)
        given = body
        if path == "/studies/passes":
            given = {"lane_id": ids["lane_id"], "test_id": ids["test_id"]}
        response = ask(other.client, method, address, given)
        content = b"".join(response.streaming_content) if response.streaming else response.content
        assert SECRET.encode() not in content, (method, path)
        assert b"waits.csv" not in content, (method, path)
        if named or path == "/studies/passes":
            assert response.status_code in (403, 404, 405), (method, path, response.status_code, content[:200])
            assert response.status_code != 404 or response.json()["code"] == "not_found", (method, path)
    words = other.client.get("/api/studies?words=Umbral").json()
    assert words == []
    assert HIDDEN.get() == frozenset(), "the next request of this thread begins with nothing hidden"
    after = json.dumps(bench.lead.get(f"/studies/{bench.id}/audit"))
    assert after == before, "and nothing was done to it"


def second_lead() -> Caller:
    other = caller("viewer")
    caller("lead").put(f"/people/{other.name}/role", {"role": "lead"})
    return other


def test_older_results_of_a_kept_study_join_no_other(secret: tuple[Bench, dict[str, int]], lead: Caller) -> None:
    bench, _ = secret
    other = second_lead()
    own = other.post("/studies", study_body(question="Open to all?"), status=201)
    for path in ("answer", "findings"):
        found = other.client.get(f"/api/studies/{own['id']}/{path}?joined={bench.id}")
        assert found.status_code == 404, path
    assert [one["question"] for one in other.get("/studies")] == ["Open to all?"]
    assert {one["question"] for one in lead.get("/studies")} == {"Open to all?", SECRET}


def test_nothing_of_ones_own_is_put_into_a_kept_study(secret: tuple[Bench, dict[str, int]], lead: Caller) -> None:
    """Ids in a body name it as well as those of an address do."""
    hidden, ids = secret
    other = second_lead()
    own = Bench(other, other, other.post("/studies", study_body(question="Open to all?"), status=201))
    passed = own.record(0, 0)
    capture = other.get(f"/passes/{passed}")["one"]["capture_id"]
    there = {"lane_id": ids["lane_id"], "test_id": ids["test_id"]}
    before = json.dumps(lead.get(f"/studies/{hidden.id}/passes"))
    waits = other.hand_in(own.id, "b.csv", own.log(5))
    columns = {"map": [{"column": "frame_time_ms", "channel": "frame_time", "unit": "ms"}]}
    for method, path, body in (
        ("PUT", f"/captures/{capture}/place", there),
        (
            "POST",
            f"/studies/{own.id}/take",
            {"columns": columns, "assignments": [{"arrival_id": waits["id"], **there}]},
        ),
        ("POST", f"/files/{waits['id']}/assign", {"pass_id": ids["pass_id"]}),
        ("PUT", f"/studies/{own.id}/passes/state", {"state": "accepted", "pass_ids": [ids["pass_id"]]}),
        ("POST", f"/studies/{own.id}/findings/what-if", {"pass_ids": [ids["pass_id"]], "state": "rejected"}),
        ("POST", f"/studies/{own.id}/files/set-aside", {"arrival_ids": [ids["arrival_id"]]}),
    ):
        response = ask(other.client, method, f"/api{path}", body)
        assert SECRET.encode() not in response.content, path
        # What is taken or set aside says of each file what became of it; all else is refused as a whole.
        each = path.endswith(("/take", "/set-aside")) and response.status_code == 200
        assert response.status_code >= 400 or each, (path, response.content)
        assert all(one.get("pass_id") is None for one in (response.json() if each else [])), path
    assert json.dumps(lead.get(f"/studies/{hidden.id}/passes")) == before
    assert Arrival.objects.get(pk=ids["arrival_id"]).state == "waiting"


def test_who_is_named_sees_it_and_it_is_opened_to_all(secret: tuple[Bench, dict[str, int]], lead: Caller) -> None:
    bench, _ = secret
    viewer = caller("viewer")
    viewer.get(f"/studies/{bench.id}", status=404)
    kept = lead.put(f"/studies/{bench.id}/kept", {"names": [viewer.name]})
    assert kept["kept_to"] == sorted([lead.name, viewer.name])
    assert viewer.get(f"/studies/{bench.id}")["question"] == SECRET
    stranger = lead.put(f"/studies/{bench.id}/kept", {"names": ["nobody-here"]}, status=422)
    assert (stranger["code"], stranger["field"]) == ("stranger", "names")
    bench.tester.get(f"/studies/{bench.id}", status=404)
    assert lead.put(f"/studies/{bench.id}/kept", {"names": None})["kept_to"] is None
    assert bench.tester.get(f"/studies/{bench.id}")["kept"] is False
    said = [line["what"] for line in lead.get(f"/studies/{bench.id}/audit")]
    assert "kept the study to some" in said
    assert "opened the study to all" in said
