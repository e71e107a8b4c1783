"""The real server on a database of its own: migrated, with the demo data, on a free port."""

from __future__ import annotations

import contextlib
import http.client
import os
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import scratch
from scratch import SERVER

if TYPE_CHECKING:
    from cluster import Cluster

BIN = scratch.REPOSITORY / ".venv" / "bin"
_PATIENCE_S = 90


@contextlib.contextmanager
def serving(database: str, *, demo: bool = True) -> Iterator[str]:
    """The address of a server and a worker with fresh demo data; database and both are gone afterwards.

    Without the demo there is nothing in it but a lead by the name of mara.
    """
    environment = _fresh(database, demo=demo)
    listening = socket.create_server(("127.0.0.1", 0), backlog=256)
    port = listening.getsockname()[1]
    web, worker = _web(listening, environment), _worker(environment)
    address = f"http://127.0.0.1:{port}"
    simbench = subprocess.Popen([BIN / "python", "manage.py", "simbench", address], cwd=SERVER, env=environment)
    try:
        _answers(address, web)
        yield address
    finally:
        for one in (web, worker, simbench):
            one.send_signal(signal.SIGTERM)
        for one in (web, worker, simbench):
            one.wait(20)
        scratch.drop(database)


@dataclass
class Served:
    """A server, a worker and a PostgreSQL of one's own that may be killed."""

    address: str
    cluster: Cluster
    environment: dict[str, str]
    listening: socket.socket
    web: subprocess.Popen[bytes]
    worker: subprocess.Popen[bytes]

    def raise_up(self) -> None:
        """Start again what is gone, as a supervisor does."""
        self.cluster.start()
        if self.web.poll() is not None:
            self.web = _web(self.listening, self.environment)
        if self.worker.poll() is not None:
            self.worker = _worker(self.environment)


@contextlib.contextmanager
def serve_apart(cluster: Cluster) -> Iterator[Served]:
    """Served with nothing in it but a lead by the name of mara; everything is gone afterwards."""
    cluster.remove()
    cluster.start()
    environment = {**os.environ, **cluster.environment()}
    scratch.make(environment)
    listening = socket.create_server(("127.0.0.1", 0), backlog=256)
    address = f"http://127.0.0.1:{listening.getsockname()[1]}"
    served = Served(address, cluster, environment, listening, _web(listening, environment), _worker(environment))
    try:
        _answers(address, served.web)
        yield served
    finally:
        for one in (served.web, served.worker):
            one.kill()
            one.wait(20)
        listening.close()
        cluster.remove()


def _fresh(database: str, *, demo: bool) -> dict[str, str]:
    """A database made anew, and the environment that names it."""
    scratch.copy(scratch.demo_template() if demo else scratch.lead_template(), database)
    return {**os.environ, "RENNBAHN_DB_NAME": database}


def _web(listening: socket.socket, environment: dict[str, str]) -> subprocess.Popen[bytes]:
    fd = listening.fileno()
    return subprocess.Popen(
        [BIN / "python", "-m", "web_server", "--fd", str(fd)], cwd=SERVER, env=environment, pass_fds=(fd,)
    )


def _worker(environment: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen([BIN / "python", "manage.py", "work", "--alone"], cwd=SERVER, env=environment)


def _answers(address: str, web: subprocess.Popen[bytes]) -> None:
    end = time.monotonic() + _PATIENCE_S
    while time.monotonic() < end:
        if web.poll() is not None:
            raise RuntimeError(f"the server ended with {web.returncode}")
        with contextlib.suppress(OSError, http.client.HTTPException):
            probe = http.client.HTTPConnection("127.0.0.1", int(address.rsplit(":", 1)[1]), timeout=5)
            probe.request("GET", "/api/health")
            if probe.getresponse().status == http.client.OK:
                return
        time.sleep(0.1)
    raise RuntimeError("the server does not answer")
