"""Who runs: a supervisor and what it started, noted with when each began, so that no other process is taken for one.

A number alone is soon another program's. What is ended here has the number, the start and the place that were noted.
"""

from __future__ import annotations

import contextlib
import json
import os
import signal
from dataclasses import dataclass
from pathlib import Path

from paths import REPOSITORY, state_dir


@dataclass(frozen=True)
class Process:
    """A process by its number and its start, in ticks since the machine's start."""

    pid: int
    began: int

    @classmethod
    def of(cls, pid: int) -> Process | None:
        """The process that has this number now."""
        began = _began(pid)
        return None if began is None else cls(pid, began)

    def runs(self) -> bool:
        """Does it live, and does it work for this checkout? (A zombie has no command.)"""
        if _began(self.pid) != self.began:
            return False
        try:
            return str(REPOSITORY) in _told(self.pid)
        except OSError:
            return False

    def end(self, number: signal.Signals, *, group: bool = False) -> None:
        """Send it a signal if it is still itself; with `group` to all it started too."""
        if self.runs():
            with contextlib.suppress(ProcessLookupError, PermissionError):
                (os.killpg if group else os.kill)(self.pid, number)


def _began(pid: int) -> int | None:
    try:
        # The name in brackets may hold anything; what follows it is numbers.
        return int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19])
    except (OSError, IndexError, ValueError):
        return None


def _told(pid: int) -> str:
    """What a command is told, and where it works. Its interpreter says nothing: anybody may use it."""
    told = Path(f"/proc/{pid}/cmdline").read_text().split("\0")[1:]
    return " ".join([*told, os.readlink(f"/proc/{pid}/cwd")]) if told else ""


def pid_file() -> Path:
    """Where the supervisor notes itself and what it started."""
    return state_dir() / "serve.pid"


def note(children: list[int]) -> None:
    """Note who runs: this process first."""
    found = [Process.of(pid) for pid in (os.getpid(), *children)]
    write_whole(pid_file(), json.dumps([[one.pid, one.began] for one in found if one is not None]))


def noted() -> list[Process]:
    """The supervisor and its children as noted; none where nobody is or the note is damaged."""
    try:
        rows = json.loads(pid_file().read_text())
        return [Process(int(pid), int(began)) for pid, began in rows]
    except (OSError, ValueError, TypeError):
        return []


def write_whole(file: Path, text: str, mode: int = 0o600) -> None:
    """Write a file beside its place and move it there, so that nobody ever reads half of it."""
    beside = file.with_name(f"{file.name}.new")
    beside.unlink(missing_ok=True)
    beside.touch(mode=mode)
    beside.write_text(text)
    beside.rename(file)
