"""The demo tells its story: everything a newcomer should meet is there, the same each time."""

from __future__ import annotations

from typing import Any

import pytest
import scratch
from demo import scenario
from demo.plans import LADDER, SWEEP
from demo.scenario import DRIVER, FANS, GAMES, STICKS, one_stick_rig, quiet_rig
from django.contrib.auth.models import User
from django.core.management import call_command
from django.db import connections
from django.test import Client
from packages.tests.test_brought import bring, numbers, package_of, zipped
from testkit import Caller, Jobs

pytestmark = pytest.mark.django_db


@pytest.fixture(scope="module")
def told(django_db_setup: None, django_db_blocker: Any) -> Any:
    """The demo in a database of its own, copied for the tests of this file."""
    default = connections["default"]
    own = default.settings_dict["NAME"]
    database = f"{own}_demo"
    scratch.copy(scratch.demo_template(), database)
    with django_db_blocker.unblock():
        default.close()
        default.settings_dict["NAME"] = database
        yield True
        default.close()
        default.settings_dict["NAME"] = own
    scratch.drop(database)


@pytest.fixture
def mara(told: bool, django_db_blocker: Any) -> Any:
    with django_db_blocker.unblock():
        client = Client()
        client.force_login(User.objects.get(username="mara"))
        yield Caller(client, "mara")


def study(mara: Caller, question: str) -> dict[str, Any]:
    found = next(one for one in mara.get("/studies") if one["question"] == question)
    return {**found, "findings": mara.get(f"/studies/{found['id']}/findings")}


