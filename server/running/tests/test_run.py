"""A study at the bench: every step in its order, every act once, the verdict as a pass comes in."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from typing import Any

import pytest
from planning.queries import planned_work
from rennbahn.simulation import Rig, Upset
from running import station
from studies.models import BenchSession
from testkit import AtBench, Bench, Caller, setup, study_body


def keys(found: dict[str, Any], kind: str) -> list[str]:
    return [step["key"] for step in found["steps"] if step["kind"] == kind]


def test_a_session_walks_the_plan_step_by_step(at: AtBench) -> None:
    before = at.look()
    assert before["session"] is None
    assert before["steps"] == []
    assert before["progress"]["left"] == 18
    found = at.begin(room_c=22.5)
    assert found["driving"]
    assert found["session"]["room_c"] == 22.5
    kinds = [step["kind"] for step in found["steps"] if step["pass_id"] == found["steps"][0]["pass_id"]]
    assert kinds == ["change", "change", "change", *["check"] * 4, "read_back", "card", "warm_up", "pass"]
    first = found["steps"][0]
    assert first["title"] == "Begin the session"
    question = next(step["question"] for step in found["steps"] if step["kind"] == "read_back")
    assert question["setting"] == "Cooler"
    assert question["wanted"] == "Plain 40"
    assert sorted(question["choices"]) == ["Plain 40", "Tall 60"], "what it should say among what it may not"
    ready = at.go_on()
    assert ready["steps"][0]["kind"] == "pass"
    assert ready["progress"]["behind_s"] < 0, "seven seconds a change are quicker than planned"


def test_warm_up_runs_are_steps_of_their_own_and_the_card_is_shown_once(at: AtBench) -> None:
    for scene in at.bench.lead.get("/scenes"):
        at.bench.lead.save(f"/scenes/{scene['id']}", {"warm_up_runs": 2})
    found = at.begin()
    first = found["steps"][0]["pass_id"]
    own = [step["key"] for step in found["steps"] if step["pass_id"] == first]
    done = []
    while (step := found["steps"][0])["kind"] != "pass":
        told = {"step": step["key"], "pass_id": step["pass_id"]}
        done.append(step["key"])
        if step["kind"] == "read_back":
            found = at.act("read_back", setting="Cooler", seen="Plain 40", **told)
            continue
        if step["kind"] == "warm_up":
            running = at.act("began", warm_up=True, **told)
            assert running["under_way"]["warm_up"]
            assert running["steps"][0]["key"] == step["key"]
        found = at.act("done", **told)
        assert found["under_way"] is None
    assert [*done, found["steps"][0]["key"]] == own
    assert [key for key in own if key.endswith("warm_up")] == [key for key in done if key.endswith("warm_up")] != []
    # Put off after its warm-up: the machine stands in its lane, with the game loaded.
    found = at.act("later", pass_id=first)
    assert "Begin the session" not in [step["title"] for step in found["steps"]]


def test_the_other_lane_asks_for_the_swap_with_its_caution(at: AtBench) -> None:
    at.begin()
    one = at.run(seed=1)
    at.act("accepted", pass_id=one["verdict"]["pass_id"])
    steps = at.look()["steps"]
    lanes = {c["pass_id"]: c["lane"] for c in at.look()["coming"]}
    other = [step for step in steps if lanes[step["pass_id"]] == "tall fins"]
    swap = next(step for step in other if step["title"] == "Swap the part")
    assert swap["words"] == "Cooler: Plain 40 → Tall 60"
    assert "mains cable" in swap["caution"]
    assert swap["cost"] == "swap_s"
    assert any(step["title"] == "Change and restart the machine" for step in other)


def test_a_file_that_comes_is_the_pass_under_way_and_is_checked(at: AtBench) -> None:
    at.begin()
    found = at.run(seed=1)
    verdict = found["verdict"]
    assert verdict["lane"] == "plain fins"
    assert verdict["doubts"] == []
    assert verdict["sentence"] == "No check doubts it."
    assert found["under_way"] is None
    done = at.act("accepted", pass_id=verdict["pass_id"])
    assert done["verdict"] is None
    one = at.who.get(f"/passes/{verdict['pass_id']}")
    assert one["one"]["state"] == "accepted"
    (back,) = one["run_as"]["bench"]["read_backs"]
    assert {name: back[name] for name in ("setting", "wanted", "seen", "by")} == {
        "setting": "Cooler", "wanted": "Plain 40", "seen": "Plain 40", "by": "a-tester",
    }  # fmt: skip
    assert back["where"]
    assert back["at"]
    assert one["run_as"]["bench"]["after_load"] is True
    assert done["session"]["passes"] == 1


def test_a_capture_reads_its_own_setting_back(lead: Caller, tester: Caller) -> None:
    def limited(limit: str) -> dict[str, Any]:
        made = setup(f"Box, {limit}", "Plain 40")
        told = [{**one, "value": limit} if one["name"] == "Frame limit" else one for one in made["settings"]]
        return {"name": limit, "setup": {**made, "settings": told}}

    lanes = [limited("60 fps"), limited("90 fps")]
    study = lead.post("/studies", study_body(factor="Frame limit", lanes=lanes), status=201)
    at = AtBench(Bench(lead, tester, study), tester)
    at.begin()
    held = at.run(log=at.bench.log(1, upset=Upset(lock_fps=60.0)))["verdict"]
    (told,) = held["told_by_file"]
    assert (told["setting"], told["wanted"], told["holds"]) == ("Frame limit", "60 fps", True)
    assert told["reads"].endswith(" fps held")
    assert "read_back" not in {doubt["check"] for doubt in held["doubts"]}
    at.act("accepted", pass_id=held["pass_id"])
    free = at.run(log=at.bench.log(2))["verdict"]
    assert free["told_by_file"][0]["holds"] is False
    (doubt,) = [one for one in free["doubts"] if one["check"] == "read_back"]
    assert "the capture itself reads" in doubt["words"]


def test_a_doubted_pass_is_repeated_next_and_stays_beside_its_repeat(at: AtBench) -> None:
    at.begin()
    short = at.bench.log(3)[:5000].rsplit(b"\n", 1)[0] + b"\n"
    found = at.run(log=short)
    verdict = found["verdict"]
    assert {doubt["check"] for doubt in verdict["doubts"]} == {"cut_log"}
    assert (verdict["sentence"], verdict["doubted"]) == ("One check doubts it.", True)
    again = at.act("repeated", pass_id=verdict["pass_id"])
    assert again["verdict"] is None
    assert again["coming"][0]["role"] == "repeat"
    assert again["coming"][0]["number"] == 4
    assert at.who.get(f"/passes/{verdict['pass_id']}")["one"]["state"] == "recorded"
    (doubt,) = at.who.get(f"/studies/{at.bench.id}/doubts")["passes"]
    assert (doubt["pass_id"], doubt["words"]) == (verdict["pass_id"], verdict["doubts"][0]["words"])


def test_a_setting_that_reads_back_otherwise_stops_the_block(at: AtBench) -> None:
    at.begin()
    found = at.look()
    while found["steps"][0]["kind"] != "read_back":
        step = found["steps"][0]
        found = at.act("done", step=step["key"], pass_id=step["pass_id"])
    step = found["steps"][0]
    told = {"step": step["key"], "pass_id": step["pass_id"]}
    wrong = at.act("read_back", setting="Cooler", seen="Tall 60", **told)
    assert wrong["mismatch"]["worth"].startswith(
        "Cooler was to be Plain 40 and reads Tall 60. A run now would be a pass"
    )
    assert "another lane" in wrong["mismatch"]["worth"]
    assert wrong["steps"][0]["key"] == step["key"], "it is asked again"
    at.act("anyway", refused="reason_needed", **told)
    right = at.act("read_back", setting="Cooler", seen="plain  40", **told)
    assert right["mismatch"] is None
    assert right["steps"][0]["kind"] == "card"
    lines = [line["what"] for line in at.who.get(f"/studies/{at.bench.id}/audit")]
    assert "read back another value" in lines


def test_what_did_not_launch_takes_with_it_what_follows(at: AtBench) -> None:
    at.begin()
    ready = at.go_on()
    step = ready["steps"][0]
    at.act("skipped", refused="reason_needed", pass_id=step["pass_id"])
    found = at.act("skipped", pass_id=step["pass_id"], code="did_not_launch", following="game")
    assert found["progress"]["left"] == 15
    gone = [one for one in at.who.get(f"/studies/{at.bench.id}/passes") if one["state"] == "did_not_run"]
    assert len(gone) == 3
    assert {one["reason_code"] for one in gone} == {"did_not_launch"}
    assert len({one["lane_id"] for one in gone}) == 1


def test_an_act_that_is_sent_twice_is_done_once(at: AtBench) -> None:
    at.begin()
    now = datetime.now(UTC).isoformat()
    note = {"id": str(uuid.uuid4()), "kind": "noted", "at": now, "words": "the fan whistles"}
    for _ in range(3):
        found = at.who.post(f"{at.path}/acts", {"acts": [note], "now": now})
        assert found["outcomes"] == [{"id": note["id"], "done": True, "code": "", "message": "", "hint": ""}]
    assert found["session"]["notes"].count("the fan whistles") == 1
    lines = [line for line in at.who.get(f"/studies/{at.bench.id}/audit") if line["what"] == "noted at the bench"]
    assert len(lines) == 1


def test_an_answer_from_before_an_act_has_not_its_number(at: AtBench, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is done while an answer is being made is asked for anew: the pulse says another number."""
    at.begin()
    read = planned_work

    def meanwhile(*asked: Any) -> Any:
        work = read(*asked)
        monkeypatch.setattr(station, "planned_work", read)
        at.act("noted", words="somebody acts just now")
        return work

    monkeypatch.setattr(station, "planned_work", meanwhile)
    found = at.who.get(at.path)
    assert found["number"] < at.who.get(f"{at.path}/pulse")["number"]


