"""What the eye gets as a block of a report: kept, printed with its pictures, told when it changes."""

from __future__ import annotations

import base64
import hashlib
import io
import re
from typing import Any

import pytest
import rendering
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image
from pypdf import PdfReader
from reports import publishing
from reports.tests.writing import add, published, read, settled
from testkit import Bench, Caller, picture


@pytest.fixture
def step(full: Bench) -> str:
    """The address of a step with a note and two pictures."""
    address = f"/studies/{full.id}/eye-notes/{full.lane(0)}/{full.lane(1)}"
    full.tester.put(address, {"words": "Softer leaves."})
    full.tester.hand_picture(f"{address}/from", picture(size=(3200, 1800)))
    full.tester.hand_picture(f"{address}/to", picture("JPEG", size=(3200, 1800)), name="up.jpg")
    return address


def eye(bench: Bench, **more: Any) -> dict[str, Any]:
    look = {"eye": {"from_lane": bench.lane(0), "to_lane": bench.lane(1)}}
    return {"kind": "eye", "study_id": bench.id, "look": look, **more}


def test_two_pictures_go_out_with_the_page_and_need_no_server(full: Bench, lead: Caller, step: str) -> None:
    report = full.tester.post("/reports", {"study_id": full.id}, status=201)
    report = add(full.tester, report, eye(full))
    (block,) = report["blocks"]
    shown = full.tester.get(f"/reports/{report['id']}/blocks/{block['id']}/material")["eye"]
    assert [full.tester.client.get(one["source"]).status_code for one in shown["sides"]] == [200, 200]
    told = published(lead, report)
    page = read(told["address"])
    pictures = [
        Image.open(io.BytesIO(base64.b64decode(one)))
        for one in re.findall(r'<img src="data:image/jpeg;base64,([^"]+)"', page)
    ]
    assert [one.size for one in pictures] == [(1600, 900), (1600, 900)]
    names = [lane["name"] for lane in full.study["lanes_full"][:2]]
    assert [f'alt="{name}: Softer leaves."' in page for name in names] == [True, True]
    assert f"{names[0]} to {names[1]}: Softer leaves." in page
    pdf = PdfReader(io.BytesIO(Client().get(f"{told['address']}article.pdf").content))
    assert max(len(one.images) for one in pdf.pages) == 2


def test_a_script_of_ours_runs_by_its_hash_and_no_other(full: Bench, lead: Caller, step: str) -> None:
    report = add(full.tester, full.tester.post("/reports", {"study_id": full.id}, status=201), eye(full))
    response = Client().get(published(lead, report)["address"])
    (script,) = re.findall(r"<script>(.*?)</script>", response.content.decode(), flags=re.DOTALL)
    own = base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()

    assert f"script-src 'sha256-{own}';" in response.headers["Content-Security-Policy"]


def test_another_note_or_picture_is_told_and_taken_over(full: Bench, step: str) -> None:
    who = full.tester
    report = add(who, who.post("/reports", {"study_id": full.id}, status=201), eye(full))
    seen = who.get(f"/studies/{full.id}/eye-notes")[0]
    who.put(step, {"words": "Softer leaves, no shimmer.", "seen": seen["seen"]})
    (block,) = who.get(f"/reports/{report['id']}")["blocks"]
    (change,) = block["changes"]
    assert change["after"].endswith("Softer leaves, no shimmer.")
    report = who.post(f"/reports/{report['id']}/take-over", {})
    assert report["blocks"][0]["changes"] == []
    mark = {"seen": seen["pictures"][0]["sha256"]}
    body = {"file": io.BytesIO(picture(size=(64, 36))), **mark}
    assert who.client.post(f"/api{step}/from", body).status_code == 200
    assert len(who.get(f"/reports/{report['id']}")["blocks"][0]["changes"]) == 1


def test_a_note_that_changes_while_an_edition_is_made_stops_it(
    full: Bench, lead: Caller, step: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    who = full.tester
    report = add(who, who.post("/reports", {"study_id": full.id}, status=201), eye(full))
    own, seen = rendering.render, who.get(f"/studies/{full.id}/eye-notes")[0]["seen"]

    def change_meanwhile(program: str, page: dict[str, Any]) -> dict[str, Any]:
        who.put(step, {"words": "Other leaves.", "seen": seen})
        return own(program, page)

    monkeypatch.setattr(publishing, "render", change_meanwhile)
    assert published(lead, report, status=409)["code"] == "changed_meanwhile"


def test_pictures_of_other_shapes_lie_beside_each_other(full: Bench, lead: Caller, step: str) -> None:
    seen = full.tester.get(f"/studies/{full.id}/eye-notes")[0]["pictures"][0]["sha256"]
    body = {"file": SimpleUploadedFile("square.png", picture(size=(64, 64))), "seen": seen}
    taken = full.tester.client.post(f"/api{step}/from", body)
    assert taken.status_code == 200
    report = add(full.tester, full.tester.post("/reports", {"study_id": full.id}, status=201), eye(full))
    page = read(published(lead, report)["address"]).partition("<script")[0]
    assert page.count('<img src="data:image/jpeg') == 2
    assert "data-divider" not in page


def test_pictures_without_words_are_a_point_until_a_caption_tells_them(full: Bench) -> None:
    who, address = full.tester, f"/studies/{full.id}/eye-notes/{full.lane(0)}/{full.lane(1)}"
    who.hand_picture(f"{address}/from", picture())
    report = add(who, who.post("/reports", {"study_id": full.id}, status=201), eye(full))
    told = [one["words"] for one in report["points"]]
    assert any("its pictures have no words beside them" in one for one in told)
    report = add(who, who.post("/reports", {"study_id": full.id}, status=201), eye(full, caption="Leaves at noon."))
    assert not any("no words beside" in one["words"] for one in report["points"])
    assert settled(who, report)


@pytest.mark.parametrize("look", [None, {}, {"eye": {"from_lane": 1}}, {"eye": {"from_lane": 0, "to_lane": 0}}])
def test_what_is_no_step_of_the_study_is_refused(full: Bench, step: str, look: Any) -> None:
    report = full.tester.post("/reports", {"study_id": full.id}, status=201)
    response = full.tester.client.post(
        f"/api/reports/{report['id']}/blocks", eye(full) | {"look": look}, content_type="application/json"
    )

    assert response.status_code in (404, 422)
    assert full.tester.get(f"/reports/{report['id']}")["blocks"] == []
