"""Plans: fair or said to be unfair, enough passes, an order that fits the time, and what prints with a finding."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

import pytest
from icalendar import Calendar
from rennbahn.inference.power import Freedom, passes_needed
from testkit import RECORDED, AtBench, Bench, Caller, accepting, study_body

PLAN: dict[str, Any] = {"starts_on": "2026-01-05", "hours_a_day": 8, "weekdays": [0, 1, 2, 3, 4]}


def parts(**names: str) -> list[dict[str, str]]:
    return [{"kind": kind, "name": name} for kind, name in names.items()]


def lane(name: str, room: str = "22 °C", **names: str) -> dict[str, Any]:
    settings = [{"name": "Room", "value": room}, {"name": "Sync", "value": "off"}, *RECORDED]
    return {"name": name, "setup": {"name": f"Box, {name}", "parts": parts(**names), "settings": settings}}


def unfair(lead: Caller) -> dict[str, Any]:
    """A cooler is asked about; the driver and the room differ too."""
    lanes = [
        lane("plain", cooler="Plain 40", driver="41.2"),
        lane("tall", "29 °C", cooler="Tall 60", driver="42.0"),
    ]
    study: dict[str, Any] = lead.post("/studies", study_body(lanes=lanes), status=201)
    return study


def plan_of(caller: Caller, study: dict[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = caller.get(f"/studies/{study['id']}/plan")
    return found


def test_a_fair_study_is_called_ready_and_the_record_says_so(bench: Bench) -> None:
    plan = plan_of(bench.lead, bench.study)
    (pairing,) = plan["pairings"]
    assert [one["key"] for one in pairing["factor"]] == ["part:cooler"]
    assert (pairing["differences"], plan["objections"]) == ([], [])
    recorded = {f"setting:{one['name'].lower()}" for one in RECORDED}
    assert {one["key"] for one in pairing["same"]} == {"part:card", "setting:sync", *recorded}
    assert plan["unsaid"] == []
    assert bench.lead.post(f"/studies/{bench.id}/ready")["ready_at"]
    assert bench.lead.get(f"/studies/{bench.id}/audit")[0]["what"] == "called the study ready"
    assert (
        bench.lead.save(f"/studies/{bench.id}/question", {"question": "Same?", "factor": "Driver"})["ready_at"] is None
    )


def test_an_unfair_study_needs_reasons_and_they_print_with_the_findings(lead: Caller) -> None:
    study = unfair(lead)
    path = f"/studies/{study['id']}"
    refused = lead.post(f"{path}/ready", status=409)
    assert refused["code"] == "differences_open"
    assert "and 1 more" in refused["message"]
    objections = {one["key"]: one for one in plan_of(lead, study)["objections"]}
    assert {key: one["weight"] for key, one in objections.items()} == {"part:driver": "mind", "setting:room": "mind"}
    for key, one in objections.items():
        body = {"key": key, "about": one["about"], "reason": f"why {key}"}
        assert lead.post(f"{path}/acceptances", accepting(body, " "), status=422)["field"] == "reason"
        stale = lead.post(f"{path}/acceptances", {**body, "about": "another"}, status=409)
        assert (stale["code"], stale["field"]) == ("difference_changed", "about")
        lead.post(f"{path}/acceptances", body, status=201)
    assert lead.post(f"{path}/acceptances", {"key": "part:case", "about": "", "reason": "x"}, status=404)
    assert lead.post(f"{path}/ready")["ready_at"]
    caveats = lead.get(f"{path}/findings")["caveats"]
    assert {(one["label"], one["reason"], one["accepted"]) for one in caveats} == {
        ("Driver", "why part:driver", True),
        ("Room", "why setting:room", True),
    }
    table = lead.client.get(f"/api{path}/findings.csv").content.decode()
    assert "Room: 22 °C / 29 °C: why setting:room" in table
    lead.post(f"{path}/acceptances/withdraw", {"key": "setting:room"})
    assert lead.get(path)["ready_at"] is None
    open_one = next(one for one in lead.get(f"{path}/findings")["caveats"] if one["label"] == "Room")
    assert not open_one["accepted"]
    assert "warmer" in open_one["reason"]
    assert lead.post(f"{path}/acceptances/withdraw", {"key": "setting:room"}, status=404)


def test_a_proxy_check_is_not_ready_without_a_benchmark_and_the_play_it_stands_for(lead: Caller) -> None:
    study = lead.post("/studies", study_body(kind="proxy_check"), status=201)
    refused = lead.post(f"/studies/{study['id']}/ready", status=409)
    assert (refused["code"], refused["field"]) == ("no_benchmark", "tests")
    assert "built-in benchmark" in refused["hint"]
    scene = next(one for one in lead.get("/scenes") if one["name"] == "harbour")
    lead.save(f"/scenes/{scene['id']}", {"kind": "benchmark"})
    still = lead.post(f"/studies/{study['id']}/ready", status=409)
    assert still["code"] == "no_benchmark", "the play of that game is missing"


def test_an_acceptance_does_not_outlive_what_it_accepted(lead: Caller) -> None:
    study = unfair(lead)
    room = next(one for one in plan_of(lead, study)["objections"] if one["key"] == "setting:room")
    lead.post(f"/studies/{study['id']}/acceptances", accepting(room, "one summer"), status=201)
    setup = study["lanes_full"][1]["setup"]
    hotter = lane("tall", "38 °C", cooler="Tall 60", driver="42.0")["setup"]
    lead.save(f"/setups/{setup['id']}", hotter)
    now = next(one for one in plan_of(lead, study)["objections"] if one["key"] == "setting:room")
    assert (now["about"], now["acceptance"]) == ("22 °C / 38 °C", None)


def test_what_changes_while_a_study_runs_is_seen(bench: Bench) -> None:
    bench.accept(bench.record(0, 0))
    setup = bench.study["lanes_full"][0]["setup"]
    changed = {"name": setup["name"], "parts": parts(card="Ostrane V5", cooler="Plain 40", driver="42.0")}
    newer = bench.lead.save(f"/setups/{setup['id']}", {**changed, "settings": setup["settings"]})
    assert newer["version"] == 2
    assert plan_of(bench.lead, bench.study)["changed"] == [], "the lane stays on its version"
    moved = bench.lead.put(f"/studies/lanes/{bench.lane(0)}/newest-version")
    assert moved["lanes_full"][0]["setup"]["version"] == 2
    bench.accept(bench.record(0, 1, seed=2))
    (change,) = plan_of(bench.lead, bench.study)["changed"]
    assert (change["label"], change["before"], change["after"]) == ("Driver", "", "42.0")
    caveat = bench.lead.get(f"/studies/{bench.id}/findings")["caveats"][-1]
    assert caveat["label"] == "Driver changed during the study"
    assert not caveat["accepted"]


def test_passes_needed_from_a_guess_and_then_from_what_was_learned(bench: Bench) -> None:
    plan = plan_of(bench.lead, bench.study)
    first = plan["needs"][0]
    assert (first["source"], round(first["noise_percent"], 2)) == ("guess", 1.01)
    # Three scenes are too few to say how scenes resemble each other: each stands on its own two cells.
    assert abs(first["needed"] - passes_needed(0.010, 0.02, Freedom(2))) <= 1
    assert first["proposed"] >= 3
    assert first["known_df"] is None
    assert plan["suite_resolvable"] < first["resolvable"]["average_fps"] < first["resolvable"]["low_1"]
    bench.fill()
    needs = plan_of(bench.lead, bench.study)["needs"]
    assert {(one["source"], one["known_df"]) for one in needs} == {("scene", 4)}
    noise = {one["scene_id"]: one for one in bench.lead.get("/scene-noise")}
    learned = noise[bench.study["tests_full"][0]["scene_id"]]
    assert 0 < learned["percent"]["average_fps"] < 1
    assert (learned["passes"], learned["cells"], learned["studies"]) == (6, 2, 1)
    wider = bench.lead.save(f"/studies/{bench.id}/plan", {**PLAN, "margin": 0.5})
    assert {one["needed"] for one in wider["needs"]} == {3}, "never under three"


def test_the_plan_is_laid_out_and_kept(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan"
    plan = bench.lead.save(path, {**PLAN, "order": "lane_by_lane", "costs": {"swap_s": 3600}})
    assert plan["saved"]
    assert plan["all_costs"]["swap_s"] == 3600
    by_order = {one["order"]: one for one in plan["outlines"]}
    assert set(by_order) == {"lane_by_lane", "in_rounds", "alternating", "by_game", "random"}
    assert by_order["lane_by_lane"]["counts"]["swap"] == 1
    assert by_order["alternating"]["counts"]["swap"] == 3
    assert by_order["lane_by_lane"]["total_s"] < by_order["alternating"]["total_s"]
    back, rounds, there = (by_order[name]["tells"] for name in ("lane_by_lane", "in_rounds", "alternating"))
    assert min(back["suite"], rounds["suite"]) > there["suite"]
    assert min(back["drift"], rounds["drift"]) > 4 * there["drift"]
    assert not there["untold"]
    assert plan["suite_resolvable"] == back["resolvable"]
    assert plan["drift_words"] == ""
    assert [block["lane_id"] for block in plan["blocks"]] == [bench.lane(0)] * 3 + [bench.lane(1)] * 3
    assert Counter(pk for block in plan["blocks"] for pk in block["pass_ids"]).most_common(1)[0][1] == 1
    assert plan["sessions"][0]["starts"] == "2026-01-05T09:00:00"
    assert plan["chosen"]["passes"] == 18
    swap = next(change for change in plan["blocks"][3]["changes"] if change["kind"] == "swap")
    assert swap["words"] == "Cooler: Plain 40 → Tall 60"
    assert bench.tester.get(path) == bench.lead.get(path)
    bench.accept(bench.record(0, 0))
    assert bench.lead.get(path)["chosen"]["passes"] == 17, "what was run is not planned again"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"margin": 0}, "margin"),
        ({"hours_a_day": 25}, "hours_a_day"),
        ({"weekdays": []}, "weekdays"),
        ({"weekdays": [7]}, "weekdays.0"),
        ({"order": "best"}, "order"),
        ({"costs": {"tea_s": 60}}, "costs.tea_s"),
        ({"costs": {"swap_s": -1}}, "costs.swap_s"),
        ({"most_passes": 3}, "most_passes"),
        ({"starts_on": "soon"}, "starts_on"),
        ({"quiet_from": "noon"}, "quiet_from"),
    ],
)
def test_a_plan_that_is_none_names_the_field(bench: Bench, change: dict[str, Any], field: str) -> None:
    refused = bench.lead.save(f"/studies/{bench.id}/plan", {**PLAN, **change}, status=422)
    assert refused["field"] == field
    assert not plan_of(bench.lead, bench.study)["saved"]


def test_a_deadline_drops_what_can_wait(bench: Bench) -> None:
    tests = [
        {"game": test["game"], "scene": test["scene"], "condition": test["condition"], "priority": priority}
        for test, priority in zip(bench.study["tests_full"], (1, 3, 2), strict=True)
    ]
    bench.lead.save(f"/studies/{bench.id}/tests", {"tests": tests})
    path = f"/studies/{bench.id}/plan"
    quick = {**PLAN, "order": "lane_by_lane", "costs": {"swap_s": 0, "reboot_s": 0, "start_s": 0}}
    whole = bench.lead.save(path, quick)["chosen"]["total_s"]
    # A day that holds three quarters of it, and the deadline at its end: one of three tests must go.
    plan = bench.lead.save(
        path, {**quick, "deadline": "2026-01-05T23:00", "hours_a_day": round(0.75 * whole / 3600, 3)}
    )
    assert [one["test_id"] for one in plan["dropped"]] == [bench.test(1)]
    assert plan["late"]
    assert plan["deadline"] == "2026-01-05T23:00:00"
    (outlook,) = bench.lead.get("/outlooks")
    assert (outlook["study_id"], outlook["dropped"], outlook["late"]) == (bench.id, 1, True)
    assert not bench.lead.save(path, {**PLAN, "deadline": "2026-02-01T00:00"})["late"]


def test_days_off_parts_that_go_back_and_patches_are_kept(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan"
    game = bench.study["tests_full"][1]["game_id"]
    slow = {**PLAN, "order": "lane_by_lane", "hours_a_day": 0.6, "costs": {"swap_s": 60, "reboot_s": 60}}
    whole = bench.lead.save(path, slow)
    days = [one["day"] for one in whole["sessions"]]
    other_lane = days[next(one["session"] for one in whole["blocks"] if one["lane_id"] == bench.lane(1))]
    assert other_lane > days[0]
    off = {**slow, "dates": [{"kind": "off", "on": days[1]}]}
    assert days[1] not in [one["day"] for one in bench.lead.save(path, off)["sessions"]]
    # Lane after lane the game is run before its patch in one lane and after it in the other: it is left out.
    patch = {**slow, "dates": [{"kind": "patch", "on": other_lane, "game_id": game}]}
    plan = bench.lead.save(path, patch)
    assert [(one["test_id"], one["because"]) for one in plan["dropped"]] == [(bench.test(1), "patch")]
    by_game = bench.lead.save(path, {**patch, "order": "by_game"})
    assert by_game["dropped"] == []
    assert by_game["blocks"][0]["tests"] == [bench.test(1)], "what is patched is run first"
    # The lane whose part goes back is run first, and what does not fit is left out of both.
    back = {**slow, "dates": [{"kind": "back", "on": days[1], "lane_id": bench.lane(1)}]}
    plan = bench.lead.save(path, back)
    assert plan["blocks"][0]["lane_id"] == bench.lane(1)
    gone = bench.lead.save(path, {**back, "order": "alternating"})
    assert {one["because"] for one in gone["dropped"]} <= {"back"}
    assert all(
        block["end_s"] < 86_400 * (date.fromisoformat(days[1]) - date.fromisoformat(PLAN["starts_on"])).days
        for block in gone["blocks"] if block["lane_id"] == bench.lane(1)
    )  # fmt: skip
    at = AtBench(bench, bench.tester)
    assert at.begin()["progress"]["left"] == 18, "what a date leaves out may still be run"


def test_a_game_that_was_begun_before_its_patch_is_not_gone_on_with_after_it(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan"
    bench.accept(bench.record(0, 1, written_at=datetime(2026, 1, 5, 12, tzinfo=UTC)))
    patch = {"kind": "patch", "on": "2026-01-06", "game_id": bench.study["tests_full"][1]["game_id"]}
    plan = bench.lead.save(path, {**PLAN, "starts_on": "2026-01-05", "dates": [patch]})
    late = bench.lead.save(path, {**PLAN, "starts_on": "2030-01-07", "dates": [patch]})
    assert [(one["test_id"], one["because"]) for one in late["dropped"]] == [(bench.test(1), "patch")], plan["dropped"]


@pytest.mark.parametrize(
    ("given", "field", "code"),
    [
        ({"kind": "back", "on": "2026-01-06"}, "dates.0", "invalid"),
        ({"kind": "off", "on": "2026-01-06", "game_id": 1}, "dates.0", "invalid"),
        ({"kind": "patch", "on": "2026-01-06", "game_id": 2_000_000_000}, "dates.0", "strange_date"),
        ({"kind": "party", "on": "2026-01-06"}, "dates.0.kind", "invalid"),
    ],
)
def test_a_date_that_is_none_names_its_row(bench: Bench, given: dict[str, Any], field: str, code: str) -> None:
    refused = bench.lead.save(f"/studies/{bench.id}/plan", {**PLAN, "dates": [given]}, status=422)
    assert (refused["field"], refused["code"]) == (field, code)


def test_by_hand_and_back(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan"
    before = [pk for block in plan_of(bench.lead, bench.study)["blocks"] for pk in block["pass_ids"]]
    turned = list(reversed(before))
    plan = bench.lead.save(f"{path}/sequence", {"sequence": turned})
    assert plan["order"] == "by_hand"
    assert [pk for block in plan["blocks"] for pk in block["pass_ids"]] == turned
    assert bench.lead.save(f"{path}/sequence", {"sequence": [0]}, status=422)["field"] == "sequence"
    again = bench.lead.save(path, {**PLAN, "order": "alternating"})
    assert [pk for block in again["blocks"] for pk in block["pass_ids"]] == before


def test_quiet_hours_are_kept_and_what_does_not_fit_is_on_another_day(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan"
    whole = bench.lead.save(path, PLAN)["chosen"]["ends"]
    quiet = bench.lead.save(path, {**PLAN, "quiet_from": "10:00", "quiet_to": "16:30"})
    assert quiet["chosen"]["ends"] > whole
    for block in quiet["blocks"]:
        begins = datetime.fromisoformat(quiet["starts_on"]) + timedelta(seconds=block["start_s"])
        ends = datetime.fromisoformat(quiet["starts_on"]) + timedelta(seconds=block["end_s"])
        assert not (time(10) < ends.time() and begins.time() < time(16, 30)), (begins, ends)
    # Over midnight.
    night = bench.lead.save(path, {**PLAN, "quiet_from": "22:00", "quiet_to": "11:00"})
    first = datetime.fromisoformat(night["starts_on"]) + timedelta(seconds=night["blocks"][0]["start_s"])
    assert first.time() >= time(11)
    half = bench.lead.save(path, {**PLAN, "quiet_from": "22:00", "quiet_to": None}, status=422)
    assert (half["field"], half["code"]) == ("quiet_to", "quiet_hours")


def test_the_plan_goes_along_as_csv_and_calendar(bench: Bench) -> None:
    bench.lead.save(f"/studies/{bench.id}/plan", {**PLAN, "starts_on": "2026-01-09", "hours_a_day": 0.9})
    plan = plan_of(bench.lead, bench.study)
    rows = list(csv.DictReader(io.StringIO(bench.tester.get(f"/studies/{bench.id}/plan.csv").decode())))
    assert len(rows) == 18
    assert (rows[0]["day"], rows[0]["starts"], rows[0]["lane"]) == ("2026-01-09", "09:00", "plain fins")
    assert "load Moss Republic" in rows[0]["changes before"]
    calendar = Calendar.from_ical(bench.tester.get(f"/studies/{bench.id}/plan.ics"))
    events = list(calendar.walk("VEVENT"))
    days = [f"{event.decoded('dtstart'):%Y-%m-%d}" for event in events]
    assert days == [session["day"] for session in plan["sessions"]]
    assert days[:2] == ["2026-01-09", "2026-01-12"], "not on Saturday"
    assert "passes" in str(events[0]["summary"])
    assert "plain fins: Moss Republic" in str(events[0]["description"])


def test_the_rule_of_adding_passes_widens_every_interval(bench: Bench) -> None:
    bench.fill()
    path = f"/studies/{bench.id}"
    before = bench.lead.get(f"{path}/findings")
    assert (before["interval_level"], before["interval_words"], before["level_sentence"]) == (0.05, "95% interval", "")
    plan = bench.lead.save(f"{path}/plan", {**PLAN, "most_passes": 8})
    assert (plan["rule"]["first"], plan["rule"]["limit"], plan["rule"]["looks"]) == (3, 8, 6)
    after = bench.lead.get(f"{path}/findings")
    assert after["interval_level"] == pytest.approx(0.017351, abs=1e-6)
    assert after["interval_words"] == "98.3% interval"
    assert "after 3, 4, … 8 passes a lane" in after["level_sentence"]
    assert "98.3% interval" in after["average"]["sentence"]["basis"]
    for one, other in zip(before["tests"], after["tests"], strict=True):
        assert one["average"]["b_over_a"] == other["average"]["b_over_a"]
        assert other["average"]["low"] < one["average"]["low"]
        assert other["average"]["high"] > one["average"]["high"]
    assert after["average"]["low"] < before["average"]["low"]


def test_control_passes_are_proposed_planned_and_taken_back(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan"
    method = bench.lead.get(f"/studies/{bench.id}")["method"] | {"drift_allowance": 0.02}
    bench.lead.save(f"/studies/{bench.id}/method", method)
    slow = {**PLAN, "order": "lane_by_lane", "costs": {"load_s": 3600, "swap_s": 0, "reboot_s": 0}, "hours_a_day": 24}
    plan = bench.lead.save(path, slow)
    control = plan["control"]
    assert control["tells"]["suite"] < plan["chosen"]["tells"]["suite"]
    assert control["seconds"] > 0
    chosen = bench.lead.save(path, {**slow, "control_test": control["test_id"]})
    assert (chosen["control_test"], chosen["control"]) == (control["test_id"], None)
    assert chosen["chosen"]["passes"] == 18 + 4
    assert chosen["chosen"]["tells"]["suite"] == pytest.approx(control["tells"]["suite"])
    passes = {one["id"]: one for one in bench.tester.get(f"/studies/{bench.id}/passes")}
    order = [passes[pk] for block in chosen["blocks"] for pk in block["pass_ids"]]
    controls = [at for at, one in enumerate(order) if one["role"] == "control"]
    assert controls == [0, 10, 11, 21], "where each lane begins and ends"
    assert {order[at]["test_id"] for at in controls} == {control["test_id"]}
    # What tests are given in passes leaves them alone; taking them back takes them out of the plan.
    bench.lead.save(f"/studies/{bench.id}/tests", {"tests": [
        {key: one[key] for key in ("game", "scene", "condition")} for one in bench.study["tests_full"]
    ]})  # fmt: skip
    assert plan_of(bench.lead, bench.study)["chosen"]["passes"] == 22
    assert bench.lead.save(path, {**slow, "control_test": None})["chosen"]["passes"] == 18
    bench.lead.save(path, {**slow, "control_test": 999_999}, status=422)


def test_drift_is_allowed_for_by_the_method(bench: Bench) -> None:
    path = f"/studies/{bench.id}"
    bench.lead.save(f"{path}/plan", {**PLAN, "order": "lane_by_lane"})
    widths = []
    for allowance in (0.0, 0.005, 0.02):
        method = bench.lead.get(path)["method"] | {"drift_allowance": allowance}
        bench.lead.save(f"{path}/method", method)
        widths.append(plan_of(bench.lead, bench.study)["chosen"]["tells"]["suite"])
    assert widths[0] < widths[1] < widths[2]
    bench.lead.save(f"{path}/method", bench.lead.get(path)["method"] | {"drift_allowance": 0.5}, status=422)


def test_a_study_on_paper(bench: Bench) -> None:
    lanes = [
        {"name": "a", "parts": parts(cooler="Plain 40", card="Ostrane V5"), "settings": []},
        {"name": "b", "parts": parts(cooler="Tall 60", card="Ostrane V6"), "settings": [{"name": "Fan", "value": ""}]},
        {"name": "", "parts": [{"kind": "cooler", "name": ""}], "settings": []},
    ]
    tests = [
        {"game": "Moss Republic", "scene": "square", "condition": "1440 high"},
        {"game": "New", "scene": "", "condition": ""},
    ]
    found = bench.lead.post("/sketch", {"factors": ["Cooler"], "lanes": lanes[:2], "tests": tests, "passes_wanted": 4})
    assert found["passes"] == 2 * 2 * 4
    assert len(found["outlines"]) == 5
    assert [one["key"] for one in found["objections"]] == ["part:card"]
    assert found["pairings"][0]["factor"][0]["b"] == "Tall 60"
    many = [{"game": f"G{n}", "scene": "s", "condition": "c"} for n in range(400)]
    refused = bench.lead.post("/sketch", {"lanes": lanes, "tests": many, "passes_wanted": 50}, status=422)
    assert (refused["code"], refused["field"]) == ("too_many_passes", "tests")
    assert bench.lead.save(
        f"/studies/{bench.id}/tests", {"tests": [{**m, "passes_wanted": 50} for m in many]}, status=422
    )
    empty = bench.lead.post("/sketch", {"lanes": lanes, "tests": []})
    assert (empty["passes"], empty["outlines"]) == (0, [])


def test_a_large_ladder_takes_a_fixed_number_of_queries(lead: Caller, queries: Callable[[int], Any]) -> None:
    lanes = [
        {
            "name": f"card {i}",
            "setup": {
                "name": f"Box {i}",
                "parts": parts(card=f"C{i}", driver="41.2"),
                "settings": [{"name": "Sync", "value": "off"}, *RECORDED],
            },
        }
        for i in range(12)
    ]
    tests = [
        {"game": f"Game {g}", "scene": "run", "condition": resolution}
        for g in range(8)
        for resolution in ("1080", "1440", "2160")
    ]
    body = study_body(kind="ladder", factor="Graphics card", lanes=lanes, tests=tests)
    study = lead.post("/studies", body, status=201)
    assert study["counts"]["planned"] == 12 * 24 * 3
    with queries(17):
        plan = plan_of(lead, study)
    assert plan["chosen"]["passes"] == 864
    assert plan["objections"] == []
    lead.save(f"/studies/{study['id']}/plan", {**PLAN, "deadline": "2027-01-01T00:00"})
    with queries(17):
        assert len(lead.get("/outlooks")) == 1


def test_names_that_are_only_spaced_otherwise_do_not_part_lanes(lead: Caller) -> None:
    body = study_body()
    for lane, name in zip(body["lanes"], ("Kestrel 7", "Kestrel  7"), strict=True):
        lane["setup"]["parts"] = [{"kind": "card", "name": name}, *lane["setup"]["parts"][1:]]
    study = lead.post("/studies", body, status=201)
    pairing = plan_of(lead, study)["pairings"][0]
    assert "Graphics card" in [one["label"] for one in pairing["same"]]
    assert not [one for one in pairing["differences"] if one["label"] == "Graphics card"]
