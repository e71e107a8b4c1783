"""One's own from nothing: a first lead, an invited tester, a first study, a backup, and all of it brought back."""

from __future__ import annotations

import contextlib
import json
import os
import random
import re
import signal
import socket
import subprocess
import sys
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any

import numpy as np
import psycopg
import pytest
from browser import Page
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from scratch import REPOSITORY
from selenium import webdriver
from ways import call

OPS = REPOSITORY / "ops"
SECRET = "a-good-long-password"
PATIENCE_S = 300
#: Times that each of a backup and a restore is killed; `make trials` does it more often.
KILLS = int(os.environ.get("RENNBAHN_KILLS", "2"))


@pytest.fixture
def places() -> Iterator[list[Path]]:
    """Two state directories that the postgres user can walk to; their databases are stopped afterwards."""
    with tempfile.TemporaryDirectory(prefix="rennbahn-own-") as whole:
        Path(whole).chmod(0o755)
        found = [Path(whole) / name for name in ("first", "second")]
        yield found
        for state in found:
            run(state, "cluster.py", "remove", "own", own=True)


def environment(state: Path, port: int = 0, *, own: bool = False) -> dict[str, str]:
    """Files lie beside the database, so that a backup has both to bring back."""
    files = {"RENNBAHN_FILES": str(state / "files")}
    return {**os.environ, **files, "RENNBAHN_STATE": str(state / "own" if own else state), "PORT": str(port or 8000)}


def run(state: Path, *words: str, own: bool = False) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, str(OPS / words[0]), *words[1:]]
    return subprocess.run(command, env=environment(state, own=own), capture_output=True, text=True, check=False)


def in_database(state: Path, *statements: str) -> None:
    """Do something to the database of one's own that no version of ours does."""
    run(state, "cluster.py", "start", "own", own=True)
    facts = json.loads((state / "own" / "postgres-own" / "access.json").read_text())
    address = f"host=127.0.0.1 port={facts['port']} user=rennbahn password={facts['password']} dbname=rennbahn"
    with psycopg.connect(address) as connection:
        for statement in statements:
            connection.execute(statement)  # type: ignore[arg-type]
    run(state, "cluster.py", "stop", "own", own=True)


