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


def gone(connection: socket.socket) -> bool:
    """Whether the other side hung up."""
    try:
        return connection.recv(100) == b""
    except ConnectionResetError:
        return True


def test_two_lengths_are_none(port: int) -> None:
    begin = b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 4\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n"
    with half_sent(port, begin) as connection:
        assert b"400 Bad Request" in connection.recv(4000)


@pytest.mark.parametrize(
    ("headers", "status"),
    [({}, 413), ({"Cookie": "sessionid=x"}, 200), ({"Authorization": "Bearer x"}, 200)],
)
def test_a_large_body_of_nobody_is_refused_at_the_door(port: int, headers: dict[str, str], status: int) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
    connection.putrequest("POST", "/")
    for name, value in {"Content-Length": "100000", **headers}.items():
        connection.putheader(name, value)
    connection.endheaders()
    if status == 200:
        connection.send(b"x" * 100_000)
    answer = connection.getresponse()
    assert answer.status == status, "before a byte of it was sent"
    assert status == 200 or json.loads(answer.read())["code"] == "too_large"


def test_what_is_half_here_has_its_bounds_in_all(port: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(web_server, "MOST_HELD", 60_000)
    monkeypatch.setattr(web_server, "_LARGE", 10_000)
    begin = b"POST / HTTP/1.1\r\nHost: x\r\nCookie: a=b\r\nContent-Length: 100000\r\n\r\n"
    held = [half_sent(port, begin + b"x" * 25_000) for _ in range(2)]
    with half_sent(port, begin + b"x" * 25_000) as third:
        third.settimeout(10)
        assert gone(third), "the one that grows is the one that goes"
    assert asked(port)[0] == 200
    for one in held:
        one.close()


@pytest.mark.parametrize("proxy", ["", "127.0.0.1", "10.0.0.1"])
def test_only_the_proxy_that_is_named_is_believed(proxy: str) -> None:
    told: dict[str, str] = {}

    def telling(environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        told.update({name: value for name, value in environ.items() if isinstance(value, str)})
        start_response("200 OK", [])
        return [b""]

    listening = socket.create_server(("127.0.0.1", 0))
    server = web_server.serve(telling, listening, threads=1, proxy=proxy)
    threading.Thread(target=server.run, daemon=True).start()
    connection = http.client.HTTPConnection("127.0.0.1", listening.getsockname()[1], timeout=10)
    says = {"X-Forwarded-For": "192.0.2.7", "X-Forwarded-Proto": "https", "X-Forwarded-Host": "rennbahn.example"}
    connection.request("GET", "/", headers=says)
    connection.getresponse().read()
    server.close()
    believed = proxy == "127.0.0.1"
    assert told["REMOTE_ADDR"] == ("192.0.2.7" if believed else "127.0.0.1")
    assert told["wsgi.url_scheme"] == ("https" if believed else "http")
    assert told["HTTP_HOST"].startswith("rennbahn.example" if believed else "127.0.0.1")
    assert believed or "HTTP_X_FORWARDED_FOR" not in told


def half_sent(port: int, begin: bytes) -> socket.socket:
    connection = socket.create_connection(("127.0.0.1", port), 10)
    connection.sendall(begin)
    return connection


def asked(port: int, body: bytes = b"") -> tuple[int, bytes]:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
    connection.request("POST", "/", body, {"Cookie": "sessionid=x"})
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
