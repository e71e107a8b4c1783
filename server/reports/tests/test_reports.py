"""A report from the shelf to a published page under embargo, its correction, and who may see what when."""

from __future__ import annotations

import io
import re
from datetime import timedelta
from pathlib import Path
from typing import Any

import clock
import pytest
from django.test import Client
from odfdo import Document
from pypdf import PdfReader
from rennbahn.packages import verify
from rennbahn.simulation import Rig
from reports import pages, publishing, rendering
from reports.models import Edition, EditionFile, Report
from studies.models import Test
from testkit import Bench, Caller, Ran, caller, study_body
from waiting import Turns

Node = dict[str, Any]


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


def add(who: Caller, report: dict[str, Any], body: dict[str, Any], status: int = 201) -> Any:
    after = report["blocks"][-1]["id"] if report["blocks"] else None
    return who.post(f"/reports/{report['id']}/blocks", {"after": after, **body}, status=status)


def text(words: str, *marks: Node) -> Node:
    return {"type": "text", "text": words, **({"marks": list(marks)} if marks else {})}


def live(number: dict[str, Any]) -> Node:
    told = {"study": number["study_id"], **{key: number[key] for key in ("key", "of", "text")}}
    return {"type": "number", "attrs": told}


def prose(*inside: Node) -> Node:
    return {"type": "doc", "content": [{"type": "paragraph", "content": list(inside)}]}


def settled(who: Caller, report: dict[str, Any]) -> Any:
    """Say of every point that is not in order why it goes out with it."""
    for point in report["points"]:
        if not point["blocks"]:
            report = who.put(f"/reports/{report['id']}/settled", {"point": point["words"], "why": "Looked at."})
    return report


def published(lead: Caller, report: dict[str, Any], status: int = 200, **told: Any) -> Any:
    now = lead.get(f"/reports/{report['id']}")
    body = {"seen": now["seen"], "unchecked": True, **told}
    return lead.post(f"/reports/{report['id']}/publish", body, status=status)


def read(address: str, status: int = 200) -> str:
    """What somebody without an account reads."""
    response = Client().get(address)
    assert response.status_code == status, (address, response.status_code)
    return response.content.decode()


def slower(bench: Bench) -> None:
    """The lane that is looked at becomes the slower one: its passes are rejected and others come."""
    fast = [one["id"] for one in bench.tester.get(f"/studies/{bench.id}/passes") if one["lane_id"] == bench.lane(1)]
    runs = [Ran(1, test, seed=900 + 10 * test + n, rig=Rig(gpu_speed=0.9)) for test in range(3) for n in range(3)]
    new = bench.record_all(runs)
    for one in fast:
        bench.tester.put(
            f"/studies/passes/{one}/state", {"state": "rejected", "reason_code": "wrong_setting", "reason": "a profile"}
        )
    bench.accept(*new)


def test_a_report_begins_with_its_question_and_keeps_what_is_looked_at(full: Bench, viewer: Caller) -> None:
    who = full.tester
    question = who.get(f"/studies/{full.id}")["question"]
    report = who.post("/reports", {"study_id": full.id}, status=201)
    assert (report["title"], report["state"], report["blocks"]) == (question, "draft", [])
    way = f"/studies/{full.id}/findings?other={full.lane(1)}"
    kept = {"kind": "picture", "study_id": full.id, "look": {"other": full.lane(1)}, "way": way}
    report = who.post(f"/reports/{report['id']}/shelf", kept, status=201)
    (on_shelf,) = report["shelf"]
    assert (on_shelf["way"], on_shelf["label"].split(":")[0]) == (way, "Picture")
    for strange in ("https://example.test/", "//example.test", "/studies/1/findings#x", "javascript:alert(1)"):
        who.post(f"/reports/{report['id']}/shelf", kept | {"way": strange}, status=422)
    assert who.delete(f"/reports/{report['id']}/shelf/{on_shelf['id']}", status=200)["shelf"] == []
    viewer.get("/reports", status=403)
    viewer.get(f"/reports/{report['id']}", status=403)


def test_numbers_are_found_by_words_and_said_as_the_core_says_them(full: Bench, report: dict[str, Any]) -> None:
    who = full.tester
    findings = who.get(f"/studies/{full.id}/findings")
    found = who.get(f"/reports/{report['id']}/numbers?words=average fps {findings['other']['name']} over")
    assert found
    shown = found[0]
    margin = findings["average"]["margin"]
    assert shown["text"] == f"{margin * 100:+.1f}%".replace("-", "−")
    assert findings["baseline"]["name"] in shown["of"]
    assert who.get(f"/reports/{report['id']}/numbers?words=nothing of the kind") == []


