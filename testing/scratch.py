"""Databases for tests, copied from templates that are kept from run to run.

A template is named by a hash of what makes it, so that it is made again only where that changed. All of them lie in the
cluster of the tests, under the state directory; those of another hash are dropped when a new one is made.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import subprocess
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import psycopg
from psycopg import sql

REPOSITORY = Path(__file__).resolve().parent.parent
SERVER = REPOSITORY / "server"
PYTHON = REPOSITORY / ".venv" / "bin" / "python"
#: Who may sign in where there is no demo, and the password of everybody in the demo.
LEAD = "mara"
PASSWORD = "neun-liter-demo"

_LOCKS = REPOSITORY / "requirements" / "runtime.txt"
_MAKE_EMPTY = (["migrate", "-v0"],)
_MAKE_LEAD = (*_MAKE_EMPTY, ["createsuperuser", "--noinput", f"--username={LEAD}", "--email=", "-v0"])
_MAKE_DEMO = (*_MAKE_EMPTY, ["load_demo"])


def empty_template() -> str:
    """The name of a migrated database with nothing in it."""
    return _template("empty", _MAKE_EMPTY, [_LOCKS, *SERVER.glob("*/migrations/*.py")])


def lead_template() -> str:
    """The name of a database with nothing in it but a lead."""
    return _template("lead", _MAKE_LEAD, [_LOCKS, *SERVER.glob("*/migrations/*.py")])


def demo_template() -> str:
    """The name of a database with the demo. It tells of days from today on, so it is of today."""
    code = [
        file
        for file in (*SERVER.rglob("*.py"), *(REPOSITORY / "core" / "src").rglob("*.py"))
        if "tests" not in file.relative_to(REPOSITORY).parts
    ]
    return _template("demo", _MAKE_DEMO, [_LOCKS, *code], f"{datetime.now(UTC):%Y-%m-%d}")


def copy(template: str, database: str) -> None:
    """Make a database anew as a copy of a template."""
    drop(database)
    with admin() as connection:
        # One copy of a template at a time: PostgreSQL refuses one that somebody is connected to.
        connection.execute("SELECT pg_advisory_lock(hashtext(%s))", (template,))
        copied = sql.SQL("CREATE DATABASE {} TEMPLATE {} STRATEGY file_copy")
        connection.execute(copied.format(sql.Identifier(database), sql.Identifier(template)))


def drop(database: str) -> None:
    """Take a database away, with whoever is connected to it."""
    with admin() as connection:
        connection.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(database)))


def make(environment: dict[str, str], commands: Iterable[list[str]] = _MAKE_LEAD) -> None:
    """Fill an empty database by commands of the server's."""
    told = {**os.environ, **environment, "DJANGO_SUPERUSER_PASSWORD": PASSWORD}
    for words in commands:
        subprocess.run([PYTHON, "manage.py", *words], cwd=SERVER, env=told, check=True)


@contextlib.contextmanager
def admin() -> Iterator[psycopg.Connection[tuple[object, ...]]]:
    """A connection beside all databases of tests, which commits each statement."""
    connection = psycopg.connect(
        host=os.environ["RENNBAHN_DB_HOST"],
        port=os.environ["RENNBAHN_DB_PORT"],
        user=os.environ["RENNBAHN_DB_USER"],
        password=os.environ["RENNBAHN_DB_PASSWORD"],
        dbname="postgres",
        autocommit=True,
    )
    try:
        yield connection
    finally:
        connection.close()


def _template(kind: str, commands: Iterable[list[str]], files: Iterable[Path], also: str = "") -> str:
    """Made once, however many test workers ask for it at once; half a template is never found by its name."""
    digest = hashlib.sha256(also.encode())
    for file in sorted(files):
        digest.update(str(file.relative_to(REPOSITORY)).encode() + b"\0" + file.read_bytes())
    stem = f"rennbahn_template_{kind}_"
    name = stem + digest.hexdigest()[:16]
    with admin() as connection:
        connection.execute("SELECT pg_advisory_lock(hashtext(%s))", (stem,))
        known = connection.execute("SELECT datname FROM pg_database WHERE starts_with(datname, %s)", (stem,)).fetchall()
        if (name,) in known:
            return name
        making = f"making_{kind}"
        for (old,) in [*known, (making,)]:
            drop(str(old))
        connection.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(making)))
        make({"RENNBAHN_DB_NAME": making}, commands)
        renamed = sql.SQL("ALTER DATABASE {} RENAME TO {}")
        connection.execute(renamed.format(sql.Identifier(making), sql.Identifier(name)))
    return name
