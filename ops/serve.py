"""Serves: PostgreSQL, migrations, web servers, the worker; brings up again what dies.

`serve.py demo` serves demo data, `serve.py own` one's own, which is empty at first; each has a state directory and a
database of its own, and they may run side by side. Both run until Ctrl-C and stop everything they started.
`serve.py stop` stops what runs in other terminals. `serve.py dev` serves the demo by Django's own server beside Vite,
with hot reload.
"""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import FrameType

from cluster import Cluster, ClusterError
from paths import REPOSITORY, VENV, WEB, state_dir
from running import note, noted, pid_file, write_whole
from upkeep import LOOPBACK, NAMES, STOP_SECONDS, Beside, Nightly, Probe, answers, end

SERVER = REPOSITORY / "server"
PYTHON = VENV / "bin" / "python"
EVERYWHERE = "0.0.0.0"  # noqa: S104 - only where that is asked for in words
#: What has to be said to let others reach the demo: its passwords stand in the README.
ALLOW = "everybody in this network"
VITE_PORT = "5173"
#: Web servers that share the socket.
WEB_SERVERS = 2
_CHECK_SECONDS = 1.0
#: A secret key that is shorter was cut.
_KEY_LENGTH = 50


class Stopped(Exception):
    """Somebody asked to stop."""


class CannotServe(Exception):
    """Something stands in the way; the message says what, and what to do."""


def main() -> int:
    """Serve, serve for development, or stop."""
    verb = sys.argv[1] if len(sys.argv) > 1 else "demo"
    try:
        port = port_of(os.environ.get("PORT", "8000"))
        if verb == "stop":
            return stop(port)
        if verb == "own":
            os.environ["RENNBAHN_STATE"] = str(own_state())
        make_state()
        return serve(verb, port, where_of(os.environ, verb))
    except (CannotServe, ClusterError) as error:
        print(f"rennbahn: {error}", file=sys.stderr)
        return 1


def port_of(text: str) -> int:
    """The port that was asked for. Raises :class:`CannotServe`."""
    if not text.isascii() or not text.isdigit() or not 1 <= int(text) <= 65_535:
        raise CannotServe(f"PORT is {text!r}, which is no port: a number from 1 to 65535, such as PORT=8010.")
    return int(text)


@dataclass(frozen=True)
class Where:
    """On which address it listens, and under which names and addresses it may be asked for."""

    bind: str = LOOPBACK
    names: tuple[str, ...] = ()

    @property
    def open(self) -> bool:
        """Whether other machines reach it."""
        return self.bind != LOOPBACK

    @property
    def here(self) -> str:
        """The address by which it reaches itself."""
        return LOOPBACK if self.bind == EVERYWHERE else self.bind


def where_of(environment: Mapping[str, str], verb: str = "demo") -> Where:
    """Where it was asked to listen. Raises :class:`CannotServe` for what is no address, and where nobody said so."""
    host = environment.get("HOST", "").strip()
    if host in ("", "localhost", LOOPBACK):
        return Where()
    try:
        address = socket.gethostbyname(host)
    except OSError:
        raise CannotServe(f"HOST is {host!r}, which is no address and no name of this machine.") from None
    if address.startswith("127."):
        return Where()
    if environment.get("ALLOW", "") != ALLOW:
        why = (
            "what is typed into it travels in the clear, unless a proxy with TLS stands before it (docs/running.md)"
            if verb == "own"
            else "its passwords stand in the README"
        )
        raise CannotServe(
            f"HOST={host} lets everybody in this network reach it, and {why}. "
            f'Say so in words: ALLOW="{ALLOW}" HOST={host} make {"serve" if verb == "own" else verb}'
        )
    return Where(address, own_names() if address == EVERYWHERE else (host, address))


def own_names() -> tuple[str, ...]:
    """Names and addresses by which other machines may reach this one."""
    found = [socket.gethostname(), f"{socket.gethostname()}.local"]
    with contextlib.suppress(OSError):
        found += socket.gethostbyname_ex(socket.gethostname())[2]
    with contextlib.suppress(OSError), socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        # Nothing is sent: the system only says by which of its addresses it would be.
        probe.connect(("192.0.2.1", 9))
        found.append(probe.getsockname()[0])
    return tuple(one for one in dict.fromkeys(found) if not one.startswith("127."))


