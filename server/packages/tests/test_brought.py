"""A package is read back as a study with the same findings, on an empty bench and beside one's own; and what is not as
it was is refused, whole.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from bench.models import Part
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.utils import timezone
from findings.record import forget
from packages import bringing, tasks
from packages.models import Brought, BroughtPiece
from studies.models import Study
from studies.services import finish_study
from testkit import Bench, Caller, Jobs, caller

Change = Callable[[dict[str, bytes]], None]


@pytest.fixture
def full(odd: Bench, lead: Caller) -> Bench:
    """A finished study with windows, samples, a rejected pass, passes that did not run, and a typed-in result."""
    for lane in range(2):
        more = {"lane_id": odd.lane(lane), "test_id": odd.test(2)}
        one = odd.tester.post("/studies/passes", more, status=201)
        told = {"state": "did_not_run", "reason_code": "crashed"}
        odd.tester.put(f"/studies/passes/{one['id']}/state", told)
    more = {"lane_id": odd.lane(0), "test_id": odd.test(1)}
    typed = odd.tester.post("/studies/passes", more, status=201)["id"]
    odd.tester.post(f"/passes/{typed}/reported", {"average_fps": 88.0, "read_from": "result page"}, status=201)
    odd.accept(typed)
    lead.post(f"/studies/{odd.id}/finish", {})
    return odd


def package_of(who: Caller, study: int) -> dict[str, bytes]:
    """The files of a study's package, by their paths."""
    response: Any = who.client.get(f"/api/studies/{study}/package")
    with zipfile.ZipFile(io.BytesIO(b"".join(response.streaming_content))) as packed:
        return {name: packed.read(name) for name in packed.namelist()}


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in files.items():
            packed.writestr(name, content)
    return out.getvalue()


def listed(files: dict[str, bytes]) -> dict[str, bytes]:
    """The same, with hashes that are right again: as whoever means harm would write it."""
    told = json.loads(files["datapackage.json"])
    for one in told["resources"]:
        one["hash"] = f"sha256:{hashlib.sha256(files[one['path']]).hexdigest()}"
    return files | {"datapackage.json": json.dumps(told).encode()}


def bring(who: Caller, jobs: Jobs, content: bytes) -> dict[str, Any]:
    """Send a package in two pieces and have it read back."""
    made = who.post("/packages", {"name": "study.zip"}, status=201)
    path, half = f"/packages/{made['id']}", len(content) // 2
    for at, piece in enumerate((content[:half], content[half:])):
        sent = who.client.post(f"/api{path}/pieces/{at}", {"file": SimpleUploadedFile("piece", piece)})
        assert sent.status_code == 200, sent.content
    assert who.post(f"{path}/close")["state"] == "running"
    jobs.work("packages")
    found: dict[str, Any] = who.get(path)
    return found


def emptied() -> Caller:
    """Nothing of a magazine is left; the lead of another."""
    with connection.cursor() as cursor:
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        tables = [name for name in connection.introspection.django_table_names() if "migrations" not in name]
        kept = {"django_content_type", "auth_permission"}
        cursor.execute(f"TRUNCATE {', '.join(name for name in tables if name not in kept)} CASCADE")
    forget()
    return caller("lead", "another-lead")


def numbers(files: dict[str, bytes]) -> list[tuple[Any, ...]]:
    """What findings.csv says, without the ids of rows."""
    rows = csv.DictReader(io.StringIO(files["findings.csv"].decode()))
    return [(sorted(json.loads(row["what"])), row["value"], row["low"], row["high"], row["verdict"]) for row in rows]


def tables(files: dict[str, bytes], name: str) -> list[dict[str, str]]:
    rows = csv.DictReader(io.StringIO(files[name].decode()))
    ids = {"id", "lane", "test", "scene", "session", "capture", "samples", "a", "b"}
    return [{key: value for key, value in row.items() if key not in ids} for row in rows]


