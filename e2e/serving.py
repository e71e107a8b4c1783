"""The real server on a database of its own: migrated, with the demo data, behind gunicorn on a free port."""

from __future__ import annotations

import contextlib
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
    """The address of a server with fresh demo data; database and server are gone afterwards.

    Without the demo there is nothing in it but a lead by the name of mara.
    """
    environment = {**os.environ, "RENNBAHN_DB_NAME": database, "DJANGO_SUPERUSER_PASSWORD": PASSWORD}
    with _admin() as connection:
        connection.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(database)))
        connection.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(database)))
    alone = ["createsuperuser", "--noinput", "--username=mara", "--email=", "-v0"]
    for words in (["migrate", "-v0"], ["load_demo"] if demo else alone):
        subprocess.run([BIN / "python", "manage.py", *words], cwd=SERVER, env=environment, check=True)
    port = _free_port()
    web = subprocess.Popen(
        [
            BIN / "gunicorn", "config.wsgi:application", "--chdir", SERVER, "--bind", f"127.0.0.1:{port}",
            "--threads", "8", "--no-control-socket", "--log-level", "warning",
        ],
        env=environment,
    )  # fmt: skip
    address = f"http://127.0.0.1:{port}"
    try:
        _answers(address, web)
        yield address
    finally:
        web.send_signal(signal.SIGTERM)
        web.wait(20)
        with _admin() as connection:
            connection.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(database)))


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
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", int(address.rsplit(":", 1)[1])), 1):
            return
        time.sleep(0.1)
    raise RuntimeError("the server does not answer")


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port
