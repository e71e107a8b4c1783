"""Heavy questions one at a time: who asks for much waits for others who do, and nobody else waits for them."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from problems import Problem

#: How long a question waits for its turn.
PATIENCE_S = 10.0


class Busy(Problem):
    """Others ask for much just now."""

    status = 503

    def __init__(self, what: str) -> None:
        super().__init__("busy", f"{what} just now.", hint="Nothing was written. Try again shortly.")


class Turns:
    """So many at once in this process; further ones wait, and are told so after a while."""

    def __init__(self, what: str, at_once: int = 1, patience_s: float = PATIENCE_S) -> None:
        self.what, self.patience_s = what, patience_s
        self._free = threading.BoundedSemaphore(at_once)

    @contextmanager
    def turn(self) -> Iterator[None]:
        """Wait for a turn and keep it. Raises :class:`Busy` where none comes."""
        if not self._free.acquire(timeout=self.patience_s):
            raise Busy(self.what)
        try:
            yield
        finally:
            self._free.release()
