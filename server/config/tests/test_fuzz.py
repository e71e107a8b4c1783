"""The API under requests made from its own description, by every role: no 500, the one shape, nothing beyond a role."""

from __future__ import annotations

import json
from typing import Any

import fuzzing
import pytest
import schemathesis
from config.api import api
from django.test import Client
from hypothesis import strategies as st
from schemathesis.core import NOT_SET
from testkit import Bench, Caller, Jobs

#: Requests of a round: all operations together.
EXAMPLES = 350 if not fuzzing.SECONDS else 2_000
REFUSED = {400, 401, 403, 404, 405, 409, 413, 422, 429}
#: What a signed-in fuzzer would end: its own session.
LEFT_OUT = {("DELETE", "/api/session"), ("POST", "/api/session")}
SHAPE = {"code", "message", "field", "row", "line", "hint", "now"}


@pytest.fixture
def ids(bench: Bench) -> dict[str, list[int]]:
    """Ids of things that are there, by the names of paths."""
    bench.fill(tests=1, passes=2)
    bench.tester.hand_in(bench.id, "waits.csv", bench.log(77))
    passes = [one for one in bench.lead.get(f"/studies/{bench.id}/passes") if one["capture_id"]]
    detail = bench.lead.get(f"/passes/{passes[0]['id']}")
    study = bench.lead.get(f"/studies/{bench.id}")
    report = bench.lead.post("/reports", {"study_id": bench.id}, status=201)["id"]
    way = {"kind": "answer", "study_id": bench.id, "way": f"/studies/{bench.id}/findings"}
    shelf = bench.lead.post(f"/reports/{report}/shelf", way, status=201)["shelf"]
    blocks = bench.lead.post(f"/reports/{report}/blocks", {"kind": "answer", "study_id": bench.id}, status=201)[
        "blocks"
    ]
    return {
        "report_id": [report],
        "block_id": [blocks[0]["id"]],
        "kept_id": [shelf[0]["id"]],
        "study_id": [bench.id],
        "lane_id": [lane["id"] for lane in study["lanes_full"]],
        "test_id": [test["id"] for test in study["tests_full"]],
        "pass_id": [one["id"] for one in bench.lead.get(f"/studies/{bench.id}/passes")],
        "capture_id": [one["capture_id"] for one in passes],
        "file_id": [file["id"] for file in detail["files"]],
        "arrival_id": [file["id"] for file in bench.lead.get(f"/studies/{bench.id}/files")],
        "version_id": [lane["setup"]["version_id"] for lane in study["lanes_full"]],
        "setup_id": [lane["setup"]["id"] for lane in study["lanes_full"]],
        "part_id": [part["id"] for part in bench.lead.get("/parts")],
        "scene_id": [scene["id"] for scene in bench.lead.get("/scenes")],
        "game_id": [game["id"] for game in bench.lead.get("/games")],
        "condition_id": [one["id"] for one in bench.lead.get("/conditions")],
        "rig_id": [1],
    }


def grown(body: Any, ids: dict[str, list[int]], real: int) -> Any:
    """A body with ids of things that are there, so that it gets further than "there is no such thing"."""
    if isinstance(body, dict):
        return {
            name: ids[name][real % len(ids[name])]
            if name in ids and isinstance(value, int)
            else grown(value, ids, real)
            for name, value in body.items()
        }
    return [grown(one, ids, real) for one in body] if isinstance(body, list) else body


def send(client: Client, case: Any, ids: dict[str, list[int]], real: int) -> Any:
    path = case.operation.path
    for name, value in (case.path_parameters or {}).items():
        own = ids.get(name)
        chosen = own[real % len(own)] if own and real % 4 else value
        path = path.replace(f"{{{name}}}", str(chosen).replace("/", "%2F").replace("?", "%3F") or "0")
    extra: dict[str, Any] = {}
    if case.body is not NOT_SET:
        if case.media_type == "application/json":
            extra = {"data": json.dumps(grown(case.body, ids, real)), "content_type": "application/json"}
        else:
            extra = {"data": {str(name): value for name, value in case.body.items() if value is not None}}
    query = {name: value for name, value in (case.query or {}).items() if value is not None}
    return getattr(client, case.method.lower())(path, **extra, **({"query_params": query} if query else {}))


@pytest.mark.parametrize("role", ["lead", "tester", "viewer", "nobody"])
def test_requests_of_every_kind_are_answered_or_refused(
    bench: Bench, ids: dict[str, list[int]], jobs: Jobs, request: pytest.FixtureRequest, role: str
) -> None:
    caller: Caller = request.getfixturevalue(role)
    client = Client(raise_request_exception=False)
    client.cookies = caller.client.cookies
    schema = schemathesis.openapi.from_dict(api.get_openapi_schema())
    operations: list[Any] = [found.ok() for found in schema.get_all_operations()]  # type: ignore[union-attr]
    operations = [one for one in operations if (one.method.upper(), one.path) not in LEFT_OUT]
    strategies = [operation.as_strategy() for operation in operations]
    seen: set[int] = set()

    def answered(at: int, draw: Any, real: int) -> None:
        case = draw.draw(strategies[at])
        response = send(client, case, ids, real)
        seen.add(response.status_code)
        content = b"".join(response.streaming_content) if response.streaming else response.content
        told = f"{case.method} {case.operation.path} {case.body!r}: {response.status_code} {content[:300]!r}"
        assert response.status_code < 500, told
        if response.status_code >= 400:
            assert response.status_code in REFUSED, told
            assert response.headers["Content-Type"].startswith("application/json"), told
            body = json.loads(content)
            assert {"code", "message"} <= set(body) <= SHAPE, told
        elif case.method.upper() not in ("GET", "HEAD"):
            assert role != "nobody", told
            # Everybody may change their own account.
            own = case.operation.path.startswith("/api/me") or case.operation.path.endswith("/known")
            assert role != "viewer" or own, told
        assert response.headers["Cache-Control"], told

    drawn = {"at": st.integers(0, len(strategies) - 1), "draw": st.data(), "real": st.integers(0, 1000)}
    fuzzing.fuzz(drawn, answered, EXAMPLES if role == "lead" else EXAMPLES // 4)
    assert seen & {200, 201, 401}
