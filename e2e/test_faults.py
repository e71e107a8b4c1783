"""Worker, server and PostgreSQL are killed at random while a pack is taken in: the same is there in the end.

`make trials` kills forty times (RENNBAHN_KILLS).
"""

from __future__ import annotations

import io
import os
import random
import signal
import time
import zipfile
from typing import Any

import numpy as np
import psycopg
import pytest
from client import Client
from cluster import Cluster
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from serving import Served, serve_apart

KILLS = int(os.environ.get("RENNBAHN_KILLS", "2"))
SEED = 20_261_128
#: Captures for each kill, so that there is always something left to be broken.
FILES_A_KILL = 8
_PATIENCE_S = 120.0 + 15.0 * KILLS
GAMES = tuple(f"Faultline {n}" for n in range(10))
LANES = ("plain", "tall")


def pack(files: int) -> bytes:
    """A zip of captures whose names say where they belong."""
    out = io.BytesIO()
    demand = Scene(5.0, 12.0, seconds=6.0)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for at in range(files):
            lane, game, number = LANES[at % 2], GAMES[at // 2 % len(GAMES)], at // 2 // len(GAMES) + 1
            log = write_log(run_pass(demand, Rig(), np.random.default_rng([SEED, at])))
            packed.writestr(f"{lane} {game} {number}.csv", log)
    return out.getvalue()


def study(client: Client) -> int:
    """A study whose cells the pack fills."""
    setups = [{"name": f"Box, {lane}", "parts": [{"kind": "cooler", "name": f"Fins {lane}"}]} for lane in LANES]
    body = {
        "question": f"Does anything get lost? {time.monotonic_ns()}",
        "factor": "Cooler",
        "lanes": [{"name": lane, "setup": setup} for lane, setup in zip(LANES, setups, strict=True)],
        "tests": [{"game": game, "scene": "yard", "condition": "1440 high"} for game in GAMES],
    }
    return int(client.post("/studies", body)["id"])


def records(client: Client, number: int) -> list[Any]:
    """What a study holds of its passes, without what is a matter of chance: ids and times."""
    whole = client.get(f"/studies/{number}")
    lanes = {lane["id"]: lane["name"] for lane in whole["lanes_full"]}
    tests = {test["id"]: test["game"] for test in whole["tests_full"]}
    rows = client.get(f"/studies/{number}/passes")
    return sorted(
        [lanes[row["lane_id"]], tests[row["test_id"]], row["number"], row["state"], row["file_name"], row["sha256"],
         row["figures"]]
        for row in rows
    )  # fmt: skip


def hand_in(client: Client, number: int, content: bytes) -> None:
    """Hand a pack in."""
    one = client.post(f"/studies/{number}/packs", {"name": "day.zip"})["id"]
    client.upload(f"/packs/{one}/pieces/0", "piece", content)
    client.post(f"/packs/{one}/close", {})


def wait_through(client: Client, number: int, served: Served) -> Any:
    """Wait until a pack is through, while what dies of what was killed is started again."""
    end = time.monotonic() + _PATIENCE_S
    while True:
        served.raise_up()
        (found,) = client.get(f"/studies/{number}/packs")
        if found["state"] == "done":
            return found
        if time.monotonic() > end:
            raise AssertionError(f"the pack is not through after {_PATIENCE_S:.0f} s: {found}")
        time.sleep(0.2)


def break_something(served: Served, rng: random.Random) -> str:
    """Kill the worker, the server or PostgreSQL, or cut every connection to it."""
    what = rng.choice(("worker", "worker", "server", "database", "connections"))
    if what == "database":
        os.kill(int((served.cluster.data / "postmaster.pid").read_text().split("\n", 1)[0]), signal.SIGKILL)
        end = time.monotonic() + 20
        while served.cluster.running():  # one that is dying looks alive, and would not be started again
            assert time.monotonic() < end, "PostgreSQL survives its kill"
            time.sleep(0.01)
    elif what == "connections":
        told = {name: served.environment[f"RENNBAHN_DB_{name}"] for name in ("HOST", "PORT", "USER", "PASSWORD")}
        told = {name.lower(): value for name, value in told.items()}
        with psycopg.connect(**told, dbname="postgres", autocommit=True) as connection:
            connection.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
                " WHERE backend_type = 'client backend' AND pid <> pg_backend_pid()"
            )
    else:
        killed = served.worker if what == "worker" else served.web
        killed.kill()
        killed.wait(20)
    served.raise_up()
    return what


@pytest.mark.parametrize("kills", [KILLS])
def test_kills_at_random_end_in_the_same_records(kills: int) -> None:
    content = pack(FILES_A_KILL * kills)
    rng = random.Random(SEED)
    with serve_apart(Cluster("faults")) as served:
        client = Client(served.address)
        calm = study(client)
        began = time.monotonic()
        hand_in(client, calm, content)
        wait_through(client, calm, served)
        pace_s = (time.monotonic() - began) / (FILES_A_KILL * kills)
        shaken = study(client)
        hand_in(client, shaken, content)
        done: list[str] = []
        while len(done) < kills:
            time.sleep(rng.uniform(0.2, 1.0) * min(3.0, pace_s * FILES_A_KILL))
            done.append(break_something(served, rng))
        found = wait_through(client, shaken, served)
        assert found["waiting"] == 0
        assert found["taken"] == FILES_A_KILL * kills, f"{found} after {done}"
        assert records(client, shaken) == records(client, calm)
        told = ", ".join(f"{what} {done.count(what)}" for what in sorted(set(done)))
        print(f"killed {len(done)} times ({told}): the same {found['taken']} passes")
