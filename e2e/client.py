"""Somebody at the API, beside the browser."""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
from http.cookiejar import CookieJar
from typing import Any

from scratch import LEAD, PASSWORD

#: A machine at its limit answers late.
ANSWERED_S = 90


class Client:
    """Somebody at the API, who tries again where nobody answers."""

    #: So long an answer is asked for again that was none.
    patience_s = 40.0
    #: Of the last answer.
    headers: dict[str, str]

    def __init__(self, address: str, name: str = LEAD, password: str = PASSWORD) -> None:
        self.address = address
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        token = self.get("/session")["csrf_token"]
        self.token = self.call("POST", "/session", {"name": name, "password": password}, token)["csrf_token"]

    def get(self, path: str) -> Any:
        return self.call("GET", path)

    def post(self, path: str, body: Any) -> Any:
        return self.call("POST", path, body, self.token)

    def call(self, method: str, path: str, body: Any = None, token: str = "") -> Any:
        data = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self.address}
        return self._sent(urllib.request.Request(self.address + "/api" + path, data, headers, method=method))

    def upload(self, path: str, name: str, content: bytes) -> Any:
        edge = "faults"
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
        body = head + content + f"\r\n--{edge}--\r\n".encode()
        headers = {"Content-Type": f"multipart/form-data; boundary={edge}", "X-CSRFToken": self.token}
        return self._sent(urllib.request.Request(self.address + "/api" + path, body, headers))

    def _sent(self, request: urllib.request.Request) -> Any:
        end = time.monotonic() + self.patience_s
        while True:
            try:
                with self.opener.open(request, timeout=ANSWERED_S) as response:
                    self.headers = dict(response.headers)
                    return json.loads(response.read())
            except urllib.error.HTTPError as error:
                if error.code < 500 or time.monotonic() > end:
                    raise AssertionError(f"{request.full_url}: {error.code} {error.read()[:300]!r}") from None
            except OSError:
                if time.monotonic() > end:
                    raise
            time.sleep(0.2)