@pytest.mark.parametrize(
    ("node", "what"),
    [
        ({"type": "doc", "content": [{"type": "script"}]}, "script"),
        ({"type": "doc", "content": [{"type": "paragraph", "attrs": {"onclick": "x"}}]}, "attributes"),
        (prose(text("a", {"type": "link", "attrs": {"href": "javascript:alert(1)"}})), "address"),
        (prose(text("a", {"type": "link", "attrs": {"href": "data:text/html,x"}})), "address"),
        (prose(text("a", {"type": "underline"})), "mark"),
        (prose({"type": "number", "attrs": {"study": 1, "key": "x", "of": "y", "text": ""}}), "number"),
        ({"type": "doc", "content": [{"type": "heading", "attrs": {"level": 1}}]}, "level"),
        ({"type": "doc", "content": [{"type": "text", "text": "loose"}]}, "stand"),
        (prose(text("x" * 41_000)), "long"),
    ],
)
def test_prose_holds_what_prose_may_hold(full: Bench, node: Node, what: str) -> None:
    report = full.tester.post("/reports", {"study_id": full.id}, status=201)
    refused = add(full.tester, report, {"kind": "prose", "doc": node}, status=422)
    assert refused["code"] == "bad_prose"
    assert what in refused["message"] + (refused["hint"] or "")


def test_markup_in_prose_is_text_on_the_page(full: Bench, lead: Caller) -> None:
    report = full.tester.post("/reports", {"study_id": full.id}, status=201)
    words = '<script>alert(1)</script><img src=x onerror="alert(2)"><!--standing-->'
    report = add(full.tester, report, {"kind": "prose", "doc": prose(text(words))})
    page = read(published(lead, report)["address"])
    assert "<script" not in page
    assert "<img" not in page
    assert "&lt;script&gt;alert(1)&lt;/script&gt;" in page
    assert "&lt;!--standing--&gt;" in page


