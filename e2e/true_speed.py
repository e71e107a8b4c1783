"""`make trials`: two benches in true time, the real program on each, a logger's habits, and all truth known.

A logger writes as it goes, flushes late, pauses so long that it looks done, and is stopped by hand; people break off,
run again, go on without a file. Nothing is sped up: ten minutes take ten.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections import Counter
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
from client import Client
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from scratch import REPOSITORY
from serving import serving

LENGTH_S = 8.0
SEED = 20_261
LINK = REPOSITORY / "bench_link" / "bench_link.py"


@dataclass
class Truth:
    """A file and what it really is: whose pass, and whether a warm-up, or broken off or given up."""

    name: str
    pass_id: int
    kind: str


@dataclass
class Bench:
    """One test machine with its folder, its program and its person."""

    name: str
    client: Client
    study: int
    session: int
    folder: Path
    chance: random.Random
    truths: list[Truth] = field(default_factory=list)
    writers: list[threading.Thread] = field(default_factory=list)

    def act(self, kind: str, **told: Any) -> dict[str, Any]:
        now = datetime.now(UTC).isoformat()
        one = {"id": str(uuid.uuid4()), "kind": kind, "at": now, "session_id": self.session, **told}
        path = f"/studies/{self.study}/run/acts?session={self.session}"
        found: dict[str, Any] = self.client.post(path, {"acts": [one], "now": now})
        assert found["outcomes"][0]["done"], (kind, found["outcomes"])
        return found

    def look(self) -> dict[str, Any]:
        found: dict[str, Any] = self.client.get(f"/studies/{self.study}/run?session={self.session}")
        return found

    def sit(self, until: float) -> None:
        """Run until the time is over."""
        while time.monotonic() < until:
            found = self.look()
            one = found["coming"][0]["pass_id"]
            steps = {step["kind"]: step for step in found["steps"] if step["pass_id"] == one}
            if "warm_up" in steps and self.chance.random() < 0.5:
                self.run(steps["warm_up"], "warm_up")
            else:
                self.run(steps["pass"], "broken_off" if self.chance.random() < 0.15 else "pass")

    def run(self, step: dict[str, Any], kind: str) -> None:
        """A run from its countdown to what is done about it."""
        chance = self.chance
        time.sleep(3.0)
        told = {"step": step["key"], "pass_id": step["pass_id"]}
        took = LENGTH_S * (chance.uniform(0.4, 0.9) if kind == "broken_off" else 1.0)
        truth = Truth(f"{self.name}-{len(self.truths):03}.csv", step["pass_id"], kind)
        self.truths.append(truth)
        self.writers.append(threading.Thread(target=self.log, args=(truth, took, chance.random(), chance.random())))
        self.act("began", warm_up=kind == "warm_up", **told)
        self.writers[-1].start()
        time.sleep(took)
        if kind == "broken_off":
            self.act("aborted", pass_id=step["pass_id"])
            time.sleep(chance.uniform(1.0, 3.0))
            return
        self.act("ended", **told)
        self.await_file(truth)

    def await_file(self, truth: Truth) -> None:
        """Wait for as long as the screen says; then, or by impatience, go on without it."""
        ended = time.monotonic()
        while True:
            found = self.look()
            waits = found["under_way"]
            if waits is None:
                if found["verdict"] is not None:
                    self.act("accepted", pass_id=found["verdict"]["pass_id"])
                return
            since = time.monotonic() - ended
            if waits["warm_up"] and since > 4.0 and self.chance.random() < 0.05:
                self.act("done", step=waits["step"], pass_id=waits["pass_id"])
                return
            if since > waits["late_after_s"] + 2.0:
                if waits["warm_up"]:
                    self.act("done", step=waits["step"], pass_id=waits["pass_id"])
                else:
                    self.act("aborted", pass_id=waits["pass_id"])
                    truth.kind = "broken_off"
                return
            time.sleep(0.4)

    def log(self, truth: Truth, took: float, habit: float, slack: float) -> None:
        """What the logger writes: all at its end, as it goes, or with a pause that looks like its end."""
        seconds = took + slack
        run = run_pass(Scene(5.0, 9.0, seconds=seconds), Rig(), np.random.default_rng(list(truth.name.encode())))
        content = write_log(run)
        path = self.folder / truth.name
        if habit < 0.5:
            time.sleep(seconds + 4.0 * slack * (habit < 0.2))
            path.write_bytes(content)
            return
        lines = content.splitlines(keepends=True)
        pieces = 8 if habit < 0.8 else 2
        for at in range(pieces):
            time.sleep(seconds / pieces)
            with path.open("ab") as file:
                file.writelines(lines[len(lines) * at // pieces : len(lines) * (at + 1) // pieces])


def main(minutes: float = 10.0) -> int:
    """Sit at both benches, and say of every file whether it is with its run."""
    with serving("rennbahn_true_speed", demo=False) as served, tempfile.TemporaryDirectory() as place:
        address = served.address
        lead = Client(address)
        games = [("Moss Republic", "square"), ("Ninth Ferry", "harbour")]
        study = lead.post("/studies", {
            "question": "Do tall fins help?", "factor": "Cooler", "passes_wanted": 50,
            "lanes": [
                {"name": name, "setup": {"name": name, "parts": [{"kind": "cooler", "name": fins}], "settings": []}}
                for name, fins in (("plain", "Plain 40"), ("tall", "Tall 60"))
            ],
            "tests": [{"game": game, "scene": scene, "condition": "1440 high"} for game, scene in games],
        })  # fmt: skip
        benches, links = [], []
        for at, name in enumerate(("left", "right")):
            folder = Path(place) / name
            folder.mkdir()
            token = lead.post("/bench-links", {"name": name})["token"]
            machine = next(one["id"] for one in lead.get("/machines") if one["name"] == name)
            lanes = [study["lanes_full"][at]["id"]]
            begun = lead.post(f"/studies/{study['id']}/sessions", {"machine_id": machine, "lanes": lanes})
            told = [sys.executable, LINK, folder, "--address", address, "--memory", Path(place) / f"memory {name}"]
            environment = {**os.environ, "BENCH_LINK_TOKEN": token}
            links.append(subprocess.Popen(told, env=environment, stdout=subprocess.DEVNULL))
            chance = random.Random(SEED + at)
            benches.append(Bench(name, Client(address), study["id"], begun["session"]["id"], folder, chance))
        try:
            until = time.monotonic() + 60.0 * minutes
            sittings = [threading.Thread(target=bench.sit, args=(until,)) for bench in benches]
            for one in sittings:
                one.start()
            for one in sittings:
                one.join()
            for writer in (writer for bench in benches for writer in bench.writers):
                writer.join()
            time.sleep(15.0)  # what is on its way still comes
        finally:
            for link in links:
                link.terminate()
                link.wait(10)
        return told_of(lead, study["id"], [truth for bench in benches for truth in bench.truths])


def told_of(lead: Client, study: int, truths: list[Truth]) -> int:
    """Every file beside its truth; 1 where one is with a wrong run."""
    rows = {row["file_name"]: row for row in lead.get(f"/studies/{study}/passes") if row["file_name"]}
    aside = {file["name"] for file in lead.get(f"/studies/{study}/files?state=set_aside")}
    tray = {file["name"] for file in lead.get(f"/studies/{study}/files")}
    tally: Counter[str] = Counter()
    wrong = []
    for truth in truths:
        row = rows.get(truth.name)
        right = {
            "pass": row is not None and row["id"] == truth.pass_id,
            "warm_up": row is not None and row["role"] == "warm_up",
            "broken_off": row is None and truth.name in aside,
        }[truth.kind]
        fate = "with its run" if right else "in the tray" if truth.name in tray and row is None else "wrong"
        tally[f"{truth.kind} {fate}"] += 1
        if fate == "wrong":
            wrong.append(truth)
    print(f"{len(truths)} runs in true time: " + ", ".join(f"{what} {n}" for what, n in sorted(tally.items())))
    for truth in wrong:
        print("  wrong:", truth, rows.get(truth.name), truth.name in aside)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(*map(float, sys.argv[1:])))
