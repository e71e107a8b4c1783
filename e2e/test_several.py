"""On several machines, one of everything is killed while three packs are taken in: every capture is there once."""

from __future__ import annotations

from functools import partial

import pytest
from client import Client
from several import Several, several, until
from test_faults import GAMES, LANES, hand_in, pack, records, study

FILES = 40
SECRET = "a-good-long-password"
#: In this order, each while packs are taken in.
KILLED = ("worker 0", "web 0", "pool", "replica", "database", "worker 1")


def through(client: Client, studies: list[int], found: Several) -> bool:
    """Whether all packs are, while what was killed is started again."""
    found.raise_up()
    return all(client.get(f"/studies/{number}/packs")[0]["state"] == "done" for number in studies)


@pytest.mark.parametrize("files", [FILES])
def test_one_of_everything_is_killed_while_three_packs_are_taken_in(files: int) -> None:
    content = pack(files)
    with several("several") as found:
        one, other = Client(found.address(0)), Client(found.address(1))
        studies = [study(one) for _ in range(3)]
        for number in studies:
            hand_in(other, number, content)
        taken = 0
        for name in KILLED:
            # Each kill comes after some more was taken.
            until(partial(_went_on, other, studies, found, taken), 180)
            taken = _taken(other, studies)
            found.kill(name)
            found.raise_up()
        until(lambda: through(one, studies, found), 300)
        first, *others = [[row for row in records(one, number) if row[3] == "recorded"] for number in studies]
        cells = sorted([lane, game, number] for lane in LANES for game in GAMES for number in (1, 2))
        assert [row[:3] for row in first] == cells
        assert all(row[5] for row in first), "each has its file"
        assert others == [first, first], "the same pack is the same passes"
        assert records(other, studies[0]) == records(one, studies[0]), "both web servers say the same"
        _readers(found, studies[0], one)


def _went_on(client: Client, studies: list[int], found: Several, taken: int) -> bool:
    return _taken(client, studies) > taken or through(client, studies, found)


def _taken(client: Client, studies: list[int]) -> int:
    return sum(client.get(f"/studies/{number}/packs")[0]["taken"] for number in studies)


def _readers(found: Several, number: int, lead: Client) -> None:
    """A viewer is served from the replica, from the database while that is away, and sees what they wrote at once."""
    token = lead.post("/people/invitations", {"role": "viewer"})["token"]
    lead.post("/session/link/take", {"token": token, "name": "ilse", "password": SECRET})
    viewer = Client(found.address(0), "ilse", SECRET)
    # Who wrote reads from the database itself for ten seconds.
    until(lambda: _read_there(viewer, number))
    rows = viewer.get(f"/studies/{number}/passes")
    assert sum(row["state"] == "recorded" for row in rows) == FILES
    assert viewer.headers["X-Read-From"] == "replica"
    found.kill("replica")
    assert viewer.get(f"/studies/{number}/passes") == rows
    assert "X-Read-From" not in viewer.headers
    found.raise_up()
    until(found.replica_answers)
    until(lambda: _read_there(viewer, number))


def _read_there(viewer: Client, number: int) -> bool:
    viewer.get(f"/studies/{number}/findings")
    return viewer.headers.get("X-Read-From") == "replica"
