"""Worker and server are killed and connections to PostgreSQL cut, at random from a seed, while a pack is taken in.

In the end the same is there as without. `make test-faults` kills forty times (RENNBAHN_KILLS).
"""

from __future__ import annotations

import io
import json
import os
import random
import signal
import time
import urllib.error
import urllib.request
import zipfile
from http.cookiejar import CookieJar
from typing import Any

import numpy as np
import psycopg
import pytest
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from serving import PASSWORD, Served, serve_apart

KILLS = int(os.environ.get("RENNBAHN_KILLS", "5"))
SEED = 20_261_128
#: Captures for each kill, so that there is always something left to be broken.
FILES_A_KILL = 8
_PATIENCE_S = 60.0 + 12.0 * KILLS
GAMES = tuple(f"Faultline {n}" for n in range(10))
LANES = ("plain", "tall")


class Client:
    """Somebody at the API, who tries again where nobody answers."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        token = self.get("/session")["csrf_token"]
        self.token = self.call("POST", "/session", {"name": "mara", "password": PASSWORD}, token)["csrf_token"]

    def get(self, path: str) -> Any:
        return self.call("GET", path)

    def post(self, path: str, body: Any) -> Any:
        return self.call("POST", path, body, self.token)

    def call(self, method: str, path: str, body: Any = None, token: str = "") -> Any:
        data = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self.address}
        return self._sent(urllib.request.Request(self.address + "/api" + path, data, headers, method=method))

    def upload(self, path: str, name: str, content: bytes) -> Any:
        edge = "faults"
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
        body = head + content + f"\r\n--{edge}--\r\n".encode()
        headers = {"Content-Type": f"multipart/form-data; boundary={edge}", "X-CSRFToken": self.token}
        return self._sent(urllib.request.Request(self.address + "/api" + path, body, headers))

    def _sent(self, request: urllib.request.Request) -> Any:
        end = time.monotonic() + 40
        while True:
            try:
                with self.opener.open(request, timeout=20) as response:
                    return json.loads(response.read())
            except urllib.error.HTTPError as error:
                if error.code < 500 or time.monotonic() > end:
                    raise AssertionError(f"{request.full_url}: {error.code} {error.read()[:300]!r}") from None
            except OSError:
                if time.monotonic() > end:
                    raise
            time.sleep(0.2)


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


def taken_in(client: Client, number: int, content: bytes) -> None:
    """Hand a pack in and wait until it is through."""
    client.upload(f"/studies/{number}/packs", "day.zip", content)
    wait_through(client, number)


def wait_through(client: Client, number: int) -> Any:
    end = time.monotonic() + _PATIENCE_S
    while True:
        (found,) = client.get(f"/studies/{number}/packs")
        if found["state"] == "done":
            return found
        if time.monotonic() > end:
            raise AssertionError(f"the pack is not through after {_PATIENCE_S:.0f} s: {found}")
        time.sleep(0.2)


def break_something(served: Served, rng: random.Random) -> str:
    """Kill the worker or the server, or cut every connection to the database."""
    what = rng.choice(("worker", "worker", "server", "database"))
    if what == "database":
        with psycopg.connect(served.admin, autocommit=True) as connection:
            connection.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s AND pid <> pg_backend_pid()",
                (served.database,),
            )
    else:
        (served.worker if what == "worker" else served.web).send_signal(signal.SIGKILL)
    served.raise_up()
    return what


@pytest.mark.skipif("RENNBAHN_KILLS" not in os.environ, reason="minutes of kills: make test-faults")
@pytest.mark.parametrize("kills", [KILLS])
def test_kills_at_random_end_in_the_same_records(kills: int) -> None:
    content = pack(FILES_A_KILL * kills)
    rng = random.Random(SEED)
    with serve_apart("rennbahn_faults") as served:
        client = Client(served.address)
        calm = study(client)
        began = time.monotonic()
        taken_in(client, calm, content)
        pace_s = (time.monotonic() - began) / (FILES_A_KILL * kills)
        shaken = study(client)
        client.upload(f"/studies/{shaken}/packs", "day.zip", content)
        done: list[str] = []
        while len(done) < kills:
            time.sleep(rng.uniform(0.2, 1.0) * min(3.0, pace_s * FILES_A_KILL))
            done.append(break_something(served, rng))
        found = wait_through(client, shaken)
        assert found["waiting"] == 0
        assert found["taken"] == FILES_A_KILL * kills, f"{found} after {done}"
        assert records(client, shaken) == records(client, calm)
        print(f"killed {len(done)} times ({', '.join(sorted(set(done)))}): the same {found['taken']} passes")
