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
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import scratch
from scratch import SERVER

if TYPE_CHECKING:
    from cluster import Cluster

BIN = scratch.REPOSITORY / ".venv" / "bin"
_PATIENCE_S = 90


@dataclass
class Serving:
    """A server with a worker and a simulated bench, on a database of their own."""

    address: str
    database: str
    template: str
    web: subprocess.Popen[bytes]
    environment: dict[str, str]
    helpers: list[subprocess.Popen[bytes]] = field(default_factory=list)
    #: Whether anybody may have changed something since it began.
    used: bool = False

    def begin_anew(self) -> None:
        """Give it the data that it began with. The web server stays: it asks for a new connection by itself.

        What it keeps in memory goes by the transactions that wrote it, whose numbers are the cluster's and never come
        again.
        """
        self.end_helpers()
        scratch.copy(self.template, self.database)
        for words in (["work", "--alone"], ["simbench", self.address]):
            command = [BIN / "python", "manage.py", *words]
            self.helpers.append(subprocess.Popen(command, cwd=SERVER, env=self.environment))
        _answers(self.address, self.web)

    def end_helpers(self) -> None:
        """End what works beside the web server."""
        _end(self.helpers)
        self.helpers.clear()


@contextlib.contextmanager
def serving(database: str, *, demo: bool = True) -> Iterator[Serving]:
    """A server and a worker with fresh demo data; database and both are gone afterwards.

    Without the demo there is nothing in it but a lead by the name of mara.
    """
    template = scratch.demo_template() if demo else scratch.lead_template()
    environment = {**os.environ, "RENNBAHN_DB_NAME": database}
    listening = socket.create_server(("127.0.0.1", 0), backlog=256)
    address = f"http://127.0.0.1:{listening.getsockname()[1]}"
    served = Serving(address, database, template, _web(listening, environment), environment)
    try:
        served.begin_anew()
        yield served
    finally:
        _end([served.web])
        served.end_helpers()
        scratch.drop(database)


@contextlib.contextmanager
def another_web(served: Serving) -> Iterator[str]:
    """A second web server of the same database, as a supervisor has it; its address."""
    with socket.create_server(("127.0.0.1", 0), backlog=256) as listening:
        address = f"http://127.0.0.1:{listening.getsockname()[1]}"
        web = _web(listening, served.environment)
        try:
            _answers(address, web)
            yield address
        finally:
            _end([web])


def _end(processes: list[subprocess.Popen[bytes]]) -> None:
    for one in processes:
        one.send_signal(signal.SIGTERM)
    for one in processes:
        try:
            one.wait(20)
        except subprocess.TimeoutExpired:
            # A worker ends once its job is done, however long that takes; its database is thrown away with it.
            one.kill()
            one.wait(20)


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
