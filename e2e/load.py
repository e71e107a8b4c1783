"""`make bench`, its last part: fifty who read findings, ten who decide and five test machines that send, all at once.

Against the demo with the two web servers and the worker that `make demo` has. Each page is timed alone first, then
under load, in one run; what is told is medians, 95th percentiles and their ratios, and every answer that was no 2xx.
"""

from __future__ import annotations

import contextlib
import copy
import random
import statistics
import sys
import threading
import time
import urllib.request
from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime

import numpy as np
from client import Client
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from serving import another_web, serving

READERS, WRITERS, LINKS = 50, 10, 5
#: So long between two pages of one reader, two decisions of one writer and two files of one machine, in s.
READS, DECIDES, SENDS = 10.0, 8.0, 10.0
QUIET_S, LOADED_S = 30.0, 90.0
SEED = 20_261_201
#: A page of findings is all that it asks as it opens.
PAGES = {
    "findings": ("", "/findings", "/answer", "/findings/beside"),
    "passes": ("/passes", "/doubts"),
    "plan": ("/plan",),
}


@dataclass
class Measured:
    """What pages took, in ms, and what went wrong."""

    took: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    wrong: list[str] = field(default_factory=list)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def timed(self, what: str, do: Callable[[], object]) -> None:
        """Do something and note how long it took, or why it failed."""
        began = time.perf_counter()
        try:
            do()
        except Exception as error:
            with self.lock:
                self.wrong.append(f"{what}: {type(error).__name__}: {error}"[:300])
        else:
            with self.lock:
                self.took[what].append(1000.0 * (time.perf_counter() - began))


class Plain(Client):
    """Somebody who takes no refusal: nothing is tried again."""

    patience_s = 0.0

    def again(self, address: str = "") -> Plain:
        """The same person at another window, who need not sign in again."""
        found = copy.copy(self)
        found.address = address or self.address
        return found


