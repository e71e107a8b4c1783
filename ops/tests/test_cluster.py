"""The private cluster: made once, found again, up again after the worst, gone when it is told to go."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import threading
from pathlib import Path

import cluster as module
import psycopg
import pytest
from cluster import Cluster, ClusterError
from connecting import connect


def postmaster(cluster: Cluster) -> int:
    return int((cluster.data / "postmaster.pid").read_text().split("\n")[0])


def test_a_life(cluster: Cluster) -> None:
    assert cluster.start()
    assert not cluster.start(), "it runs: nothing to do"
    with connect(cluster) as connection:
        connection.execute("CREATE TABLE kept (n int)")
        connection.execute("INSERT INTO kept VALUES (42)")
        addresses = connection.execute("SHOW listen_addresses").fetchone()
        sockets = connection.execute("SHOW unix_socket_directories").fetchone()
    assert (addresses, sockets) == (("127.0.0.1",), ("",))

    with pytest.raises(psycopg.OperationalError, match="password authentication failed"):
        connect(cluster, password="guessed")
    assert (cluster.home / "access.json").stat().st_mode & 0o077 == 0, "only its owner reads the password"

    # Killed in the middle of a connection: orphans and a stale pid file remain.
    with connect(cluster) as connection:
        os.kill(postmaster(cluster), signal.SIGKILL)
        assert module._until(lambda: not cluster.running(), 10)
        assert cluster.start()
        with pytest.raises(psycopg.OperationalError):
            connection.execute("SELECT 1")
    with connect(cluster) as connection:
        assert connection.execute("SELECT n FROM kept").fetchone() == (42,)

    cluster.stop()
    assert not cluster.running()
    cluster.stop()

    # Another program took the port meanwhile: the cluster moves, its data stays.
    with socket.socket() as other:
        # Connections that have just ended still linger on the port; another program would take it all the same.
        other.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        other.bind(("127.0.0.1", int(cluster.facts()["port"])))
        other.listen()
        taken = cluster.facts()["port"]
        assert cluster.start()
        assert cluster.facts()["port"] != taken
        with connect(cluster) as connection:
            assert connection.execute("SELECT n FROM kept").fetchone() == (42,)


def test_a_pid_file_that_names_a_stranger_is_no_running_cluster(cluster: Cluster) -> None:
    cluster.start()
    cluster.stop()
    (cluster.data / "postmaster.pid").write_text(f"{os.getpid()}\n")
    assert not cluster.running()
    assert cluster.start()


def test_two_starts_at_once_make_one_cluster(cluster: Cluster) -> None:
    started: list[bool] = []
    threads = [threading.Thread(target=lambda: started.append(cluster.start())) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(started) == [False, True]


def test_only_the_tests_cluster_may_lose_data(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The demo keeps what it is given: its configuration never turns fsync off."""
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    monkeypatch.delenv("RENNBAHN_FSYNC", raising=False)
    written = {}
    for name in ("demo", "test"):
        made = Cluster(name)
        made.home.mkdir()

        def fake_initdb(command: list[object], _what: str) -> None:
            data = Path(str(command[2]))
            data.mkdir()
            (data / "postgresql.conf").write_text("")

        monkeypatch.setattr(module, "_run", fake_initdb)
        made._make()
        written[name] = (made.data / "postgresql.conf").read_text()
    assert "fsync=off" in written["test"]
    assert "fsync" not in written["demo"]
    assert "synchronous_commit" not in written["demo"]


def test_without_postgresql_it_says_what_to_do(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    monkeypatch.setattr(module, "bin_dir", lambda: None)
    with pytest.raises(ClusterError, match="make install"):
        Cluster("demo").start()


def test_the_command_line_runs_a_program_beside_its_database(cluster: Cluster) -> None:
    ops = Path(module.__file__).parent
    done = subprocess.run(
        ["python3", ops / "cluster.py", "run", "demo", "sh", "-c", "echo $RENNBAHN_DB_NAME; exit 7"],
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "RENNBAHN_STATE": str(cluster.home.parent)},
    )
    assert (done.stdout, done.returncode) == ("rennbahn\n", 7)
