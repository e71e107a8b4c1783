"""Measuring in a process of its own with bounds on memory and time, so that a capture can fail and nothing else does.

The process is kept for further captures and started anew after one that it did not survive. It is forked from a server
that has imported the core and nothing else: a fork of the worker itself would inherit its threads' locks.
"""

from __future__ import annotations

import multiprocessing
import resource
from multiprocessing.connection import Connection
from types import TracebackType
from typing import Any

from rennbahn.capture import Capture
from rennbahn.measures import Figures, Settings, figures_of

#: Memory that measuring may take, beside what the libraries map. A day of frames at 500 fps takes half of it.
MEMORY_BYTES = 4 * 2**30
SECONDS = 60.0

_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(["rennbahn.measures"])


class OutOfBounds(Exception):
    """Measuring took more memory or time than it may."""


class BoundedProcess:
    """Measures captures in a process that is ended where it goes out of bounds. Use it in a `with` block."""

    def __init__(self, memory_bytes: int = MEMORY_BYTES, seconds: float = SECONDS) -> None:
        self.memory_bytes, self.seconds = memory_bytes, seconds
        self._process: Any = None
        self._pipe: Connection[Any, Any] | None = None

    def __enter__(self) -> BoundedProcess:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self._end()

    def figures(self, capture: Capture, settings: Settings) -> Figures:
        """All figures of a capture. Raises :class:`OutOfBounds`, or whatever the core raises."""
        pipe = self._pipe or self._start()
        try:
            pipe.send((capture, settings))
            answer = pipe.recv() if pipe.poll(self.seconds) else None
        except (EOFError, BrokenPipeError, ConnectionResetError):
            answer = MemoryError()
        if answer is None:
            self._end()
            raise OutOfBounds(f"measuring took longer than {self.seconds:g} s")
        if isinstance(answer, MemoryError):
            self._end()
            raise OutOfBounds(f"measuring took more than {self.memory_bytes // 2**20:,} MB of memory")
        if isinstance(answer, BaseException):
            raise answer
        found: Figures = answer
        return found

    def _start(self) -> Connection[Any, Any]:
        ours, theirs = _context.Pipe()
        self._process = _context.Process(target=_serve, args=(theirs, self.memory_bytes), daemon=True)
        self._process.start()
        theirs.close()
        self._pipe = ours
        return ours

    def _end(self) -> None:
        if self._pipe is not None:
            self._pipe.close()
        if self._process is not None:
            self._process.kill()
            self._process.join()
        self._pipe = self._process = None


def _serve(pipe: Connection[Any, Any], memory_bytes: int) -> None:
    """Measure what comes until nobody asks any more."""
    mapped = _mapped_bytes()
    resource.setrlimit(resource.RLIMIT_AS, (mapped + memory_bytes, mapped + memory_bytes))
    while True:
        try:
            capture, settings = pipe.recv()
        except EOFError:
            return
        try:
            answer: object = figures_of(capture, settings)
        except BaseException as error:
            answer = error
        pipe.send(answer)


def _mapped_bytes() -> int:
    """Address space that the libraries have mapped already: it is not what the capture takes."""
    with open("/proc/self/statm", encoding="ascii") as statm:
        return int(statm.read().split()[0]) * resource.getpagesize()
