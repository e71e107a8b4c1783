"""Heavy questions a few at a time: who asks for much waits for others who do, and nobody else waits for them.

One person has at most one of them carried out and a few more waiting: those of everybody else share the rest.
"""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from problems import Problem

#: How long a question waits for its turn.
PATIENCE_S = 10.0
#: So many of one person's are carried out or wait, and so many of all: a further one is told so at once, since each
#: holds a thread, and a web server has eight of them for everything.
MOST_OF_ONE, MOST_OF_ALL = 2, 6

#: Who asks in this request, by a name of the door's that let them in. Nobody in particular in the worker.
ASKS: ContextVar[str] = ContextVar("asks", default="")


class Busy(Problem):
    """Others ask for much just now, or the same person does."""

    status = 503

    def __init__(self, what: str) -> None:
        super().__init__("busy", f"{what} just now.", hint="Nothing was written. Try again shortly.")


class Turns:
    """So many at once in this process; further ones wait, and are told so after a while."""

    def __init__(self, what: str, at_once: int = 1, patience_s: float = PATIENCE_S) -> None:
        self.what, self.at_once, self.patience_s = what, at_once, patience_s
        self._changed = threading.Condition()
        self._begun: list[str] = []
        self._waiting: list[tuple[object, str]] = []

    @contextmanager
    def turn(self) -> Iterator[None]:
        """Wait for a turn and keep it. Raises :class:`Busy` where none comes."""
        who, ticket = ASKS.get(), object()
        with self._changed:
            if who and self._of(who) >= MOST_OF_ONE:
                raise Busy(f"{self.what} for you")
            if len(self._begun) + len(self._waiting) >= MOST_OF_ALL:
                raise Busy(self.what)
            self._waiting.append((ticket, who))
            came = self._changed.wait_for(lambda: self._next() is ticket, self.patience_s)
            self._waiting.remove((ticket, who))
            if not came:
                # Whoever stood behind may be next now.
                self._changed.notify_all()
                raise Busy(self.what)
            self._begun.append(who)
            self._changed.notify_all()
        try:
            yield
        finally:
            with self._changed:
                self._begun.remove(who)
                self._changed.notify_all()

    def check(self) -> None:
        """Raises :class:`Busy` where there is no turn just now, for what takes its turn later."""
        if len(self._begun) >= self.at_once:
            raise Busy(self.what)

    def waiting(self) -> int:
        """How many wait."""
        return len(self._waiting)

    def _of(self, who: str) -> int:
        return Counter([*self._begun, *(one for _, one in self._waiting)])[who]

    def _next(self) -> object | None:
        """Whose turn it is: the first in the queue of whom nothing is carried out yet."""
        if len(self._begun) >= self.at_once:
            return None
        busy = {who for who in self._begun if who}
        return next((ticket for ticket, who in self._waiting if who not in busy), None)