def test_acts_that_waited_in_the_browser_come_in_order_and_one_refused_stops_no_other(at: AtBench) -> None:
    found = at.begin()
    now = datetime.now(UTC).isoformat()
    steps = found["steps"][:3]
    acts = [
        {"id": str(uuid.uuid4()), "kind": "done", "at": now, "step": step["key"], "pass_id": step["pass_id"]}
        for step in steps
    ]
    acts.insert(1, {"id": str(uuid.uuid4()), "kind": "accepted", "at": now, "pass_id": 10**9})
    told = at.who.post(f"{at.path}/acts", {"acts": acts, "now": now})
    assert [outcome["done"] for outcome in told["outcomes"]] == [True, False, True, True]
    assert told["outcomes"][1]["code"] == "not_found"
    assert told["steps"][0]["key"] == found["steps"][3]["key"]


def test_one_drives_and_another_takes_over(at: AtBench) -> None:
    at.begin()
    second = AtBench(at.bench, at.bench.lead)
    seen = second.look()
    assert not seen["driving"]
    assert seen["session"]["driver"] == "a-tester"
    step = seen["steps"][0]
    second.act("done", refused="not_driving", step=step["key"], pass_id=step["pass_id"])
    second.act("noted", words="I look on")
    pulse = at.who.get(f"{at.path}/pulse")
    taken = second.act("drove")
    assert taken["driving"]
    after = at.who.get(f"{at.path}/pulse")
    assert after["number"] > pulse["number"]
    assert after["driver"] == "a-lead"
    at.act("done", refused="not_driving", step=step["key"], pass_id=step["pass_id"])


