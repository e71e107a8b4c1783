"""The second half of `make bench`: the server's answers beside an analyst's script on the same rows, and beside
themselves in a database of a hundred thousand passes. Ratios of medians taken in turn; nothing fails on a time.
"""

from __future__ import annotations

import importlib
import json
import os
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import analyst
import psycopg
from multiply import multiply
from psycopg import sql

REPOSITORY = Path(__file__).resolve().parent.parent
SERVER = REPOSITORY / "server"
SMALL, LARGE = "rennbahn_bench_small", "rennbahn_bench_large"
#: `make bench-million` has ten times as many: copies of those that are filled.
SMALL_PASSES, FILLED = 10_000, 100_000
LARGE_PASSES = int(os.environ.get("RENNBAHN_BENCH_PASSES", str(FILLED)))
ROUNDS = 15


def main() -> int:
    """Fill both databases, then measure."""
    ids = {name: fill(name, passes) for name, passes in ((SMALL, SMALL_PASSES), (LARGE, LARGE_PASSES))}
    # Each database is asked by a process of its own, both live at once and are asked in turn.
    small, large = (Asker(name) for name in (SMALL, LARGE))
    try:
        with connected(LARGE) as connection:
            beside_the_analyst(large, ids[LARGE], connection)
        plan(large, ids[LARGE])
        size(small, large, ids)
    finally:
        small.end()
        large.end()
    return 0


