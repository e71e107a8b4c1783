"""The data package of a study says what its findings say, and `rennbahn verify` computes it again by itself."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from pathlib import Path
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from intake.models import Capture
from packages import making
from rennbahn.packages import verify
from testkit import Bench, Caller
from waiting import Busy


def handed_out(who: Caller, study: int, tmp_path: Path) -> Path:
    """The package, as a browser keeps it."""
    response: Any = who.client.get(f"/api/studies/{study}/package")
    assert (response.status_code, response.headers["Content-Type"]) == (200, "application/zip")
    path = tmp_path / "study.zip"
    path.write_bytes(b"".join(response.streaming_content))
    return path


def test_what_is_handed_out_holds_and_says_what_the_findings_say(odd: Bench, viewer: Caller, tmp_path: Path) -> None:
    path = handed_out(viewer, odd.id, tmp_path)
    found = verify(str(path))
    assert found.holds, (found.numbers[:5], found.files)
    findings = viewer.get(f"/studies/{odd.id}/findings")
    with zipfile.ZipFile(path) as packed:
        rows = list(csv.DictReader(io.StringIO(packed.read("findings.csv").decode())))
        passes = list(csv.DictReader(io.StringIO(packed.read("passes.csv").decode())))
        captures = [name for name in packed.namelist() if name.startswith("captures/")]
        originals = {packed.read(name) for name in captures}
    told = {
        json.loads(row["what"]).get("test"): row
        for row in rows
        if '"b_over_a"' in row["what"] and "average_fps" in row["what"]
    }
    for test in findings["tests"]:
        row, shown = told[str(test["test_id"])], test["average"]
        assert float(row["value"]) == pytest.approx(shown["b_over_a"], rel=1e-9)
        assert row["verdict"] == shown["verdict"]
        assert [float(row["low"]), float(row["high"])] == pytest.approx([shown["low"], shown["high"]], rel=1e-9)
    assert len(captures) == 18 + 1
    assert odd.tester.get(f"/captures/{Capture.objects.first().pk}/original") in originals  # type: ignore[union-attr]
    by_status = {row["status"]: row for row in passes}
    assert (by_status["odd"]["reason"], by_status["odd"]["capture"] != "") == ("a call", True)
    assert sorted(row["windows"] for row in passes)[-1] == "[[0.5, 3.0], [4.0, 7.0]]"
    assert sum(float(row["power_w"]) > 100 for row in passes if row["power_w"]) == 1


def test_a_capture_that_is_altered_afterwards_is_found(odd: Bench, viewer: Caller, tmp_path: Path) -> None:
    path, bent = handed_out(viewer, odd.id, tmp_path), tmp_path / "bent.zip"
    with zipfile.ZipFile(path) as before, zipfile.ZipFile(bent, "w") as after:
        name = next(one for one in before.namelist() if one.startswith("captures/"))
        for one in before.namelist():
            content = before.read(one)
            after.writestr(one, content[: len(content) // 2].rpartition(b"\n")[0] + b"\n" if one == name else content)
    found = verify(str(bent))
    assert [(one.file, one.fault) for one in found.files] == [(name, "changed")]
    assert found.numbers


def test_a_study_that_is_kept_has_no_package_for_others(
    odd: Bench, lead: Caller, viewer: Caller, tmp_path: Path
) -> None:
    lead.put(f"/studies/{odd.id}/kept", {"names": []})
    assert viewer.get(f"/studies/{odd.id}/package", status=404)["code"] == "not_found"
    handed_out(lead, odd.id, tmp_path)


def test_one_is_made_at_a_time_and_a_turn_is_given_back(odd: Bench) -> None:
    first: Any = making.package_of(odd.id)
    assert next(first)
    with pytest.raises(Busy, match="Another data package is being made"):
        making.package_of(odd.id)
    first.close()
    # One that nobody ever reads holds nobody up.
    unread = making.package_of(odd.id)
    assert b"".join(making.package_of(odd.id))[:2] == b"PK"
    assert next(unread)


def test_making_one_asks_by_the_batch(odd: Bench, viewer: Caller, tmp_path: Path) -> None:
    with CaptureQueriesContext(connection) as asked:
        handed_out(viewer, odd.id, tmp_path)
    originals = [query for query in asked.captured_queries if '"intake_original"' in query["sql"]]
    assert len(originals) == 2, "nineteen files, ten at a time"
    assert len(asked.captured_queries) < 60