def test_a_package_is_read_back_into_an_empty_bench_with_the_same_findings(full: Bench, jobs: Jobs) -> None:
    files = package_of(full.lead, full.id)
    who = emptied()
    found = bring(who, jobs, zipped(files))
    assert (found["state"], found["words"]) == ("done", "")
    assert (found["captures"], found["read"]) == (18, 18)
    again = package_of(who, found["study_id"])
    assert numbers(again) == numbers(files)
    for name in ("lanes.csv", "scenes.csv", "tests.csv", "passes.csv", "compare.csv"):
        assert tables(again, name) == tables(files, name), name
    assert who.get(f"/studies/{found['study_id']}")["state"] == "finished"
    assert not BroughtPiece.objects.exists(), "what was read back is kept once"
    assert not who.get(f"/studies/{found['study_id']}")["kept"]
    # Twice is two studies: what was measured then is measured once more, and nothing of the first changes.
    twice = bring(who, jobs, zipped(files))
    assert (twice["state"], twice["words"], twice["study_id"] != found["study_id"]) == ("done", "", True)
    assert numbers(package_of(who, twice["study_id"])) == numbers(files)


def test_what_the_bench_says_otherwise_stays_and_what_came_has_a_name_of_its_own(full: Bench, jobs: Jobs) -> None:
    part = Part.objects.filter(setup_versions__lanes=full.lane(1)).exclude(setup_versions__lanes=full.lane(0)).first()
    assert part is not None
    Part.objects.filter(pk=part.pk).update(price=100, currency="EUR")
    full.lead.put(f"/studies/{full.id}/kept", {"names": []})
    files = package_of(full.lead, full.id)
    Part.objects.filter(pk=part.pk).update(price=150)
    found = bring(full.lead, jobs, zipped(files))
    assert f"“{part.name}” is “{part.name} (2)” here" in found["words"]
    part.refresh_from_db()
    assert float(part.price or 0) == 150.0
    full.tester.get(f"/studies/{found['study_id']}", status=404)
    assert numbers(package_of(full.lead, found["study_id"])) == numbers(files)


def test_a_worker_that_ends_in_the_middle_goes_on_where_it_was(
    full: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch
) -> None:
    files = package_of(full.lead, full.id)
    kept, calls = bringing._Captures._keep, []

    def ends(self: Any, *given: Any) -> None:
        calls.append(1)
        if len(calls) == 2:
            raise ConnectionError("the database went away")
        kept(self, *given)

    monkeypatch.setattr(bringing._Captures, "_keep", ends)
    with pytest.raises(ConnectionError):
        bring(full.lead, jobs, zipped(files))
    (left,) = full.lead.get("/packages")
    assert (left["state"], left["read"]) == ("running", 8)
    bringing.bring_in(left["id"])
    found = full.lead.get(f"/packages/{left['id']}")
    assert (found["state"], found["read"]) == ("done", 18)
    assert numbers(package_of(full.lead, found["study_id"])) == numbers(files)


def test_a_worker_that_ends_when_all_is_done_says_so_the_next_time(
    full: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch
) -> None:
    def ends(*given: Any) -> None:
        finish_study(*given)
        raise ConnectionError("the database went away")

    monkeypatch.setattr(bringing, "finish_study", ends)
    with pytest.raises(ConnectionError):
        bring(full.lead, jobs, zipped(package_of(full.lead, full.id)))
    monkeypatch.undo()
    (left,) = full.lead.get("/packages")
    bringing.bring_in(left["id"])
    assert full.lead.get(f"/packages/{left['id']}")["state"] == "done"


def altered(files: dict[str, bytes]) -> None:
    name = next(one for one in files if one.startswith("captures/"))
    files[name] = files[name].replace(b"1", b"2", 1)


def without_record(files: dict[str, bytes]) -> None:
    del files["record.json"]


def said(**told: Any) -> Change:
    def change(files: dict[str, bytes]) -> None:
        files["record.json"] = json.dumps(json.loads(files["record.json"]) | told).encode()
        files.update(listed(files))

    return change


def of_a_pass(**told: Any) -> Change:
    def change(files: dict[str, bytes]) -> None:
        record = json.loads(files["record.json"])
        record["passes"][0] |= told
        files["record.json"] = json.dumps(record).encode()
        files.update(listed(files))

    return change


def of_a_capture(**told: Any) -> Change:
    def change(files: dict[str, bytes]) -> None:
        record = json.loads(files["record.json"])
        record["passes"][0]["capture"] |= told
        files["record.json"] = json.dumps(record).encode()
        files.update(listed(files))

    return change