def test_only_those_who_run_begin_a_session(at: AtBench, viewer: Caller) -> None:
    viewer.post(f"/studies/{at.bench.id}/sessions", {}, status=403)
    assert viewer.get(at.path)["may_run"] is False
    now = datetime.now(UTC).isoformat()
    act = {"id": str(uuid.uuid4()), "kind": "noted", "at": now, "words": "x"}
    viewer.post(f"{at.path}/acts", {"acts": [act], "now": now}, status=403)
    viewer.post("/bench-links", {"name": "mine"}, status=403)
    at.begin()
    answer = at.who.post(f"/studies/{at.bench.id}/sessions", {}, status=409)
    assert answer["code"] == "session_runs"


def test_a_session_ends_and_the_next_begins_where_the_bench_stands(at: AtBench) -> None:
    at.begin(room_c=21)
    found = at.run(seed=1)
    at.act("accepted", pass_id=found["verdict"]["pass_id"])
    ended = at.who.post(f"/studies/{at.bench.id}/sessions/end", {"notes": "the room got warm"})
    assert ended["session"] is None
    assert ended["earlier"][0]["notes"] == "the room got warm"
    assert ended["earlier"][0]["passes"] == 1
    again = at.begin()
    first = [step["words"] for step in again["steps"] if step["pass_id"] == again["steps"][0]["pass_id"]]
    assert first[0].startswith("begin the session")
    assert at.who.get(f"/studies/{at.bench.id}/sessions")[1]["room_c"] == 21


