"""What happens at the bench is what is kept: each file with its own run, whoever sits where, however late it comes."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import clock
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from rennbahn.planning.fairness import SetupDescription
from rennbahn.simulation import SimulatedBench, SimulatedTest, Wanted
from testkit import AtBench, Bench, Caller


def linked(who: Caller, name: str) -> tuple[int, str]:
    """A test machine of its own and its token."""
    made = who.post("/bench-links", {"name": name}, status=201)
    machine = next(one for one in who.get("/machines") if one["name"] == name)
    return int(machine["id"]), str(made["token"])


def warm_up(at: AtBench) -> dict[str, Any]:
    """Go on to the first warm-up run, and run it; its step."""
    found = at.look()
    while (step := found["steps"][0])["kind"] != "warm_up":
        told = {"step": step["key"], "pass_id": step["pass_id"]}
        if step["kind"] == "read_back":
            question = step["question"]
            found = at.act("read_back", setting=question["setting"], seen=question["wanted"], **told)
        else:
            found = at.act("done", **told)
    at.wait(3.0)
    at.act("began", step=step["key"], pass_id=step["pass_id"], warm_up=True)
    at.wait(8.0)
    at.act("ended", step=step["key"], pass_id=step["pass_id"])
    return dict(step)


@pytest.fixture
def linked_at(at: AtBench) -> AtBench:
    """The same, at a test machine of its own."""
    machine, at.token = linked(at.who, "bench machine")
    at.begin(machine_id=machine)
    return at


def test_a_warm_up_waits_for_its_file_as_a_pass_does_and_goes_on_with_a_key(linked_at: AtBench) -> None:
    at = linked_at
    step = warm_up(at)
    waits = at.look()["under_way"]
    assert (waits["warm_up"], waits["ended_at"] is not None) == (True, True)
    found = at.act("done", step=step["key"], pass_id=step["pass_id"])
    assert found["under_way"] is None
    # Its file is flushed three seconds into the counted pass: it is still the warm-up's.
    at.wait(3.0)
    run = found["steps"][0]
    assert run["kind"] == "pass"
    at.act("began", step=run["key"], pass_id=run["pass_id"])
    at.wait(3.0)
    assert at.send("one.csv", at.bench.log(1))["became"] == "warm_up"
    at.wait(5.0)
    at.act("ended", pass_id=run["pass_id"])
    assert at.send("two.csv", at.bench.log(2))["became"] == "pass"
    assert at.look()["verdict"]["file_name"] == "two.csv"


def test_the_file_of_a_run_that_was_broken_off_never_counts(linked_at: AtBench) -> None:
    at = linked_at
    step = at.go_on()["steps"][0]
    at.wait(3.0)
    at.act("began", step=step["key"], pass_id=step["pass_id"])
    at.wait(7.0)
    at.act("aborted", pass_id=step["pass_id"])
    at.wait(4.0)
    kept = at.send("broken.csv", at.bench.log(1))
    assert (kept["became"], "does not count" in kept["words"]) == ("broken_off", True)
    found = at.look()
    assert found["tray"] == []
    assert found["verdict"] is None
    again = at.run(seed=2)
    assert again["verdict"]["pass_id"] == step["pass_id"]
    assert at.who.get(f"/passes/{step['pass_id']}")["one"]["file_name"] == "log-2.csv"


def test_half_a_file_of_a_run_that_is_broken_off_never_counts(linked_at: AtBench) -> None:
    """A logger paused so long that its file was sent before the run was broken off, and grew after that."""
    at = linked_at
    whole = at.bench.log(4, seconds=6.0)
    half = whole[: len(whole) // 2].rsplit(b"\n", 1)[0] + b"\n"
    step = at.go_on()["steps"][0]
    at.wait(3.0)
    at.act("began", step=step["key"], pass_id=step["pass_id"])
    at.wait(5.0)
    at.send("run.csv", half, ago_s=2.0)
    at.wait(1.0)
    found = at.act("aborted", pass_id=step["pass_id"])
    assert (found["verdict"], found["tray"]) == (None, [])
    assert at.send("run.csv", whole)["became"] == "broken_off"
    assert at.who.get(f"/passes/{step['pass_id']}")["one"]["state"] == "planned"
    assert at.run(seed=9)["verdict"]["pass_id"] == step["pass_id"]


@pytest.mark.parametrize("frames_first", [True, False])
def test_a_meters_file_of_a_broken_off_run_is_put_aside_with_it(linked_at: AtBench, *, frames_first: bool) -> None:
    at = linked_at
    sim = SimulatedBench({"1": SetupDescription()}, {"t": SimulatedTest("t", "Moss", "square", length_s=8)}, seed=4)
    played = sim.play(Wanted("1", "t", 1))
    assert played.log is not None
    assert played.meter is not None
    step = at.go_on()["steps"][0]
    at.wait(15.0)
    at.act("began", step=step["key"], pass_id=step["pass_id"])
    at.wait(7.5)
    at.act("aborted", pass_id=step["pass_id"])
    files = [("frames.csv", played.log), ("meter.csv", played.meter)]
    for name, content in files if frames_first else files[::-1]:
        kept = at.send(name, content)
        assert kept["became"] == "broken_off", (name, kept)
    assert at.look()["tray"] == []
    assert len(at.who.get(f"/studies/{at.bench.id}/files?state=set_aside")) == 2


def test_a_file_that_comes_late_takes_no_place_of_its_repeat(linked_at: AtBench) -> None:
    at = linked_at
    one = at.play()
    first_ended = clock.now()
    at.wait(20.0)
    # No capture has come, so it is run again.
    at.act("aborted", pass_id=one)
    assert at.play() == one
    late = at.send("first.csv", at.bench.log(1), written=first_ended)
    assert late["became"] == "broken_off"
    assert at.send("second.csv", at.bench.log(2))["became"] == "pass"
    assert at.look()["verdict"]["file_name"] == "second.csv"


def test_a_pass_that_is_run_again_the_next_day_is_that_run(linked_at: AtBench) -> None:
    at = linked_at
    one = at.play()
    written = clock.now()
    at.who.post(f"/studies/{at.bench.id}/sessions/end", {})
    at.wait(600.0)
    at.begin(machine_id=at.who.get("/machines")[0]["id"])
    assert at.play() == one
    assert at.send("late.csv", at.bench.log(1), written=written)["became"] == "broken_off"
    assert at.send("new.csv", at.bench.log(2))["became"] == "pass"
    assert at.look()["verdict"]["file_name"] == "new.csv"


def test_two_benches_of_one_person_keep_their_files_apart(at: AtBench, bench: Bench) -> None:
    left, left_token = linked(at.who, "left")
    right, right_token = linked(at.who, "right")
    lanes = [lane["id"] for lane in at.who.get(f"/studies/{bench.id}")["lanes_full"]]
    one = AtBench(bench, at.who)
    two = AtBench(bench, at.who)
    one.token, two.token = left_token, right_token
    one.session = one.begin(machine_id=left, lanes=lanes[:1])["session"]["id"]
    # The other machine is taken neither twice nor with the same lanes.
    taken = at.who.post(f"/studies/{bench.id}/sessions", {"machine_id": left, "lanes": lanes[1:]}, status=409)
    assert taken["code"] == "session_runs"
    same = at.who.post(f"/studies/{bench.id}/sessions", {"machine_id": right, "lanes": lanes}, status=409)
    assert same["code"] == "lanes_taken"
    two.session = two.begin(machine_id=right, lanes=lanes[1:])["session"]["id"]
    assert {c["lane_id"] for c in one.look()["coming"]} == {lanes[0]}
    assert {c["lane_id"] for c in two.look()["coming"]} == {lanes[1]}
    assert [other["machine"] for other in one.look()["others"]] == ["right"]
    # Both at once: what each wrote is its own pass, though both were written in the same second.
    a, b = one.go_on()["steps"][0], two.go_on()["steps"][0]
    at.wait(3.0)
    one.act("began", step=a["key"], pass_id=a["pass_id"])
    two.act("began", step=b["key"], pass_id=b["pass_id"])
    at.wait(8.0)
    one.act("ended", pass_id=a["pass_id"])
    two.act("ended", pass_id=b["pass_id"])
    assert two.send("capture.csv", bench.log(2))["became"] == "pass"
    assert one.send("capture.csv", bench.log(1))["became"] == "pass"
    by_lane = {row["lane_id"]: row["id"] for row in at.who.get(f"/studies/{bench.id}/passes") if row["file_name"]}
    assert by_lane == {lanes[0]: a["pass_id"], lanes[1]: b["pass_id"]}
    run_as = [at.who.get(f"/passes/{pk}")["run_as"]["bench"]["machine"] for pk in (a["pass_id"], b["pass_id"])]
    assert run_as == ["left", "right"]
    # Findings know which lane was run where.
    for who, one_pass in ((one, a), (two, b)):
        who.act("accepted", pass_id=one_pass["pass_id"])
    caveats = at.who.get(f"/studies/{bench.id}/findings")["caveats"]
    (told,) = [caveat for caveat in caveats if caveat["label"] == "Test machine"]
    assert told["about"] == "plain fins at left; tall fins at right"
    # Ending one ends no other, and an act of an ended one is refused by its words.
    ended = at.who.post(f"/studies/{bench.id}/sessions/end", {"notes": "", "session_id": one.session})
    assert ended["session"] is None
    one.act("noted", refused="no_session", words="too late")
    assert two.act("noted", words="still here")["session"]["machine"] == "right"


def test_two_persons_at_one_bench_send_to_its_session(at: AtBench, linked_at: AtBench) -> None:
    _, other = linked(at.bench.lead, "bench machine")
    at.play()
    assert at.send("a.csv", at.bench.log(1), token=other)["became"] == "pass"


def test_a_file_of_an_ended_session_is_not_the_next_ones(linked_at: AtBench) -> None:
    at = linked_at
    one = at.play()
    written = clock.now()
    at.wait(1.0)
    at.who.post(f"/studies/{at.bench.id}/sessions/end", {})
    at.wait(60.0)
    machine = at.who.get("/machines")[0]["id"]
    at.begin(machine_id=machine)
    assert at.send("late.csv", at.bench.log(1), written=written)["became"] == "pass"
    row = at.who.get(f"/passes/{one}")
    assert row["one"]["file_name"] == "late.csv"
    assert at.look()["verdict"] is None, "it is none of this session's"


def test_a_file_that_grows_after_it_was_sent_replaces_itself(linked_at: AtBench) -> None:
    at = linked_at
    whole = at.bench.log(4)
    half = whole[: len(whole) // 2].rsplit(b"\n", 1)[0] + b"\n"
    step = at.go_on()["steps"][0]
    at.wait(3.0)
    at.act("began", step=step["key"], pass_id=step["pass_id"])
    at.wait(4.2)
    assert at.send("run.csv", half)["words"] == "its run is still going"
    waits = at.look()["under_way"]
    assert (waits["ended_at"], waits["refused"]) == (None, ""), "nobody is asked to repeat it"
    at.wait(3.8)
    found = at.act("ended", pass_id=step["pass_id"])
    assert found["verdict"]["doubted"], "half of it came so far"
    at.act("accepted", pass_id=step["pass_id"])
    grown = at.send("run.csv", whole)
    assert grown["became"] == "grown"
    verdict = at.look()["verdict"]
    assert (verdict["pass_id"], verdict["doubted"]) == (step["pass_id"], False), "it is decided anew"
    one = at.who.get(f"/passes/{step['pass_id']}")
    assert one["figures"]["duration_s"] == pytest.approx(8.0, abs=0.1)
    assert one["one"]["state"] == "recorded"
    set_aside = at.who.get(f"/studies/{at.bench.id}/files?state=set_aside")
    assert [file["size"] for file in set_aside] == [len(half)]
    # Another capture under the same name is another run's.
    at.act("accepted", pass_id=step["pass_id"])
    at.play()
    assert at.send("run.csv", at.bench.log(5))["became"] == "pass"


def test_what_covers_no_run_or_two_waits_with_why_and_a_proposal(linked_at: AtBench) -> None:
    at = linked_at
    one = at.play()
    at.send("a.csv", at.bench.log(1))
    at.act("accepted", pass_id=one)
    two = at.play()
    long = at.bench.log(2, seconds=22.0)
    found = at.send("both.csv", long)
    assert found["became"] == "waiting"
    assert found["words"].startswith("it covers more than one run")
    (file,) = at.look()["tray"]
    assert file["why"] == found["words"]
    assert file["likely_pass_id"] in (one, two)
    assert "covers more than one run" in at.look()["under_way"]["refused"]


def test_a_meter_file_keeps_the_acceptance_unless_it_shows_something(linked_at: AtBench) -> None:
    at = linked_at
    sim = SimulatedBench({"1": SetupDescription()}, {"t": SimulatedTest("t", "Moss", "square", length_s=8)}, seed=4)
    played = sim.play(Wanted("1", "t", 1))
    assert played.log is not None
    assert played.meter is not None
    one = at.play()
    end = clock.now()
    at.send("frames.csv", played.log, written=end)
    at.act("accepted", pass_id=one)
    at.wait(1.0)
    assert at.send("meter.csv", played.meter, written=end + timedelta(seconds=2))["became"] == "samples"
    row = at.who.get(f"/passes/{one}")
    assert row["one"]["state"] == "accepted"
    assert row["figures"]["channel_means"]["wall_power_w"] > 100


def test_a_bare_session_is_that_of_the_machine_that_sends_first(at: AtBench) -> None:
    at.begin()
    at.play()
    at.send("a.csv", at.bench.log(1))
    assert at.look()["session"]["machine"] == "bench machine"
    other = at.who.post("/bench-links", {"name": "other"}, status=201)["token"]
    refused = at.send("b.csv", at.bench.log(2), status=409, token=other)
    assert (refused["code"], "other" in refused["message"]) == ("no_session", True)


def test_a_machine_whose_clock_is_years_off_is_put_right_by_the_servers(linked_at: AtBench) -> None:
    """How far it is off was measured before the file was sent: the way of a slow file is no part of it."""
    at = linked_at
    asked = Client().get("/api/link/clock", headers={"Authorization": f"Bearer {at.token}"})
    assert asked.json()["now_s"] == pytest.approx(clock.now().timestamp(), abs=2.0)
    one = at.play()
    behind = timedelta(days=2500)
    ended = clock.now()
    at.wait(25.0)
    sent = Client().post(
        "/api/link/files",
        {
            "file": SimpleUploadedFile("a.csv", at.bench.log(1)), "ahead_s": str(behind.total_seconds()),
            "written_at": (ended - behind).isoformat(), "now": (ended - behind).isoformat(),
        },
        headers={"Authorization": f"Bearer {at.token}"},
    )  # fmt: skip
    assert sent.json()["became"] == "pass", "it came 25 s after it was sent, and is that run's all the same"
    assert at.look()["verdict"]["pass_id"] == one
    for ahead in ("nan", "1e300", "x"):
        told = {"file": SimpleUploadedFile("b.csv", b"x"), "written_at": ended.isoformat(), "now": ended.isoformat()}
        refused = Client().post(
            "/api/link/files", {**told, "ahead_s": ahead}, headers={"Authorization": f"Bearer {at.token}"}
        )
        assert refused.status_code == 422, ahead
    assert Client().get("/api/link/clock").status_code == 401


@pytest.mark.parametrize("by_link", [True, False])
def test_a_log_that_was_cut_in_the_middle_of_a_row_is_taken_and_doubted(linked_at: AtBench, *, by_link: bool) -> None:
    at = linked_at
    rows = at.bench.log(1).split(b"\n")
    wide = b"\n".join([rows[0] + b",gpu_power_w", *(row + b",151.5" for row in rows[1:] if row)])
    torn = wide[:-9]
    one = at.play()
    if by_link:
        assert at.send("cut.csv", torn)["became"] == "pass"
    else:
        files = {"file": SimpleUploadedFile("cut.csv", torn)}
        came = at.who.client.post(f"/api/studies/{at.bench.id}/files", files).json()
        assert came["questions"] == []
        row = next(row for row in at.who.get(f"/studies/{at.bench.id}/passes") if row["id"] == one)
        place = {"arrival_id": came["id"], "lane_id": row["lane_id"], "test_id": row["test_id"], "number": 1}
        told = {"columns": came["columns"], "assignments": [place], "save_as": ""}
        assert at.who.post(f"/studies/{at.bench.id}/take", told)[0]["refusal"] is None
    (doubt,) = [d for d in at.look()["verdict"]["doubts"] if d["check"] == "cut_log"]
    assert "The last line of the file is broken" in doubt["words"]