#: What is done to a package, and what is said of it.
WRONG: list[tuple[Change, str]] = [
    (altered, "is not what the package lists"),
    (without_record, "it has no record.json"),
    (said(more=[[]] * 4_000_001), "more than a study has"),
    (said(version=2), "record.json, version"),
    (said(kind="latency"), "record.json, kind"),
    (said(more="of it"), "record.json, more"),
    (said(asked={"question": "a\u202eb", "factor": "f"}), "U+202E"),
    (said(lanes=[]), "record.json, lanes"),
    (said(scenes=[]), "names a scene"),
    (of_a_pass(lane="999"), "is none"),
    (of_a_pass(number=2), "a pass is there twice"),
    (of_a_pass(run_as={"condition": {"name": "x"}, "limited_to_fps": -1.0, "known_caps": []}), "limited_to_fps"),
    (of_a_capture(windows=[[1.0, "2"]]), "windows"),
    (of_a_capture(windows=[[3.0, 4.0], [1.0, 2.0]]), "follow each other"),
]


def test_what_is_not_as_it_was_is_refused_and_leaves_nothing(bench: Bench, jobs: Jobs) -> None:
    bench.fill(2, 1)
    whole, before = package_of(bench.lead, bench.id), (Part.objects.count(), Study.objects.count())
    for change, words in WRONG:
        files = dict(whole)
        change(files)
        found = bring(bench.lead, jobs, zipped(files))
        assert (found["state"], words.lower() in found["words"].lower()) == ("refused", True), found["words"]
        assert (Part.objects.count(), Study.objects.count()) == before, words
    assert not BroughtPiece.objects.exists()
    # What shows only when a capture is read: the study stays, and it is said.
    for change, words in (
        (of_a_capture(path="../../etc/passwd"), "It does not list ../../etc/passwd"),
        (of_a_capture(columns={"frame_time": {"column": "no such"}}), "captures/"),
        (of_a_capture(windows=[[500.0, 600.0]]), "No frame lies within"),
    ):
        files = dict(whole)
        change(files)
        found = bring(bench.lead, jobs, zipped(files))
        assert (found["state"], words in found["words"]) == ("refused", True), found["words"]
        assert "stays as far as it came" in found["words"]
        assert bench.lead.get(f"/studies/{found['study_id']}")["counts"]["accepted"] == 0


def test_what_is_no_zip_is_refused_and_only_who_brought_it_sees_it(full: Bench, jobs: Jobs, lead: Caller) -> None:
    found = bring(lead, jobs, b"PK\x03\x04 no zip at all")
    assert (found["state"], "no whole zip" in found["words"]) == ("refused", True)
    other = caller("lead", "second-lead")
    assert other.get("/packages") == []
    other.get(f"/packages/{found['id']}", status=404)
    lead.post(f"/packages/{found['id']}/close", status=409)
    full.tester.post("/packages", {"name": "x.zip"}, status=403)
    for _ in range(2):
        lead.post("/packages", {"name": "x.zip"}, status=201)
    assert lead.post("/packages", {"name": "x.zip"}, status=409)["code"] == "too_many_half_sent"
    (first, *_) = lead.get("/packages")
    lead.delete(f"/packages/{first['id']}")
    lead.post("/packages", {"name": "x.zip"}, status=201)


def test_what_was_left_is_queued_again_and_what_was_never_sent_whole_goes(lead: Caller, jobs: Jobs) -> None:
    made = [lead.post("/packages", {"name": f"{at}.zip"}, status=201)["id"] for at in range(2)]
    for one in made:
        lead.client.post(f"/api/packages/{one}/pieces/0", {"file": SimpleUploadedFile("piece", b"PK")})
    Brought.objects.filter(pk=made[0]).update(state="running")
    Brought.objects.filter(pk=made[1]).update(made_at=timezone.now() - timedelta(days=4))
    tasks.queue_left(0)
    assert [one["args"] for one in jobs.waiting("packages")] == [{"brought_id": made[0]}]
    assert [one["id"] for one in lead.get("/packages")] == [made[0]]
    assert BroughtPiece.objects.count() == 1
