"""The main queries reach what grows with every pass by an index, so that a million of them ask as ten thousand do."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from testkit import Bench, Caller

#: What grows with every pass. All else is of a study, or of the bench.
GROWS = {
    "studies_pass", "studies_auditline", "studies_decision", "studies_decisionon", "intake_arrival", "intake_original",
    "intake_passfile", "intake_capture", "intake_capturefigures", "intake_allfigures", "intake_captureprofile",
    "intake_channel", "doubting_settled", "doubting_repeatfound", "running_runact", "running_benchrun",
}  # fmt: skip
MAIN = (
    "/studies", "/studies/{}", "/studies/{}/passes", "/studies/{}/findings", "/studies/{}/answer", "/studies/{}/plan",
    "/studies/{}/doubts", "/studies/{}/files", "/studies/{}/run", "/scene-noise", "/outlooks",
)  # fmt: skip


def tables() -> set[str]:
    return set(connection.introspection.table_names())


@pytest.mark.parametrize("path", MAIN)
def test_nothing_that_grows_is_read_from_end_to_end(bench: Bench, lead: Caller, path: str) -> None:
    bench.fill(2, 2)
    address = f"/api{path.format(bench.id)}"
    assert lead.client.get(address).status_code == 200
    with CaptureQueriesContext(connection) as asked:
        assert lead.client.get(address).status_code == 200
    statements = [query["sql"] for query in asked.captured_queries if query["sql"].startswith(("SELECT", "WITH"))]
    assert statements
    with connection.cursor() as cursor:
        # A table of a few rows is read whole whatever stands beside it: asked for is what else it could do.
        cursor.execute("SET LOCAL enable_seqscan = off")
        for sql in statements:
            cursor.execute(f"EXPLAIN (FORMAT JSON) {sql}")
            ((plan,),) = cursor.fetchall()
            whole = {node["Relation Name"] for node in nodes(plan[0]["Plan"]) if reads_whole(node)} & GROWS
            assert not whole, f"{whole} is read whole by:\n{sql[:1500]}"


def nodes(node: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """A plan's steps, each with those beneath it."""
    yield node
    for below in node.get("Plans", ()):
        yield from nodes(below)


def reads_whole(node: dict[str, Any]) -> bool:
    """Whether a step reads a table from end to end: by itself, or along an index without saying which part."""
    by_index = node["Node Type"] in ("Index Scan", "Index Only Scan")
    return node["Node Type"] == "Seq Scan" or (by_index and "Index Cond" not in node)


@pytest.mark.django_db
def test_the_tables_that_grow_are_there() -> None:
    assert GROWS - tables() == set()
