"""What works together, through its API: attempts, what to try next, checks, photographs, a setup of what works."""

from __future__ import annotations

import io
import uuid
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from fitting.schemas import MatrixEdit
from PIL import Image
from testkit import Caller, edit_body

PARTS = {
    "Walnut box": ("machine", {"generation": 4, "lanes": 4, "card_length_mm": 220}),
    "Flat desk": ("machine", {}),
    "Short bridge": ("adapter", {"generation": 3, "lanes": 4, "max_power_w": 75}),
    "Finch 5": ("card", {"generation": 4, "lanes": 8, "power_limit_w": 110, "length_mm": 240}),
    "Heron 7": ("card", {"power_limit_w": 60}),
}


@pytest.fixture
def parts(lead: Caller) -> dict[str, int]:
    found = {}
    for name, (kind, facts) in PARTS.items():
        found[name] = int(lead.post("/parts", {"kind": kind, "name": name, "facts": facts}, status=201)["id"])
    return found


def body(parts: dict[str, int], **more: Any) -> dict[str, Any]:
    return {
        "title": "Nine litres", "via_are": "Adapters", "rows": [parts["Walnut box"], parts["Flat desk"]],
        "via": [parts["Short bridge"]], "columns": [parts["Finch 5"], parts["Heron 7"]],
    } | more  # fmt: skip


@pytest.fixture
def matrix(lead: Caller, parts: dict[str, int]) -> dict[str, Any]:
    made: dict[str, Any] = lead.post("/fits", body(parts), status=201)
    return made


def attempt(who: Caller, matrix: dict[str, Any], place: dict[str, Any], status: int = 201, **more: Any) -> Any:
    told = {"client_id": str(uuid.uuid4()), "outcome": "works"} | {k: place[k] for k in ("row", "via", "column")}
    return who.post(f"/fits/{matrix['id']}/attempts", told | more, status=status)


def test_before_anything_is_plugged_in_facts_speak(matrix: dict[str, Any], viewer: Caller) -> None:
    first = viewer.get(f"/fits/{matrix['id']}")["places"][0]
    assert (first["state"], first["attempts"]) == ("not_tried", [])
    assert sorted(first["checks"]) == [
        "Finch 5 draws up to 110 W; Short bridge passes on at most 75 W",
        "Finch 5 is 240 mm long; Walnut box takes cards up to 220 mm",
    ]
    assert first["link"] == "expected: generation 3, 4 lanes (3.9 GB/s one way)"
    assert any("with the power off" in one for one in first["cautions"])
    assert matrix["sentences"] == ["Nothing of 4 combinations was tried yet."]


def test_what_helped_beside_it_is_tried_next_and_what_works_is_a_setup(
    matrix: dict[str, Any], lead: Caller, tester: Caller
) -> None:
    failed, other = matrix["places"][0], matrix["places"][1]
    where = {key: failed[key] for key in ("row", "via", "column")}
    attempt(tester, matrix, other, outcome="no_picture")
    attempt(tester, matrix, other, outcome="works", changed=["firmware 1.4"])
    found = attempt(tester, matrix, failed, outcome="not_detected", seen="the light blinks twice")
    assert found["places"][0]["next"] == [
        {"change": "firmware 1.4", "words": "helped at Walnut box + Short bridge + Heron 7"}
    ]
    assert lead.post(f"/fits/{matrix['id']}/setups", where, status=409)["code"] == "does_not_work"
    found = attempt(tester, matrix, failed, outcome="limited", changed=["firmware 1.4"], generation=3, lanes=1)
    assert found["places"][0]["state"] == "limited"
    assert "25% of the expected" in found["places"][0]["link"]
    assert found["sentences"][0] == "Of 4 combinations 2 were tried; 1 works, 1 more with limits."
    made = lead.post(f"/fits/{matrix['id']}/setups", where, status=201)
    assert made["name"] == "Walnut box + Short bridge + Finch 5"


def test_an_attempt_is_noted_once_and_struck_out_by_a_lead(
    matrix: dict[str, Any], lead: Caller, tester: Caller
) -> None:
    known = str(uuid.uuid4())
    for _ in range(2):
        found = attempt(tester, matrix, matrix["places"][0], client_id=known, outcome="crashes")
    [one] = found["places"][0]["attempts"]
    tester.put(f"/fits/attempts/{one['id']}/struck", {"why": "wrong card"}, status=403)
    found = lead.put(f"/fits/attempts/{one['id']}/struck", {"why": "wrong card"})
    place = found["places"][0]
    assert (place["state"], place["attempts"][0]["struck"]) == ("not_tried", "a-lead: wrong card")


