"""A private PostgreSQL cluster on loopback, of this checkout's own.

The cluster of the distribution is left alone. Two clusters exist: `demo`, which keeps what it is given (fsync on), and
`test`, which need not survive a power cut. Connections come over TCP on 127.0.0.1 with a password; there is no socket.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from paths import IS_ROOT, state_dir
from running import write_whole

USER = "rennbahn"
_START_SECONDS = 60
_STOP_SECONDS = 30
#: Set to `off` where tests make clusters that survive any kill but need not survive a power cut: to wait until a disk
#: has written what all others wrote before can take minutes, in which nobody's database answers.
_FSYNC = "RENNBAHN_FSYNC"
_HASTY = "fsync=off"
#: Settings of a cluster whose data is thrown away after the tests. Nobody vacuums it: a table that was found empty is
#: taken for empty by the planner, also when a test has filled it since within its transaction.
_THROWAWAY = (_HASTY, "synchronous_commit=off", "full_page_writes=off", "autovacuum=off")


class ClusterError(Exception):
    """The cluster cannot be made or started; the message says why."""


def bin_dir() -> Path | None:
    """Where PostgreSQL's programs are, newest version first; None where it is not installed."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: float(p.parts[-3]))
    if found:
        return found[-1].parent
    on_path = shutil.which("initdb")
    return Path(on_path).resolve().parent if on_path else None


