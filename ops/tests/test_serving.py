"""Serving and installing: clear words where something stands in the way, and nothing done twice."""

from __future__ import annotations

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import install
import pytest
import running
import serve
from cluster import Cluster, ClusterError
from paths import REPOSITORY

OPS = Path(serve.__file__).parent


def run_serve(state: Path, port: int | str, *words: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "RENNBAHN_STATE": str(state), "PORT": str(port)}
    return subprocess.run(
        [sys.executable, OPS / "serve.py", *words],
        capture_output=True, text=True, check=False, env=environment, timeout=60,
    )  # fmt: skip


def test_a_taken_port_is_named_with_the_way_out(tmp_path: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        done = run_serve(tmp_path, port)
    assert done.returncode == 1
    assert f"port {port} is taken by another program. Choose another: PORT={port + 1} make demo" in done.stderr
    assert not (tmp_path / "postgres-demo").exists(), "nothing was started"


@pytest.mark.parametrize("port", ["abc", "0", "99999", "-1", "8 0", "٨٠٨٠", "1_0"])
def test_a_port_that_is_none_gets_one_line(tmp_path: Path, port: str) -> None:
    done = run_serve(tmp_path, port)
    assert done.returncode == 1
    assert done.stderr.count("\n") == 1
    assert "no port: a number from 1 to 65535" in done.stderr


def test_a_state_directory_that_cannot_be_written_gets_one_line(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    done = run_serve(tmp_path / "file" / "state", 8123)
    assert done.returncode == 1
    assert done.stderr.count("\n") == 1
    assert "RENNBAHN_STATE" in done.stderr


@pytest.fixture
def programs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[[str], subprocess.Popen[bytes]]]:
    """Starts programs that wait, with words in their command."""
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    started: list[subprocess.Popen[bytes]] = []

    def start(words: str) -> subprocess.Popen[bytes]:
        code = "import time; time.sleep(60)"
        started.append(subprocess.Popen([sys.executable, "-c", code, words], start_new_session=True, cwd="/"))
        return started[-1]

    yield start
    for one in started:
        one.kill()
        one.wait()


def noting(*rows: tuple[int, int]) -> None:
    running.pid_file().write_text(json.dumps(rows))


def began(program: subprocess.Popen[bytes]) -> int:
    found = running.Process.of(program.pid)
    assert found is not None
    return found.began


def test_remains_of_a_killed_supervisor_are_cleared(programs: Callable[[str], subprocess.Popen[bytes]]) -> None:
    left, stranger, reused = programs(str(serve.SERVER)), programs("elsewhere"), programs(str(serve.SERVER))
    noting((2**22 - 3, 1), (left.pid, began(left)), (stranger.pid, began(stranger)), (reused.pid, began(reused) - 1))
    serve.clear_remains(1)
    assert left.wait(10) == -signal.SIGKILL
    time.sleep(0.2)
    with pytest.raises(subprocess.TimeoutExpired):
        stranger.wait(0.3)  # what works elsewhere is left alone
    assert reused.poll() is None, "what began at another time is another program"
    assert running.noted() == []


def test_stopping_ends_nothing_that_is_not_its_own(
    programs: Callable[[str], subprocess.Popen[bytes]], tmp_path: Path
) -> None:
    stranger, reused = programs("serve.py elsewhere"), programs(f"{REPOSITORY}/ops/serve.py")
    for rows in ([(stranger.pid, began(stranger))], [(reused.pid, began(reused) + 5)]):
        noting(*rows)
        assert run_serve(tmp_path, 8123, "stop").returncode == 0
    for damaged in ("", "12\n13", "[[1", "null", '[["a", "b"]]', "\x00\xff"):
        running.pid_file().write_text(damaged)
        assert run_serve(tmp_path, 8123, "stop").returncode == 0
        assert not running.pid_file().exists()
    assert (stranger.poll(), reused.poll()) == (None, None)


def test_a_running_instance_of_our_own_is_called_that(
    programs: Callable[[str], subprocess.Popen[bytes]], tmp_path: Path
) -> None:
    own = programs(f"{REPOSITORY}/ops/serve.py")
    noting((own.pid, began(own)))
    done = run_serve(tmp_path, 8123)
    assert (done.returncode, "it runs already" in done.stderr) == (1, True)


def test_what_a_killed_server_left_of_uploads_is_swept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    serve.uploads_dir().mkdir()
    (serve.uploads_dir() / "tmp-half.upload").write_bytes(b"half a capture")
    serve.sweep_uploads()
    assert list(serve.uploads_dir().iterdir()) == []


def test_files_are_written_whole(tmp_path: Path) -> None:
    file = tmp_path / "kept"
    running.write_whole(file, "first")
    running.write_whole(file, "second")
    assert (file.read_text(), file.stat().st_mode & 0o077) == ("second", 0)
    assert [one.name for one in tmp_path.iterdir()] == ["kept"]


def test_a_damaged_key_is_made_anew(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    (tmp_path / "secret-key").write_text("short")
    key = serve.environment_for(Fake())["RENNBAHN_SECRET_KEY"]  # type: ignore[arg-type]
    assert len(key) >= 50
    assert "made anew" in capsys.readouterr().err


@pytest.mark.parametrize("damaged", ["", "{", "[]", '{"port": "x", "password": "y"}', '{"port": "1"}'])
def test_damaged_access_to_the_database_is_explained(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, damaged: str
) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    home = Cluster("demo").home
    home.mkdir()
    (home / "access.json").write_text(damaged)
    with pytest.raises(ClusterError, match=r"access\.json is damaged.*make reset-demo"):
        Cluster("demo").facts()


class Fake:
    """A cluster that is there."""

    def environment(self) -> dict[str, str]:
        return {"RENNBAHN_DB_PORT": "1"}


def test_the_secret_key_is_made_once_and_kept_private(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))

    first, second = (serve.environment_for(Fake())["RENNBAHN_SECRET_KEY"] for _ in range(2))  # type: ignore[arg-type]
    assert first == second
    assert len(first) > 40
    assert (tmp_path / "secret-key").stat().st_mode & 0o077 == 0


def test_steps_are_done_again_only_when_their_files_change(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(install, "REPOSITORY", tmp_path)
    monkeypatch.setattr(install, "STAMPS", tmp_path / "stamps")
    file = tmp_path / "lock.txt"
    file.write_text("a==1")
    first = install.fingerprint([file])
    assert install.read_stamp("python") == ""
    install.write_stamp("python", first)
    assert install.read_stamp("python") == install.fingerprint([file])
    file.write_text("a==2")
    assert install.read_stamp("python") != install.fingerprint([file])


def test_missing_packages_are_named_where_they_cannot_be_installed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(install, "IS_ROOT", False)
    monkeypatch.setattr(install, "bin_dir", lambda: None)
    monkeypatch.setattr(install, "CHROMIUM", ("/nowhere/chromium",))
    monkeypatch.setattr(shutil, "which", lambda name: None if name == "sudo" else f"/usr/bin/{name}")
    with pytest.raises(install.InstallError, match=r"sudo apt-get install postgresql chromium chromium-driver"):
        install.debian(tests=True)
    with pytest.raises(install.InstallError, match=r"sudo apt-get install postgresql`"):
        install.debian(tests=False)


def test_nothing_is_asked_of_debian_where_all_is_there(monkeypatch: pytest.MonkeyPatch) -> None:
    def never(*_: object, **__: object) -> int:
        raise AssertionError("nothing is missing")

    monkeypatch.setattr(install, "bin_dir", lambda: Path("/usr/bin"))
    monkeypatch.setattr(install, "can_make_venv", lambda: True)
    monkeypatch.setattr(install, "CHROMIUM", ("/bin/sh",))
    monkeypatch.setattr(install, "run", never)
    install.debian(tests=True)


@pytest.mark.parametrize("host", ["", "localhost", "127.0.0.1"])
def test_it_listens_on_loopback_unless_it_is_told_otherwise(host: str) -> None:
    assert serve.where_of({"HOST": host}) == serve.Where()
    assert not serve.where_of({}).open


def test_others_reach_it_only_where_that_is_said_in_words() -> None:
    for told in ({"HOST": serve.EVERYWHERE}, {"HOST": serve.EVERYWHERE, "ALLOW": "yes"}):
        with pytest.raises(serve.CannotServe, match="everybody in this network"):
            serve.where_of(told)
    found = serve.where_of({"HOST": serve.EVERYWHERE, "ALLOW": serve.ALLOW})
    assert (found.open, found.here) == (True, "127.0.0.1")
    assert found.names
    assert not any(name.startswith("127.") for name in found.names)
    with pytest.raises(serve.CannotServe, match="no name of this machine"):
        serve.where_of({"HOST": "no.such.name.invalid", "ALLOW": serve.ALLOW})


def test_an_address_of_another_machine_is_said() -> None:
    where = serve.where_of({"HOST": "192.0.2.7", "ALLOW": serve.ALLOW})
    with pytest.raises(serve.CannotServe, match="no address of this machine"):
        serve.listen("demo", 18_999, where)
