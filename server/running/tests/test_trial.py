"""Sittings on trial: two benches, a nervous person, loggers that flush late, links that lag, all truth known.

Time is the bench's clock, put on by the trial. `RENNBAHN_RUNS` runs in all: 20 in tests, 500 in `make trials`.
"""

from __future__ import annotations

import heapq
import itertools
import os
import random
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import clock
import pytest
from running.models import BenchRun
from testkit import AtBench, Bench, study_body

SEED = int(os.environ.get("RENNBAHN_SEED", "20261"))
RUNS = int(os.environ.get("RENNBAHN_RUNS", "20"))
#: So much of what was sent may wait in the tray for a person: what nobody could know is asked, never guessed.
MOST_IN_TRAY = 0.02
LENGTH_S = 8.0


@dataclass
class Truth:
    """What a file really is: the pass it was run for, and whether it was a warm-up or was broken off or given up."""

    name: str
    pass_id: int
    kind: str
    became: str = ""
    arrival: int | None = None


@dataclass
class Trial:
    """Two benches side by side, what is on its way from each, and what is true of it."""

    chance: random.Random
    tally: Counter[str] = field(default_factory=Counter)
    truths: list[Truth] = field(default_factory=list)
    due: list[tuple[datetime, int, Any]] = field(default_factory=list)
    order: Iterator[int] = field(default_factory=itertools.count)

    def later(self, at: datetime, does: Any) -> None:
        """Something comes to pass then."""
        heapq.heappush(self.due, (at, next(self.order), does))

    def pass_time(self, until: datetime) -> None:
        """Let time pass, and do what is due meanwhile, each at its moment."""
        while self.due and self.due[0][0] <= until:
            at, _, does = heapq.heappop(self.due)
            put_on(at)
            does()
        put_on(until)


def put_on(moment: datetime) -> None:
    clock.ahead += max(timedelta(0), moment - clock.now())


class Person:
    """Somebody at one bench: runs, breaks off, waits for the file or does not, runs again."""

    def __init__(self, trial: Trial, at: AtBench, lane: str) -> None:
        self.trial, self.at, self.lane = trial, at, lane
        self.seeds = itertools.count(1 if lane == "left" else 10_001)
        #: The machine's clock is off by this, and by that much more than its program believes.
        self.off_s = trial.chance.uniform(-0.2, 0.2)

    def turn(self) -> None:
        """The next run, from the countdown to what is done about it."""
        chance = self.trial.chance
        found = self.at.look()
        if found["under_way"] is not None:
            return self.wait_or_go_on(found)
        if found["verdict"] is not None:
            kind = "repeated" if chance.random() < 0.1 else "accepted"
            self.at.act(kind, pass_id=found["verdict"]["pass_id"])
            return self.again(chance.uniform(1.0, 4.0))
        one = found["coming"][0]["pass_id"]
        step = next(step for step in found["steps"] if step["pass_id"] == one and step["kind"] == "pass")
        warm_up = next((step for step in found["steps"] if step["pass_id"] == one and step["kind"] == "warm_up"), None)
        if warm_up is not None and chance.random() < 0.7:
            return self.run(warm_up, "warm_up")
        if warm_up is not None:
            self.at.act("done", step=warm_up["key"], pass_id=one)
        return self.run(step, "broken_off" if chance.random() < 0.12 else "pass")

    def run(self, step: dict[str, Any], kind: str) -> None:
        """A run from now on: the logger is begun and stopped by hand, near to what the screen says."""
        trial, chance = self.trial, self.trial.chance
        began = clock.now() + timedelta(seconds=3.0)
        took = LENGTH_S * chance.uniform(0.4, 0.9) if kind == "broken_off" else LENGTH_S
        ended = began + timedelta(seconds=took)
        log_from = began + timedelta(seconds=chance.uniform(-1.0, 0.6))
        log_to = ended + timedelta(seconds=chance.uniform(-0.3, 1.0))
        flushed = log_to + timedelta(seconds=chance.choice([0.0, 0.1, 0.5, chance.uniform(0.0, 5.0)]))
        came = flushed + timedelta(
            seconds=2.0 + chance.choice([0.2, 1.0, chance.uniform(0.0, 8.0), chance.expovariate(1 / 20)])
        )
        truth = Truth(f"{self.lane}-{next(self.seeds)}.csv", step["pass_id"], kind)
        trial.truths.append(truth)
        log = self.at.bench.log(int(truth.name.split("-")[1][:-4]), seconds=(log_to - log_from).total_seconds())
        told: dict[str, Any] = {"step": step["key"], "pass_id": step["pass_id"]}
        trial.later(began, lambda: self.at.act("began", warm_up=kind == "warm_up", **told))
        if kind == "broken_off":
            trial.later(ended, lambda: self.at.act("aborted", pass_id=step["pass_id"]))
        else:
            trial.later(ended, lambda: self.at.act("ended", **told))
        if chance.random() < 0.15 and kind == "pass":
            # A logger that flushes as it goes, with a pause that looks like its end.
            half = log[: int(len(log) * 0.6)].rsplit(b"\n", 1)[0] + b"\n"
            at_half = log_from + 0.6 * (log_to - log_from)
            trial.later(min(came, at_half + timedelta(seconds=2.2)), lambda: self.send(truth, half, at_half))
            came = max(came, at_half + timedelta(seconds=3.0))
        trial.later(came, lambda: self.send(truth, log, flushed))
        trial.later(ended + timedelta(seconds=chance.uniform(0.5, 3.0)), self.turn)

    def wait_or_go_on(self, found: dict[str, Any]) -> None:
        """The run has ended and its file is awaited: for as long as the screen says, then it is given up."""
        waits = found["under_way"]
        since = (clock.now() - datetime.fromisoformat(waits["ended_at"])).total_seconds()
        if waits["warm_up"] and self.trial.chance.random() < 0.3:
            self.at.act("done", step=waits["step"], pass_id=waits["pass_id"])
        elif since > waits["late_after_s"] + 1.0:
            if waits["warm_up"]:
                self.at.act("done", step=waits["step"], pass_id=waits["pass_id"])
            else:
                self.trial.tally["given up"] += 1
                self.at.act("aborted", pass_id=waits["pass_id"])
                last = next(t for t in reversed(self.trial.truths) if t.pass_id == waits["pass_id"])
                last.kind = "broken_off"
        self.again(1.0)

    def again(self, after_s: float) -> None:
        self.trial.later(clock.now() + timedelta(seconds=after_s), self.turn)

    def send(self, truth: Truth, content: bytes, written: datetime) -> None:
        """The file comes, with when it was written by the machine's own clock."""
        found = self.at.send(truth.name, content, written=written + timedelta(seconds=self.off_s))
        truth.became, truth.arrival = found["became"], found["arrival_id"]


