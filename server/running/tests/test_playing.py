"""The simulated bench beside the server: it plays what begins, its files come by the same door, and all say so."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from people.models import BenchToken
from running.models import RunAct
from running.playing import Player
from testkit import AtBench, Bench, Caller, accepting


@pytest.fixture
def at(live_server: Any, transactional_db: None, lead: Caller, tester: Caller, bench: Bench) -> AtBench:
    """A study at the bench of a server that answers on a port."""
    return AtBench(bench, bench.tester)


@pytest.fixture
def player(live_server: Any, tmp_path: Path) -> Iterator[Player]:
    found = Player(live_server.url, tmp_path)
    yield found
    found.close()


def play(player: Player, at: AtBench, until: str) -> dict[str, Any]:
    """Let the bench play until something shows at Run."""
    for _ in range(200):
        player.turn()
        found = at.look()
        if found[until]:
            return found
        time.sleep(0.02)
    raise AssertionError(f"no {until}: {found}")


def test_a_run_is_played_and_its_files_come_by_the_link(at: AtBench, player: Player) -> None:
    at.begin(simulated=True, speed=100, seed=3)
    assert player.turn()
    at.play()
    found = play(player, at, "verdict")
    assert found["verdict"]["simulated"]
    assert found["verdict"]["file_name"].startswith("run-")
    at.act("accepted", pass_id=found["verdict"]["pass_id"])
    (row,) = [one for one in at.who.get(f"/studies/{at.bench.id}/passes") if one["state"] == "accepted"]
    assert row["simulated"]
    token = BenchToken.objects.get()
    assert token.user == User.objects.get(username="a-tester")
    at.who.post(f"/studies/{at.bench.id}/sessions/end", {})
    assert not player.turn()
    token.refresh_from_db()
    assert token.revoked_at is not None, "nobody keeps a token of a bench that is left"


def test_a_run_that_was_broken_off_writes_nothing(at: AtBench, player: Player) -> None:
    at.begin(simulated=True, speed=5, seed=3)
    step = at.go_on()["steps"][0]
    at.act("began", step=step["key"], pass_id=step["pass_id"])
    player.turn()
    at.act("aborted", pass_id=step["pass_id"])
    for _ in range(110):
        player.turn()
        time.sleep(0.02)
    assert at.look()["verdict"] is None
    assert at.look()["tray"] == []


def test_simulated_and_real_passes_do_not_finish_together(at: AtBench, player: Player) -> None:
    at.begin(simulated=True, speed=200, seed=3)
    at.play()
    one = play(player, at, "verdict")["verdict"]["pass_id"]
    at.act("accepted", pass_id=one)
    at.who.post(f"/studies/{at.bench.id}/sessions/end", {})
    findings = at.who.get(f"/studies/{at.bench.id}/findings")
    assert findings["caveats"][0]["about"] == "one accepted pass is simulated"
    table = at.who.get(f"/studies/{at.bench.id}/findings.csv").decode()
    assert "Simulated bench" in table
    at.bench.accept(at.bench.record(1, 1, seed=8))
    answer = at.bench.lead.post(f"/studies/{at.bench.id}/finish", status=409)
    assert answer["code"] == "simulated_and_real"
    refused = at.who.post(f"/studies/{at.bench.id}/sessions", {"simulated": True}, status=409)
    assert refused["code"] == "really_run"


def test_changes_on_a_simulated_bench_teach_nothing(at: AtBench) -> None:
    at.begin(simulated=True, speed=10)
    steps = [step for step in at.look()["steps"] if step["cost"] == "load_s"][:3]
    for step in steps:
        at.act("done", step=step["key"], pass_id=step["pass_id"], took_s=1.0, cost="load_s")
    assert {one["times"] for one in at.who.get("/learned-costs")} == {0}


def test_the_other_lane_shows_where_a_setting_is_not_on(at: AtBench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("running.simulated.FAULTS", {"setting_not_applied": 1.0})
    body = at.bench.study
    setups: list[dict[str, Any]] = [
        {"name": f"Box {watts}", "parts": [{"kind": "card", "name": "Ostrane V5"}],
         "settings": [{"name": "Power limit", "value": watts}]}
        for watts in ("160 W", "110 W")
    ]  # fmt: skip
    made = at.bench.lead.post(
        "/studies",
        {
            "question": "Less power?", "factor": "Power limit",
            "lanes": [{"name": one["settings"][0]["value"], "setup": one} for one in setups],
            "tests": [{"game": body["tests_full"][0]["game"], "scene": "square", "condition": "1440 high"}],
        },
        status=201,
    )  # fmt: skip
    for objection in at.bench.lead.get(f"/studies/{made['id']}/plan")["objections"]:
        at.bench.lead.post(f"/studies/{made['id']}/acceptances", accepting(objection, "for this test"), status=201)
    own = AtBench(Bench(at.bench.lead, at.bench.tester, made), at.bench.tester)
    found = own.begin(simulated=True)
    question = next(step["question"] for step in found["steps"] if step["kind"] == "read_back")
    assert (question["wanted"], question["shows"]) == ("160 W", "110 W")
    assert RunAct.objects.filter(session__study=made["id"]).count() == 1
