"""Frame times as a block of a report."""

from __future__ import annotations

import re
from typing import Any

import pytest
from reports.tests.writing import add, published, read, settled
from testkit import Bench


def trace(bench: Bench, *passes: int, test: int | None = None, **told: Any) -> dict[str, Any]:
    look = {"test_id": test or bench.test(0), "passes": [{"pass_id": one} for one in passes], **told}
    return {"kind": "trace", "study_id": bench.id, "look": {"trace": look}}


@pytest.fixture
def passes(full: Bench) -> list[dict[str, Any]]:
    """The passes of the first test, one of each lane."""
    found = [one for one in full.tester.get(f"/studies/{full.id}/passes") if one["test_id"] == full.test(0)]
    return [next(one for one in found if one["lane_id"] == full.lane(at)) for at in range(2)]


def test_frame_times_are_printed_with_what_they_come_to(full: Bench, passes: list[dict[str, Any]]) -> None:
    who = full.tester
    report = who.post("/reports", {"study_id": full.id}, status=201)
    report = add(who, report, trace(full, *(one["id"] for one in passes)))
    (block,) = report["blocks"]
    shown = who.get(f"/reports/{report['id']}/blocks/{block['id']}/material")["trace"]
    for one, told in zip(passes, shown["passes"], strict=True):
        assert told["average_fps"] == pytest.approx(one["figures"]["average_fps"], rel=1e-9)
        assert max(told["high_ms"]) == pytest.approx(told["longest_ms"], abs=1e-3)
        assert f"{told['lane']}, pass {told['number']}, with " in block["says"]
    full.lead.put(f"/captures/{passes[0]['capture_id']}/windows", {"windows": [[1.0, 4.0]]})
    (block,) = who.get(f"/reports/{report['id']}")["blocks"]
    (change,) = block["changes"]
    assert change["before"] != change["after"], "another window, other figures"
    assert "recorded" in change["after"], "what was accepted is decided on again"


def test_a_stretch_is_told_and_what_does_not_count_goes_out_with_a_reason(
    full: Bench, passes: list[dict[str, Any]], lead: Any
) -> None:
    who, (one, other) = full.tester, passes
    who.put(
        f"/studies/passes/{one['id']}/state",
        {"state": "rejected", "reason_code": "wrong_setting", "reason": "a profile"},
    )
    report = who.post("/reports", {"study_id": full.id}, status=201)
    body = trace(full, one["id"], other["id"], from_s=1.0, to_s=3.0)
    body["look"]["trace"]["passes"][1]["offset_s"] = 0.5
    report = add(who, report, body)
    says = report["blocks"][0]["says"]
    assert "from 1.0 to 3.0 s" in says
    assert "(rejected)" in says
    assert "(laid +0.50 s)" in says
    points = [point["words"] for point in report["points"]]
    assert any("(rejected) does not count" in words for words in points)
    settled(who, report)
    published(lead, report, with_data=False)
    page = read(who.get(f"/reports/{report['id']}")["address"])
    assert says in page
    shown = set(re.findall(r"\b[0-9a-f]{64}\b", page))
    assert shown == {one["sha256"], other["sha256"]}, "what is printed leads down to its captures"
    assert page.count("<svg") == 2, "drawn for a screen and for a phone"
    assert "1.0 to 3.0 s" in page


def test_a_capture_that_is_moved_away_leaves_nothing_to_show(full: Bench, passes: list[dict[str, Any]]) -> None:
    who, (one, _) = full.tester, passes
    report = who.post("/reports", {"study_id": full.id}, status=201)
    add(who, report, trace(full, one["id"]))
    who.put(f"/captures/{one['capture_id']}/place", {"lane_id": None, "test_id": full.test(1)})
    now = who.get(f"/reports/{report['id']}")
    (stop,) = [point["words"] for point in now["points"] if point["blocks"] and "shows nothing" in point["words"]]
    assert "pass with a capture in this test" in stop
    assert now["blocks"][0]["changes"]


def test_what_is_no_trace_of_the_test_is_refused(full: Bench, passes: list[dict[str, Any]]) -> None:
    who, (one, other) = full.tester, passes
    report = who.post("/reports", {"study_id": full.id}, status=201)
    for body in (
        trace(full, one["id"], test=full.test(1)),
        trace(full, 10**9),
        trace(full, one["id"], test=10**9),
    ):
        add(who, report, body, status=404)
    for body in (
        trace(full, one["id"], one["id"]),
        trace(full, one["id"], from_s=1000.0),
        trace(full, one["id"], from_s=3.0, to_s=2.0),
        trace(full),
        trace(full, *[one["id"]] * 7),
        {"kind": "trace", "study_id": full.id},
        trace(full, other["id"]) | {"kind": "picture"},
    ):
        add(who, report, body, status=422)
    way = f"/studies/{full.id}/passes/{full.test(0)}?pass={one['id']}&zoom=1.000-2.000"
    kept = who.post(f"/reports/{report['id']}/shelf", trace(full, one["id"]) | {"way": way}, status=201)
    assert kept["shelf"][0]["label"].startswith("Frame times: ")
    assert kept["blocks"] == []
