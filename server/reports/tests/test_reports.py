"""A report where it is written: shelf, prose, live numbers, what is not in order, signatures, and who may see it."""

from __future__ import annotations

from typing import Any

import pytest
from reports.models import Report
from reports.tests.writing import Node, add, prose, published, read, settled, slower, text
from studies.models import Test
from testkit import Bench, Caller, caller, study_body


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
    assert page.count("<script") == 1, "our own"
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
