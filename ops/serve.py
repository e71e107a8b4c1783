"""Serves the demo: PostgreSQL, migrations, demo data once, web server; brings up again what dies.

`serve.py` runs until Ctrl-C and stops everything it started. `serve.py stop` stops a running one. `serve.py dev` runs
Django's own server beside Vite, with hot reload.
"""

from __future__ import annotations

import contextlib
import http.client
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

from cluster import Cluster, ClusterError
from paths import REPOSITORY, VENV, WEB, state_dir
from running import note, noted, pid_file, write_whole

SERVER = REPOSITORY / "server"
PYTHON = VENV / "bin" / "python"
HOST = "127.0.0.1"
VITE_PORT = "5173"
#: Web servers that share the socket.
WEB_SERVERS = 2
_CHECK_SECONDS = 1.0
_STOP_SECONDS = 10
#: Is asked every so often whether the web servers answer; after so many silences in a row they are started again.
_PROBE_SECONDS = 5.0
_PROBE_PATIENCE = 10.0
_SILENCES = 3
#: A secret key that is shorter was cut.
_KEY_LENGTH = 50


#: Programs beside the web servers, by what `manage.py` is told.
_NAMES = {"work": "worker", "simbench": "simulated bench"}


class Stopped(Exception):
    """Somebody asked to stop."""


class CannotServe(Exception):
    """Something stands in the way; the message says what, and what to do."""


def main() -> int:
    """Serve, serve for development, or stop."""
    verb = sys.argv[1] if len(sys.argv) > 1 else "demo"
    try:
        port = port_of(os.environ.get("PORT", "8000"))
        make_state()
        return stop(port) if verb == "stop" else serve(verb, port)
    except (CannotServe, ClusterError) as error:
        print(f"rennbahn: {error}", file=sys.stderr)
        return 1


def port_of(text: str) -> int:
    """The port that was asked for. Raises :class:`CannotServe`."""
    if not text.isascii() or not text.isdigit() or not 1 <= int(text) <= 65_535:
        raise CannotServe(f"PORT is {text!r}, which is no port: a number from 1 to 65535, such as PORT=8010.")
    return int(text)


def make_state() -> None:
    """The directory of our own. Raises :class:`CannotServe` where it cannot be written."""
    try:
        state_dir().mkdir(parents=True, exist_ok=True)
        probe = state_dir() / f"probe-{os.getpid()}"
        probe.touch()
        probe.unlink()
    except OSError as error:
        where = state_dir()
        why = error.strerror
        raise CannotServe(f"{where} cannot be written ({why}). Set RENNBAHN_STATE to a directory that can.") from None


def serve(verb: str, port: int) -> int:
    """Serve until somebody asks to stop."""
    clear_remains(port)
    if noted():
        raise CannotServe("it runs already, from another terminal. `make stop` stops it.")
    listening = listen(verb, port)
    sweep_uploads()
    cluster = Cluster("demo")
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, _on_signal)
    children: list[subprocess.Popen[bytes]] = []
    try:
        cluster.start()
        environment = environment_for(cluster, debug=verb == "dev")
        manage(environment, "migrate", "--verbosity", "0")
        manage(environment, "load_demo")
        web = dev_commands(port) if verb == "dev" else [web_command(listening)] * WEB_SERVERS
        commands = [*web, worker_command(), simbench_command(port)]
        children = [spawn(command, environment, listening) for command in commands]
        note([child.pid for child in children])
        greet(verb, port, children[0])
        watch(cluster, commands, children, environment, listening, None if verb == "dev" else port)
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


def listen(verb: str, port: int) -> socket.socket | None:
    """The socket that web servers share: it stays open while one of them is started again. None for development."""
    listening = socket.socket()
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((HOST, port))
    except OSError:
        raise CannotServe(
            f"port {port} is taken by another program. Choose another: PORT={port + 1} make {verb}"
        ) from None
    if verb == "dev":
        listening.close()
        return None
    listening.listen(512)
    listening.set_inheritable(True)
    return listening


def uploads_dir() -> Path:
    """Where uploads are put down while they come."""
    return state_dir() / "uploads"


def sweep_uploads() -> None:
    """Throw away what a killed server left of uploads that it was taking."""
    shutil.rmtree(uploads_dir(), ignore_errors=True)
    uploads_dir().mkdir(parents=True)


def environment_for(cluster: Cluster, *, debug: bool = False) -> dict[str, str]:
    """The environment of the server."""
    key = state_dir() / "secret-key"
    if not key.exists() or len(key.read_text(errors="replace").strip()) < _KEY_LENGTH:
        if key.exists():
            print("rennbahn: the secret key was damaged and is made anew: everybody signs in again", file=sys.stderr)
        write_whole(key, secrets.token_urlsafe(50))
    return {
        **os.environ,
        **cluster.environment(),
        "RENNBAHN_SECRET_KEY": key.read_text().strip(),
        "RENNBAHN_UPLOADS": str(uploads_dir()),
        "RENNBAHN_DEBUG": "1" if debug else "",
        "RENNBAHN_ORIGINS": f"http://localhost:{VITE_PORT}" if debug else "",
        "PYTHONUNBUFFERED": "1",
    }


