"""What runs is killed at random while a pack is taken in, somebody decides, and a test machine sends captures.

Worker, server, PostgreSQL, connections to it, the machine's program: in the end all that was said is there, each once.
`make trials` kills two hundred times (RENNBAHN_KILLS).
"""

from __future__ import annotations

import io
import os
import random
import signal
import subprocess
import sys
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import psycopg
import pytest
from client import Client
from cluster import Cluster
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from scratch import REPOSITORY
from serving import Served, serve_apart

KILLS = int(os.environ.get("RENNBAHN_KILLS", "12"))
SEED = 20_261_128
#: Captures for each kill, so that there is always something left to be broken.
FILES_A_KILL = 8
_PATIENCE_S = 120.0 + 15.0 * KILLS
GAMES = tuple(f"Faultline {n}" for n in range(10))
LANES = ("plain", "tall")
LINK = REPOSITORY / "bench_link" / "bench_link.py"


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


def break_something(served: Served, link: Link, rng: random.Random) -> str:
    """Kill the worker, the server, PostgreSQL or a machine's program, or cut every connection to the database."""
    what = rng.choice(("worker", "worker", "server", "database", "connections", "link"))
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
    elif what == "link":
        link.kill()
    else:
        killed = served.worker if what == "worker" else served.web
        killed.kill()
        killed.wait(20)
    served.raise_up()
    return what


@dataclass
class Link:
    """A test machine: its program, the folder that it watches, and what was written there."""

    address: str
    token: str
    place: Path
    written: list[str] = field(default_factory=list)
    process: subprocess.Popen[bytes] | None = None

    def kill(self) -> None:
        """Kill the program, which a person starts again."""
        self.end()
        folder = self.place / "captures"
        folder.mkdir(exist_ok=True)
        command = [sys.executable, LINK, folder, "--address", self.address, "--memory", self.place / "memory"]
        environment = {**os.environ, "BENCH_LINK_TOKEN": self.token}
        self.process = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL)

    def end(self) -> None:
        """End it at once."""
        if self.process is not None:
            self.process.kill()
            self.process.wait(20)

    def write(self) -> None:
        """A capture is there."""
        run = run_pass(Scene(5.0, 9.0, seconds=5.0), Rig(), np.random.default_rng([SEED, 7, len(self.written)]))
        self.written.append(f"machine {len(self.written)}.csv")
        (self.place / "captures" / self.written[-1]).write_bytes(write_log(run))


@pytest.fixture
def machine(tmp_path: Path) -> Iterator[Callable[[Served, Client], Link]]:
    """A test machine with a session of its own, once there is a server."""
    made: list[Link] = []

    def begin(served: Served, client: Client) -> Link:
        number = study(client)
        token = client.post("/bench-links", {"name": "left"})["token"]
        found = next(one["id"] for one in client.get("/machines") if one["name"] == "left")
        client.post(f"/studies/{number}/sessions", {"machine_id": found})
        made.append(Link(served.address, token, tmp_path))
        made[-1].kill()
        return made[-1]

    yield begin
    for one in made:
        one.end()


def decide(client: Client, passes: list[int], over: threading.Event) -> None:
    """Accept passes one after the other, each until the server said that it is so."""
    for one in passes:
        client.call("PUT", f"/studies/passes/{one}/state", {"state": "accepted"}, client.token)
        time.sleep(0.2)
        if over.is_set():
            return


@pytest.mark.parametrize("kills", [KILLS])
def test_kills_at_random_end_in_the_same_records(kills: int, machine: Callable[[Served, Client], Link]) -> None:
    content = pack(FILES_A_KILL * kills)
    rng = random.Random(SEED)
    with serve_apart(Cluster("faults")) as served:
        client, decider = Client(served.address), Client(served.address)
        calm = study(client)
        began = time.monotonic()
        hand_in(client, calm, content)
        wait_through(client, calm, served)
        pace_s = (time.monotonic() - began) / (FILES_A_KILL * kills)
        recorded = records(client, calm)
        passes = [row["id"] for row in client.get(f"/studies/{calm}/passes") if row["state"] == "recorded"]
        shaken, link, over = study(client), machine(served, client), threading.Event()
        hand_in(client, shaken, content)
        deciding = threading.Thread(target=decide, args=(decider, passes, over))
        deciding.start()
        done: list[str] = []
        while len(done) < kills:
            link.write()
            time.sleep(rng.uniform(0.2, 1.0) * min(3.0, pace_s * FILES_A_KILL))
            done.append(break_something(served, link, rng))
        found = wait_through(client, shaken, served)
        assert found["waiting"] == 0
        assert found["taken"] == FILES_A_KILL * kills, f"{found} after {done}"
        assert records(client, shaken) == recorded
        deciding.join(_PATIENCE_S)
        assert not deciding.is_alive(), "somebody decides still"
        assert_decided(client, calm, passes)
        assert_sent(client, link, served)
        told = ", ".join(f"{what} {done.count(what)}" for what in sorted(set(done)))
        print(f"killed {len(done)} times ({told}): the same {found['taken']} passes, {len(passes)} decisions, "
              f"{len(link.written)} files of a machine")  # fmt: skip


def assert_decided(client: Client, number: int, passes: list[int]) -> None:
    """What was said is so, and was noted once."""
    states = {row["id"]: row["state"] for row in client.get(f"/studies/{number}/passes") if row["id"] in set(passes)}
    assert set(states.values()) == {"accepted"}, states
    noted = [line for line in client.get(f"/studies/{number}/audit") if line["what"] == "accepted the pass"]
    assert len(noted) == len(passes)


def assert_sent(client: Client, link: Link, served: Served) -> None:
    """Every capture of the machine is in its tray once."""
    number = max(one["id"] for one in client.get("/studies"))
    end = time.monotonic() + _PATIENCE_S
    while True:
        served.raise_up()
        there = sorted(file["name"] for file in client.get(f"/studies/{number}/files"))
        if len(there) >= len(link.written):
            break
        assert time.monotonic() < end, (there, link.written)
        time.sleep(0.3)
    assert there == sorted(link.written)
