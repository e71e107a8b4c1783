"""Behind a proxy that speaks TLS, as the page for administrators has it: who comes from where, and what is believed."""

from __future__ import annotations

import http.client
import json
import os
import shutil
import socket
import ssl
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
import scratch
from scratch import PASSWORD, REPOSITORY, SERVER

BIN = REPOSITORY / ".venv" / "bin"
#: The part of docs/running.md that is nginx's: what is tried here is what it says.
PAGE = (REPOSITORY / "docs" / "running.md").read_text(encoding="utf-8")


def free_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as probe:
        return int(probe.getsockname()[1])


@dataclass
class Front:
    """The address behind TLS, as somebody from an address sees it."""

    port: int
    tls: ssl.SSLContext

    def ask(self, method: str, path: str, body: Any = None, *, come_from: str = "127.0.0.1", **headers: str) -> Any:
        connection = http.client.HTTPSConnection(
            "localhost", self.port, context=self.tls, source_address=(come_from, 0), timeout=20
        )
        connection.request(method, path, None if body is None else json.dumps(body), headers)
        response = connection.getresponse()
        return response, response.read()

    def sign_in(self, name: str, password: str, come_from: str = "127.0.0.1", **headers: str) -> Any:
        response, told = self.ask("GET", "/api/session", come_from=come_from)
        cookie = response.headers["Set-Cookie"].split(";")[0]
        own = f"https://localhost:{self.port}"
        given = {
            "Cookie": cookie, "X-CSRFToken": json.loads(told)["csrf_token"], "Origin": own, "Referer": f"{own}/sign-in",
            "Content-Type": "application/json", **headers,
        }  # fmt: skip
        return self.ask("POST", "/api/session", {"name": name, "password": password}, come_from=come_from, **given)


@pytest.fixture(scope="module")
def front(worker: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Front]:
    place = tmp_path_factory.mktemp("front")
    port, behind, database = free_port(), free_port(), f"rennbahn_proxy_{worker}"
    scratch.copy(scratch.lead_template(), database)
    listening = socket.create_server(("127.0.0.1", behind), backlog=64)
    environment = {
        **os.environ, "RENNBAHN_DB_NAME": database, "RENNBAHN_PROXY": "127.0.0.1", "RENNBAHN_HTTPS": "1",
        "RENNBAHN_HOSTS": "localhost",
    }  # fmt: skip
    fd = listening.fileno()
    web = subprocess.Popen(
        [BIN / "python", "-m", "web_server", "--fd", str(fd)], cwd=SERVER, env=environment, pass_fds=(fd,)
    )
    nginx = subprocess.Popen([shutil.which("nginx") or "nginx", "-c", str(configured(place, port, behind))])
    tls = ssl.create_default_context(cafile=str(place / "cert.pem"))
    found = Front(port, tls)
    try:
        end = time.monotonic() + 60
        while True:
            try:
                if found.ask("GET", "/api/health")[0].status == http.client.OK:
                    break
            except OSError:
                assert time.monotonic() < end, "the proxy does not answer"
            time.sleep(0.1)
        yield found
    finally:
        for one in (nginx, web):
            one.terminate()
            one.wait(20)
        listening.close()
        scratch.drop(database)


def configured(place: Path, port: int, behind: int) -> Path:
    """The configuration that the page gives, with our ports, names and a certificate of our own."""
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost",
         "-addext", "subjectAltName=DNS:localhost", "-keyout", place / "key.pem", "-out", place / "cert.pem"],
        check=True, capture_output=True,
    )  # fmt: skip
    server = PAGE.split("```nginx\n")[1].split("```")[0]
    for before, after in (
        ("listen 443 ssl", f"listen 127.0.0.1:{port} ssl"), ("rennbahn.example", "localhost"),
        ("/etc/ssl/rennbahn/cert.pem", str(place / "cert.pem")), ("/etc/ssl/rennbahn/key.pem", str(place / "key.pem")),
        ("127.0.0.1:8000", f"127.0.0.1:{behind}"),
    ):  # fmt: skip
        assert before in server, before
        server = server.replace(before, after)
    kinds = "".join(
        f"{kind}_temp_path {place}/{kind};\n" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    file = place / "nginx.conf"
    file.write_text(
        f"daemon off;\npid {place}/nginx.pid;\nerror_log {place}/error.log;\nevents {{}}\n"
        f"http {{\naccess_log off;\n{kinds}{server}}}\n"
    )
    return file


def test_one_signs_in_and_is_told_to_use_nothing_but_tls(front: Front) -> None:
    response, told = front.sign_in("mara", PASSWORD)
    assert (response.status, json.loads(told)["name"]) == (200, "mara")
    assert response.headers["Strict-Transport-Security"].startswith("max-age=31536000")
    cookies = response.headers.get_all("Set-Cookie")
    assert cookies
    assert all("Secure" in cookie for cookie in cookies)
    foreign, _ = front.sign_in(
        "mara", PASSWORD, Origin="https://elsewhere.example", Referer="https://elsewhere.example/"
    )
    assert foreign.status == 403


def test_wrong_passwords_shut_a_name_for_their_own_address_and_a_header_of_ones_own_is_no_other(front: Front) -> None:
    for number in range(7):
        # What a browser says of where it comes from is struck out by the proxy.
        spoofed = {"X-Forwarded-For": f"10.0.0.{number}"}
        response, _ = front.sign_in("mara", "no", "127.0.0.66", **spoofed)
    assert response.status == 429
    response, _ = front.sign_in("mara", PASSWORD, "127.0.0.67")
    assert response.status == 200
    cookie = "; ".join(one.split(";")[0] for one in response.headers.get_all("Set-Cookie") or [])
    _, tries = front.ask("GET", "/api/people/sign-ins", Cookie=cookie)
    assert {one["address"] for one in json.loads(tries)} >= {"127.0.0.66", "127.0.0.67"}
    assert not any(one["address"].startswith("10.") for one in json.loads(tries))