@pytest.fixture
def benches(lead: Any, tester: Any) -> list[AtBench]:
    """One study at two machines of one person, a lane each, with as many passes as are asked for."""
    wanted = max(3, min(50, RUNS // 8))
    bench = Bench(lead, tester, lead.post("/studies", study_body(passes_wanted=wanted), status=201))
    found = []
    for number, name in enumerate(("left", "right")):
        at = AtBench(bench, tester)
        at.token = tester.post("/bench-links", {"name": name}, status=201)["token"]
        machine = next(one["id"] for one in tester.get("/machines") if one["name"] == name)
        at.session = at.begin(machine_id=machine, lanes=[bench.lane(number)])["session"]["id"]
        found.append(at)
    return found


def test_every_file_is_with_its_run_or_waits_for_a_person(benches: list[AtBench]) -> None:
    trial = Trial(random.Random(SEED))
    people = [Person(trial, at, name) for at, name in zip(benches, ("left", "right"), strict=True)]
    for person in people:
        trial.later(clock.now() + timedelta(seconds=trial.chance.uniform(0.0, 5.0)), person.turn)
    while len(trial.truths) < RUNS and trial.due:
        trial.pass_time(trial.due[0][0])
    for person in people:
        person.turn = lambda: None  # type: ignore[method-assign]
    # Nobody begins another run; what is on its way still comes.
    trial.due = [one for one in trial.due if getattr(one[2], "__name__", "") != "turn"]
    heapq.heapify(trial.due)
    while trial.due:
        trial.pass_time(trial.due[0][0])

    passes = {
        row["file_name"]: row
        for row in benches[0].who.get(f"/studies/{benches[0].bench.id}/passes")
        if row["file_name"]
    }
    runs = {run.arrival.name: run for run in BenchRun.objects.select_related("arrival") if run.arrival is not None}
    wrong, waiting = [], []
    for truth in trial.truths:
        row, run = passes.get(truth.name), runs.get(truth.name)
        trial.tally[f"{truth.kind}: {truth.became}"] += 1
        if row is None and run is None:
            waiting.append(truth)
        elif truth.kind == "pass":
            if row is None or row["id"] != truth.pass_id:
                wrong.append(truth)
        elif run is None or run.pass_id != truth.pass_id or (row is not None and row["role"] != "warm_up"):
            wrong.append(truth)
    told = ", ".join(f"{what} {times}" for what, times in sorted(trial.tally.items()))
    print(f"\n{len(trial.truths)} runs: {told}; {len(waiting)} in the tray, {len(wrong)} wrong")
    assert wrong == []
    assert len(waiting) <= max(1.0, MOST_IN_TRAY * len(trial.truths)), waiting
