"""Several people at the same moment, each on a connection of their own: nothing is doubled, lost or stuck."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

import pytest
from django.db import close_old_connections, connections
from django.test import Client
from intake import services as intake
from intake.bounded import bounded
from intake.models import Arrival, ArrivalState
from studies.models import Pass, Study
from testkit import Bench, Caller, Jobs, caller, study_body


def at_once(count: int, act: Callable[[int], Any]) -> list[Any]:
    """Do something several times at the same moment, each on a connection of its own."""
    barrier, found = threading.Barrier(count), [None] * count

    def run(index: int) -> None:
        close_old_connections()
        try:
            barrier.wait(10)
            found[index] = act(index)
        finally:
            connections.close_all()

    threads = [threading.Thread(target=run, args=(index,)) for index in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    return found


@pytest.fixture
def live(transactional_db: None, jobs: Jobs) -> Bench:
    lead, tester = caller("lead"), caller("tester")
    return Bench(lead, tester, lead.post("/studies", study_body(), status=201))


def clone(who: Caller) -> Client:
    client = Client(raise_request_exception=False)
    client.cookies = who.client.cookies
    return client


def test_the_same_name_made_at_once_is_made_once(live: Bench) -> None:
    for path, body in (
        ("/parts", {"kind": "card", "name": "Tellur 9"}),
        ("/rigs", {"name": "Bench 3"}),
        ("/games", {"name": "Tin Lighthouse"}),
        ("/conditions", {"name": "720 low"}),
        ("/scenes", {"game": "Velvet Quarry", "name": "floor"}),
        ("/setups", {"name": "One more"}),
    ):

        def make(_: int, path: str = path, body: Any = body) -> Any:
            return clone(live.lead).post(f"/api{path}", body, content_type="application/json")

        answers = at_once(5, make)
        statuses = sorted(answer.status_code for answer in answers)
        assert statuses == [201] + [409] * 4, (path, [answer.content for answer in answers])


def test_reports_that_are_begun_at_once_stand_at_addresses_of_their_own(live: Bench) -> None:
    body = {"study_id": live.id}
    answers = at_once(5, lambda _: clone(live.tester).post("/api/reports", body, content_type="application/json"))
    assert [one.status_code for one in answers] == [201] * 5, [one.content[:200] for one in answers]
    assert len({one.json()["address"] for one in answers}) == 5


def test_one_more_pass_at_once_takes_the_next_number(live: Bench) -> None:
    body = {"lane_id": live.lane(0), "test_id": live.test(0)}
    answers = at_once(
        6, lambda _: clone(live.tester).post("/api/studies/passes", body, content_type="application/json")
    )
    assert sorted(answer.json()["number"] for answer in answers) == [4, 5, 6, 7, 8, 9]


def test_takes_into_one_cell_and_setting_aside_never_deadlock(live: Bench) -> None:
    files = [live.tester.hand_in(live.id, f"{n}.csv", live.log(n)) for n in range(6)]

    def act(index: int) -> Any:
        client, file = clone(live.tester), files[index]
        if index % 3 == 2:
            body: dict[str, Any] = {"arrival_ids": [file["id"], files[index - 1]["id"]]}
            return client.post(f"/api/studies/{live.id}/files/set-aside", body, content_type="application/json")
        place = {"arrival_id": file["id"], "lane_id": live.lane(0), "test_id": live.test(0)}
        body = {"columns": file["columns"], "assignments": [place]}
        return client.post(f"/api/studies/{live.id}/take", body, content_type="application/json")

    for answer in at_once(6, act):
        assert answer.status_code in (200, 409), answer.content
    taken = Arrival.objects.filter(state=ArrivalState.TAKEN).count()
    recorded = Pass.objects.filter(state="recorded")
    assert recorded.count() == taken
    assert len({one.number for one in recorded}) == taken


def test_a_finish_that_slips_in_leaves_no_recorded_pass(live: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    """The study is finished while a file is being read: it is not taken, and says why."""
    file = live.tester.hand_in(live.id, "a.csv", live.log(1))
    own = bounded

    def finish_meanwhile(function: Any, *args: Any) -> Any:
        found = own(function, *args)
        live.lead.post(f"/studies/{live.id}/finish")
        return found

    monkeypatch.setattr(intake, "bounded", finish_meanwhile)
    place = {"arrival_id": file["id"], "lane_id": live.lane(0), "test_id": live.test(0), "number": None}
    taken = live.tester.post(f"/studies/{live.id}/take", {"columns": file["columns"], "assignments": [place]})
    assert taken[0]["refusal"]["reason"] == "study_finished"
    assert Study.objects.get(pk=live.id).state == "finished"
    assert not Pass.objects.filter(state="recorded").exists()
