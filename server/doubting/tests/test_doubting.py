"""Doubts at the desk: found, looked at, settled in every way there is, and taken back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest
from doubting.models import WideDoubt
from rennbahn.simulation import Rig, Upset
from studies.models import Pass, Study
from testkit import Bench, Jobs, study_body

PATH = "/studies/{}/doubts"


@pytest.fixture
def desk(bench: Bench) -> Bench:
    """Passes of twenty seconds, as the cards of their scenes say."""
    bench.demand = replace(bench.demand, seconds=20.0)
    for scene in bench.lead.get("/scenes"):
        bench.lead.save(f"/scenes/{scene['id']}", {"length_s": 20})
    return bench


def doubts(bench: Bench) -> dict[str, Any]:
    found: dict[str, Any] = bench.tester.get(PATH.format(bench.id))
    return found


def standing(bench: Bench, one: int) -> dict[str, Any]:
    """What is doubted about a pass and not settled, by check."""
    return {d["check"]: d for d in doubts(bench)["passes"] if d["pass_id"] == one and d["settled"] is None}


def state(bench: Bench, one: int) -> str:
    return str(bench.tester.get(f"/passes/{one}")["one"]["state"])


def record_line(bench: Bench) -> tuple[str, str, str]:
    line = bench.tester.get(f"/studies/{bench.id}/audit")[0]
    return line["who"], line["what"], line["why"]


def settle(bench: Bench, one: int, check: str, how: str, status: int = 200, **told: Any) -> Any:
    return bench.tester.post(f"/passes/{one}/settle", {"check": check, "how": how, **told}, status=status)


def three_and(desk: Bench, upset: Upset, lane: int = 0) -> int:
    """Three good passes of a cell and a fourth with which something is wrong."""
    for number in range(3):
        desk.record(lane, 0, seed=lane * 10 + number)
    return desk.record(lane, 0, seed=40 + lane, upset=upset)


def test_all_is_accepted_that_no_check_doubts_and_the_rest_stands(desk: Bench) -> None:
    bad = three_and(desk, Upset(lock_fps=60.0))
    assert set(standing(desk, bad)) >= {"lock"}
    found = desk.tester.post(f"/studies/{desk.id}/passes/accept", {})
    assert found == {"accepted": 3, "left": 1}
    assert state(desk, bad) == "recorded"
    last = doubts(desk)["last"]
    assert (last["words"], last["by"], last["passes"]) == ("accepted 3 passes", "a-tester", 3)
    desk.tester.post(f"/studies/{desk.id}/decisions/{last['id']}/undo", status=204)
    assert [one["state"] for one in desk.tester.get(f"/studies/{desk.id}/passes") if one["capture_id"]] == [
        "recorded"
    ] * 4
    assert doubts(desk)["last"] is None
    again = desk.tester.post(f"/studies/{desk.id}/decisions/{last['id']}/undo", status=409)
    assert again["code"] == "decision_undone"


def test_accepting_all_the_same_needs_a_reason_and_can_be_taken_back(desk: Bench) -> None:
    bad = three_and(desk, Upset(lock_fps=60.0))
    assert settle(desk, bad, "lock", "accepted", status=422)["field"] == "reason"
    settle(desk, bad, "lock", "accepted", reason="the engine is known for it")
    found = next(d for d in doubts(desk)["passes"] if (d["pass_id"], d["check"]) == (bad, "lock"))
    assert (found["settled"]["how"], found["settled"]["by"]) == ("accepted", "a-tester")
    assert record_line(desk) == (
        "a-tester", "settled “lock”", "Accepted anyway: the engine is known for it",
    )  # fmt: skip
    desk.tester.post(f"/studies/{desk.id}/decisions/{doubts(desk)['last']['id']}/undo", status=204)
    assert "lock" in standing(desk, bad), "what the decision settled stands again"


def test_a_proposed_window_is_taken_and_settles_it(desk: Bench) -> None:
    bad = three_and(desk, Upset(loading_s=4.0))
    window = standing(desk, bad)["loading"]["window"]
    assert window[0] == pytest.approx(4.0, abs=0.6)
    settle(desk, bad, "loading", "trimmed")
    assert "loading" not in standing(desk, bad)
    assert desk.tester.get(f"/passes/{bad}")["one"]["windows"] == [window]
    assert settle(desk, bad, "loading", "trimmed", status=404)["code"] == "not_found"


def test_a_rejected_pass_gives_its_siblings_back_and_the_findings_said_so_before(desk: Bench) -> None:
    desk.fill(tests=1)
    bad = desk.record(1, 0, seed=77, rig=Rig(gpu_speed=1.06), upset=Upset(slower=0.08))
    assert set(standing(desk, bad)) == {"off_siblings"}
    settle(desk, bad, "off_siblings", "accepted", reason="seen twice")
    before = desk.tester.get(f"/studies/{desk.id}/findings")
    told = desk.tester.post(f"/studies/{desk.id}/findings/what-if", {"pass_ids": [bad], "state": "rejected"})
    assert told["counted"] == 1
    assert told["average"]["before"] == pytest.approx(before["average"]["margin"])
    assert told["average"]["words"].startswith("tall fins over plain fins in average fps goes from +")
    assert told["rejections"]["words"] == (
        "1 pass rejected: tall fins 1 (1 below what counts). What was left out happens to favour tall fins: look at "
        "the reasons."
    )
    body = {"state": "rejected", "reason_code": "interrupted", "reason": "", "pass_ids": [bad]}
    desk.tester.put(f"/studies/{desk.id}/passes/state", body)
    after = desk.tester.get(f"/studies/{desk.id}/findings")
    assert after["average"]["margin"] == pytest.approx(told["average"]["after"])
    beside = desk.tester.get(f"/studies/{desk.id}/findings/beside")
    assert beside["rejections"] == told["rejections"]
    assert standing(desk, bad) == {}, "it takes no part any more"
    back = desk.tester.post(f"/studies/{desk.id}/findings/what-if", {"pass_ids": [bad], "state": "accepted"})
    assert back["average"]["after"] == pytest.approx(before["average"]["margin"])


def test_what_repeats_is_reproduced_and_may_stand_as_odd(desk: Bench) -> None:
    desk.fill(tests=1)
    bad = desk.record(0, 0, seed=71, upset=Upset(slower=0.08))
    assert settle(desk, bad, "off_siblings", "odd", status=409)["code"] == "not_repeated"
    settle(desk, bad, "off_siblings", "repeat")
    planned = next(p for p in desk.tester.get(f"/studies/{desk.id}/passes") if p["role"] == "repeat")
    assert planned["state"] == "planned"
    again = desk.record(0, 0, planned["number"], seed=72, upset=Upset(slower=0.08))
    (found,) = doubts(desk)["repeats"]
    assert (found["pass_id"], found["of"], found["agrees"], found["other_session"]) == (again, bad, True, False)
    assert found["words"].startswith("Reproduced: pass 5 agrees with pass 4 (")
    assert "one session" in found["words"]
    settle(desk, bad, "", "odd", reason="the fan stops here")
    assert state(desk, bad) == "accepted"
    assert doubts(desk)["odd"] == [bad]
    odd = desk.tester.get(f"/studies/{desk.id}/findings/beside")["odd"]
    assert [one["pass_id"] for one in odd] == [bad]


def test_what_does_not_repeat_says_which_pass_to_doubt(desk: Bench) -> None:
    desk.fill(tests=1)
    bad = desk.record(0, 0, seed=71, upset=Upset(slower=0.08))
    (planned,) = desk.tester.post(f"/studies/{desk.id}/passes/repeat", {"pass_ids": [bad]}, status=201)
    desk.record(0, 0, planned["number"], seed=73)
    (found,) = doubts(desk)["repeats"]
    assert (found["agrees"], found["suspect"]) == (False, bad)
    assert found["words"].startswith("Not reproduced: pass 5 and pass 4 lie ")
    assert "The other passes side against pass 4: doubt that one." in found["words"]


def test_a_cap_that_is_known_is_no_doubt_any_more(desk: Bench, jobs: Jobs) -> None:
    held = [desk.record(0, 0, seed=n, upset=Upset(lock_fps=60.0)) for n in range(3)]
    assert all("lock" in standing(desk, one) for one in held)
    settle(desk, held[0], "lock", "assumed", reason="the menu says so", cap_name="menu limiter")
    jobs.work()
    assert all("lock" not in standing(desk, one) for one in held)
    row = desk.tester.get(f"/passes/{held[1]}")
    assert row["one"]["figures"]["cap_name"] == "menu limiter"
    assert row["run_as"]["known_caps"] == [], "what it was run with stays as it was"
    assert "named a cap" in {line["what"] for line in desk.tester.get(f"/studies/{desk.id}/audit")}


def test_a_scene_that_is_longer_than_its_card_is_put_right_once(desk: Bench) -> None:
    desk.demand = replace(desk.demand, seconds=31.0)
    passes = [desk.record(lane, 0, seed=lane * 10 + n) for lane in (0, 1) for n in range(3)]
    (wide,) = doubts(desk)["wide"]
    assert (wide["check"], sorted(wide["pass_ids"])) == ("wrong_length", sorted(passes))
    body = {"keys": [wide["key"]], "how": "assumed", "reason": "the route was extended"}
    assert desk.tester.post(f"/studies/{desk.id}/doubts/settle", body) == {"passes": 6}
    assert doubts(desk)["wide"] == []
    short = desk.record(0, 0, seed=50, upset=Upset(ends_at=0.65))
    assert "wrong_length" in standing(desk, short)


def test_a_session_that_shifted_is_told_once_above_its_passes(desk: Bench, jobs: Jobs) -> None:
    rows = []
    for session, slower in enumerate((0.0, 0.03, 0.0)):
        for test in range(3):
            for lane in (0, 1):
                for number in range(2):
                    seed = 1000 * session + 100 * test + 10 * lane + number
                    rows.append((session, desk.record(lane, test, seed=seed, upset=Upset(slower=slower))))
    for place, (session, pk) in enumerate(rows):
        moment = f"2026-01-0{5 + session}T{9 + place % 12 // 6:02}:{place % 6 * 5:02}:00Z"
        Pass.objects.filter(pk=pk).update(ran_at=moment)
    assert jobs.work("doubting") == 1, "many captures, one check of the whole"
    wide = [one for one in doubts(desk)["wide"] if one["check"] == "offset"]
    assert [sorted(one["pass_ids"]) for one in wide] == [sorted(pk for session, pk in rows if session == 1)]
    assert wide[0]["evidence"]["shift"] == pytest.approx(-0.03, abs=0.012)
    accepted = desk.tester.post(f"/studies/{desk.id}/passes/accept", {})
    assert accepted["left"] >= 12, "its passes are doubted until somebody settles it"
    body = {"keys": [wide[0]["key"]], "how": "accepted", "reason": "the room was warmer, all lanes alike"}
    desk.tester.post(f"/studies/{desk.id}/doubts/settle", body)
    desk.tester.post(f"/studies/{desk.id}/passes/accept", {})
    (shift,) = desk.tester.get(f"/studies/{desk.id}/findings/beside")["shifts"]
    assert shift["settled"]
    assert shift["words"].startswith("Session 2 ran ")
    assert "the answer would be the same with it taken off" in shift["words"]


def test_whoever_decides_about_every_pass_of_a_wide_doubt_settles_it(desk: Bench) -> None:
    """Boxes over passes that are all decided on ask nothing any more."""
    passes = [desk.record(0, 0, seed=n) for n in range(3)]
    study = Study.objects.get(pk=desk.id)
    WideDoubt.objects.create(study=study, key="offset 1", check_id="offset", words="It ran late.", passes=passes)

    def settled() -> list[str | None]:
        return [one["settled"] and one["settled"]["how"] for one in doubts(desk)["wide"] if one["key"] == "offset 1"]

    path = f"/studies/{desk.id}/passes/state"
    desk.tester.put(path, {"pass_ids": passes[:2], "state": "accepted"})
    assert settled() == [None], "one of them waits"
    desk.tester.put(path, {"pass_ids": passes[2:], "state": "rejected", "reason": "a visitor"})
    assert settled() == ["accepted"]
    undo_last(desk)
    assert settled() == [None]


def test_doubts_of_a_large_study_are_few_queries(desk: Bench, queries: Callable[[int], Any]) -> None:
    three_and(desk, Upset(lock_fps=60.0))
    with queries(12):
        few = doubts(desk)
    three_and(desk, Upset(lock_fps=60.0), lane=1)
    with queries(12):
        assert len(doubts(desk)["passes"]) > len(few["passes"])


def test_decisions_that_were_overtaken_are_not_undone(desk: Bench) -> None:
    one = desk.record(0, 0)
    desk.accept(one)
    first = doubts(desk)["last"]["id"]
    body = {"state": "rejected", "reason_code": "odd", "reason": ""}
    desk.tester.put(f"/studies/passes/{one}/state", body)
    refused = desk.tester.post(f"/studies/{desk.id}/decisions/{first}/undo", status=409)
    assert refused["code"] == "decided_since"
    desk.tester.post(f"/studies/{desk.id}/decisions/{doubts(desk)['last']['id']}/undo", status=204)
    assert state(desk, one) == "accepted"
    assert record_line(desk)[1] == "took back a decision"


def test_doubts_are_no_reason_of_their_own(desk: Bench) -> None:
    one = desk.record(0, 0)
    assert settle(desk, one, "lock", "accepted", reason="x", status=404)["code"] == "not_found"
    bad = three_and(desk, Upset(ends_at=0.5), lane=1)
    check = next(iter(standing(desk, bad)))
    assert settle(desk, bad, check, "rejected", status=422)["code"] == "reason_needed"
    assert settle(desk, bad, "cut_log", "assumed", reason="x", status=409)["code"] == "nothing_to_assume"


def undo_last(bench: Bench) -> str:
    last = doubts(bench)["last"]
    bench.tester.post(f"/studies/{bench.id}/decisions/{last['id']}/undo", status=204)
    return str(last["words"])


def test_trimming_is_taken_back_with_the_state_it_had(desk: Bench) -> None:
    bad = three_and(desk, Upset(loading_s=4.0))
    desk.accept(bad)
    before = desk.tester.get(f"/passes/{bad}")["one"]
    settle(desk, bad, "loading", "trimmed")
    assert state(desk, bad) == "recorded"
    assert undo_last(desk).startswith("trimmed 1 pass: to 4.")
    after = desk.tester.get(f"/passes/{bad}")["one"]
    assert (after["windows"], after["state"], after["figures"]) == ([], "accepted", before["figures"])
    assert "loading" in standing(desk, bad)
    assert record_line(desk)[1] == "took back a decision"


def test_several_passes_are_settled_as_one_act(desk: Bench, jobs: Jobs) -> None:
    bad = [three_and(desk, Upset(loading_s=4.0), lane) for lane in (0, 1)]
    fine = desk.record(1, 1, seed=5)
    refused = settle(desk, bad[0], "loading", "trimmed", also=[fine], status=404)
    assert "loading" in refused["message"], "a pass of which nothing is proposed stops all"
    assert all("loading" in standing(desk, one) for one in bad)
    assert settle(desk, bad[0], "", "trimmed", also=bad[1:]) == {"passes": 2}
    windows = [desk.tester.get(f"/passes/{one}")["one"]["windows"] for one in bad]
    assert all(len(own) == 1 and own[0][0] > 3 for own in windows)
    assert undo_last(desk).startswith("trimmed 2 passes: to ")
    assert [desk.tester.get(f"/passes/{one}")["one"]["windows"] for one in bad] == [[], []]
    assert settle(desk, bad[0], "", "accepted", reason="the menu belongs to it", also=[bad[1], fine]) == {"passes": 3}
    assert {state(desk, one) for one in (*bad, fine)} == {"accepted"}
    assert not standing(desk, bad[1])
    settle(desk, bad[0], "", "accepted", reason="x", also=[999_999], status=404)
    assert undo_last(desk) == "accepted 3 passes"
    assert {state(desk, one) for one in (*bad, fine)} == {"recorded"}


def test_captures_of_several_passes_are_trimmed_and_moved_together(desk: Bench) -> None:
    first, second = desk.record(0, 0, seed=1), desk.record(0, 1, seed=2)
    captures = [desk.tester.get(f"/passes/{one}")["one"]["capture_id"] for one in (first, second)]
    path = f"/captures/{captures[0]}/"
    assert desk.tester.put(path + "windows", {"windows": [[600, 700]], "also": captures[1:]}, status=422)
    desk.tester.put(path + "windows", {"windows": [[2, 8]], "also": captures[1:]})
    assert [desk.tester.get(f"/passes/{one}")["one"]["windows"] for one in (first, second)] == [[[2, 8]]] * 2
    assert undo_last(desk) == "trimmed 2 passes: to 2 s to 8 s"
    desk.tester.post(f"/studies/{desk.id}/passes/reject", {}, status=404)
    desk.tester.put(f"/studies/{desk.id}/passes/state", {"pass_ids": [second], "state": "rejected", "reason": "odd"})
    other = {"lane_id": desk.lane(1), "also": captures[1:]}
    assert desk.tester.put(path + "place", other, status=409)["code"] == "pass_decided", "none is moved"
    assert state(desk, first) == "recorded"
    undo_last(desk)
    twice = {"windows": [[2, 8]], "also": [captures[0], captures[0], captures[1]]}
    desk.tester.put(path + "windows", twice)
    assert undo_last(desk) == "trimmed 2 passes: to 2 s to 8 s"
    body = study_body(question="Another?", kind="ladder")
    other_study = Bench(desk.lead, desk.tester, desk.lead.post("/studies", body, status=201), desk.demand, desk.dialect)
    foreign = desk.tester.get(f"/passes/{other_study.record(0, 0, seed=77)}")["one"]["capture_id"]
    for address, change in (("windows", {"windows": [[2, 8]]}), ("place", {"lane_id": desk.lane(1)})):
        refused = desk.tester.put(path + address, change | {"also": [foreign]}, status=404)
        assert refused["code"] == "not_found", "a capture of another study is none of these"
    assert desk.tester.put(path + "place", {**other, "number": 1}, status=422)["code"] == "one_number"
    assert desk.tester.put(path + "place", {"also": []}, status=422)["code"] == "no_place"
    desk.tester.put(path + "place", other)
    passes = {one["capture_id"]: one for one in desk.tester.get(f"/studies/{desk.id}/passes") if one["capture_id"]}
    found = [(passes[pk]["lane_id"], passes[pk]["test_id"]) for pk in captures]
    assert found == [(desk.lane(1), desk.test(0)), (desk.lane(1), desk.test(1))], "each in its own test"
    assert (state(desk, first), state(desk, second)) == ("planned", "planned")


def test_doubts_of_one_kind_are_settled_together(desk: Bench) -> None:
    desk.demand = replace(desk.demand, seconds=31.0)
    [desk.record(lane, test, seed=lane * 20 + test * 10 + n) for lane in (0, 1) for test in (0, 1) for n in range(2)]
    keys = [one["key"] for one in doubts(desk)["wide"]]
    assert len(keys) == 2
    path = f"/studies/{desk.id}/doubts/settle"
    body = {"keys": keys, "how": "assumed", "reason": "a longer route"}
    assert desk.tester.post(path, {**body, "keys": [*keys, "x"]}, status=404)["code"] == "not_found"
    assert desk.tester.post(path, body) == {"passes": 8}
    assert doubts(desk)["wide"] == []
    assert undo_last(desk) == "put the length right for 8 passes: a longer route"
    assert len(doubts(desk)["wide"]) == 2


def test_what_was_assumed_is_taken_back_for_all_it_was_assumed_of(desk: Bench, jobs: Jobs) -> None:
    held = [desk.record(0, 0, seed=n, upset=Upset(lock_fps=60.0)) for n in range(3)]
    settle(desk, held[0], "lock", "assumed", reason="the menu says so", cap_name="menu limiter")
    assert all("lock" not in standing(desk, one) for one in held)
    jobs.work()
    assert undo_last(desk) == "named a cap for 3 passes: the menu says so"
    jobs.work()
    assert all("lock" in standing(desk, one) for one in held)
    assert desk.tester.get(f"/passes/{held[1]}")["one"]["figures"]["cap_name"] != "menu limiter"


def test_a_length_and_a_repeat_are_taken_back(desk: Bench) -> None:
    desk.demand = replace(desk.demand, seconds=31.0)
    first, *_ = [desk.record(lane, 0, seed=lane * 10 + n) for lane in (0, 1) for n in range(3)]
    key = doubts(desk)["wide"][0]["key"]
    desk.tester.post(f"/studies/{desk.id}/doubts/settle", {"keys": [key], "how": "assumed", "reason": "a longer route"})
    assert undo_last(desk) == "put the length right for 6 passes: a longer route"
    assert [one["settled"] for one in doubts(desk)["wide"]] == [None]
    total = len(desk.tester.get(f"/studies/{desk.id}/passes"))
    desk.tester.post(f"/studies/{desk.id}/passes/repeat", {"pass_ids": [first]}, status=201)
    assert undo_last(desk) == "had run again 1 pass"
    assert len(desk.tester.get(f"/studies/{desk.id}/passes")) == total


def test_many_are_repeated_in_few_queries(desk: Bench, queries: Callable[[int], Any]) -> None:
    passes = [desk.record(lane, test, seed=100 * test + 10 * lane + n) for test in (0, 1) for lane in (0, 1)
              for n in range(3)]  # fmt: skip
    with queries(25):
        planned = desk.tester.post(f"/studies/{desk.id}/passes/repeat", {"pass_ids": passes}, status=201)
    assert sorted(one["number"] for one in planned) == [4, 4, 4, 4, 5, 5, 5, 5, 6, 6, 6, 6]
    assert {one["role"] for one in planned} == {"repeat"}


def test_a_check_is_switched_off_with_a_reason_that_prints_and_asked_again(desk: Bench, jobs: Jobs) -> None:
    path = f"/studies/{desk.id}/checks"
    bad = three_and(desk, Upset(lock_fps=60.0))
    jobs.work()
    assert "lock" in standing(desk, bad)
    (lock,) = [one for one in desk.tester.get(path) if one["id"] == "lock"]
    assert (lock["passes"], lock["off"]) == (1, None)
    assert desk.lead.put(f"{path}/lock", {"asked": False}, status=422)["code"] == "reason_needed"
    desk.lead.put(f"{path}/nothing", {"asked": False, "reason": "x"}, status=404)
    desk.tester.put(f"{path}/lock", {"asked": False, "reason": "x"}, status=403)
    off = desk.lead.put(f"{path}/lock", {"asked": False, "reason": "a console-like target is held on purpose"})
    assert off["off"]["reason"] == "a console-like target is held on purpose"
    jobs.work()
    assert "lock" not in standing(desk, bad)
    caveats = desk.lead.get(f"/studies/{desk.id}/findings")["caveats"]
    (told,) = [one for one in caveats if "switched off" in one["label"]]
    assert told["reason"] == "a console-like target is held on purpose"
    assert record_line(desk)[1:] == ("switched the check “lock” off", "a console-like target is held on purpose")
    desk.lead.put(f"{path}/lock", {"asked": True})
    jobs.work()
    assert "lock" in standing(desk, bad)
    assert not [one for one in desk.lead.get(f"/studies/{desk.id}/findings")["caveats"] if "off" in one["label"]]
