"""Reading costs the same number of queries whatever there is to read: no query per row, anywhere."""

from __future__ import annotations

import io
import uuid
import zipfile
from typing import Any

import pytest
from config.api import api
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext
from films.models import Film, FilmState
from testkit import PICTURE, Bench, Caller, accepting, study_body

SETTING = {"name": "x", "stock": 0.0, "resolution": 1.0}
PLAN = {"starts_on": "2026-01-05", "deadline": "2026-03-01T00:00"}


def described(index: int, lanes: int, tests: int) -> dict[str, Any]:
    """A ladder of its own setups, scenes and conditions."""
    return study_body(
        kind="ladder",
        question=f"Question {index}?",
        factor="Graphics card",
        lanes=[
            {
                "name": f"card {n}",
                "setup": {
                    "name": f"Box {index}, card {n}",
                    "parts": [
                        {"kind": "card", "name": f"C{n}"},
                        {"kind": "driver", "name": f"D{index % 2}"},
                        {"kind": "memory", "name": f"M{n % 2}"},
                    ],
                    "settings": [{"name": "Sync", "value": "off"}, {"name": "Room", "value": f"{20 + n} °C"}],
                },
            }
            for n in range(lanes)
        ],
        tests=[
            {"game": f"Game {index}-{n}", "scene": "run", "condition": f"c{n % 3}", "priority": 1 + n % 3}
            for n in range(tests)
        ],
    )


def run_some(lead: Caller, tester: Caller, study: dict[str, Any], cells: int) -> None:
    """Record and accept a few passes in both first lanes; leave a file waiting and a difference accepted."""
    bench = Bench(lead, tester, study)
    bench.fill(cells, 2, (1.0, 1.0), seed=10_000 * study["id"])
    bench.tester.hand_in(bench.id, "waiting.csv", bench.log(7 + study["id"]))
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as pack:
        for number in range(3 * cells):
            pack.writestr(f"{number}.csv", "ms\n5\n")
    tester.hand_in_pack(bench.id, packed.getvalue())
    tester.post(f"/studies/{bench.id}/sessions", {}, status=201)
    lead.save(f"/studies/{bench.id}/plan", PLAN)
    objection = lead.get(f"/studies/{bench.id}/plan")["objections"][0]
    lead.post(f"/studies/{bench.id}/acceptances", accepting(objection, "as it is"), status=201)


def paths(study: dict[str, Any], lead: Caller) -> list[str]:
    """Every address that only reads, with ids of things that are there."""
    first = next(one for one in lead.get(f"/studies/{study['id']}/passes") if one["capture_id"])
    step = "/".join(str(lane["id"]) for lane in study["lanes_full"][:2])
    lead.hand_picture(f"/studies/{study['id']}/eye-notes/{step}/from", PICTURE)
    report = lead.post("/reports", {"study_id": study["id"]}, status=201)["id"]
    for kind in ("picture", "method"):
        written = lead.post(f"/reports/{report}/blocks", {"kind": kind, "study_id": study["id"]}, status=201)
    ids = {
        "study_id": study["id"],
        "report_id": report,
        "block_id": written["blocks"][0]["id"],
        "test_id": first["test_id"],
        "pass_id": first["id"],
        "capture_id": first["capture_id"],
        "file_id": lead.get(f"/passes/{first['id']}")["files"][0]["id"],
        "version_id": study["lanes_full"][0]["setup"]["version_id"],
        "reader_id": lead.get("/readers")[0]["id"],
        "other_study_id": next(one["id"] for one in lead.get("/studies") if one["id"] != study["id"]),
        "from_lane_id": study["lanes_full"][0]["id"],
        "to_lane_id": study["lanes_full"][1]["id"],
        "side": "from",
        "pack_id": lead.get(f"/studies/{study['id']}/packs")[0]["id"],
        "log_id": log_of(lead, study),
        **matrix_of(lead),
        "film_id": film_of(lead, study["id"], first["test_id"]),
        "brought_id": (lead.get("/packages") or [lead.post("/packages", {"name": "x.zip"}, status=201)])[0]["id"],
    }
    found = []
    for path, operations in api.get_openapi_schema()["paths"].items():
        # What a test machine asks is for its token alone.
        if "get" in operations and not path.startswith("/api/link/"):
            for name, value in ids.items():
                path = path.replace(f"{{{name}}}", str(value))  # noqa: PLW2901
            assert "{" not in path, path
            asked = f"?to={first['id']}&passes={first['id']}" if path.endswith("/agreement") else ""
            found.append(path + asked)
    return found


def log_of(lead: Caller, study: dict[str, Any]) -> int:
    """A tuning log of the first part there is in the setup of the first lane."""
    setup = study["lanes_full"][0]["setup"]
    names = {part["name"] for part in setup["parts"]}
    part = next(one["id"] for one in lead.get("/parts") if one["name"] in names)
    body = {"title": "x", "part_id": part, "setup_id": setup["id"], "settings": [SETTING]}
    log = lead.post("/tuning", body, status=201)["id"]
    for at in range(2):
        lead.post(f"/tuning/{log}/steps", {"client_id": str(uuid.uuid4()), "set": {"x": float(at)}}, status=201)
    return int(log)


