"""Back to any moment, as docs/running.md says: a base backup, what was archived since, and a moment to stop at."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import psycopg
import pytest
from cluster import Cluster, _as_server, _own, bin_dir
from connecting import connect
from paths import REPOSITORY

TOLD = (REPOSITORY / "docs" / "running.md").read_text()


@pytest.fixture
def archive(cluster: Cluster) -> Iterator[Path]:
    """Where PostgreSQL may write, with a place for a base backup beside it."""
    cluster.start()
    place = cluster.home / "archive"
    place.mkdir()
    _own(place)
    yield place
    shutil.rmtree(cluster.home / "base", ignore_errors=True)


def settings(beginning: str, archive: Path, moment: str = "") -> str:
    """The lines that the page tells, for this place and moment."""
    block = next(one for one in re.findall(r"```conf\n(.*?)```", TOLD, re.S) if one.startswith(beginning))
    return re.sub(r"'2026-\S+ \S+'", f"'{moment}'", block.replace("/mnt/archive", str(archive)))


def add_settings(data: Path, lines: str) -> None:
    with (data / "postgresql.conf").open("a") as conf:
        conf.write(f"\n{lines}")


def value(connection: psycopg.Connection[tuple[object, ...]], asked: str) -> object:
    row = connection.execute(asked.encode()).fetchone()
    return row and row[0]


def test_back_to_just_before_a_mistake(cluster: Cluster, archive: Path) -> None:
    cluster.stop()
    add_settings(cluster.data, settings("archive_mode", archive))
    cluster.start()
    with connect(cluster) as connection:
        connection.execute("CREATE TABLE kept (n int)")
    facts, programs, base = cluster.facts(), bin_dir(), cluster.home / "base"
    assert programs
    address = ["-h", "127.0.0.1", "-p", facts["port"], "-U", "rennbahn"]
    command = [str(programs / "pg_basebackup"), *address, "-D", str(base), "-X", "none", "--checkpoint=fast"]
    subprocess.run(_as_server(command), env={**os.environ, "PGPASSWORD": facts["password"]}, check=True, cwd="/")
    with connect(cluster) as connection:
        connection.execute("INSERT INTO kept VALUES (1), (2)")
        moment = value(connection, "SELECT clock_timestamp()")
        assert isinstance(moment, datetime)
        connection.execute("DELETE FROM kept")
        connection.execute("SELECT pg_switch_wal()")
        connection.execute("CHECKPOINT")
        segment = "SELECT last_archived_wal >= pg_walfile_name(pg_current_wal_lsn() - 16777216) FROM pg_stat_archiver"
        for _ in range(200):
            if value(connection, segment):
                break
            connection.execute("SELECT pg_sleep(0.05)")
    cluster.stop()

    shutil.rmtree(cluster.data)
    subprocess.run(_as_server(["cp", "-a", str(base), str(cluster.data)]), check=True, cwd="/")
    add_settings(cluster.data, settings("restore_command", archive, moment.isoformat(sep=" ")))
    signal = cluster.data / "recovery.signal"
    signal.touch()
    _own(signal)
    assert cluster.start()
    with connect(cluster) as connection:
        for _ in range(200):
            if not value(connection, "SELECT pg_is_in_recovery()"):
                break
            connection.execute("SELECT pg_sleep(0.05)")
        assert value(connection, "SELECT count(*) FROM kept") == 2, "what was deleted after the moment is there"
        connection.execute("INSERT INTO kept VALUES (3)")