def own_state() -> Path:
    """The state directory of one's own, apart from the demo's."""
    return state_dir() / "own"


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


def serve(verb: str, port: int, where: Where = Where()) -> int:
    """Serve until somebody asks to stop."""
    clear_remains(port)
    if noted():
        raise CannotServe("it runs already, from another terminal. `make stop` stops it.")
    listening = listen(verb, port, where)
    sweep_uploads()
    cluster = Cluster("own" if verb == "own" else "demo")
    beside = Beside(port + 1, f"http://localhost:{port}") if verb == "own" and not where.open else None
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, _on_signal)
    children: list[subprocess.Popen[bytes]] = []
    nightly = Nightly() if verb == "own" else None
    upkeep = [one for one in (beside, nightly) if one is not None]
    if beside is not None:
        beside.forget()
    try:
        cluster.start()
        environment = environment_for(cluster, where, debug=verb == "dev")
        if beside is not None:
            environment["RENNBAHN_DEMO"] = str(beside.asked)
        if nightly is not None:
            environment["RENNBAHN_BACKED_UP"] = str(nightly.told)
        manage(environment, "migrate", "--verbosity", "0")
        if verb != "own":
            manage(environment, "load_demo")
            # Who came from one's own has not seen what the terminal says.
            environment["RENNBAHN_GREETING"] = sign_ins(environment) if os.environ.get("RENNBAHN_BACK") else ""
        web = dev_commands(port) if verb == "dev" else [web_command(listening)] * WEB_SERVERS
        commands = [*web, worker_command(), simbench_command(port, where)]
        children = [spawn(command, environment, listening) for command in commands]
        note([child.pid for child in children])
        greet(verb, port, children[0], where, environment)
        probe = None if verb == "dev" else Probe(where.here, port)
        watch(cluster, commands, children, environment, listening, probe, upkeep)
    except Stopped:
        print("\nrennbahn: stopping …")
    except (ClusterError, subprocess.CalledProcessError) as error:
        print(f"rennbahn: {error}", file=sys.stderr)
        return 1
    finally:
        # A second Ctrl-C must not leave anything running.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        for one in upkeep:
            one.end()
        for child in children:
            end(child)
        pid_file().unlink(missing_ok=True)
        cluster.stop()
    return 0


def listen(verb: str, port: int, where: Where = Where()) -> socket.socket | None:
    """The socket that web servers share: it stays open while one of them is started again. None for development."""
    listening = socket.socket()
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((where.bind, port))
    except OSError as error:
        if error.errno == errno.EADDRNOTAVAIL:
            raise CannotServe(f"HOST is {where.bind}, which is no address of this machine.") from None
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


def counts_dir() -> Path:
    """Where web servers count together what they did since the start."""
    return state_dir() / "counts"


def sweep_uploads() -> None:
    """Throw away what a killed server left of uploads that it was taking, and what it counted."""
    for place in (uploads_dir(), counts_dir()):
        shutil.rmtree(place, ignore_errors=True)
        place.mkdir(parents=True)


def environment_for(cluster: Cluster, where: Where = Where(), *, debug: bool = False) -> dict[str, str]:
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
        **({"PROMETHEUS_MULTIPROC_DIR": str(counts_dir())} if os.environ.get("RENNBAHN_METRICS_TOKEN") else {}),
        "RENNBAHN_DEBUG": "1" if debug else "",
        "RENNBAHN_ORIGINS": f"http://localhost:{VITE_PORT}" if debug else "",
        **({"RENNBAHN_HOSTS": ",".join(("localhost", LOOPBACK, *where.names))} if where.open else {}),
        "PYTHONUNBUFFERED": "1",
    }


def manage(environment: dict[str, str], *words: str) -> None:
    """Run one of Django's commands."""
    subprocess.run([PYTHON, "manage.py", *words], cwd=SERVER, env=environment, check=True)


def sign_ins(environment: dict[str, str]) -> str:
    """Who may sign in to the demo, a line each."""
    asked = [str(PYTHON), "manage.py", "load_demo", "--sign-ins"]
    found = subprocess.run(asked, cwd=SERVER, env=environment, check=True, capture_output=True, text=True)
    return found.stdout.rstrip()