def matrix_of(lead: Caller) -> dict[str, int]:
    """A fit matrix with an attempt and its photograph."""
    part = lead.get("/parts")[0]["id"]
    made = lead.post("/fits", {"title": "x", "rows": [part], "columns": [part]}, status=201)["id"]
    told = {"client_id": str(uuid.uuid4()), "row": part, "column": part, "outcome": "works"}
    attempt = lead.post(f"/fits/{made}/attempts", told, status=201)["places"][0]["attempts"][0]["id"]
    data = {"words": "x", "file": SimpleUploadedFile("a.png", PICTURE)}
    found = lead.client.post(f"/api/fits/attempts/{attempt}/photographs", data).json()
    return {"matrix_id": made, "photograph_id": found["places"][0]["attempts"][0]["photographs"][0]["id"]}


def film_of(lead: Caller, study: int, test: int) -> int:
    """A film strip that is made."""
    film = Film(study_id=study, test_id=test, asked={}, rate=25, letters="light", said="x", pictures=1)
    film.state, film.by = FilmState.READY, User.objects.get(username=lead.name)
    film.save()
    return int(film.pk)


def counted(lead: Caller, path: str) -> int:
    lead.client.get(path)  # whatever is made up to date once
    with CaptureQueriesContext(connection) as queries:
        response = lead.client.get(path)
    assert response.status_code == 200, path
    return len(queries)


@pytest.mark.django_db
def test_more_of_everything_takes_no_more_queries(lead: Caller, tester: Caller) -> None:
    lead.post("/readers", {"name": "Someone", "display_hz": 60.0, "floor_fps": 40.0}, status=201)
    lead.post("/studies", described(8, lanes=2, tests=2), status=201)
    small = lead.post("/studies", described(0, lanes=2, tests=2), status=201)
    run_some(lead, tester, small, cells=1)
    rig = lead.post("/rigs", {"name": "Rig", "parts": [{"kind": "card", "name": "C0"}]}, status=201)
    lead.post("/setups", {"name": "On a rig", "rig_id": rig["id"]}, status=201)
    before = {path: counted(lead, path) for path in paths(small, lead)}
    large = lead.post("/studies", described(1, lanes=5, tests=7), status=201)
    run_some(lead, tester, large, cells=3)
    for n in range(4):
        rig = lead.post("/rigs", {"name": f"Rig {n}", "parts": [{"kind": "card", "name": f"C{n}"}]}, status=201)
        lead.post("/setups", {"name": f"On rig {n}", "rig_id": rig["id"]}, status=201)
    later = dict(zip(before, paths(large, lead), strict=True))
    # Each study with passes to run is laid out for the desk: a fixed number of queries each, not one for each row.
    allowed = {"/api/outlooks": before["/api/outlooks"] + 2}
    for path, queries in before.items():
        assert counted(lead, later[path]) <= allowed.get(path, queries), path


@pytest.mark.django_db
def test_reading_writes_nothing(lead: Caller, tester: Caller, viewer: Caller) -> None:
    """So that readers may be served from a replica, which takes no write."""
    lead.post("/readers", {"name": "Someone", "display_hz": 60.0, "floor_fps": 40.0}, status=201)
    lead.post("/studies", described(8, lanes=2, tests=2), status=201)
    study = lead.post("/studies", described(0, lanes=2, tests=2), status=201)
    run_some(lead, tester, study, cells=2)
    asked = paths(study, lead)
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("SET LOCAL transaction_read_only = on")
        for path in asked:
            response = viewer.client.get(path)
            assert response.status_code in (200, 403), (path, response.content[:300])
        transaction.set_rollback(True)


@pytest.mark.django_db
def test_every_answer_to_nonsense_has_the_one_shape(lead: Caller) -> None:
    for path, operations in api.get_openapi_schema()["paths"].items():
        for method in operations:
            address = path
            for name in (
                "study",
                "test",
                "pass",
                "capture",
                "version",
                "part",
                "file",
                "rig",
                "setup",
                "scene",
                "game",
            ):
                address = address.replace(f"{{{name}_id}}", "999999")
            for name in ("condition", "lane", "arrival"):
                address = address.replace(f"{{{name}_id}}", "999999")
            if method == "get" or path == "/api/session":
                response = lead.client.get(address)
            else:
                response = getattr(lead.client, method)(address, data="not json", content_type="application/json")
            if response.status_code >= 400:
                body = response.json()
                assert set(body) <= {"code", "message", "field", "row", "line", "hint"}, (path, body)
                assert body["code"]
                assert body["message"]
            assert response.status_code < 500, path
