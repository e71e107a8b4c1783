"""Rennbahn on several machines, each of them processes and ports of its own here.

PostgreSQL with a streaming replica, PgBouncer before it, object storage, two web servers and two workers.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import boto3
import psycopg
import scratch
from cluster import Cluster, bin_dir
from moto.server import ThreadedMotoServer
from paths import IS_ROOT
from scratch import SERVER

BUCKET = "files-of-the-house"
_PYTHON = scratch.REPOSITORY / ".venv" / "bin" / "python"
_PATIENCE_S = 60


@dataclass
class Several:
    """All of it at work. Whatever is killed is started again by :meth:`raise_up`, as its machine's supervisor does."""

    primary: Cluster
    replica: Path
    replica_port: int
    pool: int
    webs: list[int]
    environment: dict[str, str]
    processes: dict[str, subprocess.Popen[bytes]] = field(default_factory=dict)

    def address(self, web: int) -> str:
        """Of a web server."""
        return f"http://127.0.0.1:{self.webs[web]}"

    def raise_up(self) -> None:
        """Start what does not run."""
        self.primary.start()
        for name, command in self._commands().items():
            running = self.processes.get(name)
            if running is None or running.poll() is not None:
                self.processes[name] = subprocess.Popen(command, cwd=SERVER, env=self._environment(name))

    def kill(self, name: str) -> None:
        """Kill something without a word; `database` is PostgreSQL itself."""
        if name == "database":
            os.kill(int((self.primary.data / "postmaster.pid").read_text().split("\n", 1)[0]), signal.SIGKILL)
            until(lambda: not self.primary.running())
        else:
            self.processes[name].kill()
            self.processes[name].wait(20)

    def replica_answers(self) -> bool:
        """Whether one can ask it."""
        told = {"user": "rennbahn", "password": self.primary.facts()["password"], "dbname": "rennbahn"}
        try:
            with psycopg.connect(host="127.0.0.1", port=self.replica_port, **told):
                return True
        except psycopg.OperationalError:
            return False

    def end(self) -> None:
        """End everything."""
        for process in self.processes.values():
            process.kill()
            process.wait(20)
        self.primary.remove()
        shutil.rmtree(self.replica, ignore_errors=True)

    def _commands(self) -> dict[str, list[str]]:
        programs = bin_dir()
        assert programs
        python = str(_PYTHON)
        webs = {
            f"web {at}": [python, "-m", "web_server", "--listen", f"127.0.0.1:{port}"]
            for at, port in enumerate(self.webs)
        }
        workers = {f"worker {at}": [python, "manage.py", "work"] for at in range(2)}
        return {
            "replica": as_server([str(programs / "postgres"), "-D", str(self.replica), "-p", str(self.replica_port)]),
            "pool": as_server(["/usr/sbin/pgbouncer", "-q", str(self.primary.home / "pgbouncer.ini")]),
            **webs,
            **workers,
        }

    def _environment(self, name: str) -> dict[str, str]:
        """Web servers go through the pool; a worker listens to the database, which a pool does not let it."""
        through = {"RENNBAHN_DB_PORT": str(self.pool), "RENNBAHN_DB_POOLED": "1"}
        told = {**os.environ, **self.environment, **self.primary.environment()}
        return {**told, "RENNBAHN_SECRET_KEY": "k" * 60, **(through if name.startswith("web") else {})}


@contextlib.contextmanager
def several(name: str) -> Iterator[Several]:
    """All of it, with nothing in it but a lead by the name of mara."""
    primary = Cluster(name)
    primary.remove()
    primary.start()
    store = ThreadedMotoServer("127.0.0.1", 0, verbose=False)
    store.start()
    host, port = store.get_host_and_port()
    environment = {
        "RENNBAHN_FILES": f"s3://{BUCKET}/files", "RENNBAHN_FILES_AT": f"http://{host}:{port}",
        "AWS_ACCESS_KEY_ID": "of-tests", "AWS_SECRET_ACCESS_KEY": "of-tests", "AWS_DEFAULT_REGION": "us-east-1",
    }  # fmt: skip
    boto3.client(
        "s3", endpoint_url=f"http://{host}:{port}", region_name="us-east-1",
        aws_access_key_id="of-tests", aws_secret_access_key="of-tests",
    ).create_bucket(Bucket=BUCKET)  # fmt: skip
    replica_port, pool, *webs = free_ports(4)
    found = Several(primary, primary.home / "replica", replica_port, pool, webs, environment)
    environment["RENNBAHN_DB_REPLICA"] = f"127.0.0.1:{replica_port}"
    try:
        scratch.make(primary.environment())
        _copy(primary, found.replica)
        _pool(primary, pool)
        found.raise_up()
        until(lambda: all(_listens(one) for one in (replica_port, pool, *webs)))
        yield found
    finally:
        found.end()
        store.stop()


def _copy(primary: Cluster, to: Path) -> None:
    """A streaming replica, by PostgreSQL's own base backup."""
    programs, facts = bin_dir(), primary.facts()
    assert programs
    command = as_server(
        [str(programs / "pg_basebackup"), "-h", "127.0.0.1", "-p", facts["port"], "-U", "rennbahn", "-D", str(to), "-R",
         "--checkpoint=fast", "--wal-method=stream"]
    )  # fmt: skip
    subprocess.run(command, env={**os.environ, "PGPASSWORD": facts["password"]}, check=True, cwd="/")


def _pool(primary: Cluster, port: int) -> None:
    """Settings of PgBouncer, in its pooling by the transaction."""
    facts, home = primary.facts(), primary.home
    (home / "users.txt").write_text(f'"rennbahn" "{facts["password"]}"\n')
    (home / "pgbouncer.ini").write_text(
        f"[databases]\nrennbahn = host=127.0.0.1 port={facts['port']}\n[pgbouncer]\nlisten_addr = 127.0.0.1\n"
        f"listen_port = {port}\nauth_type = scram-sha-256\nauth_file = {home / 'users.txt'}\npool_mode = transaction\n"
        "default_pool_size = 12\nunix_socket_dir =\nignore_startup_parameters = extra_float_digits\n"
    )
    for name in ("users.txt", "pgbouncer.ini"):
        (home / name).chmod(0o644)


def as_server(command: list[str]) -> list[str]:
    """As the user of PostgreSQL, which refuses root, as PgBouncer does."""
    return ["setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups", *command] if IS_ROOT else command


def free_ports(many: int) -> list[int]:
    """Ports that nobody listens on."""
    with contextlib.ExitStack() as held:
        probes = [held.enter_context(socket.socket()) for _ in range(many)]
        for probe in probes:
            probe.bind(("127.0.0.1", 0))
        return [int(probe.getsockname()[1]) for probe in probes]


def until(holds: Callable[[], object], seconds: float = _PATIENCE_S) -> None:
    """Wait until something holds."""
    end = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < end, "waited in vain"
        time.sleep(0.05)


def _listens(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0