def web_command(listening: socket.socket | None) -> list[str]:
    """A web server on the socket that all of them share."""
    fd = listening.fileno() if listening else -1
    return [str(PYTHON), "-m", "web_server", "--fd", str(fd)]


def worker_command() -> list[str]:
    """The worker: what takes longer than an answer may."""
    return [str(PYTHON), str(SERVER / "manage.py"), "work", "--alone"]


def simbench_command(port: int, where: Where) -> list[str]:
    """The simulated bench: it sends its files as a test machine does, so it must know where to."""
    return [str(PYTHON), str(SERVER / "manage.py"), "simbench", f"http://{where.here}:{port}"]


def dev_commands(port: int) -> list[list[str]]:
    """Django's server and Vite's."""
    return [
        [str(PYTHON), str(SERVER / "manage.py"), "runserver", f"{LOOPBACK}:{port}"],
        ["npm", "--prefix", str(WEB), "run", "dev", "--", "--port", VITE_PORT, "--strictPort"],
    ]


def spawn(
    command: list[str], environment: dict[str, str], listening: socket.socket | None = None
) -> subprocess.Popen[bytes]:
    """Start a program in a process group of its own, so that Ctrl-C reaches us first."""
    fds = (listening.fileno(),) if listening and "web_server" in command else ()
    return subprocess.Popen(command, env=environment, cwd=SERVER, start_new_session=True, pass_fds=fds)


def greet(verb: str, port: int, web: subprocess.Popen[bytes], where: Where, environment: dict[str, str]) -> None:
    """Wait for the first answer, then say where it is and who may sign in."""
    while not answers(where.here, port, 1.0):
        if web.poll() is not None:
            raise ClusterError(f"the web server ended at once with {web.returncode}.")
        time.sleep(0.05)
    shown = VITE_PORT if verb == "dev" else port
    print(f"\n  Rennbahn is at   http://localhost:{shown}\n")
    for name in where.names:
        print(f"  from other machines   http://{name}:{shown}")
    if verb == "own":
        name = where.names[0] if where.names else "localhost"
        manage(environment, "first_lead", f"http://{name}:{shown}")
    else:
        print(sign_ins(environment))
    print("\n  Ctrl-C stops it.", flush=True)


def watch(
    cluster: Cluster,
    commands: list[list[str]],
    children: list[subprocess.Popen[bytes]],
    environment: dict[str, str],
    listening: socket.socket | None,
    probe: Probe | None,
    upkeep: Sequence[Beside | Nightly] = (),
) -> None:
    """Bring up again what dies or falls silent, and say so."""
    while True:
        time.sleep(_CHECK_SECONDS)
        for one in upkeep:
            one.look()
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
                what = NAMES.get(commands[index][2], "web server")
                print(f"rennbahn: a {what} is gone, starting it again", file=sys.stderr)
                end(child)
                children[index] = spawn(commands[index], environment, listening)
                note([one.pid for one in children])
        if probe is not None:
            probe.look(commands, children)


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
    patience = time.monotonic() + STOP_SECONDS
    while children and not port_is_free(port) and time.monotonic() < patience:
        time.sleep(0.05)
    pid_file().unlink(missing_ok=True)


def stop(port: int) -> int:
    """Stop what runs in other terminals, and the clusters."""
    for state in (own_state(), state_dir()):
        if not state.is_dir():
            continue
        os.environ["RENNBAHN_STATE"] = str(state)
        clear_remains(port)
        for supervisor in noted()[:1]:
            supervisor.end(signal.SIGTERM)
            while supervisor.runs():
                time.sleep(0.1)
        for name in ("own", "demo", "test"):
            if Cluster(name).home.exists():
                Cluster(name).stop()
    return 0


def port_is_free(port: int) -> bool:
    """Does nobody listen there?"""
    with socket.socket() as probe:
        return probe.connect_ex((LOOPBACK, port)) != 0


def _on_signal(_number: int, _frame: FrameType | None) -> None:
    raise Stopped


if __name__ == "__main__":
    sys.exit(main())