def fill(name: str, passes: int) -> dict[str, int]:
    """A scratch database with so many passes; the ids of the studies that are looked at."""
    with connected("postgres") as admin:
        admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))
        admin.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))
    environment = environment_of(name)
    python = [sys.executable, "manage.py"]
    subprocess.run([*python, "migrate", "-v0"], cwd=SERVER, env=environment, check=True)
    begin = time.perf_counter()
    done = subprocess.run(
        [*python, "fill", f"--passes={min(passes, FILLED)}"], cwd=SERVER, env=environment, check=True,
        stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    with connected(name) as connection:
        if passes > FILLED:
            multiply(connection, passes)
        connection.execute("VACUUM ANALYZE")
    print(f"filled {name} with about {passes:,} passes in {time.perf_counter() - begin:.0f} s", flush=True)
    found: dict[str, int] = json.loads(done.stdout)
    return found


def environment_of(name: str) -> dict[str, str]:
    """The environment of a server on that database."""
    return {**os.environ, "RENNBAHN_DB_NAME": name, "RENNBAHN_SECRET_KEY": "for-benchmarks-only"}


def connected(name: str) -> psycopg.Connection:
    """A connection of our own."""
    names = {"host": "HOST", "port": "PORT", "user": "USER", "password": "PASSWORD"}
    where = {key: os.environ[f"RENNBAHN_DB_{value}"] for key, value in names.items()}
    return psycopg.connect(dbname=name, autocommit=True, **where)


class Asker:
    """A process with the server in it, which times requests through the whole of Django, without a socket between."""

    def __init__(self, database: str) -> None:
        self.process = subprocess.Popen(
            [sys.executable, __file__, "ask"], env=environment_of(database), cwd=SERVER, text=True,
            stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        )  # fmt: skip

    def __call__(self, what: str, **more: Any) -> float:
        """Milliseconds that one request takes."""
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        self.process.stdin.write(json.dumps({"what": what, **more}) + "\n")
        self.process.stdin.flush()
        return float(self.process.stdout.readline())

    def end(self) -> None:
        """End the process."""
        assert self.process.stdin is not None
        self.process.stdin.close()
        self.process.wait()


def in_turn(*asked: Callable[[], float], rounds: int = ROUNDS) -> list[float]:
    """Medians in ms of things asked in turn, after a first time that does not count."""
    spent: list[list[float]] = [[] for _ in asked]
    for number in range(rounds + 1):
        for own, ask in zip(spent, asked, strict=True):
            took = ask()
            if number:
                own.append(took)
    return [statistics.median(own) for own in spent]


def clocked(work: Callable[[], object]) -> Callable[[], float]:
    """The same work, giving its milliseconds."""

    def timed() -> float:
        begin = time.perf_counter()
        work()
        return (time.perf_counter() - begin) * 1000.0

    return timed


def row(what: str, ours: float, theirs: float, wanted: str) -> None:
    """A line of the table."""
    print(f"{what:<58}{ours:8.1f} ms {theirs:8.1f} ms  ratio {ours / theirs:6.2f}   ({wanted})", flush=True)


def beside_the_analyst(ask: Asker, ids: dict[str, int], connection: psycopg.Connection) -> None:
    """Findings and the matrix of passes against the analyst's script on the same rows."""
    print(f"\n{'through the API, beside an analyst’s script on the same rows':<58}{'ours':>11} {'theirs':>11}")
    for what, study, asked, wanted in (
        ("findings of 1,200 passes: all schools, figures, groups", "comparison", "findings", "at most 3"),
        ("ladder of 30 x 36 x 3: all pairs", "ladder", "findings", "at most 10"),
        ("the same: ranks, tiers, needs, limits", "ladder", "answer", "at most 10"),
    ):
        script = clocked(lambda study=study: analyst.margins(connection, ids[study]))  # type: ignore[misc]
        path = f"/studies/{ids[study]}/{asked}"
        ours, theirs = in_turn(lambda path=path: ask(path), script)  # type: ignore[misc]
        row(what, ours, theirs, wanted)
    for what, study in (("720", "page"), ("3,240", "ladder")):
        script = clocked(lambda study=study: analyst.margins(connection, ids[study]))  # type: ignore[misc]
        first, again, theirs = in_turn(
            lambda study=study: ask("page", study=ids[study]),  # type: ignore[misc]
            lambda study=study: ask("page again", study=ids[study]),  # type: ignore[misc]
            script,
        )
        row(f"a whole page of findings of {what} passes, every door opened, the first time", first, theirs, "at most 3")
        row("the same, once it was asked", again, theirs, "at most 1.5")
    script = clocked(lambda: analyst.matrix(connection, ids["matrix"]))
    ours, theirs = in_turn(lambda: ask(f"/studies/{ids['matrix']}/passes"), script)
    row("matrix of 4,000 passes, beside fetch and json.dumps", ours, theirs, "at most 2")
    both, theirs = in_turn(
        lambda: ask(f"/studies/{ids['matrix']}/passes") + ask(f"/studies/{ids['matrix']}/doubts"), script
    )
    row("the same with 400 doubts and how they were settled", both, theirs, "at most 2.5")


def plan(ask: Asker, ids: dict[str, int]) -> None:
    """The plan of 3,240 passes, and a drag of it, beside the computation alone."""
    study = ids["plan"]
    asked, dragged, run, pure = in_turn(
        lambda: ask(f"/studies/{study}/plan"),
        lambda: ask("drag", study=study),
        lambda: ask(f"/studies/{study}/run"),
        lambda: ask("plan computation", study=study),
    )
    row("plan of 3,240 passes, beside its computation alone", asked, pure, "at most 3")
    row("a drag of it, beside the same", dragged, pure, "at most 3")
    row("what to do next at the bench in it, beside the same", run, pure, "at most 3")


def size(small: Asker, large: Asker, ids: dict[str, dict[str, int]]) -> None:
    """The same questions in a small database and in one of a hundred thousand passes."""
    print(f"\n{f'the same in {LARGE_PASSES:,} passes and in {SMALL_PASSES:,}':<58}{'large':>11} {'small':>11}")
    for what, path, study in (
        ("desk", "/studies", None),
        ("findings", "/studies/{}/findings", "comparison"),
        ("passes", "/studies/{}/passes", "comparison"),
        ("plan", "/studies/{}/plan", "plan"),
        ("noise of scenes", "/scene-noise", None),
    ):
        here, there = (path.format(ids[name][study] if study else "") for name in (LARGE, SMALL))
        slow, quick = in_turn(lambda here=here: large(here), lambda there=there: small(there))  # type: ignore[misc]
        row(what, slow, quick, "within 1.2")


def answer() -> int:
    """The other end of :class:`Asker`."""
    sys.path.insert(0, str(SERVER))
    os.environ["DJANGO_SETTINGS_MODULE"] = "config.settings"
    importlib.import_module("django").setup()
    asked = importlib.import_module("asked")
    for line in sys.stdin:
        print(asked.milliseconds(**json.loads(line)), flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(answer() if sys.argv[1:] == ["ask"] else main())