def test_two_writers_lose_nothing(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    block = report["blocks"][-1]
    path = f"/reports/{report['id']}/blocks/{block['id']}"
    mine = {"kind": "prose", "doc": prose(text("mine")), "seen": block["seen"]}
    full.tester.put(path, mine)
    refused = lead.put(path, mine | {"doc": prose(text("theirs"))}, status=409)
    assert refused["code"] == "changed_meanwhile"
    assert full.tester.name in refused["message"]
    lead.delete(f"{path}?seen={block['seen']}", status=409)
    assert lead.get(f"/reports/{report['id']}")["blocks"][-1]["doc"] == prose(text("mine"))
    # Other blocks are nobody's but who writes them.
    other = report["blocks"][1]
    lead.put(
        f"/reports/{report['id']}/blocks/{other['id']}",
        {"kind": "picture", "study_id": full.id, "caption": "All three", "seen": other["seen"]},
    )


def test_blocks_are_moved_and_keep_their_order(full: Bench, report: dict[str, Any]) -> None:
    ids = [one["id"] for one in report["blocks"]]
    path = f"/reports/{report['id']}/blocks"
    moved = full.tester.put(f"{path}/{ids[-1]}/place", {"after": None})
    assert [one["id"] for one in moved["blocks"]] == [ids[-1], *ids[:-1]]
    moved = full.tester.put(f"{path}/{ids[-1]}/place", {"after": ids[1]})
    assert [one["id"] for one in moved["blocks"]] == [ids[0], ids[1], ids[-1], *ids[2:-1]]
    full.tester.put(f"{path}/{ids[0]}/place", {"after": 0}, status=404)


def test_what_changed_is_marked_old_beside_new_and_taken_over(full: Bench, report: dict[str, Any]) -> None:
    assert all(not one["changes"] for one in report["blocks"])
    slower(full)
    changed = full.tester.get(f"/reports/{report['id']}")
    (number,) = changed["blocks"][-1]["changes"]
    assert number["before"].startswith("+")
    assert number["after"].startswith("−")
    stopped = next(one for one in changed["points"] if one["blocks"])
    assert "no longer so" in stopped["words"]
    body = {"seen": changed["seen"], "unchecked": True}
    assert full.lead.post(f"/reports/{report['id']}/publish", body, status=409)["code"] == "not_in_order"
    one = full.tester.post(
        f"/reports/{report['id']}/take-over", {"block_id": changed["blocks"][-1]["id"], "key": number["key"]}
    )
    assert one["blocks"][-1]["changes"] == []
    assert one["blocks"][0]["changes"], "the sentence is another block's"
    assert all(not block["changes"] for block in full.tester.post(f"/reports/{report['id']}/take-over", {})["blocks"])


def test_bare_numbers_are_claims_and_told_with_what_they_might_be(full: Bench, report: dict[str, Any]) -> None:
    number = report["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    digits = number["text"].lstrip("+−")
    told = add(full.tester, report, {"kind": "prose", "doc": prose(text(f"It is {digits} faster and costs 4 W."))})
    first, second = told["blocks"][-1]["bare"]
    assert first["text"] == digits
    assert number["key"] in {guess["key"] for guess in first["guesses"]}
    assert (second["text"], second["guesses"]) == ("4 W", [])
    assert f"“{digits}” in the prose is tied to nothing that was measured." in {one["words"] for one in told["points"]}


def test_a_second_person_signs_and_any_change_opens_it_again(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    path = f"/reports/{report['id']}"
    assert full.tester.post(f"{path}/ask-check")["state"] == "to_check"
    other = caller("tester", "second-tester")
    seen = other.get(path)["seen"]
    if report["points"]:
        assert other.post(f"{path}/sign?seen={seen}", status=409)["code"] == "points_open"
    report = settled(other, report)
    assert full.tester.post(f"{path}/sign?seen={seen}", status=409)["code"] == "own_words"
    assert other.post(f"{path}/sign?seen=stale", status=409)["code"] == "changed_meanwhile"
    signed = other.post(f"{path}/sign?seen={seen}")
    assert (signed["state"], signed["checked_by"]) == ("ready", other.name)
    point = signed["points"][0]["words"]
    opened = full.tester.put(f"{path}/settled", {"point": point, "why": "Another reason."})
    assert (opened["state"], opened["checked_by"]) == ("draft", ""), "it was signed with the reasons that it had"
    signed = other.post(f"{path}/sign?seen={seen}")
    told = lead.post(f"{path}/publish", {"seen": seen})
    page = read(told["address"])
    assert f"Checked by {other.name}." in page
    for point in report["points"]:
        assert point["words"].split("“")[0] in page
    changed = add(full.tester, told, {"kind": "prose", "doc": prose(text("More."))})
    assert (changed["state"], changed["checked_by"]) == ("draft", "")
    assert lead.post(f"{path}/publish", {"seen": changed["seen"], "why": "More"}, status=409)["code"] == "not_signed"


def test_a_published_page_needs_no_server_and_no_script(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    told = published(lead, report)
    response = Client().get(told["address"])
    page = response.content.decode()
    assert "script-src" not in response.headers["Content-Security-Policy"]
    assert "default-src 'none'" in response.headers["Content-Security-Policy"]
    assert "<script" not in page
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
    assert "It comes to +" in script

    content = Client().get(f"{told['address']}article.odt").content
    document = Document(io.BytesIO(content))
    body: Any = document.body
    assert body.headers[0].text_recursive == told["title"]
    assert script.splitlines()[-1] in body.text_recursive
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
    (line,) = found[0]["lines"]
    assert (line["of"], line["before"]) == (number["of"], number["text"])
    reason = {"state": "rejected", "reason_code": "other", "reason": "a call"}
    full.tester.put(f"/studies/passes/{ids[0]}/state", reason)
    now = full.tester.get(f"/reports/{report['id']}")["blocks"][-1]["changes"]
    assert [one["after"] for one in now] == [line["after"]], "what was told is what came"
    every = [one["id"] for one in full.tester.get(f"/studies/{full.id}/passes") if one["lane_id"] == full.lane(1)]
    (line,) = full.tester.post(path, {"pass_ids": every, "state": "rejected"})[0]["lines"]
    assert line["after"] == "", "without a pass there is no such number"
    full.tester.post(path, {"pass_ids": [0], "state": "rejected"}, status=404)


def test_before_a_method_is_declared_it_is_told_which_numbers_it_changes(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    number = report["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    method = lead.get(f"/studies/{full.id}")["method"]
    path = f"/reports/what-changes/{full.id}/method"
    assert full.tester.post(path, method) == [], "the same method says the same"
    wide = method | {"equal_band": 0.2}
    (told,) = full.tester.post(path, wide)
    assert [one["of"] for one in told["lines"]] == [number["of"]]
    assert told["lines"][0]["flip"], "within a wider band lanes are even"
    lead.save(f"/studies/{full.id}/method", {"equal_band": 0.2})
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

    def change_meanwhile(page: dict[str, Any]) -> dict[str, str]:
        full.tester.put(
            f"/studies/passes/{full.tester.get(f'/studies/{full.id}/passes')[0]['id']}/state",
            {"state": "rejected", "reason_code": "other", "reason": "a call"},
        )
        return own(page)

    monkeypatch.setattr(publishing, "render", change_meanwhile)
    assert published(lead, report, status=409)["code"] == "changed_meanwhile"
    assert not Edition.objects.exists()
    assert not EditionFile.objects.exists()


def test_a_report_of_a_kept_study_is_kept_too(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    stranger = caller("tester", "stranger")
    lead.put(f"/studies/{full.id}/kept", {"names": [full.tester.name]})
    stranger.get(f"/reports/{report['id']}", status=404)
    assert stranger.get("/reports") == []
    for path in ("numbers", f"blocks/{report['blocks'][0]['id']}/material"):
        stranger.get(f"/reports/{report['id']}/{path}", status=404)
    add(stranger, report, {"kind": "prose", "doc": prose(text("x"))}, status=404)
    assert full.tester.get(f"/reports/{report['id']}")["id"] == report["id"]
    assert Report.all_reports.count() == 1


def test_numbers_of_a_kept_study_keep_a_report_however_they_come_into_it(
    full: Bench, report: dict[str, Any], lead: Caller
) -> None:
    number = report["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    open_study = Bench(lead, full.tester, lead.post("/studies", study_body(question="Open?"), status=201))
    for by_saving in (False, True):
        other = full.tester.post("/reports", {"study_id": open_study.id, "title": "Open"}, status=201)
        doc = prose({"type": "number", "attrs": number})
        if by_saving:
            other = add(full.tester, other, {"kind": "prose", "doc": prose(text("x"))})
            block = other["blocks"][0]
            body = {"kind": "prose", "doc": doc, "seen": block["seen"]}
            full.tester.put(f"/reports/{other['id']}/blocks/{block['id']}", body)
        else:
            add(full.tester, other, {"kind": "prose", "doc": doc})
    lead.put(f"/studies/{full.id}/kept", {"names": [full.tester.name]})
    stranger = caller("tester", "stranger")
    assert stranger.get("/reports") == []
    mine = stranger.post("/reports", {"study_id": open_study.id, "title": "Mine"}, status=201)
    add(stranger, mine, {"kind": "prose", "doc": prose({"type": "number", "attrs": number})}, status=404)


def test_what_a_number_is_of_is_not_for_its_writer_to_say(full: Bench, report: dict[str, Any]) -> None:
    number = report["blocks"][-1]["doc"]["content"][0]["content"][1]["attrs"]
    bent = {**number, "of": "How much I like it", "text": "+99%"}
    told = add(full.tester, report, {"kind": "prose", "doc": prose({"type": "number", "attrs": bent})})
    (change,) = told["blocks"][-1]["changes"]
    assert (change["of"], change["before"], change["after"]) == (number["of"], "+99%", number["text"])


def test_what_came_up_since_it_was_signed_is_looked_at_first(full: Bench, report: dict[str, Any], lead: Caller) -> None:
    number = report["blocks"][-1]["doc"]["content"][0]["content"][1]
    made = full.tester.post("/reports", {"study_id": full.id}, status=201)
    made = add(full.tester, made, {"kind": "prose", "doc": prose(number)})
    other = caller("tester", "second-tester")
    signed = other.post(f"/reports/{made['id']}/sign?seen={settled(other, made)['seen']}")
    Test.objects.filter(study=full.id).update(passes_wanted=4)
    body = {"seen": signed["seen"]}
    refused = lead.post(f"/reports/{made['id']}/publish", body, status=409)
    assert refused["code"] == "points_open"
    assert "fewer accepted passes than planned" in refused["message"]


def test_addresses_are_each_reports_own(full: Bench) -> None:
    made = [full.tester.post("/reports", {"study_id": full.id}, status=201)["address"] for _ in range(3)]
    assert len(set(made)) == 3
    early = full.tester.post("/reports", {"study_id": full.id, "title": "Early"}, status=201)
    assert early["address"] == "/articles/early-report/", "under the other stand those that are not open yet"
    nameless = full.tester.post("/reports", {"study_id": full.id, "title": "…"}, status=201)
    assert nameless["address"] == "/articles/report/"


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


def test_a_report_tells_of_every_group_of_tests(lead: Caller, tester: Caller) -> None:
    tests = [{"game": "Tin Lighthouse", "scene": "stairs", "condition": name} for name in ("720 low", "1440 high")]
    for name, resolution in (("720 low", "720"), ("1440 high", "1440")):
        lead.post("/conditions", {"name": name, "resolution": resolution, "preset": name.split()[1]}, status=201)
    bench = Bench(lead, tester, lead.post("/studies", study_body(tests=tests), status=201))
    bench.fill(2, 2, left_out=(1, 1))
    made = tester.post("/reports", {"study_id": bench.id}, status=201)
    made = add(tester, made, {"kind": "method", "study_id": bench.id})
    shown = tester.get(f"/reports/{made['id']}/blocks/{made['blocks'][0]['id']}/material")
    assert len(shown["study"]["groups"]) == 2
    assert shown["findings"]["accepted_passes"] == 6
    lacking = {(one["test_id"], one["lane_id"]) for one in shown["findings"]["missing"]}
    assert (bench.test(1), bench.lane(1)) in lacking
    assert any(f"{len(lacking)} cells in 2 tests have fewer" in one["words"] for one in made["points"])
