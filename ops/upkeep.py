"""What the supervisor sees to beside bringing up what dies: what falls silent, the demo beside one's own, backups."""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import signal
import subprocess
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from paths import state_dir
from running import write_whole

LOOPBACK = "127.0.0.1"
STOP_SECONDS = 10
#: Is asked every so often whether the web servers answer; after so many silences in a row they are started again.
_PROBE_SECONDS = 5.0
_PROBE_PATIENCE = 10.0
_SILENCES = 3
#: The worker is started again after so many looks at which nobody had heard of it for a minute.
_UNHEARD = 12
#: Programs beside the web servers, by what `manage.py` is told.
NAMES = {"work": "worker", "simbench": "simulated bench"}


@dataclass
class Beside:
    """The demo beside one's own: a server with a database and a state of its own, started when somebody asks for it.

    Cookies know no ports: its own are called otherwise.
    """

    port: int
    back: str
    child: subprocess.Popen[bytes] | None = None

    @property
    def asked(self) -> Path:
        """The file by which it is asked for; its neighbour says where it is."""
        return state_dir() / "ask-for-demo"

    @property
    def told(self) -> Path:
        """What says where it is, once it answers."""
        return self.asked.with_name(f"{self.asked.name}.json")

    def look(self) -> None:
        """Start it if it was asked for, and tell where it is once it answers."""
        if self.child is None and self.asked.exists():
            print("rennbahn: somebody looks around in the demo, starting it", file=sys.stderr)
            # Nothing that is told of one's own is told of the demo: neither its files nor its replica are the demo's.
            others = {name: value for name, value in os.environ.items() if not name.startswith("RENNBAHN_")}
            environment = {
                **others, "RENNBAHN_STATE": str(state_dir() / "demo"), "PORT": str(self.port), "HOST": "",
                "RENNBAHN_BACK": self.back, "RENNBAHN_COOKIES": "demo_",
            }  # fmt: skip
            command = [sys.executable, str(Path(__file__).with_name("serve.py").resolve()), "demo"]
            self.child = subprocess.Popen(command, env=environment, start_new_session=True)
        elif self.child is not None and self.child.poll() is not None:
            self.forget()
        elif self.child is not None and not self.told.exists() and answers(LOOPBACK, self.port, 1.0):
            write_whole(self.told, json.dumps({"address": f"http://localhost:{self.port}"}))

    def end(self) -> None:
        """Stop it."""
        if self.child is not None:
            # A supervisor that is asked to stop stops all that it started, which takes it a while.
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.child.pid, signal.SIGTERM)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.child.wait(6 * STOP_SECONDS)
        self.forget()

    def forget(self) -> None:
        """Nobody asks for it, and it is nowhere."""
        self.child = None
        self.asked.unlink(missing_ok=True)
        self.told.unlink(missing_ok=True)


#: Backups are made in these hours of the night; at any, where the last is older than a day and some hours.
_NIGHT = range(2, 5)
_DAY_S, _OVERDUE_S = 20 * 3600.0, 26 * 3600.0


@dataclass
class Nightly:
    """A backup of one's own every night, kept by rule (see :mod:`backup`)."""

    child: subprocess.Popen[bytes] | None = None
    began: float = field(default_factory=time.time)

    @property
    def told(self) -> Path:
        """What says when the last was made."""
        return state_dir() / "last-backup.json"

    def due(self, now: float) -> bool:
        """Whether one is to be made. Where there is none yet, what is one's own has run for some hours first."""
        try:
            last = self.told.stat().st_mtime
        except OSError:
            last = self.began - _DAY_S + 3600.0
        return now - last > (_DAY_S if time.localtime(now).tm_hour in _NIGHT else _OVERDUE_S)

    def look(self) -> None:
        """Begin one that is due, and say how one ended."""
        if self.child is not None:
            code = self.child.poll()
            if code is not None:
                self.child = None
                if code:
                    print("rennbahn: the nightly backup failed: see above", file=sys.stderr)
                    self.told.touch()  # it is tried again the next night, not every second
        elif self.due(time.time()):
            environment = {**os.environ, "RENNBAHN_STATE": str(state_dir().parent)}
            command = [sys.executable, str(Path(__file__).with_name("backup.py")), "keep"]
            self.child = subprocess.Popen(command, env=environment, start_new_session=True)

    def end(self) -> None:
        """Stop one that is being made: it leaves nothing behind."""
        if self.child is not None:
            end(self.child)


@dataclass
class Probe:
    """Asks the web servers now and then whether they answer, and whether they heard of the worker."""

    host: str
    port: int
    asked_at: float = field(default_factory=time.monotonic)
    silences: int = 0
    unheard: int = 0

    def look(self, commands: list[list[str]], children: list[subprocess.Popen[bytes]]) -> None:
        """End what was silent for long: what is gone is brought up again."""
        if time.monotonic() - self.asked_at <= _PROBE_SECONDS:
            return
        health = asked(self.host, self.port, _PROBE_PATIENCE)
        self.asked_at = time.monotonic()
        self.silences = 0 if health is not None else self.silences + 1
        self.unheard = self.unheard + 1 if health is not None and not health.get("worker") else 0
        if self.silences >= _SILENCES:
            print("rennbahn: the web servers do not answer, starting them again", file=sys.stderr)
            self.silences = 0
            self._end("", commands, children)
        if self.unheard >= _UNHEARD:
            print("rennbahn: the worker was not heard of for minutes, starting it again", file=sys.stderr)
            self.unheard = 0
            self._end("worker", commands, children)

    def _end(self, name: str, commands: list[list[str]], children: list[subprocess.Popen[bytes]]) -> None:
        for command, child in zip(commands, children, strict=True):
            if NAMES.get(command[2], "") == name:
                end(child)


def answers(host: str, port: int, seconds: float) -> bool:
    """Does a web server answer, with the database behind it?"""
    return asked(host, port, seconds) is not None


def asked(host: str, port: int, seconds: float) -> dict[str, Any] | None:
    """What a web server says of its health; None where none answers."""
    probe = http.client.HTTPConnection(host, port, timeout=seconds)
    try:
        probe.request("GET", "/api/health")
        response = probe.getresponse()
        told = json.loads(response.read())
        return told if response.status == http.client.OK and isinstance(told, dict) else None
    except (OSError, ValueError, http.client.HTTPException):
        return None
    finally:
        probe.close()


def end(child: subprocess.Popen[bytes]) -> None:
    """End a program with all it started."""
    for number, seconds in ((signal.SIGTERM, STOP_SECONDS), (signal.SIGKILL, STOP_SECONDS)):
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
