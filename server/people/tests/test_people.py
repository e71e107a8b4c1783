"""Signing in, and who may do what: every endpoint has a row for every role."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any

import pytest
from bench.schemas import PartEdit, RigEdit, SetupEdit
from config.api import api
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.utils import timezone
from fitting.schemas import MatrixEdit
from planning.schemas import PlanEdit
from readers.schemas import ReaderEdit
from scenes.schemas import ConditionEdit, GameEdit, SceneEdit
from studies.schemas import MethodEdit
from testkit import PASSWORD, Caller, caller, edit_body, study_body
from tuning.schemas import LogEdit

METHOD = {"low_school": "slowest_frames"}
SCENE = {"game": "Velvet Quarry", "name": "floor"}
FILM = {"test_id": 1, "passes": [{"pass_id": 1}], "rate": 25}
LOG = {
    "title": "x", "part_id": 0, "setup_id": 0, "settings": [{"name": "x", "stock": 0.0, "resolution": 1.0}],
}  # fmt: skip
FIT = {"title": "x", "rows": [0], "columns": [0]}
ONCE = {"client_id": "00000000-0000-4000-8000-000000000000"}
PLACE = {"lane_id": 1, "test_id": 1}
SETUP = {"name": "Another"}
ACTS = {
    "acts": [{"id": "00000000-0000-4000-8000-000000000000", "kind": "noted", "at": "2026-01-05T09:00Z", "words": "x"}],
    "now": "2026-01-05T09:00:00Z",
}  # fmt: skip

#: Method, path, body, lowest role. Ids of 0 exist nowhere: who may call gets as far as a 404 or 422.
TABLE: list[tuple[str, str, Any, str | None]] = [
    ("GET", "/session", None, None),
    ("POST", "/session", {"name": "x", "password": "y"}, None),
    ("DELETE", "/session", None, None),
    ("GET", "/health", None, None),
    ("POST", "/session/link", {"token": "x"}, None),
    ("POST", "/session/link/take", {"token": "x", "password": "y"}, None),
    ("GET", "/house", None, None),
    ("PUT", "/house", {"name": "Die Warte", "time_zone": "UTC"}, "lead"),
    ("POST", "/house/demo", None, "viewer"),
    ("GET", "/me", None, "viewer"),
    ("PUT", "/me/password", {"password": "x", "new_password": "y"}, "viewer"),
    ("DELETE", "/me/outside", None, "viewer"),
    ("DELETE", "/me/sessions/{sign_in_id}", None, "viewer"),
    ("POST", "/me/second-factor", None, "viewer"),
    ("PUT", "/me/second-factor", {"code": "000000"}, "viewer"),
    ("POST", "/me/second-factor/give-up", {"password": "x"}, "viewer"),
    ("GET", "/people", None, "lead"),
    ("GET", "/people/sign-ins", None, "lead"),
    ("POST", "/people/invitations", {"role": "viewer"}, "lead"),
    ("DELETE", "/people/invitations/{invitation_id}", None, "lead"),
    ("POST", "/people/{name}/reset", None, "lead"),
    ("PUT", "/people/{name}/role", {"role": "viewer"}, "lead"),
    ("PUT", "/people/{name}/open", {"open": False}, "lead"),
    ("DELETE", "/people/{name}/second-factor", None, "lead"),
    ("POST", "/people/unlock", {"name": "x"}, "lead"),
    ("GET", "/setup-versions/{version_id}/ticks", None, "viewer"),
    (
        "POST",
        "/setup-versions/{version_id}/ticks",
        {"on_day": "2026-01-05", "line": "Sync: off", "done": True},
        "tester",
    ),
    ("GET", "/part-kinds", None, "viewer"),
    ("GET", "/parts", None, "viewer"),
    ("POST", "/parts", {"kind": "card", "name": "New"}, "lead"),
    ("PUT", "/parts/{part_id}", edit_body(PartEdit, kind="card", name="New"), "lead"),
    ("GET", "/parts.csv", None, "viewer"),
    ("POST", "/parts.csv", "a file", "lead"),
    ("GET", "/rigs", None, "viewer"),
    ("POST", "/rigs", {"name": "Rig"}, "lead"),
    ("PUT", "/rigs/{rig_id}", edit_body(RigEdit, name="Rig"), "lead"),
    ("GET", "/setups", None, "viewer"),
    ("POST", "/setups", SETUP, "lead"),
    ("PUT", "/setups/{setup_id}", edit_body(SetupEdit, **SETUP), "lead"),
    ("GET", "/setup-versions/{version_id}", None, "viewer"),
    ("GET", "/scene-kinds", None, "viewer"),
    ("GET", "/scenes", None, "viewer"),
    ("POST", "/scenes", SCENE, "lead"),
    ("PUT", "/scenes/{scene_id}", edit_body(SceneEdit, **SCENE), "lead"),
    ("GET", "/games", None, "viewer"),
    ("POST", "/games", {"name": "Tin Lighthouse"}, "lead"),
    ("PUT", "/games/{game_id}", edit_body(GameEdit, name="Tin Lighthouse"), "lead"),
    ("GET", "/conditions", None, "viewer"),
    ("PUT", "/conditions/{condition_id}", edit_body(ConditionEdit, name="Low"), "lead"),
    ("POST", "/conditions", {"name": "Low"}, "lead"),
    ("GET", "/scenes.csv", None, "viewer"),
    ("POST", "/scenes.csv", "a file", "lead"),
    ("GET", "/conditions.csv", None, "viewer"),
    ("POST", "/conditions.csv", "a file", "lead"),
    ("GET", "/tuning", None, "viewer"),
    ("POST", "/tuning", LOG, "lead"),
    ("GET", "/tuning/marks", None, "viewer"),
    ("GET", "/tuning/origins", None, "viewer"),
    ("GET", "/tuning/{log_id}", None, "viewer"),
    ("PUT", "/tuning/{log_id}", edit_body(LogEdit, **LOG), "lead"),
    ("GET", "/tuning/{log_id}/steps.csv", None, "viewer"),
    ("POST", "/tuning/{log_id}/backed-up", None, "tester"),
    ("PUT", "/tuning/{log_id}/machine", {"machine_id": None}, "tester"),
    ("POST", "/tuning/{log_id}/steps", ONCE | {"set": {}}, "tester"),
    ("POST", "/tuning/{log_id}/study", {"before": 1, "after": 2, "tests_of": 1, "question": "x"}, "lead"),
    ("PUT", "/tuning/steps/{step_id}/read-back", {"read_back": {}}, "tester"),
    ("PUT", "/tuning/steps/{step_id}/conclusion", {"conclusion": "x"}, "tester"),
    ("POST", "/tuning/steps/{step_id}/runs", ONCE | {"program": "x", "minutes": 1.0, "outcome": "passed"}, "tester"),
    ("POST", "/tuning/steps/{step_id}/passes", ONCE | {"fps": 60.0}, "tester"),
    ("POST", "/tuning/steps/{step_id}/captures", "a file", "tester"),
    ("POST", "/tuning/steps/{step_id}/simulated", None, "tester"),
    ("POST", "/tuning/steps/{step_id}/setup", None, "lead"),
    ("PUT", "/tuning/runs/{run_id}/struck", {"why": "typed wrongly"}, "lead"),
    ("PUT", "/tuning/passes/{quick_id}/struck", {"why": "typed wrongly"}, "lead"),
    ("GET", "/fits", None, "viewer"),
    ("POST", "/fits", FIT, "lead"),
    ("GET", "/fits/{matrix_id}", None, "viewer"),
    ("PUT", "/fits/{matrix_id}", edit_body(MatrixEdit, **FIT), "lead"),
    ("GET", "/fits/{matrix_id}/attempts.csv", None, "viewer"),
    ("POST", "/fits/{matrix_id}/attempts", ONCE | {"row": 1, "column": 1, "outcome": "works"}, "tester"),
    ("POST", "/fits/{matrix_id}/setups", {"row": 1, "column": 1}, "lead"),
    ("GET", "/fits/{matrix_id}/photographs/{photograph_id}", None, "viewer"),
    ("PUT", "/fits/attempts/{attempt_id}/struck", {"why": "typed wrongly"}, "lead"),
    ("POST", "/fits/attempts/{attempt_id}/photographs", "a file", "tester"),
    ("GET", "/sums", None, "viewer"),
    ("POST", "/sums/{name}", {"of": [{"ms": 16.0}]}, "viewer"),
    ("GET", "/readers", None, "viewer"),
    ("POST", "/readers", {"name": "Someone", "display_hz": 60.0, "floor_fps": 40.0}, "lead"),
    ("PUT", "/readers/{reader_id}", edit_body(ReaderEdit, name="Someone", display_hz=60.0, floor_fps=40.0), "lead"),
    ("DELETE", "/readers/{reader_id}", None, "lead"),
    ("GET", "/studies/{study_id}/for-reader/{reader_id}", None, "viewer"),
    ("GET", "/studies/{study_id}/limits", None, "viewer"),
    ("GET", "/studies/{study_id}/findings/parts", None, "viewer"),
    ("GET", "/studies/{study_id}/findings/crossing", None, "viewer"),
    ("GET", "/studies/{study_id}/findings/against/{other_study_id}", None, "viewer"),
    ("GET", "/studies/{study_id}/why", None, "viewer"),
    ("GET", "/studies/{study_id}/answer.ods", None, "viewer"),
    ("GET", "/studies/{study_id}/findings.ods", None, "viewer"),
    ("GET", "/studies/{study_id}/eye-notes", None, "viewer"),
    ("PUT", "/studies/{study_id}/eye-notes/{from_lane_id}/{to_lane_id}", {"words": "grain"}, "tester"),
    ("POST", "/studies/{study_id}/eye-notes/{from_lane_id}/{to_lane_id}/{side}", "a file", "tester"),
    ("GET", "/studies/{study_id}/eye-notes/{from_lane_id}/{to_lane_id}/{side}", None, "viewer"),
    ("GET", "/studies", None, "viewer"),
    ("POST", "/studies/{study_id}/archive", None, "lead"),
    ("POST", "/studies/{study_id}/restore", None, "lead"),
    ("PUT", "/studies/{study_id}/kept", {"names": None}, "lead"),
    ("DELETE", "/studies/{study_id}", None, "lead"),
    ("POST", "/studies", study_body(), "lead"),
    ("GET", "/studies/{study_id}", None, "viewer"),
    ("PUT", "/studies/{study_id}/method", edit_body(MethodEdit, **METHOD), "lead"),
    ("PUT", "/studies/{study_id}/baseline/{lane_id}", None, "lead"),
    (
        "PUT",
        "/studies/{study_id}/tests",
        {"tests": [{"game": "a", "scene": "b", "condition": "c"}], "seen": ""},
        "lead",
    ),
    (
        "PUT",
        "/studies/{study_id}/question",
        {"question": "Why?", "factor": "Fan", "second_factor": "", "seen": ""},
        "lead",
    ),
    ("PUT", "/studies/lanes/{lane_id}/newest-version", None, "lead"),
    ("GET", "/studies/{study_id}/plan", None, "viewer"),
    ("PUT", "/studies/{study_id}/plan", edit_body(PlanEdit, starts_on="2026-01-05"), "lead"),
    ("PUT", "/studies/{study_id}/plan/sequence", {"sequence": [], "seen": ""}, "lead"),
    ("POST", "/studies/{study_id}/acceptances", {"key": "x", "about": "y", "reason": "z"}, "lead"),
    ("POST", "/studies/{study_id}/acceptances/withdraw", {"key": "x"}, "lead"),
    ("POST", "/studies/{study_id}/ready", None, "lead"),
    ("GET", "/studies/{study_id}/plan.csv", None, "viewer"),
    ("GET", "/studies/{study_id}/plan.ics", None, "viewer"),
    ("GET", "/outlooks", None, "viewer"),
    ("GET", "/scene-noise", None, "viewer"),
    ("GET", "/scene-lengths", None, "viewer"),
    ("POST", "/scenes/lengths", {"lengths": [{"scene_id": 0, "length_s": 30}]}, "lead"),
    ("GET", "/noise-book", None, "viewer"),
    ("POST", "/sketch", {"lanes": []}, "lead"),
    ("POST", "/studies/{study_id}/finish", None, "lead"),
    ("POST", "/studies/{study_id}/reopen", None, "lead"),
    ("GET", "/studies/{study_id}/audit", None, "viewer"),
    ("POST", "/studies/passes", PLACE, "tester"),
    ("PUT", "/studies/passes/{pass_id}/state", {"state": "accepted"}, "tester"),
    ("PUT", "/studies/{study_id}/passes/state", {"state": "accepted", "pass_ids": [0]}, "tester"),
    ("POST", "/studies/{study_id}/passes/repeat", {"pass_ids": [0]}, "tester"),
    ("POST", "/studies/{study_id}/decisions/{decision_id}/undo", None, "tester"),
    ("GET", "/studies/{study_id}/doubts", None, "viewer"),
    ("GET", "/studies/{study_id}/checks", None, "viewer"),
    ("PUT", "/studies/{study_id}/checks/{check_id}", {"asked": False, "reason": "known"}, "lead"),
    ("POST", "/passes/{pass_id}/settle", {"check": "lock", "how": "accepted", "reason": "known"}, "tester"),
    ("POST", "/studies/{study_id}/doubts/settle", {"keys": ["x"], "how": "accepted", "reason": "y"}, "tester"),
    ("POST", "/studies/{study_id}/passes/accept", {}, "tester"),
    ("GET", "/studies/{study_id}/findings/beside", None, "viewer"),
    ("GET", "/studies/{study_id}/answer", None, "viewer"),
    ("GET", "/studies/{study_id}/answer.csv", None, "viewer"),
    ("POST", "/studies/{study_id}/findings/what-if", {"pass_ids": [0], "state": "rejected"}, "viewer"),
    ("GET", "/captures/{capture_id}/layers", None, "viewer"),
    ("GET", "/captures/{capture_id}/shape", None, "viewer"),
    ("GET", "/studies/{study_id}/tests/{test_id}/agreement", None, "viewer"),
    ("POST", "/studies/{study_id}/lanes", {"name": "third"}, "lead"),
    ("POST", "/studies/{study_id}/reported", "a file", "tester"),
    ("POST", "/passes/{pass_id}/reported", {"average_fps": 60, "read_from": "result page"}, "tester"),
    ("POST", "/passes/{pass_id}/files", "a file and its role", "tester"),
    ("GET", "/files/{file_id}/content", None, "viewer"),
    ("GET", "/files/{file_id}/load", None, "viewer"),
    ("GET", "/captures/{capture_id}/trace", None, "viewer"),
    ("GET", "/work", None, "viewer"),
    ("GET", "/words", None, "viewer"),
    ("GET", "/studies/{study_id}/files", None, "viewer"),
    ("POST", "/studies/{study_id}/files", "a file", "tester"),
    ("POST", "/files/{arrival_id}/preview", {"columns": {"map": []}}, "tester"),
    (
        "POST",
        "/studies/{study_id}/take",
        {"columns": {"map": []}, "assignments": [{"arrival_id": 0, **PLACE}]},
        "tester",
    ),
    ("POST", "/studies/{study_id}/files/known", {"sha256": []}, "viewer"),
    ("POST", "/studies/{study_id}/files/set-aside", {"arrival_ids": [0]}, "tester"),
    ("POST", "/studies/{study_id}/files/bring-back", {"arrival_ids": [0]}, "tester"),
    ("GET", "/studies/{study_id}/passes", None, "viewer"),
    ("GET", "/passes/{pass_id}", None, "viewer"),
    ("GET", "/studies/{study_id}/tests/{test_id}/traces", None, "viewer"),
    ("PUT", "/captures/{capture_id}/place", PLACE, "tester"),
    ("PUT", "/captures/{capture_id}/windows", {"windows": [[1, 2]]}, "tester"),
    ("GET", "/captures/{capture_id}/original", None, "viewer"),
    ("GET", "/studies/{study_id}/findings", None, "viewer"),
    ("GET", "/studies/{study_id}/package", None, "viewer"),
    ("GET", "/studies/{study_id}/tests/{test_id}/films", None, "viewer"),
    ("POST", "/studies/{study_id}/films", FILM, "tester"),
    ("GET", "/films/{film_id}/file", None, "viewer"),
    ("DELETE", "/films/{film_id}", None, "tester"),
    ("GET", "/packages", None, "lead"),
    ("POST", "/packages", {"name": "study-1.zip"}, "lead"),
    ("GET", "/packages/{brought_id}", None, "lead"),
    ("POST", "/packages/{brought_id}/pieces/{position}", "a file", "lead"),
    ("POST", "/packages/{brought_id}/close", None, "lead"),
    ("DELETE", "/packages/{brought_id}", None, "lead"),
    ("GET", "/studies/{study_id}/findings.csv", None, "viewer"),
    ("GET", "/studies/{study_id}/next-hour", None, "viewer"),
    ("PUT", "/files/{file_id}/offset", {"offset_s": 1.0}, "tester"),
    ("POST", "/studies/{study_id}/packs", {"name": "day 1"}, "tester"),
    ("POST", "/packs/{pack_id}/pieces/{position}", "a file", "tester"),
    ("POST", "/packs/{pack_id}/close", None, "tester"),
    ("DELETE", "/packs/{pack_id}", None, "tester"),
    ("GET", "/studies/{study_id}/packs", None, "viewer"),
    ("GET", "/packs/{pack_id}", None, "viewer"),
    ("POST", "/packs/{pack_id}/cancel", None, "tester"),
    ("POST", "/packs/{pack_id}/resume", None, "tester"),
    ("GET", "/studies/{study_id}/run", None, "viewer"),
    ("GET", "/studies/{study_id}/run/pulse", None, "viewer"),
    ("POST", "/studies/{study_id}/run/acts", ACTS, "tester"),
    ("GET", "/studies/{study_id}/sessions", None, "viewer"),
    ("POST", "/studies/{study_id}/sessions", {}, "tester"),
    ("POST", "/studies/{study_id}/sessions/end", {}, "tester"),
    ("POST", "/files/{arrival_id}/assign", {"pass_id": 0}, "tester"),
    ("GET", "/learned-costs", None, "viewer"),
    ("GET", "/machines", None, "viewer"),
    ("GET", "/bench-links", None, "tester"),
    ("POST", "/bench-links", {"name": "machine"}, "tester"),
    ("POST", "/bench-links/{link_id}/revoke", None, "tester"),
    ("GET", "/bench-link.py", None, "viewer"),
    ("GET", "/reports", None, "tester"),
    ("POST", "/reports", {"study_id": 0}, "tester"),
    ("POST", "/reports/what-changes/{study_id}", {"pass_ids": [0], "state": "rejected"}, "tester"),
    ("POST", "/reports/what-changes/{study_id}/method", {}, "tester"),
    ("POST", "/reports/what-changes/{study_id}/windows", {"pass_ids": [0], "windows": []}, "tester"),
    ("POST", "/reports/what-changes-by-price/{part_id}", {"price": "1.00", "currency": "EUR"}, "tester"),
    ("GET", "/reports/{report_id}", None, "tester"),
    ("PUT", "/reports/{report_id}/title", {"title": "x", "seen": ""}, "tester"),
    ("GET", "/reports/{report_id}/numbers", None, "tester"),
    ("POST", "/reports/{report_id}/shelf", {"kind": "answer", "study_id": 0, "way": "/studies/1"}, "tester"),
    ("DELETE", "/reports/{report_id}/shelf/{kept_id}", None, "tester"),
    ("POST", "/reports/{report_id}/blocks", {"kind": "answer", "study_id": 0}, "tester"),
    ("PUT", "/reports/{report_id}/blocks/{block_id}", {"kind": "answer", "study_id": 0, "seen": ""}, "tester"),
    ("PUT", "/reports/{report_id}/blocks/{block_id}/place", {"after": None}, "tester"),
    ("DELETE", "/reports/{report_id}/blocks/{block_id}", None, "tester"),
    ("GET", "/reports/{report_id}/blocks/{block_id}/material", None, "tester"),
    ("POST", "/reports/{report_id}/take-over", {}, "tester"),
    ("PUT", "/reports/{report_id}/settled", {"point": "x", "why": ""}, "tester"),
    ("POST", "/reports/{report_id}/ask-check", None, "tester"),
    ("POST", "/reports/{report_id}/sign", None, "tester"),
    ("POST", "/reports/{report_id}/publish", {"seen": ""}, "lead"),
    ("POST", "/reports/{report_id}/withdraw", {"why": "x"}, "lead"),
    # A machine's token opens it, and nobody's sign-in does (see running.tests.test_link).
    ("POST", "/link/files", "a file", "nobody signed in"),
    ("GET", "/link/clock", None, "nobody signed in"),
]
ROLES = [None, "viewer", "tester", "lead"]


def routes() -> Iterator[tuple[str, str]]:
    for path, operations in api.get_openapi_schema()["paths"].items():
        for method in operations:
            yield method.upper(), path.removeprefix("/api")


def test_every_route_has_a_row() -> None:
    assert sorted(routes()) == sorted((method, path) for method, path, _, _ in TABLE)


@pytest.mark.django_db
@pytest.mark.parametrize("role", ROLES)
def test_roles_reach_as_far_as_the_table_says(role: str | None) -> None:
    who = caller(role)
    for method, path, body, lowest in TABLE:
        response = call(who.client, method, path, body)
        allowed = lowest is None or (lowest in ROLES and ROLES.index(role) >= ROLES.index(lowest))
        said = f"{role} {method} {path}: {response.status_code} {response.content[:200]!r}"
        if allowed:
            assert response.status_code not in (401, 403, 500), said
        else:
            unknown = role is None or lowest not in ROLES
            assert response.status_code == (401 if unknown else 403), said
            assert set(response.json()) >= {"code", "message", "hint"}, said
        if method == "DELETE" and role is not None:
            who = relogged(who)


def call(client: Client, method: str, path: str, body: Any, **how: Any) -> Any:
    """A row of the table, asked by somebody."""
    address = "/api" + re.sub(r"\{\w+\}", "0", path)
    if isinstance(body, str):
        upload = SimpleUploadedFile("a.csv", b"ms\n5\n6\n7\n8\n9\n")
        return client.post(address, {"file": upload, "role": "note"}, **how)
    extra = {} if body is None else {"data": body, "content_type": "application/json"}
    return getattr(client, method.lower())(address, **extra, **how)


INSIDE = [row for row in TABLE if row[3] in ROLES[1:]]


@pytest.mark.django_db
def test_an_ended_session_a_closed_account_and_a_machines_token_open_nothing() -> None:
    lead = caller("lead")
    token = lead.post("/bench-links", {"name": "machine"}, status=201)["token"]
    ended = Client()
    ended.cookies["sessionid"] = lead.client.cookies["sessionid"].value
    closed, key = caller("tester"), lead.client.cookies["sessionid"].value
    lead.put(f"/people/{closed.name}/open", {"open": False})
    Session.objects.filter(session_key=key).delete()
    for method, path, body, _ in INSIDE:
        assert call(ended, method, path, body).status_code == 401, (method, path)
        assert call(closed.client, method, path, body).status_code == 401, (method, path)
        bearer = {"Authorization": f"Bearer {token}"}
        assert call(Client(), method, path, body, headers=bearer).status_code == 401, (method, path)


@pytest.mark.django_db
def test_a_foreign_page_writes_nothing() -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(User.objects.get(username=caller("lead").name))
    for method, path, body, lowest in TABLE:
        if method != "GET" and lowest != "nobody signed in":
            found = call(strict, method, path, body, headers={"Origin": "https://elsewhere.example"})
            assert (found.status_code, found.json()["code"]) == (403, "refused"), (method, path)


@pytest.mark.django_db
def test_who_owes_a_second_factor_gets_no_farther_than_to_make_one() -> None:
    lead = caller("lead")
    lead.put("/house", {"name": "Die Warte", "time_zone": "Europe/Vienna", "second_factor": True})
    for method, path, body, _ in INSIDE:
        if not path.startswith("/me"):
            found = call(lead.client, method, path, body)
            assert (found.status_code, found.json()["code"]) == (403, "second_factor_needed"), (method, path)
    assert lead.get("/me")["owes_second_factor"]


def relogged(who: Caller) -> Caller:
    who.client.force_login(User.objects.get(username=who.name))
    return who


def test_sign_in_and_out(nobody: Caller, lead: Caller) -> None:
    assert nobody.get("/session")["name"] == ""
    wrong = nobody.post("/session", {"name": lead.name, "password": "no"}, status=422)
    assert (wrong["code"], wrong["field"]) == ("wrong_password", "password")
    session = nobody.post("/session", {"name": lead.name, "password": PASSWORD})
    assert (session["name"], session["role"]) == (lead.name, "lead")
    assert nobody.get("/studies") == []
    assert nobody.call("DELETE", "/session")["name"] == ""
    assert nobody.get("/studies", status=401)["code"] == "not_signed_in"


def try_password(who: Client, name: str, password: str, address: str = "10.0.0.1") -> Any:
    body = {"name": name, "password": password}
    return who.post("/api/session", body, content_type="application/json", REMOTE_ADDR=address)


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Callable[[float], None]:
    """Lets seconds pass."""
    begin, passed = timezone.now(), [0.0]
    monkeypatch.setattr(timezone, "now", lambda: begin + timedelta(seconds=passed[0]))

    def let_pass(seconds: float) -> None:
        passed[0] += seconds

    return let_pass


def test_wrong_passwords_shut_a_name_for_a_little_longer_each_time(
    nobody: Caller, lead: Caller, clock: Callable[[float], None]
) -> None:
    answers = [try_password(nobody.client, lead.name, "no").status_code for _ in range(6)]
    assert answers == [422] * 5 + [429]
    for wait in (10, 20, 40):
        shut = try_password(nobody.client, lead.name, PASSWORD)
        assert (shut.status_code, shut.json()["code"]) == (429, "locked_out")
        assert f"in {wait} s" in shut.json()["message"], "also the right password has to wait"
        clock(wait + 1)
        assert try_password(nobody.client, lead.name, "no").status_code == 422
    clock(2000)
    assert try_password(nobody.client, lead.name, PASSWORD).status_code == 200


def test_a_stranger_shuts_a_name_for_themselves_alone(nobody: Caller, lead: Caller) -> None:
    for _ in range(6):
        stranger = try_password(nobody.client, lead.name, "no", "10.0.0.66")
    assert stranger.status_code == 429
    assert try_password(nobody.client, lead.name, PASSWORD).status_code == 200


def test_the_right_password_forgets_the_wrong_ones(nobody: Caller, lead: Caller) -> None:
    for _ in range(3):
        for _ in range(4):
            assert try_password(nobody.client, lead.name, "no").status_code == 422
        assert try_password(nobody.client, lead.name, PASSWORD).status_code == 200


def test_a_lead_opens_a_name_again(nobody: Caller, lead: Caller, tester: Caller) -> None:
    for _ in range(6):
        try_password(nobody.client, tester.name, "no")
    assert next(one for one in lead.get("/people")["people"] if one["name"] == tester.name)["shut_s"] > 0
    opened = lead.post("/people/unlock", {"name": tester.name})
    assert all(one["shut_s"] == 0 for one in opened["people"])
    assert try_password(nobody.client, tester.name, PASSWORD).status_code == 200
    assert lead.post("/people/unlock", {"name": "nobody"}, status=404)["code"] == "not_found"


def test_signing_in_needs_the_token_of_our_own_page(lead: Caller) -> None:
    strict = Client(enforce_csrf_checks=True)
    foreign = strict.post(
        "/api/session", {"name": lead.name, "password": PASSWORD}, content_type="application/json",
        headers={"Origin": "https://elsewhere.example"},
    )  # fmt: skip
    assert (foreign.status_code, foreign.json()["code"]) == (403, "refused")
    token = strict.get("/api/session").json()["csrf_token"]
    own = strict.post(
        "/api/session", {"name": lead.name, "password": PASSWORD}, content_type="application/json",
        headers={"X-CSRFToken": token},
    )  # fmt: skip
    assert own.status_code == 200


def test_writing_needs_the_token(lead: Caller) -> None:
    strict = Client(enforce_csrf_checks=True, headers={})
    strict.cookies = lead.client.cookies
    body = {"kind": "card", "name": "Sneaked in"}
    assert strict.post("/api/parts", body, content_type="application/json").status_code == 403
    token = strict.get("/api/session").json()["csrf_token"]
    answer = strict.post("/api/parts", body, content_type="application/json", headers={"X-CSRFToken": token})
    assert answer.status_code == 201


def test_a_user_without_a_role_gets_nowhere(nobody: Caller, django_user_model: Any) -> None:
    user = django_user_model.objects.create_user("stray", password=PASSWORD)
    nobody.client.force_login(user)
    assert nobody.get("/studies", status=401)


def test_the_api_reference_is_for_people_signed_in(nobody: Caller, viewer: Caller) -> None:
    assert nobody.client.get("/api/docs").status_code == 302
    page = viewer.client.get("/api/docs")
    assert page.status_code == 200
    assert b"cdn" not in page.content


def test_pages_load_nothing_from_elsewhere(viewer: Caller) -> None:
    policy = viewer.client.get("/api/session").headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "http" not in policy
