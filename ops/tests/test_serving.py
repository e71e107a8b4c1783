"""Serving and installing: clear words where something stands in the way, and nothing done twice."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
from pathlib import Path

import install
import pytest
import serve

OPS = Path(serve.__file__).parent


def run_serve(state: Path, port: int) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "RENNBAHN_STATE": str(state), "PORT": str(port)}
    return subprocess.run(
        [sys.executable, OPS / "serve.py"], capture_output=True, text=True, check=False, env=environment, timeout=60
    )


def test_a_taken_port_is_named_with_the_way_out(tmp_path: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        done = run_serve(tmp_path, port)
    assert done.returncode == 1
    assert f"port {port} is taken by another program. Choose another: PORT={port + 1} make demo" in done.stderr
    assert not (tmp_path / "postgres-demo").exists(), "nothing was started"


def test_remains_of_a_killed_supervisor_are_cleared(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    left = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)", serve.SERVER], start_new_session=True)
    stranger = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"], start_new_session=True)
    gone = subprocess.Popen(["true"])
    gone.wait()
    try:
        serve.pid_file().write_text(f"{gone.pid}\n{left.pid}\n{stranger.pid}")
        serve.clear_remains()
        assert left.wait(10) == -signal.SIGKILL
        assert stranger.poll() is None, "what is not ours is left alone"
        assert serve.noted() == (0, [])
    finally:
        for one in (left, stranger):
            one.kill()
            one.wait()


def test_the_secret_key_is_made_once_and_kept_private(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))

    class Fake:
        def environment(self) -> dict[str, str]:
            return {"RENNBAHN_DB_PORT": "1"}

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
