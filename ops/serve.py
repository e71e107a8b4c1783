"""Serves the demo: PostgreSQL, migrations, demo data once, web server; brings up again what dies.

`serve.py` runs until Ctrl-C and stops everything it started. `serve.py stop` stops a running one. `serve.py dev` runs
Django's own server beside Vite, with hot reload.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

from cluster import Cluster, ClusterError
from paths import REPOSITORY, VENV, WEB, state_dir

SERVER = REPOSITORY / "server"
PYTHON = VENV / "bin" / "python"
PORT = os.environ.get("PORT", "8000")
HOST = "127.0.0.1"
VITE_PORT = "5173"
_CHECK_SECONDS = 1.0
_STOP_SECONDS = 10


class Stopped(Exception):
    """Somebody asked to stop."""


def main() -> int:
    """Serve, serve for development, or stop."""
    verb = sys.argv[1] if len(sys.argv) > 1 else "demo"
    if verb == "stop":
        return stop()
    clear_remains()
    if not port_is_free(int(PORT)):
        print(
            f"rennbahn: port {PORT} is taken by another program. Choose another: PORT={int(PORT) + 1} make {verb}",
            file=sys.stderr,
        )
        return 1
    if noted()[0]:
        print("rennbahn: it runs already, from another terminal. `make stop` stops it.", file=sys.stderr)
        return 1
    state_dir().mkdir(parents=True, exist_ok=True)
    cluster = Cluster("demo")
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, _on_signal)
    children: list[subprocess.Popen[bytes]] = []
    try:
        cluster.start()
        environment = environment_for(cluster, debug=verb == "dev")
        manage(environment, "migrate", "--verbosity", "0")
        manage(environment, "load_demo")
        commands = [*(dev_commands() if verb == "dev" else [web_command()]), worker_command()]
        children = [spawn(command, environment) for command in commands]
        note(children)
        greet(verb, children[0])
        watch(cluster, commands, children, environment)
    except Stopped:
        print("\nrennbahn: stopping …")
    except (ClusterError, subprocess.CalledProcessError) as error:
        print(f"rennbahn: {error}", file=sys.stderr)
        return 1
    finally:
        # A second Ctrl-C must not leave anything running.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        for child in children:
            end(child)
        pid_file().unlink(missing_ok=True)
        cluster.stop()
    return 0


def environment_for(cluster: Cluster, *, debug: bool = False) -> dict[str, str]:
    """The environment of the server."""
    key = state_dir() / "secret-key"
    if not key.exists():
        key.touch(mode=0o600)
        key.write_text(secrets.token_urlsafe(50))
    return {
        **os.environ,
        **cluster.environment(),
        "RENNBAHN_SECRET_KEY": key.read_text(),
        "RENNBAHN_DEBUG": "1" if debug else "",
        "RENNBAHN_ORIGINS": f"http://localhost:{VITE_PORT}" if debug else "",
        "PYTHONUNBUFFERED": "1",
    }


def manage(environment: dict[str, str], *words: str) -> None:
    """Run one of Django's commands."""
    subprocess.run([PYTHON, "manage.py", *words], cwd=SERVER, env=environment, check=True)


def web_command() -> list[str]:
    """The web server: a few workers with threads, each replaced now and then."""
    return [
        str(VENV / "bin" / "gunicorn"), "config.wsgi:application", "--chdir", str(SERVER), "--bind", f"{HOST}:{PORT}",
        "--workers", "2", "--threads", "4", "--timeout", "120", "--max-requests", "2000", "--max-requests-jitter",
        "200", "--no-control-socket", "--log-level", "warning",
    ]  # fmt: skip


def worker_command() -> list[str]:
    """The worker: what takes longer than an answer may."""
    return [str(PYTHON), str(SERVER / "manage.py"), "work"]


def dev_commands() -> list[list[str]]:
    """Django's server and Vite's."""
    return [
        [str(PYTHON), str(SERVER / "manage.py"), "runserver", f"{HOST}:{PORT}"],
        ["npm", "--prefix", str(WEB), "run", "dev", "--", "--port", VITE_PORT, "--strictPort"],
    ]


def spawn(command: list[str], environment: dict[str, str]) -> subprocess.Popen[bytes]:
    """Start a program in a process group of its own, so that Ctrl-C reaches us first."""
    return subprocess.Popen(command, env=environment, cwd=SERVER, start_new_session=True)


