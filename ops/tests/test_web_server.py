"""The web server: half-sent requests hold nobody up, and what it refuses itself has the API's shape."""

from __future__ import annotations

import http.client
import json
import socket
import sys
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

import pytest

sys.path.insert(0, str(Path(__file__).parents[2] / "server"))

import web_server  # type: ignore[import-not-found]


def application(environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
    taken = len(environ["wsgi.input"].read())
    start_response("200 OK", [("Content-Type", "text/plain")])
    return [str(taken).encode()]


@pytest.fixture
def port(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    monkeypatch.setattr(web_server, "FIRST_S", 2.0)
    monkeypatch.setattr(web_server, "LARGEST_BODY", 200_000)
    listening = socket.create_server(("127.0.0.1", 0))
    server = web_server.serve(application, listening, threads=2)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield listening.getsockname()[1]
    server.close()


def half_sent(port: int, begin: bytes) -> socket.socket:
    connection = socket.create_connection(("127.0.0.1", port), 10)
    connection.sendall(begin)
    return connection


def asked(port: int, body: bytes = b"") -> tuple[int, bytes]:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
    connection.request("POST", "/", body)
    answer = connection.getresponse()
    return answer.status, answer.read()


BEGINNINGS = {
    "a header": b"POST / HTTP/1.1\r\nHost: x\r\n",
    "a body": b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\nhalf",
    "a chunk": b"POST / HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nha",
    "nothing": b"",
}


@pytest.mark.parametrize("kind", BEGINNINGS)
def test_half_sent_requests_hold_nobody_up(port: int, kind: str) -> None:
    held = [half_sent(port, BEGINNINGS[kind]) for _ in range(40)]
    begin = time.monotonic()
    assert asked(port, b"x" * 100_000) == (200, b"100000")
    assert time.monotonic() - begin < 1.5, "two threads answer, and none of them waits for the forty"
    for connection in held:
        connection.close()


def test_a_request_that_trickles_in_is_closed(port: int) -> None:
    connection = half_sent(port, BEGINNINGS["a body"])
    begin = time.monotonic()
    connection.settimeout(0.2)
    while time.monotonic() - begin < 20:
        try:
            connection.sendall(b"x")
            if connection.recv(100) == b"":
                break
        except TimeoutError:
            continue
        except OSError:
            break
    assert 1.0 < time.monotonic() - begin < 10


@pytest.mark.parametrize(
    ("request_", "status"),
    [
        (b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 300000\r\n\r\n", 413),
        (b"GET / HTTP/1.1\r\nHost: x\r\nA: " + b"x" * 100_000 + b"\r\n\r\n", 431),
        (b"GET / HTTP/1.1\r\nHost: x\r\nContent-Length: minus one\r\n\r\n", 400),
        (b"what is this\r\n\r\n", 400),
    ],
)
def test_what_the_server_itself_refuses_has_the_one_shape(port: int, request_: bytes, status: int) -> None:
    connection = half_sent(port, request_)
    answer = http.client.HTTPResponse(connection)
    answer.begin()
    assert answer.status == status
    body = json.loads(answer.read())
    assert set(body) == {"code", "message"}
    assert answer.headers["Cache-Control"] == "no-store"