def test_another_order_for_the_rest_and_a_pass_put_off(at: AtBench) -> None:
    at.begin()
    first = at.look()["coming"][0]["pass_id"]
    put_off = at.act("later", pass_id=first)
    assert put_off["coming"][0]["pass_id"] != first
    ordered = at.act("ordered", order="lane_by_lane")
    assert [one["lane"] for one in ordered["coming"]] == ["plain fins"] * 6
    assert ordered["coming"][0]["pass_id"] == first
    at.act("ordered", refused="order_needed")


def test_what_changes_took_is_offered_to_the_next_plan(at: AtBench) -> None:
    at.begin()
    steps = [step for step in at.look()["steps"] if step["cost"] == "load_s"][:3]
    assert len(steps) == 3
    for step, took in zip(steps, (40.0, 400.0, 52.0), strict=True):
        at.act("done", step=step["key"], pass_id=step["pass_id"], took_s=took, cost="load_s")
    learned = {one["cost"]: one for one in at.who.get("/learned-costs")}
    assert learned["load_s"] == {"cost": "load_s", "seconds": 52.0, "times": 3, "planned": 90.0}
    assert learned["swap_s"]["seconds"] is None


def test_pauses_are_no_time_at_the_bench(at: AtBench) -> None:
    at.begin()
    assert at.act("paused")["paused"]
    used = at.look()["progress"]["used_s"]
    assert at.look()["progress"]["used_s"] == used
    assert not at.act("resumed")["paused"]


def test_a_reported_result_is_typed_at_the_same_place(at: AtBench) -> None:
    at.begin()
    step = at.go_on()["steps"][0]
    at.act("began", step=step["key"], pass_id=step["pass_id"])
    at.act("ended", pass_id=step["pass_id"])
    body = {"average_fps": 81.5, "read_from": "the result page"}
    at.who.post(f"/passes/{step['pass_id']}/reported", body, status=201)
    found = at.look()
    assert found["under_way"] is None
    assert found["verdict"]["pass_id"] == step["pass_id"]


def test_a_large_study_is_told_in_few_queries(at: AtBench, queries: Any) -> None:
    at.begin()
    at.run(seed=1, rig=Rig())
    with queries(60):
        at.look()


def test_the_control_test_frames_every_session(at: AtBench) -> None:
    bench = at.bench
    control = bench.test(1)
    bench.lead.save(f"/studies/{bench.id}/plan", {"control_test": control})
    planned = bench.tester.get(f"/studies/{bench.id}/passes")
    bench.lead.save(f"/studies/{bench.id}/plan", {"order": "by_game"})
    found = at.begin()
    first = found["steps"][-1]["pass_id"] if found["steps"][0]["pass_id"] is None else found["steps"][0]["pass_id"]
    now = {one["id"]: one for one in bench.tester.get(f"/studies/{bench.id}/passes")}
    assert (now[first]["role"], now[first]["test_id"]) == ("control", control), "where it begins"
    session = BenchSession.objects.get()
    assert {now[pk]["test_id"] for pk in session.controls} <= {control}
    assert now[session.sequence[-1]]["role"] == "control", "where it is planned to end"
    at.who.post(f"/studies/{bench.id}/sessions/end", {"notes": ""})
    after = bench.tester.get(f"/studies/{bench.id}/passes")
    assert len(after) == len(planned), "what nobody ran is planned no more"
