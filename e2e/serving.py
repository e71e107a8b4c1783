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
from pathlib import Path

import psycopg
from psycopg import sql

REPOSITORY = Path(__file__).resolve().parent.parent
SERVER = REPOSITORY / "server"
BIN = REPOSITORY / ".venv" / "bin"
PASSWORD = "neun-liter-demo"
_PATIENCE_S = 30


@contextlib.contextmanager
def serving(database: str, *, demo: bool = True) -> Iterator[str]:
    """The address of a server and a worker with fresh demo data; database and both are gone afterwards.

    Without the demo there is nothing in it but a lead by the name of mara.
    """
    template = _template(demo=demo)
    environment = {**os.environ, "RENNBAHN_DB_NAME": database}
    with _admin() as connection:
        connection.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(database)))
        copied = sql.SQL("CREATE DATABASE {} TEMPLATE {}")
        connection.execute(copied.format(sql.Identifier(database), sql.Identifier(template)))
    listening = socket.create_server(("127.0.0.1", 0), backlog=256)
    port, fd = listening.getsockname()[1], listening.fileno()
    web = subprocess.Popen(
        [BIN / "python", "-m", "front", "--fd", str(fd)], cwd=SERVER, env=environment, pass_fds=(fd,)
    )
    worker = subprocess.Popen([BIN / "python", "manage.py", "work"], cwd=SERVER, env=environment)
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
        with _admin() as connection:
            connection.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(database)))


def _template(*, demo: bool) -> str:
    """A database to copy: made once a run, however many test workers ask for it at once."""
    name = f"rennbahn_e2e_{'demo' if demo else 'empty'}"
    run = os.environ.get("PYTEST_XDIST_TESTRUNUID", f"alone {os.getpid()}")
    with _admin() as connection:
        connection.execute("SELECT pg_advisory_lock(hashtext(%s))", (name,))
        made_by = connection.execute(
            "SELECT shobj_description(oid, 'pg_database') FROM pg_database WHERE datname = %s", (name,)
        ).fetchone()
        if made_by == (run,):
            return name
        connection.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))
        connection.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))
        environment = {**os.environ, "RENNBAHN_DB_NAME": name, "DJANGO_SUPERUSER_PASSWORD": PASSWORD}
        alone = ["createsuperuser", "--noinput", "--username=mara", "--email=", "-v0"]
        for words in (["migrate", "-v0"], ["load_demo"] if demo else alone):
            subprocess.run([BIN / "python", "manage.py", *words], cwd=SERVER, env=environment, check=True)
        connection.execute(sql.SQL("COMMENT ON DATABASE {} IS {}").format(sql.Identifier(name), sql.Literal(run)))
    return name


def _admin() -> psycopg.Connection[tuple[object, ...]]:
    return psycopg.connect(
        host=os.environ["RENNBAHN_DB_HOST"],
        port=os.environ["RENNBAHN_DB_PORT"],
        user=os.environ["RENNBAHN_DB_USER"],
        password=os.environ["RENNBAHN_DB_PASSWORD"],
        dbname="postgres",
        autocommit=True,
    )


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
