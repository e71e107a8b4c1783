"""Reading and measuring in a process of its own with bounds on memory and time, so that a file can fail and nothing
else does.

The process is kept for further files and started anew after one that it did not survive. It is forked from a server
that has imported the core and nothing else: a fork of the worker or web server would inherit its threads' locks.
"""

from __future__ import annotations

import multiprocessing
import os
import resource
from collections.abc import Callable
from multiprocessing.connection import Connection
from types import TracebackType
from typing import Any, ParamSpec, TypeVar

from rennbahn.errors import CaptureRefused
from waiting import Turns

P = ParamSpec("P")
T = TypeVar("T")

#: Memory that one file may take, beside what the libraries map. A day of frames at 500 fps takes half of it.
MEMORY_BYTES = 3 * 2**30
SECONDS = 60.0
#: A person waits: what takes longer than this belongs to no answer.
ANSWER_SECONDS = 30.0
#: How long a request waits for its turn.
TURN_SECONDS = 20.0
#: Files that a web server reads at once, of different people.
_AT_ONCE = 2

_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(["intake.reading"])


class OutOfBounds(CaptureRefused):
    """Reading or measuring took more memory or time than it may."""

    def __init__(self, why: str) -> None:
        super().__init__("too_large", f"the file takes {why}; a capture of a pass takes far less")


class BoundedProcess:
    """Calls functions in a process that is ended where it goes out of bounds. Use it in a `with` block."""

    def __init__(self, memory_bytes: int = MEMORY_BYTES, seconds: float = SECONDS) -> None:
        self.memory_bytes, self.seconds = memory_bytes, seconds
        self._process: Any = None
        self._pipe: Connection[Any, Any] | None = None

    def __enter__(self) -> BoundedProcess:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.end()

    def call(self, function: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
        """What a function of :mod:`intake.reading` gives. Raises :class:`OutOfBounds`, or whatever it raises."""
        pipe = self._pipe or self._start()
        try:
            pipe.send((function, args, kwargs))
            answer = pipe.recv() if pipe.poll(self.seconds) else None
        except (EOFError, BrokenPipeError, ConnectionResetError):
            answer = (False, MemoryError())
        if answer is None:
            self.end()
            raise OutOfBounds(f"longer than {self.seconds:g} s")
        done, found = answer
        if isinstance(found, MemoryError) and not done:
            self.end()
            raise OutOfBounds(f"more than {self.memory_bytes // 2**20:,} MB of memory")
        if not done:
            raise found
        result: T = found
        return result

    def _start(self) -> Connection[Any, Any]:
        ours, theirs = _context.Pipe()
        self._process = _context.Process(target=_serve, args=(theirs, self.memory_bytes), daemon=True)
        self._process.start()
        theirs.close()
        self._pipe = ours
        return ours

    def end(self) -> None:
        """End the process; the next call starts another."""
        if self._pipe is not None:
            self._pipe.close()
        if self._process is not None:
            self._process.kill()
            self._process.join()
        self._pipe = self._process = None


class _Turns:
    """Processes of a web server, taken in turn: a queue that is as long as people wait."""

    def __init__(self) -> None:
        self.pid = 0
        self.free: list[BoundedProcess] = []
        self.turns = Turns("Other files are being read", _AT_ONCE, TURN_SECONDS)

    def call(self, function: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
        with self.turns.turn():
            if self.pid != os.getpid():
                self.pid, self.free = os.getpid(), []
            process = self.free.pop() if self.free else BoundedProcess(seconds=ANSWER_SECONDS)
            try:
                return process.call(function, *args, **kwargs)
            finally:
                self.free.append(process)


_turns = _Turns()


def bounded(function: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
    """What a function of :mod:`intake.reading` gives, in turn with other requests.

    Raises :class:`OutOfBounds` or :class:`Busy`, or whatever it raises.
    """
    return _turns.call(function, *args, **kwargs)


def _serve(pipe: Connection[Any, Any], memory_bytes: int) -> None:
    """Do what comes until nobody asks any more."""
    mapped = _mapped_bytes()
    resource.setrlimit(resource.RLIMIT_AS, (mapped + memory_bytes, mapped + memory_bytes))
    while True:
        try:
            function, args, kwargs = pipe.recv()
        except (EOFError, ConnectionResetError):
            return
        try:
            answer: tuple[bool, object] = True, function(*args, **kwargs)
        except BaseException as error:
            answer = False, error
        pipe.send(answer)
        del function, args, kwargs, answer


def _mapped_bytes() -> int:
    """Address space that the libraries have mapped already: it is not what a file takes."""
    with open("/proc/self/statm", encoding="ascii") as statm:
        return int(statm.read().split()[0]) * resource.getpagesize()
