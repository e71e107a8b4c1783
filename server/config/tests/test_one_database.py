"""A page of before a database was brought back writes nothing into the one there is now."""

from __future__ import annotations

import pytest
from django.db import connection
from one_database import HEADER
from testkit import Bench, Caller, study_body


def test_a_page_of_another_database_reads_and_writes_nothing(lead: Caller) -> None:
    own = lead.client.get("/api/studies").headers[HEADER]
    assert lead.client.get("/api/studies", headers={HEADER: "of-yesterday"}).status_code == 200
    for said, status in (("of-yesterday", 409), (own, 201), ("", 201)):
        body = study_body(question=f"Asked by a page of {said or 'nothing'}?")
        made = lead.client.post("/api/studies", body, content_type="application/json", headers={HEADER: said})
        assert made.status_code == status, made.content
        assert made.headers[HEADER] == own
        if status == 409:
            assert made.json()["code"] == "brought_back"
    assert len(lead.get("/studies")) == 2


@pytest.mark.parametrize("method", ["post", "put", "delete"])
def test_whatever_would_write_is_refused(lead: Caller, method: str) -> None:
    refused = getattr(lead.client, method)("/api/studies/1/question", headers={HEADER: "of-yesterday"})
    assert (refused.status_code, refused.json()["code"]) == (409, "brought_back")


def test_an_act_that_was_kept_from_before_is_told_and_not_done(bench: Bench) -> None:
    begun = bench.tester.post(f"/studies/{bench.id}/sessions", {}, status=201)
    own = bench.tester.client.get("/api/studies").headers[HEADER]
    acts = []
    for at, said in enumerate(("of-yesterday", own, "")):
        told = {"session_id": begun["session"]["id"], "database": said, "words": "warm today"}
        acts.append({"id": f"00000000-0000-4000-8000-00000000000{at}", "kind": "noted", "at": begun["now"], **told})
    found = bench.tester.post(f"/studies/{bench.id}/run/acts", {"acts": acts, "now": begun["now"]})
    assert [one["done"] for one in found["outcomes"]] == [False, True, True]
    assert found["outcomes"][0]["code"] == "brought_back"


def test_the_mark_is_asked_once_a_connection(lead: Caller) -> None:
    lead.get("/studies")
    asked: list[str] = []

    def note(execute: object, sql: str, *more: object) -> object:
        asked.append(sql)
        return execute(sql, *more)  # type: ignore[operator]

    with connection.execute_wrapper(note):
        lead.get("/studies")
    assert asked
    assert not any("pg_control_system" in sql for sql in asked)