def manage(environment: dict[str, str], *words: str) -> None:
    """Run one of Django's commands."""
    subprocess.run([PYTHON, "manage.py", *words], cwd=SERVER, env=environment, check=True)


def web_command(listening: socket.socket | None) -> list[str]:
    """A web server on the socket that all of them share."""
    fd = listening.fileno() if listening else -1
    return [str(PYTHON), "-m", "web_server", "--fd", str(fd)]


def worker_command() -> list[str]:
    """The worker: what takes longer than an answer may."""
    return [str(PYTHON), str(SERVER / "manage.py"), "work", "--alone"]


def simbench_command(port: int) -> list[str]:
    """The simulated bench: it sends its files as a test machine does, so it must know where to."""
    return [str(PYTHON), str(SERVER / "manage.py"), "simbench", f"http://{HOST}:{port}"]


def dev_commands(port: int) -> list[list[str]]:
    """Django's server and Vite's."""
    return [
        [str(PYTHON), str(SERVER / "manage.py"), "runserver", f"{HOST}:{port}"],
        ["npm", "--prefix", str(WEB), "run", "dev", "--", "--port", VITE_PORT, "--strictPort"],
    ]


def spawn(
    command: list[str], environment: dict[str, str], listening: socket.socket | None = None
) -> subprocess.Popen[bytes]:
    """Start a program in a process group of its own, so that Ctrl-C reaches us first."""
    fds = (listening.fileno(),) if listening and "web_server" in command else ()
    return subprocess.Popen(command, env=environment, cwd=SERVER, start_new_session=True, pass_fds=fds)


def greet(verb: str, port: int, web: subprocess.Popen[bytes]) -> None:
    """Wait for the first answer, then say where it is and who may sign in."""
    while not answers(port, 1.0):
        if web.poll() is not None:
            raise ClusterError(f"the web server ended at once with {web.returncode}.")
        time.sleep(0.05)
    shown = VITE_PORT if verb == "dev" else port
    print(f"\n  Rennbahn is at   http://localhost:{shown}\n")
    environment = os.environ | environment_for(Cluster("demo"))
    subprocess.run([PYTHON, "manage.py", "load_demo", "--sign-ins"], cwd=SERVER, env=environment, check=False)
    print("\n  Ctrl-C stops it.", flush=True)


def answers(port: int, seconds: float) -> bool:
    """Does a web server answer, with the database behind it?"""
    probe = http.client.HTTPConnection(HOST, port, timeout=seconds)
    try:
        probe.request("GET", "/api/health")
        return probe.getresponse().status == http.client.OK
    except (OSError, http.client.HTTPException):
        return False
    finally:
        probe.close()


def watch(
    cluster: Cluster,
    commands: list[list[str]],
    children: list[subprocess.Popen[bytes]],
    environment: dict[str, str],
    listening: socket.socket | None,
    port: int | None,
) -> None:
    """Bring up again what dies or falls silent, and say so."""
    probed, silences = time.monotonic(), 0
    while True:
        time.sleep(_CHECK_SECONDS)
        if not cluster.running():
            print("rennbahn: the database is gone, starting it again", file=sys.stderr)
            before = cluster.facts()["port"]
            cluster.start()
            if cluster.facts()["port"] != before:
                environment.update(cluster.environment())
                for child in children:
                    end(child)
        for index, child in enumerate(children):
            if child.poll() is not None:
                what = _NAMES.get(commands[index][2], "web server")
                print(f"rennbahn: a {what} is gone, starting it again", file=sys.stderr)
                end(child)
                children[index] = spawn(commands[index], environment, listening)
                note([one.pid for one in children])
        if port is not None and time.monotonic() - probed > _PROBE_SECONDS:
            silences = 0 if answers(port, _PROBE_PATIENCE) else silences + 1
            probed = time.monotonic()
            if silences >= _SILENCES:
                print("rennbahn: the web servers do not answer, starting them again", file=sys.stderr)
                silences = 0
                for index, command in enumerate(commands):
                    if command[2] not in _NAMES:
                        end(children[index])


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


def clear_remains(port: int) -> None:
    """End servers whose supervisor was killed: they would hold the port."""
    found = noted()
    if not found:
        pid_file().unlink(missing_ok=True)
        return
    supervisor, *children = found
    if supervisor.runs():
        return
    for child in children:
        child.end(signal.SIGKILL, group=True)
    # They let go of the port a moment after they are killed.
    patience = time.monotonic() + _STOP_SECONDS
    while children and not port_is_free(port) and time.monotonic() < patience:
        time.sleep(0.05)
    pid_file().unlink(missing_ok=True)


def stop(port: int) -> int:
    """Stop a demo that runs in another terminal, and the clusters."""
    clear_remains(port)
    for supervisor in noted()[:1]:
        supervisor.end(signal.SIGTERM)
        while supervisor.runs():
            time.sleep(0.1)
    for name in ("demo", "test"):
        if Cluster(name).home.exists():
            Cluster(name).stop()
    return 0


def port_is_free(port: int) -> bool:
    """Does nobody listen there?"""
    with socket.socket() as probe:
        return probe.connect_ex((HOST, port)) != 0


def _on_signal(_number: int, _frame: FrameType | None) -> None:
    raise Stopped


if __name__ == "__main__":
    sys.exit(main())