@dataclass(frozen=True)
class Cluster:
    """One cluster by name."""

    name: str

    @property
    def home(self) -> Path:
        """Directory of the cluster's own."""
        return state_dir() / f"postgres-{self.name}"

    @property
    def data(self) -> Path:
        """PostgreSQL's data directory."""
        return self.home / "data"

    # --- what it is ---------------------------------------------------------------------------------------

    def facts(self) -> dict[str, str]:
        """Port and password, kept in a file that only its owner reads."""
        file = self.home / "access.json"
        try:
            facts: dict[str, str] = json.loads(file.read_text())
            int(facts["port"])
            str(facts["password"])
        except (OSError, ValueError, TypeError, KeyError):
            ways = {"demo": "begin anew: `make reset-demo`", "own": "bring all back: `make restore FILE=…`"}
            way = ways.get(self.name, f"begin anew: `python3 ops/cluster.py remove {self.name}`")
            raise ClusterError(
                f"{file} is damaged: it holds the port and password of the {self.name} database. "
                f"Bring it back from a copy, or {way}."
            ) from None
        return facts

    def environment(self, database: str = USER) -> dict[str, str]:
        """Environment variables by which the server finds its database."""
        facts = self.facts()
        return {
            "RENNBAHN_DB_HOST": "127.0.0.1",
            "RENNBAHN_DB_PORT": facts["port"],
            "RENNBAHN_DB_NAME": database,
            "RENNBAHN_DB_USER": USER,
            "RENNBAHN_DB_PASSWORD": facts["password"],
            **({"RENNBAHN_SECRET_KEY": "a key for tests, that guards nothing"} if self.name == "test" else {}),
        }

    def running(self) -> bool:
        """Is a live postgres serving this very directory?"""
        pid = self._pid()
        return pid is not None and _serves(pid, self.data)

    # --- what one can do ----------------------------------------------------------------------------------

    def start(self) -> bool:
        """Make the cluster if it is not there, and start it if it does not run. True if this call started it."""
        with self._lock():
            if not (self.data / "PG_VERSION").exists():
                self._make()
            self.facts()
            if self.running():
                return False
            self._clear_remains()
            self._start()
            self._make_database()
            return True

    def stop(self) -> None:
        """Stop the cluster, ending its connections."""
        with self._lock():
            pid = self._pid()
            if pid is None or not self.running():
                return
            os.kill(pid, signal.SIGINT)  # PostgreSQL's fast shutdown
            if not _until(lambda: not self.running(), _STOP_SECONDS):
                os.kill(pid, signal.SIGQUIT)

    def remove(self) -> None:
        """Stop the cluster and delete its data."""
        self.stop()
        shutil.rmtree(self.home, ignore_errors=True)

    # --- how ----------------------------------------------------------------------------------------------

    def _make(self) -> None:
        programs = bin_dir()
        if programs is None:
            raise ClusterError("PostgreSQL is not installed: run `make install`.")
        password = secrets.token_urlsafe(24)
        settings = _THROWAWAY if self.name == "test" else (_HASTY,) if os.environ.get(_FSYNC) == "off" else ()
        # Made beside its place and renamed, so that no half-made cluster stays behind.
        with tempfile.TemporaryDirectory(dir=self.home, prefix="making-") as making:
            os.chmod(making, 0o700)
            secret = Path(making) / "password"
            secret.write_text(password)
            _own(Path(making), secret)
            data = Path(making) / "data"
            _run(
                [programs / "initdb", "-D", data, "-U", USER, f"--pwfile={secret}", "--auth=scram-sha-256",
                 "--encoding=UTF8", "--locale=C.UTF-8", "--no-instructions", *(["--no-sync"] if settings else [])],
                "initdb",
            )  # fmt: skip
            with (data / "postgresql.conf").open("a") as conf:
                conf.write("\nlisten_addresses = '127.0.0.1'\nunix_socket_directories = ''\nmax_connections = 60\n")
                conf.writelines(f"{line}\n" for line in settings)
            self._keep({"port": str(_free_port()), "password": password})
            data.rename(self.data)

    def _start(self) -> None:
        programs = bin_dir()
        if programs is None:
            raise ClusterError("PostgreSQL is not installed: run `make install`.")
        facts = self.facts()
        if not _port_is_free(int(facts["port"])):
            facts["port"] = str(_free_port())
            self._keep(facts)
        log = self.home / "server.log"
        _run(
            [programs / "pg_ctl", "-D", self.data, "-w", "-t", str(_START_SECONDS), "-l", log, "-s",
             "-o", f"-p {facts['port']}", "start"],
            f"starting PostgreSQL (see {log})",
        )  # fmt: skip

    def _make_database(self) -> None:
        programs = bin_dir()
        facts = self.facts()
        if programs is None or "database" in facts:
            return
        address = ["-h", "127.0.0.1", "-p", facts["port"], "-U", USER]
        done = subprocess.run(
            [programs / "createdb", *address, USER], env={**os.environ, "PGPASSWORD": facts["password"]},
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if done.returncode and "already exists" not in done.stderr:
            raise ClusterError(f"createdb failed: {done.stderr.strip()}")
        self._keep({**facts, "database": USER})

    def _clear_remains(self) -> None:
        """After a kill a pid file or orphaned backends may remain; either makes a plain start fail."""
        with contextlib.suppress(FileNotFoundError):
            (self.data / "postmaster.pid").unlink()
        orphans = [pid for pid in _processes() if _serves(pid, self.data)]
        for pid in orphans:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        _until(lambda: not any(_serves(pid, self.data) for pid in orphans), 10)

    def _pid(self) -> int | None:
        try:
            return int((self.data / "postmaster.pid").read_text().split("\n", 1)[0])
        except (FileNotFoundError, ValueError):
            return None

    def _keep(self, facts: dict[str, str]) -> None:
        write_whole(self.home / "access.json", json.dumps(facts))

    @contextlib.contextmanager
    def _lock(self) -> Iterator[None]:
        self.home.mkdir(parents=True, exist_ok=True)
        _own(self.home)
        with (self.home / "lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            yield


def _as_server(command: list[str]) -> list[str]:
    """The command as the user that PostgreSQL may run as: it refuses root."""
    return ["runuser", "-u", "postgres", "--", *command] if IS_ROOT else command


def _run(command: list[object], what: str) -> None:
    words = _as_server([str(word) for word in command])
    done = subprocess.run(words, capture_output=True, text=True, check=False, cwd="/", stdin=subprocess.DEVNULL)
    if done.returncode:
        raise ClusterError(f"{what} failed: {(done.stderr or done.stdout).strip()[-800:]}")


def _own(*paths: Path) -> None:
    if IS_ROOT:
        entry = pwd.getpwnam("postgres")
        for path in paths:
            os.chown(path, entry.pw_uid, entry.pw_gid)


def _processes() -> list[int]:
    return [int(entry.name) for entry in Path("/proc").iterdir() if entry.name.isdigit()]


def _serves(pid: int, data: Path) -> bool:
    """Is that process a live postgres at work in the data directory? (A zombie has no working directory.)"""
    try:
        here = os.readlink(f"/proc/{pid}/cwd")
        name = Path(f"/proc/{pid}/comm").read_text().strip()
    except OSError:
        return False
    return name.startswith("postgres") and Path(here) == data.resolve()


def _port_is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return True


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def _until(holds: Callable[[], bool], seconds: float) -> bool:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if holds():
            return True
        time.sleep(0.05)
    return holds()


def main() -> int:
    """`cluster.py start|stop|remove NAME`, or `cluster.py run NAME COMMAND...` with the database in the environment."""
    verb, name, *command = sys.argv[1:]
    cluster = Cluster(name)
    try:
        if verb == "start":
            cluster.start()
        elif verb == "stop":
            cluster.stop()
        elif verb == "remove":
            cluster.remove()
        elif verb == "run":
            cluster.start()
            return subprocess.run(command, env={**os.environ, **cluster.environment()}, check=False).returncode
    except ClusterError as error:
        print(f"rennbahn: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
