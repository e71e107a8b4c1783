"""What a test machine may do: hand in files with a token of its own, and nothing else."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import clock
import numpy as np
import pytest
from django.test import Client
from intake import limits
from rennbahn.planning.fairness import SetupDescription
from rennbahn.simulation import Rig, Scene, SimulatedBench, SimulatedTest, Wanted, run_pass
from running import link
from testkit import AtBench, Caller


def test_a_token_is_shown_once_and_filled_into_the_program(at: AtBench) -> None:
    made = at.who.post("/bench-links", {"name": "left machine"}, status=201)
    token = made["token"]
    assert token.startswith("rbl_")
    assert f"TOKEN = {token!r}" in made["program"]
    assert "ADDRESS = 'http://testserver'" in made["program"]
    compile(made["program"], "bench_link.py", "exec")
    assert token not in str(at.who.get("/bench-links"))
    assert b'TOKEN = ""' in at.who.get("/bench-link.py")
    assert at.who.post("/bench-links", {"name": "left machine"}, status=409)["code"] == "link_exists"


@pytest.mark.parametrize("token", ["", "rbl_nonsense", "Bearer", "session"])
def test_a_token_of_another_kind_is_refused(at: AtBench, token: str) -> None:
    at.begin()
    if token == "session":
        token = at.who.client.cookies["sessionid"].value
    answer = at.send("a.csv", at.bench.log(1), status=401, token=token)
    assert answer["code"] == "not_signed_in"


def test_a_revoked_token_is_refused_and_only_its_owner_or_a_lead_revokes(at: AtBench, viewer: Caller) -> None:
    at.begin()
    at.play()
    at.send("a.csv", at.bench.log(1))
    link = at.who.get("/bench-links")[0]
    assert link["last_used_at"]
    viewer.post(f"/bench-links/{link['id']}/revoke", status=403)
    assert at.bench.lead.post(f"/bench-links/{link['id']}/revoke")["revoked_at"]
    at.send("b.csv", at.bench.log(2), status=401)


@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("get", "/api/studies"), ("get", "/api/bench-links"), ("post", "/api/studies"), ("get", "/api/session"),
        ("post", "/api/bench-links"), ("get", "/api/files/1/content"),
    ],
)  # fmt: skip
def test_a_token_opens_no_other_address(at: AtBench, method: str, path: str) -> None:
    at.begin()
    at.play()
    at.send("a.csv", at.bench.log(1))
    response = getattr(Client(), method)(path, headers={"Authorization": f"Bearer {at.token}"})
    if path == "/api/session":
        assert response.json()["name"] == "", "who asks with a token is nobody"
    else:
        assert response.status_code == 401


def test_a_signed_in_person_does_not_send_as_a_machine(at: AtBench) -> None:
    at.who.call("POST", "/link/files", {}, status=401)


def test_a_file_without_a_session_waits_on_its_machine(at: AtBench) -> None:
    answer = at.send("early.csv", at.bench.log(1), status=409)
    assert answer["code"] == "no_session"
    at.begin()
    at.play()
    assert at.send("early.csv", at.bench.log(1))["became"] == "pass"


def test_a_file_goes_to_the_run_under_way_when_it_was_written(at: AtBench) -> None:
    at.begin()
    first = at.play()
    found = at.send("a.csv", at.bench.log(1))
    assert found["became"] == "pass"
    assert "plain fins" in found["words"]
    at.act("accepted", pass_id=first)
    assert at.send("a-again.csv", at.bench.log(1))["became"] == "known"
    again = at.send("b.csv", at.bench.log(2))
    assert (again["became"], again["words"]) == ("waiting", "the run it covers has a file already")
    assert [file["name"] for file in at.look()["tray"]] == ["b.csv"]


def test_a_file_that_was_written_before_any_run_waits_and_one_key_assigns_it(at: AtBench) -> None:
    at.begin()
    one = at.play()
    found = at.send("old.csv", at.bench.log(1), ago_s=600.0)
    assert (found["became"], found["words"]) == ("waiting", "no run was under way when it was written")
    tray = at.look()["tray"]
    taken = at.who.post(f"/files/{tray[0]['id']}/assign", {"pass_id": one})
    assert taken["became"] == "pass"
    assert at.look()["verdict"]["pass_id"] == one
    assert at.look()["tray"] == []


def test_a_tray_that_is_full_takes_no_more_and_the_file_is_sent_again_later(
    at: AtBench, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(limits, "MOST_OF_A_MACHINE", 1)
    at.begin()
    first = at.send("first.csv", at.bench.log(1), ago_s=900.0)
    refused = at.send("second.csv", at.bench.log(2), ago_s=600.0, status=409)
    assert refused["code"] == "too_many_wait"
    assert "“bench machine”" in refused["message"]
    at.who.post(f"/studies/{at.bench.id}/files/set-aside", {"arrival_ids": [first["arrival_id"]]})
    assert at.send("second.csv", at.bench.log(2), ago_s=600.0)["became"] == "waiting"


def test_a_warm_up_is_recorded_and_not_counted(at: AtBench) -> None:
    at.begin()
    found = at.look()
    while found["steps"][0]["kind"] != "warm_up":
        step = found["steps"][0]
        told = {"step": step["key"], "pass_id": step["pass_id"]}
        if step["kind"] == "read_back":
            question = step["question"]
            found = at.act("read_back", setting=question["setting"], seen=question["wanted"], **told)
        else:
            found = at.act("done", **told)
    step = found["steps"][0]
    at.act("began", step=step["key"], pass_id=step["pass_id"], warm_up=True)
    at.wait(8.0)
    at.act("ended", pass_id=step["pass_id"])
    assert at.send("warm.csv", at.bench.log(9))["became"] == "warm_up"
    after = at.look()
    assert after["verdict"] is None
    assert after["under_way"] is None, "its file came, so it is done"
    assert after["steps"][0]["kind"] == "pass"
    rows = at.who.get(f"/studies/{at.bench.id}/passes")
    warm = [row for row in rows if row["role"] == "warm_up"]
    assert [(row["state"], row["file_name"]) for row in warm] == [("recorded", "warm.csv")]
    assert at.who.get(f"/studies/{at.bench.id}/run")["progress"]["run"] == 0
    # Nobody has to decide on it: it holds up neither what is accepted at once nor the end of the study.
    assert at.who.get(f"/studies/{at.bench.id}")["counts"]["recorded"] == 0
    assert at.who.post(f"/studies/{at.bench.id}/passes/accept", {"pass_ids": None}) == {"accepted": 0, "left": 0}
    assert at.bench.lead.post(f"/studies/{at.bench.id}/finish")["state"] == "finished"


def test_what_is_no_capture_says_so_at_the_bench(at: AtBench) -> None:
    at.begin()
    at.play()
    assert at.send("notes.csv", b"hello\nworld\n")["became"] == "waiting"
    found = at.look()
    assert found["tray"][0]["name"] == "notes.csv"
    assert found["under_way"]["ended_at"]


@pytest.mark.parametrize("frames_first", [True, False])
def test_samples_join_their_pass_by_the_clock_of_their_files(at: AtBench, *, frames_first: bool) -> None:
    sim = SimulatedBench({"1": SetupDescription()}, {"t": SimulatedTest("t", "Moss", "square", length_s=8)}, seed=4)
    played = sim.play(Wanted("1", "t", 1))
    assert played.log is not None
    assert played.meter is not None
    at.begin()
    one = at.play()
    # The meter wrote its last line two seconds after the run's end.
    end = clock.now()
    files = [("frames.csv", played.log, end), ("meter.csv", played.meter, end + timedelta(seconds=2))]
    for name, content, written in files if frames_first else files[::-1]:
        at.send(name, content, written=written)
    detail = at.who.get(f"/passes/{one}")
    roles = {file["role"]: file for file in detail["files"]}
    assert set(roles) == {"frames", "samples"}
    assert roles["samples"]["offset_s"] == pytest.approx(-3.0, abs=0.6)
    watts = detail["figures"]["channel_means"]["wall_power_w"]
    assert watts > 100
    # The reviewer knows better: the meter began half the run later, so that only its beginning lies within.
    at.act("accepted", pass_id=one)
    moved = at.who.put(f"/files/{roles['samples']['id']}/offset", {"offset_s": 1.0})
    assert moved["one"]["state"] == "recorded", "it is decided again"
    assert next(file["offset_s"] for file in moved["files"] if file["role"] == "samples") == 1.0
    assert moved["figures"]["channel_means"]["wall_power_w"] < watts
    frames = roles["frames"]["id"]
    assert at.who.put(f"/files/{frames}/offset", {"offset_s": 1.0}, status=409)["code"] == "no_samples"


def test_a_saved_map_is_taken_by_its_name(at: AtBench) -> None:
    def odd(seed: int) -> bytes:
        run = run_pass(Scene(5.0, 9.0, seconds=8.0), Rig(), np.random.default_rng(seed))
        return b"a;b\n" + b"".join(f"{k};{ms:.3f}\n".encode() for k, ms in enumerate(run.frame_ms))

    at.begin()
    first = at.play()
    waiting = at.send("odd-1.csv", odd(1))
    assert waiting["became"] == "waiting", "nobody said what its columns are"
    columns = {
        "format": "delimited", "delimiter": ";", "map": [{"column": "b", "channel": "frame_time", "unit": "ms"}],
    }  # fmt: skip
    one = next(row for row in at.who.get(f"/studies/{at.bench.id}/passes") if row["id"] == first)
    place = {"arrival_id": waiting["arrival_id"], "lane_id": one["lane_id"], "test_id": one["test_id"]}
    taken = {"columns": columns, "assignments": [{**place, "number": one["number"]}], "save_as": "odd logger"}
    assert at.who.post(f"/studies/{at.bench.id}/take", taken)[0]["refusal"] is None
    at.act("accepted", pass_id=first)
    # The same machine, with another token: its files are read by the map that is named.
    (link,) = at.who.get("/bench-links")
    at.who.post(f"/bench-links/{link['id']}/revoke")
    told = {"name": "Bench  machine", "columns_name": "odd logger"}
    at.token = at.who.post("/bench-links", told, status=201)["token"]
    second = at.play()
    assert at.send("odd-2.csv", odd(2))["became"] == "pass"
    assert at.look()["verdict"]["pass_id"] == second


def test_a_file_that_was_kept_and_never_tied_is_tied_when_it_is_sent_again(
    at: AtBench, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The server was killed between keeping a file and finding out which run it belongs to."""
    at.begin()
    one = at.play()

    def killed(*_: Any) -> None:
        raise SystemExit

    with monkeypatch.context() as patched:
        patched.setattr(link, "_place", killed)
        with pytest.raises(SystemExit):
            at.send("a.csv", at.bench.log(1))
    assert at.look()["verdict"] is None
    assert at.send("a.csv", at.bench.log(1))["became"] == "pass"
    assert at.look()["verdict"]["pass_id"] == one
    assert at.send("a.csv", at.bench.log(1))["became"] == "known"