@contextlib.contextmanager
def served(state: Path) -> Iterator[tuple[str, list[str]]]:
    """One's own at work: its address, and what it printed. It is stopped as by Ctrl-C."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = subprocess.Popen(
        [sys.executable, str(OPS / "serve.py"), "own"], env=environment(state, port), stdout=subprocess.PIPE, text=True
    )
    lines: list[str] = []
    begun = threading.Event()

    def read(output: IO[str]) -> None:
        for line in output:
            lines.append(line)
            if "Ctrl-C" in line:
                begun.set()
        begun.set()

    assert server.stdout is not None
    threading.Thread(target=read, args=(server.stdout,), daemon=True).start()
    try:
        assert begun.wait(PATIENCE_S), lines
        assert server.poll() is None, lines
        yield f"http://localhost:{port}", lines
    finally:
        server.send_signal(signal.SIGINT)
        server.wait(60)


def join(page: Page, link: str, name: str) -> None:
    """Take a link: choose a name and a password."""
    page.driver.get(link)
    page.fill("Your name, to sign in with", name)
    page.fill("Password", SECRET)
    page.fill("The password again", SECRET)


def sign_in(page: Page, name: str) -> None:
    page.open("/sign-in")
    page.fill("Name", name)
    page.fill("Password", SECRET)
    page.click("Sign in")
    page.see("Desk")


def first_study(page: Page) -> int:
    lanes = [
        {"name": name, "setup": {"name": f"Box, {name}", "parts": [{"kind": "cooler", "name": name}], "settings": []}}
        for name in ("plain fins", "tall fins")
    ]
    tests = [{"game": "Moss Republic", "scene": "square", "condition": "1440 high"}]
    body = {"question": "Do tall fins help?", "factor": "Cooler", "lanes": lanes, "tests": tests}
    return int(call(page, "POST", "/api/studies", body)["id"])


def captures(folder: Path) -> list[Path]:
    made = []
    for at, lane in enumerate(("plain fins", "tall fins")):
        for number in (1, 2, 3):
            found = run_pass(
                Scene(5.0, 9.0, seconds=12.0), Rig(gpu_speed=1.0 + 0.06 * at), np.random.default_rng(10 * at + number)
            )
            file = folder / f"{lane} Moss Republic {number}.csv"
            file.write_bytes(write_log(found))
            made.append(file)
    return made


def stored(state: Path) -> dict[str, bytes]:
    """Files in the store, by their names."""
    files = state / "files"
    return {str(one.relative_to(files)): one.read_bytes() for one in files.rglob("*") if one.is_file()}


def ended_in_the_middle(first: Path, second: Path, file: Path) -> None:
    """Backups and restores that are killed leave nothing that would pass for whole: what they left is no hindrance."""
    chance = random.Random(KILLS)
    whole = {one.name for one in file.parent.iterdir() if one.suffix == ".tar"}
    for state, words in [(first, ("make",)), (second, ("restore", str(file)))] * KILLS:
        command = [sys.executable, str(OPS / "backup.py"), *words]
        running = subprocess.Popen(
            command,
            env=environment(state),
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        try:
            running.wait(chance.uniform(0.3, 9.0))
        except subprocess.TimeoutExpired:
            os.killpg(running.pid, signal.SIGKILL)
            running.wait(20)
        made = {one.name for one in file.parent.iterdir() if one.suffix == ".tar"} - whole
        for one in made:
            checked = run(first, "backup.py", "check", str(file.parent / one))
            assert checked.returncode == 0, checked.stderr
        whole |= made
        if running.returncode == 0 and words[0] == "restore":
            assert (second / "own" / "postgres-own" / "data" / "PG_VERSION").exists()
            run(second, "cluster.py", "remove", "own", own=True)
        elif words[0] == "restore":
            assert not (second / "own" / "postgres-own" / "data").exists()


def findings(page: Page, study: int) -> Any:
    return call(page, "GET", f"/api/studies/{study}/findings", None)


def test_from_nothing_to_a_first_study_and_back_from_a_backup(
    driver: webdriver.Chrome, places: list[Path], tmp_path: Path
) -> None:
    first, second = places
    with served(first) as (address, lines):
        page = Page(driver, address)
        driver.delete_all_cookies()
        link = re.search(r"http://\S+/welcome#\S+", "".join(lines))
        assert link
        join(page, link[0], "mara")
        page.fill("Name of the magazine or house", "Die Warte")
        page.fill("Time zone of the bench", "Europe/Vienna")
        page.click("Begin")
        page.see("No study yet.")
        page.see("Look around in a demo")
        # An invited tester, who comes by a link and may not invite.
        page.click("People")
        page.click("Invite a tester")
        page.see("It works once, and is shown now only.")
        invited = re.search(r"http://\S+/welcome#\S+", page.text())
        assert invited
        page.click("Sign out")
        page.see("Sign in")
        join(page, invited[0], "tomke")
        page.click("Join")
        page.see("tomke · tester")
        page.driver.get(link[0])
        page.see("This link has been used, was withdrawn, or has ended.")
        page.open("/")
        page.click("Sign out")
        page.see("Sign in")
        # A first study, taken in by the tester, finished by the lead.
        sign_in(page, "mara")
        study = first_study(page)
        page.click("Sign out")
        page.see("Sign in")
        sign_in(page, "tomke")
        page.open(f"/studies/{study}/intake")
        page.hand_in(*captures(tmp_path))
        page.click("Confirm and take in 6 files")
        page.see("6 passes recorded.")
        page.click("Look at them and decide which count")
        page.click("Accept all 6")
        page.see("No pass waits for a decision")
        page.click("Sign out")
        page.see("Sign in")
        sign_in(page, "mara")
        call(page, "POST", f"/api/studies/{study}/finish", None)
        before = findings(page, study)
        assert before["tests"]
        made = run(first, "backup.py", "make")
        assert made.returncode == 0, made.stderr
        file = next((first / "own" / "backups").glob("rennbahn-*.tar"))
        call(page, "POST", f"/api/studies/{study}/reopen", None)
        refused = run(first, "backup.py", "restore", str(file))
        assert (refused.returncode, "it runs" in refused.stderr) == (1, True)

    checked = run(first, "backup.py", "check", str(file))
    assert checked.returncode == 0, checked.stderr
    assert "the findings of 1 finished studies, are the same" in checked.stdout
    assert "is there already" in run(first, "backup.py", "restore", str(file)).stderr
    damaged = tmp_path / file.name
    content = bytearray(file.read_bytes())
    content[len(content) // 2] ^= 0xFF
    damaged.write_bytes(content)
    assert run(first, "backup.py", "check", str(damaged)).returncode == 1

    # A database as an older version left it, brought up to date; and one that cannot be, left as it was.
    # Nothing stands on the tables of what fits.
    undone = "DELETE FROM django_migrations WHERE app = 'fitting'"
    tables = "fitting_matrix, fitting_matrixpart, fitting_fitattempt, fitting_photograph"
    in_database(first, f"DROP TABLE {tables}", undone)
    again = run(first, "backup.py", "upgrade")
    assert again.returncode == 0, again.stderr
    assert "up to date" in again.stdout
    in_database(first, "SELECT id FROM fitting_matrix", undone)
    failed = run(first, "backup.py", "upgrade")
    assert (failed.returncode, "All is as it was before" in failed.stderr) == (1, True), failed.stderr
    in_database(first, "SELECT id FROM fitting_matrix")

    ended_in_the_middle(first, second, file)
    brought = run(second, "backup.py", "restore", str(file))
    assert brought.returncode == 0, brought.stderr
    with served(second) as (address, lines):
        assert "/welcome#" not in "".join(lines), "somebody works here"
        page = Page(driver, address)
        driver.delete_all_cookies()
        sign_in(page, "mara")
        page.see("Do tall fins help?")
        assert findings(page, study) == before
        assert call(page, "GET", f"/api/studies/{study}", None)["state"] == "finished"
        assert len(stored(first)) == 6
        assert stored(second) == stored(first)