def greet(verb: str, web: subprocess.Popen[bytes]) -> None:
    """Wait for the first answer, then say where it is and who may sign in."""
    while port_is_free(int(PORT)):
        if web.poll() is not None:
            raise ClusterError(f"the web server ended at once with {web.returncode}.")
        time.sleep(0.05)
    port = VITE_PORT if verb == "dev" else PORT
    print(f"\n  Rennbahn is at   http://localhost:{port}\n")
    subprocess.run([PYTHON, "manage.py", "load_demo", "--sign-ins"], cwd=SERVER, env=os.environ | _quiet(), check=False)
    print("\n  Ctrl-C stops it.", flush=True)


def _quiet() -> dict[str, str]:
    return environment_for(Cluster("demo"))


def watch(
    cluster: Cluster, commands: list[list[str]], children: list[subprocess.Popen[bytes]], environment: dict[str, str]
) -> None:
    """Bring up again what dies: the database or a server that was killed."""
    while True:
        time.sleep(_CHECK_SECONDS)
        if not cluster.running():
            print("rennbahn: the database is gone, starting it again", file=sys.stderr)
            port = cluster.facts()["port"]
            cluster.start()
            if cluster.facts()["port"] != port:
                environment.update(cluster.environment())
                for child in children:
                    end(child)
        for index, child in enumerate(children):
            if child.poll() is not None:
                what = "worker" if commands[index] == worker_command() else "web server"
                print(f"rennbahn: the {what} is gone, starting it again", file=sys.stderr)
                end(child)
                children[index] = spawn(commands[index], environment)
                note(children)


def end(child: subprocess.Popen[bytes]) -> None:
    """End a program with all it started."""
    for number, seconds in ((signal.SIGTERM, _STOP_SECONDS), (signal.SIGKILL, _STOP_SECONDS)):
        with contextlib.suppress(ProcessLookupError):
            os.killpg(child.pid, number)
        try:
            child.wait(seconds)
        except subprocess.TimeoutExpired:
            continue
        if number == signal.SIGTERM and _group_lives(child.pid):
            continue
        return


def _group_lives(group: int) -> bool:
    try:
        os.killpg(group, 0)
    except ProcessLookupError:
        return False
    return True


def pid_file() -> Path:
    """Where the supervisor notes itself and what it started, one number a line."""
    return state_dir() / "serve.pid"


def note(children: list[subprocess.Popen[bytes]]) -> None:
    """Note who runs, so that another call can stop it, or clear up after a supervisor that was killed."""
    pid_file().write_text("\n".join(str(pid) for pid in (os.getpid(), *(child.pid for child in children))))


def noted() -> tuple[int, list[int]]:
    """The supervisor and its children as noted; 0 where nobody is."""
    if not pid_file().exists():
        return 0, []
    supervisor, *children = (int(line) for line in pid_file().read_text().split())
    return supervisor, children


def clear_remains() -> None:
    """End servers whose supervisor was killed: they would hold the port."""
    supervisor, children = noted()
    if supervisor and not _runs(supervisor, "serve.py"):
        for child in children:
            if _runs(child, str(SERVER)) or _runs(child, str(WEB)):
                with contextlib.suppress(ProcessLookupError):
                    os.killpg(child, signal.SIGKILL)
        # Its workers let go of the port a moment after they are killed.
        patience = time.monotonic() + _STOP_SECONDS
        while children and not port_is_free(int(PORT)) and time.monotonic() < patience:
            time.sleep(0.05)
        pid_file().unlink(missing_ok=True)


def stop() -> int:
    """Stop a demo that runs in another terminal, and the clusters."""
    clear_remains()
    supervisor, _ = noted()
    if supervisor:
        os.kill(supervisor, signal.SIGTERM)
        while _runs(supervisor, "serve.py"):
            time.sleep(0.1)
    for name in ("demo", "test"):
        if Cluster(name).home.exists():
            Cluster(name).stop()
    return 0


def _runs(pid: int, words: str) -> bool:
    """Does that process live and have these words in its command? (A zombie has no command.)"""
    try:
        return words in Path(f"/proc/{pid}/cmdline").read_text().replace("\0", " ")
    except OSError:
        return False


def port_is_free(port: int) -> bool:
    """Does nobody listen there?"""
    with socket.socket() as probe:
        return probe.connect_ex((HOST, port)) != 0


def _on_signal(_number: int, _frame: FrameType | None) -> None:
    raise Stopped


if __name__ == "__main__":
    sys.exit(main())
