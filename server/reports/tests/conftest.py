"""A study and a report of it for the tests of reports."""

from __future__ import annotations

from typing import Any

import pytest
from reports.tests.writing import add, live, prose, text
from testkit import Bench


@pytest.fixture
def full(bench: Bench) -> Bench:
    bench.fill(3, 3)
    return bench


@pytest.fixture
def report(full: Bench) -> dict[str, Any]:
    """A report begun from a study, with an answer, a picture, prose that says a number, and how it was measured."""
    who = full.tester
    made = who.post("/reports", {"study_id": full.id}, status=201)
    for kind in ("answer", "picture", "table", "readers", "method"):
        made = add(who, made, {"kind": kind, "study_id": full.id})
    number = who.get(f"/reports/{made['id']}/numbers?words=average fps")[0]
    body = {"kind": "prose", "doc": prose(text("It comes to "), live(number), text(" over all."))}
    found: dict[str, Any] = add(who, made, body)
    return found