def main(loaded_s: float = LOADED_S) -> int:
    """Time pages alone, then under load; 1 where any answer failed."""
    with serving("rennbahn_load") as served, another_web(served) as second:
        lead = Plain(served.address)
        studies = [one["id"] for one in lead.get("/studies") if one["counts"]["accepted"] >= 12]
        quiet, busy = Measured(), Measured()
        read_until(quiet, lead, studies, random.Random(SEED), time.monotonic() + QUIET_S, pause_s=0.0)
        threads = [
            *(
                reading(busy, lead.again(address), studies, at)
                for at, address in enumerate(READERS // 2 * [served.address, second])
            ),
            *deciding(busy, lead),
            *sending(busy, served.address, lead),
        ]
        until = time.monotonic() + loaded_s
        running = [threading.Thread(target=one, args=(until,)) for one in threads]
        for one in running:
            one.start()
        for one in running:
            one.join()
    return told(quiet, busy)


Act = Callable[[float], None]


def reading(busy: Measured, client: Client, studies: list[int], seed: int) -> Act:
    """A reader, who opens a page and looks at it."""
    chance = random.Random(SEED + seed)
    return lambda until: read_until(busy, client, studies, chance, until, pause_s=READS)


def read_until(
    into: Measured, client: Client, studies: list[int], chance: random.Random, until: float, *, pause_s: float
) -> None:
    """Open pages of studies, as they come."""
    time.sleep(chance.uniform(0.0, pause_s))
    while time.monotonic() < until:
        study, page = chance.choice(studies), chance.choices((*PAGES, "desk"), (5, 2, 1, 2))[0]
        asked = [f"/studies/{study}{path}" for path in PAGES[page]] if page in PAGES else ["/studies"]
        into.timed(page, lambda asked=asked: [client.get(path) for path in asked])  # type: ignore[misc]
        time.sleep(chance.uniform(0.5, 1.5) * pause_s)


def deciding(busy: Measured, lead: Plain) -> Iterator[Act]:
    """Writers: each takes a pass of its own out of what counts, and back in."""
    open_ones = [one["id"] for one in lead.get("/studies") if one["state"] != "finished" and one["archived_at"] is None]
    passes = [
        row["id"] for study in open_ones for row in lead.get(f"/studies/{study}/passes") if row["state"] == "accepted"
    ]
    for at, one in enumerate(random.Random(SEED).sample(passes, WRITERS)):
        yield lambda until, one=one, at=at: _decide(busy, lead.again(), one, at, until)  # type: ignore[misc]


def _decide(busy: Measured, client: Client, one: int, at: int, until: float) -> None:
    chance = random.Random(SEED + 100 + at)
    states = ("rejected", "accepted")
    number = 0
    while time.monotonic() < until:
        body = {"state": states[number % 2], "reason_code": "odd" if number % 2 == 0 else ""}
        busy.timed(
            "a decision", lambda body=body: client.call("PUT", f"/studies/passes/{one}/state", body, client.token)
        )  # type: ignore[misc]
        number += 1
        time.sleep(chance.uniform(0.5, 1.5) * DECIDES)


def sending(busy: Measured, address: str, lead: Client) -> Iterator[Act]:
    """Test machines: each sends captures of a session of its own."""
    for at in range(LINKS):
        study = lead.post("/studies", {
            "question": f"Does machine {at} keep up?", "factor": "Cooler",
            "lanes": [
                {"name": name, "setup": {"name": f"{name} {at}", "parts": [{"kind": "cooler", "name": f"{name} {at}"}]}}
                for name in ("plain", "tall")
            ],
            "tests": [{"game": "Moss Republic", "scene": "square", "condition": "1440 high"}],
        })  # fmt: skip
        token = lead.post("/bench-links", {"name": f"machine {at}"})["token"]
        machine = next(one["id"] for one in lead.get("/machines") if one["name"] == f"machine {at}")
        lead.post(f"/studies/{study['id']}/sessions", {"machine_id": machine})
        # Made before: whoever times others must not be busy.
        logs = [
            write_log(run_pass(Scene(5.0, 9.0, seconds=60.0), Rig(), np.random.default_rng([SEED, at, number])))
            for number in range(int(2 * LOADED_S / SENDS))
        ]
        yield lambda until, token=token, logs=logs: _send(busy, address, token, logs, until)  # type: ignore[misc]


def _send(busy: Measured, address: str, token: str, logs: list[bytes], until: float) -> None:
    chance = random.Random(token)
    for number, log in enumerate(logs):
        time.sleep(chance.uniform(0.5, 1.5) * SENDS)
        if time.monotonic() > until:
            return
        body, kind = _form(f"run {number}.csv", log)
        headers = {"Authorization": f"Bearer {token}", "Content-Type": kind}
        asked = urllib.request.Request(f"{address}/api/link/files", body, headers)
        busy.timed("a file of a machine", lambda asked=asked: urllib.request.urlopen(asked, timeout=60).read())  # type: ignore[misc]


def _form(name: str, content: bytes) -> tuple[bytes, str]:
    now = datetime.now(UTC).isoformat()
    parts = [
        f'--edge\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{now}\r\n'.encode()
        for key in ("written_at", "now")
    ]
    head = f'--edge\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
    return b"".join(parts) + head + content + b"\r\n--edge--\r\n", "multipart/form-data; boundary=edge"


def told(quiet: Measured, busy: Measured) -> int:
    """The table; 1 where anything failed."""
    print(f"\n{READERS} readers, {WRITERS} writers and {LINKS} test machines at once")
    print(f"{'':<24}{'alone':>10}{'median':>10}{'95th':>10}   ratio of medians, of the 95th to the quiet median")
    for what, times in sorted(busy.took.items()):
        median, high = statistics.median(times), _high(times)
        alone = statistics.median(quiet.took[what]) if quiet.took.get(what) else None
        ratios = f"{median / alone:6.2f} {high / alone:6.2f}   (at most 3)" if alone else ""
        shown = f"{alone:7.0f} ms" if alone else ""
        print(f"{f'{what} ({len(times)})':<24}{shown:>10}{median:7.0f} ms{high:7.0f} ms   {ratios}", flush=True)
    for line in (*quiet.wrong, *busy.wrong):
        print("  failed:", line)
    return 1 if quiet.wrong or busy.wrong else 0


def _high(times: list[float]) -> float:
    ordered = sorted(times)
    return ordered[min(len(ordered) - 1, int(0.95 * len(ordered)))]


if __name__ == "__main__":
    with contextlib.suppress(KeyboardInterrupt):
        sys.exit(main(*map(float, sys.argv[1:])))