def test_what_was_tried_stays_on_its_axis(
    matrix: dict[str, Any], parts: dict[str, int], lead: Caller, tester: Caller
) -> None:
    found = attempt(tester, matrix, matrix["places"][0])
    gone = edit_body(MatrixEdit, **body(parts, columns=[parts["Heron 7"]], seen=found["seen"]))
    assert lead.put(f"/fits/{matrix['id']}", gone, status=409)["code"] == "part_tried"
    shorter = edit_body(MatrixEdit, **body(parts, columns=[parts["Finch 5"]], seen=found["seen"]))
    assert len(lead.put(f"/fits/{matrix['id']}", shorter)["places"]) == 2
    assert lead.put(f"/fits/{matrix['id']}", shorter, status=409)["code"] == "changed_meanwhile"


@pytest.mark.parametrize(
    ("change", "code", "field"),
    [
        ({"via": []}, "between_half", "via_are"),
        ({"rows": [0]}, "part_missing", "rows"),
        ({"rows": []}, "invalid", "rows"),
    ],
)
def test_what_is_no_matrix_is_refused_by_field(
    lead: Caller, parts: dict[str, int], change: dict[str, Any], code: str, field: str
) -> None:
    found = lead.post("/fits", body(parts) | change, status=422)
    assert (found["code"], found["field"]) == (code, field)


def test_a_place_is_one_of_its_matrix(matrix: dict[str, Any], parts: dict[str, int], tester: Caller) -> None:
    place = matrix["places"][0]
    attempt(tester, matrix, place, status=404, via=None)
    attempt(tester, matrix, place, status=404, row=parts["Finch 5"])
    assert attempt(tester, matrix, place, status=422, generation=3)["code"] == "link_half"


def test_a_photograph_is_painted_anew(matrix: dict[str, Any], tester: Caller, viewer: Caller) -> None:
    found = attempt(tester, matrix, matrix["places"][0])
    path = f"/api/fits/attempts/{found['places'][0]['attempts'][0]['id']}/photographs"
    out = io.BytesIO()
    picture = Image.new("RGB", (40, 30), "teal")
    exif = picture.getexif()
    exif[0x010E] = "where it was taken"
    picture.save(out, "JPEG", exif=exif)
    for _ in range(2):
        answer = tester.client.post(path, {"words": "the cable", "file": SimpleUploadedFile("a.jpg", out.getvalue())})
        assert answer.status_code == 201, answer.content
    [one] = answer.json()["places"][0]["attempts"][0]["photographs"]
    shown = viewer.client.get(one["source"])
    assert (shown.headers["Content-Type"], shown.headers["X-Content-Type-Options"]) == ("image/jpeg", "nosniff")
    assert b"where it was taken" not in shown.content
    bad = tester.client.post(path, {"words": "x", "file": SimpleUploadedFile("a.jpg", b"<svg onload=x>")})
    assert bad.status_code == 422


def test_a_matrix_goes_as_a_table_in_few_queries(matrix: dict[str, Any], tester: Caller, queries: Any) -> None:
    for place in matrix["places"][:3]:
        attempt(tester, matrix, place, outcome="crashes", seen="=1+1", changed=["a", "b"])
    with queries(9):
        tester.get(f"/fits/{matrix['id']}")
    rows = tester.client.get(f"/api/fits/{matrix['id']}/attempts.csv").content.decode().splitlines()
    assert len(rows) == 5
    assert rows[1].startswith("Walnut box,Short bridge,Finch 5,crashes,1,crashes,a; b,'=1+1,")
    assert rows[4].startswith("Flat desk,Short bridge,Heron 7,not tried,")


def test_parts_of_one_name_are_told_apart(lead: Caller, tester: Caller) -> None:
    ids = [
        lead.post("/parts", {"kind": kind, "name": "Twin", "facts": {}}, status=201)["id"]
        for kind in ("machine", "case", "card")
    ]
    matrix = lead.post("/fits", {"title": "x", "rows": ids[:2], "columns": ids[2:]}, status=201)
    found = attempt(tester, matrix, matrix["places"][0], outcome="crashes")
    assert [one["state"] for one in found["places"]] == ["crashes", "not_tried"]
    assert "Crashes: Twin (whole machine) + Twin." in found["sentences"]
