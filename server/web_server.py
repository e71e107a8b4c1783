"""`python -m web_server --fd N` or `--listen HOST:PORT`: the web server.

It takes whole requests only, so that half-sent ones hold nobody up.

waitress reads requests and writes answers in one loop and hands a request to a thread when all of it is there. Here it
also gets bounds in time: a request that trickles in is closed, however busy its sender seems. Several of these
processes share one listening socket, which their supervisor opened, or each has one of its own behind a proxy.
"""

from __future__ import annotations

import argparse
import resource
import socket
import time
from collections.abc import Callable
from typing import Any

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser, ParsingError
from waitress.server import create_server
from waitress.task import ErrorTask

#: Threads that answer; requests beyond them wait.
THREADS = 8
#: A request has so long to begin with, and longer by what it has sent: slow lines are let in, trickles are not.
FIRST_S = 20.0
BYTES_A_SECOND = 32 * 1024
#: A connection that asks nothing is closed.
IDLE_S = 30
MOST_CONNECTIONS = 800
#: A file of 64 MB with its form around it.
LARGEST_BODY = 66 * 2**20
LARGEST_HEADER = 64 * 2**10
#: What somebody may send who shows neither a session nor a token.
LARGEST_UNKNOWN = 64 * 2**10
#: So much of requests that are not whole yet is held in all; requests smaller than the second are not looked at.
MOST_HELD = 1024 * 2**20
_LARGE = 2**20


#: What a proxy tells of a request: from which address, by which scheme, under which name.
_PROXY_TELLS = {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"}


class _Less:
    """The server's bounds, with less room for a body."""

    def __init__(self, bounds: Any, largest_body: int) -> None:
        self.bounds, self.max_request_body_size = bounds, largest_body

    def __getattr__(self, name: str) -> Any:
        return getattr(self.bounds, name)


class Parser(HTTPRequestParser):  # type: ignore[misc]
    """A request whose headers say how long it is once, and whose body is let in by what they say of its sender."""

    def parse_header(self, header_plus: bytes) -> None:
        """Read the headers. Raises ParsingError where they say two lengths."""
        super().parse_header(header_plus)
        if self.chunked and "CONTENT_LENGTH" in self.headers:
            raise ParsingError("Two lengths: by its header, and in chunks")
        # Who shows neither a cookie nor a token signs in, and a name with a password is short.
        if "COOKIE" not in self.headers and "AUTHORIZATION" not in self.headers:
            self.adj: Any = _Less(self.adj, LARGEST_UNKNOWN)


class Channel(HTTPChannel):  # type: ignore[misc]
    """A connection whose requests must arrive in time."""

    parser_class = Parser
    began = 0.0
    taken = 0

    def received(self, data: bytes) -> Any:
        """Take a piece of a request, and the time of its first."""
        if self.request is None:
            self.began, self.taken = time.monotonic(), 0
        self.taken += len(data)
        if self.taken > _LARGE and _held(self.server) > MOST_HELD:
            # What is half here of all requests together has its bounds too: the one that grows is the one that goes.
            self.will_close = True
            return False
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


def _held(server: Any) -> int:
    """Bytes of requests that are half here, of all connections."""
    return sum(one.taken for one in list(server.active_channels.values()) if one.request is not None)


class _Shaped:
    """An error of waitress's, told as the API tells errors."""

    def __init__(self, error: Any) -> None:
        self.error = error

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        status, _, _ = self.error.to_response(ident)
        code, message = _WORDS.get(self.error.code, ("unreadable_request", "The request cannot be read."))
        body = f'{{"code":"{code}","message":"{message}"}}'.encode()
        return status, [("Content-Type", "application/json"), ("Cache-Control", "no-store")], body


def serve(application: Callable[..., Any], listening: socket.socket, threads: int = THREADS, proxy: str = "") -> Any:
    """A server of an application on a socket that listens already; `run` runs it.

    What a request's headers say of whence and how it came is believed of the `proxy` alone, and struck from all others.
    """
    trusted = {"trusted_proxy": proxy, "trusted_proxy_count": 1, "trusted_proxy_headers": _PROXY_TELLS} if proxy else {}
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
        clear_untrusted_proxy_headers=True,
        **trusted,
    )
    server.channel_class = Channel
    return server


def _listening(where: str) -> socket.socket:
    host, _, port = where.rpartition(":")
    return socket.create_server((host, int(port)), backlog=256)


def main() -> None:
    """Serve until ended."""
    arguments = argparse.ArgumentParser(description=__doc__)
    where = arguments.add_mutually_exclusive_group(required=True)
    where.add_argument("--fd", type=int, help="a socket that listens")
    where.add_argument("--listen", help="host:port to listen on, as in 10.0.0.4:8000")
    told = arguments.parse_args()
    listening = socket.socket(fileno=told.fd) if told.listen is None else _listening(told.listen)
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (max(soft, min(hard, 4 * MOST_CONNECTIONS)), hard))
    from config import options  # noqa: PLC0415 - what reads files in a process of its own needs none of it
    from config.wsgi import application  # noqa: PLC0415

    serve(application, listening, proxy=options.PROXY.of()).run()


if __name__ == "__main__":
    main()