def by_game(found: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {test["game"]: test for test in found["findings"]["tests"]}


def test_three_studies_at_three_stages(mara: Caller) -> None:
    fans, sticks, driver = (study(mara, script.question) for script in (FANS, STICKS, DRIVER))
    assert (fans["state"], fans["tests"]) == ("finished", 14)
    assert fans["counts"]["recorded"] == fans["counts"]["planned"] == 0
    assert (sticks["state"], sticks["tests"]) == ("open", 12)
    assert sticks["counts"]["recorded"] > 5
    assert sticks["counts"]["planned"] > 5
    assert driver["counts"]["planned"] == 30


def test_the_lead_study_has_an_answer_with_all_its_oddities(mara: Caller) -> None:
    fans = study(mara, FANS.question)
    found, games = fans["findings"], by_game(fans)
    assert found["average"]["verdict"] == "behind"
    assert found["average"]["high"] < 0
    verdicts = {test["average"]["verdict"] for test in games.values()}
    assert {"behind", "even", "open"} <= verdicts
    assert games["Paper Comets"]["average"]["left_out"]["reason"] == "capped"
    hitching = games[scenario.HITCHING]
    assert hitching["average"]["verdict"] == "even", "the average does not see the stutter"
    assert hitching["low_1"]["b_over_a"] < -0.05, "the lows do"
    assert found["low_1"]["mover"]["test_id"] == hitching["test_id"]


def test_what_does_not_count_has_its_reason(mara: Caller) -> None:
    found = study(mara, FANS.question)["findings"]
    reasons = {(one["state"], one["reason"]) for one in found["rejected"]}
    wanted = {(h.state, h.reason) for h in FANS.happenings if h.state}
    assert reasons == wanted
    assert [(one["test"], one["accepted"], one["passes_wanted"]) for one in found["missing"]] == [
        ("Hush Parliament, great hall", 2, 3)
    ]


def test_a_pass_off_its_siblings_waits_for_a_decision(mara: Caller) -> None:
    sticks = study(mara, STICKS.question)
    test = by_game(sticks)["Ember Allotment"]["test_id"]
    passes = [one for one in mara.get(f"/studies/{sticks['id']}/passes") if one["test_id"] == test]
    (waiting,) = [one for one in passes if one["state"] == "recorded"]
    siblings = [
        one["figures"]["average_fps"]
        for one in passes
        if one["lane_id"] == waiting["lane_id"] and one["id"] != waiting["id"]
    ]
    assert waiting["figures"]["average_fps"] < 0.9 * min(siblings)


def test_a_file_waits_to_be_assigned_and_its_logger_is_known(mara: Caller) -> None:
    (file,) = mara.get(f"/studies/{study(mara, STICKS.question)['id']}/files")
    assert file["saved_as"] in scenario.LOGGERS
    assert None not in (file["lane_id"], file["test_id"], file["number"])


def test_both_dialects_are_there(mara: Caller) -> None:
    fans = study(mara, FANS.question)
    maps = {
        (detail["columns"]["delimiter"], detail["columns"]["decimal"])
        for one in mara.get(f"/studies/{fans['id']}/passes")[:6]
        if one["capture_id"]
        for detail in [mara.get(f"/passes/{one['id']}")]
    }
    assert maps == {(",", "."), (";", ",")}


def test_it_is_loaded_once(mara: Caller, capsys: pytest.CaptureFixture[str]) -> None:
    before = User.objects.count()
    call_command("load_demo")
    assert User.objects.count() == before
    call_command("load_demo", "--sign-ins")
    said = capsys.readouterr().out
    assert all(name in said and role in said for name, role in scenario.PEOPLE)


def test_the_script_is_consistent() -> None:
    names = {game.name for game in GAMES}
    assert len(names) == len(GAMES) >= 12
    for script in scenario.STUDIES:
        assert {happening.game for happening in script.happenings} <= names
    for game in GAMES:
        assert quiet_rig(game).cpu_speed == scenario.STANDARD.cpu_speed, "the fans do not touch the processor"
        assert one_stick_rig(game).gpu_speed == scenario.STANDARD.gpu_speed


def test_the_plans_tell_their_story(mara: Caller) -> None:
    plans = {one["question"]: mara.get(f"/studies/{one['id']}/plan") for one in mara.get("/studies")}
    ladder, sweep = plans[LADDER], plans[SWEEP]
    assert (len(ladder["pairings"]), len(ladder["needs"])) == (5, 42)
    assert ladder["late"]
    assert {one["priority"] for one in ladder["dropped"]} == {2, 3}, "what can wait goes first"
    assert ladder["chosen"]["counts"]["swap"] >= 5
    assert [one["acceptance"]["by"] for one in ladder["objections"]] == ["mara"]
    assert not sweep["late"]
    assert sweep["rule"]["limit"] == 6
    assert [one["factor"][0]["label"] for one in sweep["pairings"]] == ["Power limit"] * 4
    sources = [one["source"] for one in sweep["needs"]]
    assert set(sources) == {"scene", "drawn", "guess"}, "learned from other studies, but not of a capped average"
    assert all(one["ready_at"] for one in mara.get("/studies"))


def test_the_lead_study_prints_its_caveat(mara: Caller) -> None:
    (caveat,) = study(mara, FANS.question)["findings"]["caveats"]
    assert (caveat["label"], caveat["about"], caveat["accepted"]) == ("Room", "22 °C / 25 °C", True)
    assert "Three degrees" in caveat["reason"]


def test_parts_have_their_facts(mara: Caller) -> None:
    kit = next(part for part in mara.get("/parts") if part["name"] == "Kettle 2 × 16 GB")
    assert {one["name"]: round(one["value"], 2) for one in kit["derived"]} == {
        "first_word_ns": 12.86,
        "peak_gb_per_s": 89.6,
    }
    assert {rig["name"]: rig["setups"] for rig in mara.get("/rigs")} == {"Hollin Neun": 16, "Marl Turm": 13}


def test_each_finished_kind_tells_its_own_story(mara: Caller) -> None:
    told = {one["question"]: mara.get(f"/studies/{one['id']}/answer") for one in mara.get("/studies")}
    ladder = told["Which of five cards suits a shared flat?"]["ladder"][0]
    assert [one["outclassed_by"] is not None for one in ladder["lanes"]].count(True) == 1, "one card is outclassed"
    sweep = told["Where does more power stop paying?"]["sweep"][0]
    assert sweep["knee"]["low"] <= 160 <= sweep["knee"]["high"] + 20, "the limit as delivered"
    grid = told["Does a second stick matter more with more power?"]["grid"][0]
    assert grid["interaction"]["verdict"] == "depends"
    scaling = told["What does each preset cost a living-room computer?"]["scaling"][0]
    assert [one["verdict"] for one in scaling["suite"]] == ["behind"] * 3


def test_every_study_can_be_written_about_whatever_its_kind_and_however_far_it_has_come(mara: Caller) -> None:
    """With nothing run, too: a page is drawn of all that there is, and says where there is nothing."""
    kinds = ("answer", "picture", "table", "readers", "method")
    for found in mara.get("/studies"):
        path = "/reports"
        report = mara.post(path, {"study_id": found["id"], "title": f"About {found['id']}"}, status=201)
        path = f"/reports/{report['id']}"
        for kind in kinds:
            for own in (True, False):
                body = {"kind": kind, "study_id": found["id"], "look": {"own": own}, "after": None}
                report = mara.post(f"{path}/blocks", body, status=201)
        blocked = [one["words"] for one in report["points"] if one["blocks"]]
        assert not blocked, (found["question"], blocked)
        numbers = mara.get(f"{path}/numbers")
        assert bool(numbers) == (found["counts"]["accepted"] > 0), found["question"]
        told = mara.post(f"{path}/publish", {"seen": report["seen"], "unchecked": True, "with_data": False})
        page = Client().get(told["address"]).content.decode()
        assert "How it was measured" in page, found["question"]
        for broken in ("undefined", "NaN", "[object", "null"):
            assert f">{broken}" not in page, (found["question"], broken)
            assert f" {broken}" not in page.partition("</style>")[2], (found["question"], broken)


def test_before_a_price_is_corrected_it_is_told_what_published_numbers_it_changes(mara: Caller) -> None:
    out = next(one for one in mara.get("/reports") if one["title"] == "Five cards for a shared flat")
    lanes = mara.get(f"/studies/{out['studies'][0]['id']}")["lanes_full"]
    cards = {part["id"] for lane in lanes for part in lane["setup"]["parts"] if part["kind"] == "card"}
    lines: dict[bool, list[dict[str, Any]]] = {True: [], False: []}
    for part in (one for one in mara.get("/parts") if one["id"] in cards):
        body = {"price": str(3 * part["price"]), "currency": part["currency"]}
        told = mara.post(f"/reports/what-changes-by-price/{part['id']}", body)
        assert [one["published"] for one in told] == sorted((one["published"] for one in told), reverse=True)
        for one in told:
            lines[one["published"]] += one["lines"]
    assert lines[True], "what is published is told"
    assert any(one["of"].startswith("For whom") for one in lines[True]), "sentences too"
    assert all(one["before"] != one["after"] for some in lines.values() for one in some)


def test_kinds_go_out_as_packages_and_come_back_beside_what_is_there(mara: Caller, jobs: Jobs) -> None:
    """With the levels, conditions and doubled parts of lanes; of the kinds those of which least was run."""
    kinds = {found["kind"]: found for found in mara.get("/studies") if found["counts"]["accepted"]}
    assert len(kinds) == 8
    for kind, found in sorted(kinds.items(), key=lambda one: one[1]["counts"]["accepted"])[:4]:
        files = package_of(mara, found["id"])
        back = bring(mara, jobs, zipped(files))
        assert (back["state"], back["words"]) == ("done", ""), kind
        assert numbers(package_of(mara, back["study_id"])) == numbers(files), kind
        for one in ("lanes_full", "tests_full", "method"):
            mine, theirs = (mara.get(f"/studies/{pk}")[one] for pk in (found["id"], back["study_id"]))
            for row in [*mine, *theirs] if isinstance(mine, list) else ():
                row.pop("id")
            assert mine == theirs, (kind, one)
        caveats = [
            [one["label"], one["about"], one["reason"]]
            for pk in (found["id"], back["study_id"])
            for one in mara.get(f"/studies/{pk}/findings")["caveats"]
        ]
        assert caveats[: len(caveats) // 2] == caveats[len(caveats) // 2 :], kind
