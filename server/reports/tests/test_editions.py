"""Editions: frozen, opened in their time, read by anybody, corrected, withdrawn."""

from __future__ import annotations

import io
import re
from datetime import timedelta
from pathlib import Path
from typing import Any

import clock
import pytest
import rendering
from bench.models import Setting
from django.test import Client
from odfdo import Document
from PIL import Image
from pypdf import PdfReader
from rennbahn.packages import verify
from reports import pages, publishing
from reports.models import Edition, EditionFile
from reports.tests.writing import add, prose, published, read, slower, text
from studies.models import Lane
from testkit import Bench, Caller
from waiting import Turns


def test_a_published_page_needs_no_server(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    told = published(lead, report)
    response = Client().get(told["address"])
    page = response.content.decode()
    assert "default-src 'none'" in response.headers["Content-Security-Policy"]
    assert page.count("<script") == 1, "what moves, which nothing of it needs to be read"
    assert not re.search(r'(src|href)="(https?:)?//', page)
    assert "Published without a second person’s check." in page
    answer = lead.get(f"/studies/{full.id}/findings")["average"]["sentence"]
    assert answer["answer"] in page
    assert page.count("<svg") >= 2, "a picture for wide pages and one for phones"
    assert "The same in numbers" in page
    assert "How it was measured" in page
    assert len(re.sub(r"<svg.*?</svg>", "", page, flags=re.DOTALL)) < 300_000
    assert Client().post(told["address"]).status_code == 405
    again = Client().get(told["address"], headers={"If-None-Match": response.headers["ETag"]})
    assert (again.status_code, again.headers["Cache-Control"]) == (304, "public, no-cache")


def test_a_link_to_it_shows_one_picture_and_one_sentence(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    told = published(lead, report)
    page = read(told["address"])
    shown = re.search(r'<meta property="og:image" content="http://testserver([^"]+)"', page)
    assert shown
    answer = Client().get(shown[1])
    assert answer.headers["Content-Type"] == "image/png"
    picture = Image.open(io.BytesIO(answer.content))
    assert picture.size == (1200, 675)
    assert len(picture.convert("RGB").getcolors(10_000) or range(10_000)) > 50, "something is drawn"
    sentence = lead.get(f"/studies/{full.id}/findings")["average"]["sentence"]["text"]
    assert f'<meta property="og:description" content="{sentence}' in page
    bare = full.tester.post("/reports", {"study_id": full.id, "title": "Only words"}, status=201)
    bare = add(full.tester, bare, {"kind": "prose", "doc": prose(text("@origin@ is a word."))})
    page = read(published(lead, bare)["address"])
    assert "@origin@ is a word." in page


def test_some_rows_of_a_table_say_of_how_many(full: Bench, lead: Caller) -> None:
    who = full.tester
    report = who.post("/reports", {"study_id": full.id}, status=201)
    table = {"kind": "table", "study_id": full.id, "rows": [str(full.test(1))]}
    report = add(who, report, table)
    (block,) = report["blocks"]
    assert block["rows"] == [str(full.test(1))]
    names = [one["game"] for one in full.study["tests_full"]]
    page = read(published(lead, report)["address"])
    assert "1 of 3 rows." in page
    assert "the baseline, test by test</figcaption>" in page, "what it holds is said"
    rows = re.findall(r"<tbody>.*?</tbody>", page, re.DOTALL)[0]
    assert [name in rows for name in names] == [False, True, False]
    add(who, report, table | {"kind": "picture"}, status=422)
    add(who, report, table | {"rows": ["x" * 201]}, status=422)
    add(who, report, table | {"rows": ["1"] * 401}, status=422)


def test_what_was_tuned_is_printed_with_its_caution(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    assert report["cautions"] == []
    lane = Lane.objects.get(pk=full.lane(1))
    Setting.objects.create(version=lane.setup_version, name="Power limit", value="180 W", position=99)
    now = lead.post(f"/reports/{report['id']}/take-over", {}, status=200)
    (caution,) = now["cautions"]
    told = published(lead, report)
    assert caution in read(told["address"])
    content = Client().get(f"{told['address']}article.odt").content
    assert caution in Document(io.BytesIO(content)).body.text_recursive


def test_every_number_leads_down_to_passes_windows_and_hashes(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    told = published(lead, report)
    assert 'href="numbers.html#n1"' in read(told["address"])
    numbers = read(f"{told['address']}numbers.html")
    captures = {one["sha256"] for one in full.tester.get(f"/studies/{full.id}/files") if one["sha256"] in numbers}
    assert 'id="n1"' in numbers
    assert len(set(re.findall(r"\b[0-9a-f]{64}\b", numbers))) == 18
    assert captures <= set(re.findall(r"\b[0-9a-f]{64}\b", numbers))


def test_the_published_data_verify_by_the_core_alone(
    full: Bench, report: dict[str, Any], lead: Caller, tmp_path: Path
) -> None:
    told = published(lead, report)
    content = Client().get(f"{told['address']}study-{full.id}.zip").content
    path = tmp_path / "study.zip"
    path.write_bytes(content)
    assert verify(str(path)).holds
    (file,) = [one for one in told["editions"][0]["files"] if one["name"].endswith(".zip")]
    assert file["sha256"] in read(told["address"])
    without = full.tester.post("/reports", {"study_id": full.id, "title": "No data"}, status=201)
    without = add(full.tester, without, {"kind": "answer", "study_id": full.id})
    told = published(lead, without, with_data=False)
    assert "The data are not published." in read(told["address"])
    read(f"{told['address']}study-{full.id}.zip", 404)


def test_packages_are_handed_out_a_few_at_a_time(
    full: Bench, report: dict[str, Any], lead: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    told = published(lead, report)
    turns = Turns("Others are taking data packages along", 1, patience_s=0.05)
    monkeypatch.setattr(pages, "_packages", turns)
    with turns.turn():
        busy = Client().get(f"{told['address']}study-{full.id}.zip")
        assert (busy.status_code, busy.headers["Retry-After"]) == (503, "20")
        assert Client().get(told["address"]).status_code == 200, "the article itself is read all the same"
    assert Client().get(f"{told['address']}study-{full.id}.zip").status_code == 200


def test_the_pdf_and_the_open_document_hold_the_text_and_the_pdf_is_tagged(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    told = published(lead, report)
    pdf = PdfReader(io.BytesIO(Client().get(f"{told['address']}article.pdf").content))
    words = " ".join("".join(page.extract_text() for page in pdf.pages).split())
    assert told["title"] in words
    assert "How it was measured" in words
    titles = [one["/Title"] for one in pdf.outline if isinstance(one, dict)]
    assert told["title"] in titles
    root: Any = pdf.trailer["/Root"]
    assert root["/MarkInfo"]["/Marked"]
    assert len(pdf.pages) >= 2
    script = read(f"{told['address']}script.txt")
    assert script.startswith(told["title"])
    assert re.search(r"It comes to plus \d+(\.\d+)? percent over all\.", script)

    content = Client().get(f"{told['address']}article.odt").content
    document = Document(io.BytesIO(content))
    body: Any = document.body
    assert body.headers[0].text_recursive == told["title"]
    assert re.search(r"It comes to \+\d+\.\d% over all\.", body.text_recursive)
    tables = {tuple(table.get_values()[0]) for table in body.tables}
    assert any("Test" in head for head in tables), tables
    assert "<svg" not in body.serialize(), "pictures stay with the page"


def test_nothing_leaks_before_its_time(full: Bench, report: dict[str, Any], lead: Caller, viewer: Caller) -> None:
    report = full.tester.put(
        f"/reports/{report['id']}/title", {"title": "Fins under wraps", "seen": report["title_seen"]}
    )
    opens = clock.now() + timedelta(hours=2)
    told = published(lead, report, opens_at=opens.isoformat())
    names = [one["name"] for one in told["editions"][0]["files"]]
    missing = read("/articles/there-is-none/", 404)
    for name in ("", "1/", *names, *(f"1/{name}" for name in names)):
        assert read(f"{told['address']}{name}", 404).replace(told["address"], "") == missing.replace(
            "/articles/there-is-none/", ""
        ), name
    assert told["title"] not in read("/articles/feed.xml")
    viewer.get(f"/reports/{report['id']}", status=403)
    for strange in ("/articles/early/%00/", "/articles/early/x/%00", f"{told['address']}%00", "/articles/%00/"):
        read(strange, 404)
    renamed = viewer.get(f"/studies/{full.id}/audit")
    assert "Fins under wraps" not in str(renamed), "nor in the record of its study"
    assert told["early"].rstrip("/").rpartition("/")[2] not in str(viewer.get("/studies"))
    early = Client().get(told["early"])
    assert early.status_code == 200
    assert "Not open before" in early.content.decode()
    assert "no-store" in early.headers["Cache-Control"]
    assert early.headers["Referrer-Policy"] == "no-referrer"
    assert Client().get(f"{told['early']}article.pdf").status_code == 200
    read("/articles/early/guessed/", 404)
    clock.ahead = timedelta(hours=2, seconds=1)
    assert "Not open before" not in read(told["address"])
    assert Client().get(told["early"]).headers["Location"] == told["address"]
    feed = read("/articles/feed.xml")
    assert (feed.count("<entry>"), feed.count(f"<title>{told['title']}</title>")) == (1, 1)


def test_a_correction_that_flips_a_verdict_tells_what_it_changes(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    first = published(lead, report)
    old = read(first["address"])
    slower(full)
    full.tester.post(f"/reports/{report['id']}/take-over", {})
    waiting = lead.get(f"/reports/{report['id']}")
    assert next(one["flip"] for one in waiting["next_erratum"]), "what turns round comes first"
    assert published(lead, report, status=422)["code"] == "no_reason"
    second = published(lead, report, why="A profile was left on")
    page = read(second["address"])
    assert "A profile was left on." in page
    number = first["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    now = second["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    assert f"(corrected, was {number['text']})" in page
    assert now["text"] in page
    assert "(another verdict)" in page
    kept = read(f"{second['address']}1/")
    assert "This is edition 1." in kept
    assert number["text"] in kept
    assert re.sub(r'<p class="standing">.*?</p>', "", kept, count=1) == old, "what was frozen stays as it was"
    feed = read("/articles/feed.xml")
    assert "A profile was left on." in feed
    assert feed.count("<entry>") == 2


def comes(full: Bench, report: dict[str, Any]) -> list[dict[str, Any]]:
    """What the next edition of a published report says otherwise, once all is taken over that changed."""
    taken = full.tester.post(f"/reports/{report['id']}/take-over", {})
    found: list[dict[str, Any]] = taken["next_erratum"]
    return found


def test_before_passes_are_rejected_it_is_told_which_published_numbers_they_change(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    draft = full.tester.post("/reports", {"study_id": full.id, "title": "A draft"}, status=201)
    number = report["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    add(full.tester, draft, {"kind": "prose", "doc": prose({"type": "number", "attrs": number})})
    told = published(lead, report)
    ids = [one["id"] for one in full.tester.get(f"/studies/{full.id}/passes") if one["lane_id"] == full.lane(1)][:1]
    path, body = f"/reports/what-changes/{full.id}", {"pass_ids": ids, "state": "rejected"}
    found = full.tester.post(path, body)
    assert [(one["title"], one["published"]) for one in found] == [(told["title"], True), ("A draft", False)]
    by_name = {one["of"]: one for one in found[0]["lines"]}
    assert by_name[number["of"]]["before"] == number["text"]
    assert [one for one in by_name if one.startswith("Sentence: ")], "sentences are told of too"
    reason = {"state": "rejected", "reason_code": "other", "reason": "a call"}
    full.tester.put(f"/studies/passes/{ids[0]}/state", reason)
    assert comes(full, report) == found[0]["lines"], "what was told is what came"
    every = [one["id"] for one in full.tester.get(f"/studies/{full.id}/passes") if one["lane_id"] == full.lane(1)]
    lines = full.tester.post(path, {"pass_ids": every, "state": "rejected"})[0]["lines"]
    gone = next(one for one in lines if one["of"] == number["of"])
    assert gone["after"] == "", "without a pass there is no such number"
    full.tester.post(path, {"pass_ids": [0], "state": "rejected"}, status=404)


def test_before_a_pass_is_trimmed_it_is_told_which_numbers_it_changes(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    who = full.tester
    passes = [one for one in who.get(f"/studies/{full.id}/passes") if one["lane_id"] == full.lane(1)]
    ids, windows = [one["id"] for one in passes], [[0.5, 3.0], [4.0, 5.0]]
    published(lead, report)
    path = f"/reports/what-changes/{full.id}/windows"
    assert who.post(path, {"pass_ids": ids, "windows": []}) == [], "the whole of each is what counts by now"
    (told,) = who.post(path, {"pass_ids": ids, "windows": windows})
    captures = [one["capture_id"] for one in passes]
    who.put(f"/captures/{captures[0]}/windows", {"windows": windows, "also": captures[1:]})
    full.accept(*ids)
    assert comes(full, report) == told["lines"], "what was told is what came"
    whole = who.post(path, {"pass_ids": ids, "windows": windows})
    assert whole == [], "what is no longer so by now is not of this change's making"
    typed = who.post("/studies/passes", {"lane_id": full.lane(1), "test_id": full.test(0)}, status=201)["id"]
    who.post(f"/passes/{typed}/reported", {"average_fps": 88.0, "read_from": "result page"}, status=201)
    full.accept(typed)
    who.post(path, {"pass_ids": [typed, *ids], "windows": windows})
    assert who.post(path, {"pass_ids": [typed], "windows": windows}) == [], "what has no capture is not trimmed"
    assert who.post(path, {"pass_ids": ids, "windows": [[90.0, 95.0]]}, status=422)["code"]
    who.post(path, {"pass_ids": ids, "windows": [[3.0, 2.0]]}, status=422)
    who.post(path, {"pass_ids": [10**9], "windows": windows}, status=404)
    who.post("/reports/what-changes/0/windows", {"pass_ids": ids, "windows": windows}, status=404)
    who.post(path, {"pass_ids": ids * 20, "windows": windows}, status=422)


def test_before_a_method_is_declared_it_is_told_which_numbers_it_changes(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    number = report["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    method = lead.get(f"/studies/{full.id}")["method"]
    published(lead, report)
    path = f"/reports/what-changes/{full.id}/method"
    assert full.tester.post(path, method) == [], "the same method says the same"
    wide = method | {"equal_band": 0.2}
    (told,) = full.tester.post(path, wide)
    assert number["of"] in [one["of"] for one in told["lines"]]
    assert all(one["flip"] for one in told["lines"]), "within a wider band lanes are even"
    lead.save(f"/studies/{full.id}/method", {"equal_band": 0.2})
    assert comes(full, report) == told["lines"], "what was told is what came"
    assert full.tester.post(path, wide) == []
    full.tester.post("/reports/what-changes/0/method", method, status=404)
    full.tester.post("/reports/what-changes-by-price/0", {"price": None}, status=404)


def test_what_is_withdrawn_says_so_first_and_is_written_no_more(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    path = f"/reports/{report['id']}"
    lead.post(f"{path}/withdraw", {"why": "x"}, status=409)
    told = published(lead, report)
    full.tester.post(f"{path}/withdraw", {"why": "x"}, status=403)
    lead.post(f"{path}/withdraw", {"why": "The card was a sample of ours."})
    page = read(told["address"])
    assert page.index("Withdrawn on") < page.index("<h1>")
    assert "The card was a sample of ours." in page
    assert add(full.tester, told, {"kind": "prose", "doc": prose(text("x"))}, status=409)["code"] == "withdrawn"


def test_a_study_that_changes_while_an_edition_is_made_stops_it(
    full: Bench, report: dict[str, Any], lead: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    own = rendering.render

    def change_meanwhile(program: str, page: dict[str, Any]) -> dict[str, Any]:
        full.tester.put(
            f"/studies/passes/{full.tester.get(f'/studies/{full.id}/passes')[0]['id']}/state",
            {"state": "rejected", "reason_code": "other", "reason": "a call"},
        )
        return own(program, page)

    monkeypatch.setattr(publishing, "render", change_meanwhile)
    assert published(lead, report, status=409)["code"] == "changed_meanwhile"
    assert not Edition.objects.exists()
    assert not EditionFile.objects.exists()


def test_for_whom_and_the_claim_are_corrected_by_themselves(full: Bench, lead: Caller) -> None:
    lead.post("/readers", {"name": "Someone", "display_hz": 500.0, "floor_fps": 40.0}, status=201)
    made = full.tester.post("/reports", {"study_id": full.id}, status=201)
    for kind in ("readers", "answer"):
        made = add(full.tester, made, {"kind": kind, "study_id": full.id})
    lead.post("/readers", {"name": "Quick hands", "display_hz": 500.0, "floor_fps": 400.0}, status=201)
    words = [one["words"] for one in lead.get(f"/reports/{made['id']}")["points"]]
    assert any("for Quick hands, 3 tests are below the floor in both lanes." in one for one in words), words
    full.tester.post(f"/reports/{made['id']}/take-over", {})
    told = published(lead, made)
    assert told["blocks"][0]["says"].count("Someone") == 1
    slower(full)
    full.tester.post(f"/reports/{made['id']}/take-over", {})
    lines = lead.get(f"/reports/{made['id']}")["next_erratum"]
    assert {one["of"].split(":")[0] for one in lines} == {"Sentence", "For whom"}
    assert [one["flip"] for one in lines] == [True, False]
    block = told["blocks"][1]
    now = lead.get(f"/reports/{made['id']}")["blocks"][1]
    lead.delete(f"/reports/{made['id']}/blocks/{block['id']}?seen={now['seen']}", status=200)
    gone = lead.get(f"/reports/{made['id']}")["next_erratum"]
    assert [one["after"] == "" for one in gone if one["of"].startswith("Sentence")] == [True], "said no more"
    page = read(published(lead, made, why="It was wrong")["address"])
    assert "said no more" in page
