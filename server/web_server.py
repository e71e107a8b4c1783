"""`python -m web_server --fd N`: the web server. It takes whole requests only, so that half-sent ones hold nobody up.

waitress reads requests and writes answers in one loop and hands a request to a thread when all of it is there. Here it
also gets bounds in time: a request that trickles in is closed, however busy its sender seems. Several of these
processes share one listening socket, which their supervisor opened.
"""

from __future__ import annotations

import argparse
import resource
import socket
import time
from collections.abc import Callable
from typing import Any

from waitress.channel import HTTPChannel
from waitress.server import create_server
from waitress.task import ErrorTask

#: Threads that answer; requests beyond them wait.
THREADS = 6
#: A request has so long to begin with, and longer by what it has sent: slow lines are let in, trickles are not.
FIRST_S = 20.0
BYTES_A_SECOND = 32 * 1024
#: A connection that asks nothing is closed.
IDLE_S = 30
MOST_CONNECTIONS = 800
#: A file of 64 MB with its form around it.
LARGEST_BODY = 66 * 2**20
LARGEST_HEADER = 64 * 2**10


class Channel(HTTPChannel):  # type: ignore[misc]
    """A connection whose requests must arrive in time."""

    began = 0.0
    taken = 0

    def received(self, data: bytes) -> Any:
        """Take a piece of a request, and the time of its first."""
        if self.request is None:
            self.began, self.taken = time.monotonic(), 0
        self.taken += len(data)
        return super().received(data)

    def readable(self) -> Any:
        """Asked for in every round: the place to look at the clock."""
        if self.request is not None and time.monotonic() - self.began > FIRST_S + self.taken / BYTES_A_SECOND:
            self.will_close = True
        return super().readable()

    class error_task_class(ErrorTask):  # type: ignore[misc]  # noqa: N801 - as waitress calls it
        """What the server itself refuses, in the API's one shape of errors."""

        def execute(self) -> None:
            """Answer."""
            self.request.error = _Shaped(self.request.error)
            super().execute()


_WORDS = {
    413: ("too_large", "The request is larger than the server takes."),
    431: ("too_large", "The header of the request is larger than the server takes."),
}


class _Shaped:
    """An error of waitress's, told as the API tells errors."""

    def __init__(self, error: Any) -> None:
        self.error = error

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        status, _, _ = self.error.to_response(ident)
        code, message = _WORDS.get(self.error.code, ("unreadable_request", "The request cannot be read."))
        body = f'{{"code":"{code}","message":"{message}"}}'.encode()
        return status, [("Content-Type", "application/json"), ("Cache-Control", "no-store")], body


def serve(application: Callable[..., Any], listening: socket.socket, threads: int = THREADS) -> Any:
    """A server of an application on a socket that listens already; `run` runs it."""
    server = create_server(
        application,
        sockets=[listening],
        threads=threads,
        ident=None,
        channel_timeout=IDLE_S,
        cleanup_interval=5,
        connection_limit=MOST_CONNECTIONS,
        asyncore_use_poll=True,
        max_request_body_size=LARGEST_BODY,
        max_request_header_size=LARGEST_HEADER,
        expose_tracebacks=False,
    )
    server.channel_class = Channel
    return server


def main() -> None:
    """Serve until ended."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--fd", type=int, required=True, help="the socket that listens")
    listening = socket.socket(fileno=options.parse_args().fd)
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (max(soft, min(hard, 4 * MOST_CONNECTIONS)), hard))
    from config.wsgi import application  # noqa: PLC0415 - what reads files in a process of its own needs none of it

    serve(application, listening).run()


if __name__ == "__main__":
    main()
