"""A way to the server that a test can cut or block: a dead spot, a pulled cable, a server that hangs."""

from __future__ import annotations

import contextlib
import socket
import threading
from collections.abc import Iterator
from urllib.parse import urlsplit


class Gate:
    """Passes bytes on to a server; `cut` lets nobody in, `hang` takes everybody in and says nothing."""

    def __init__(self, address: str) -> None:
        self.server = (urlsplit(address).hostname or "", urlsplit(address).port or 80)
        self.listening = socket.create_server(("127.0.0.1", 0), backlog=256)
        self.address = f"http://127.0.0.1:{self.listening.getsockname()[1]}"
        self.mode = "open"
        self._both: set[tuple[socket.socket, socket.socket]] = set()
        threading.Thread(target=self._accept, daemon=True).start()

    def open(self) -> None:
        """Everything passes again."""
        self._switch("open")

    def cut(self) -> None:
        """Connections end, and nobody gets in."""
        self._switch("cut")

    def hang(self) -> None:
        """Whoever comes is taken in and never answered."""
        self._switch("hang")

    def close(self) -> None:
        """Nobody listens any more."""
        self._switch("cut")
        self.listening.close()

    def _switch(self, mode: str) -> None:
        self.mode = mode
        for pair in list(self._both):
            for one in pair:
                with contextlib.suppress(OSError):
                    one.shutdown(socket.SHUT_RDWR)

    def _accept(self) -> None:
        while True:
            try:
                browser, _ = self.listening.accept()
            except OSError:
                return
            if self.mode == "cut":
                browser.close()
                continue
            server = socket.create_connection(self.server)
            self._both.add((browser, server))
            for a, b in ((browser, server), (server, browser)):
                threading.Thread(target=self._pass_on, args=(a, b, self.mode == "hang"), daemon=True).start()

    def _pass_on(self, a: socket.socket, b: socket.socket, swallow: bool) -> None:
        with contextlib.suppress(OSError):
            while data := a.recv(65_536):
                if not swallow:
                    b.sendall(data)
        for one in (a, b):
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)


@contextlib.contextmanager
def gate_to(address: str) -> Iterator[Gate]:
    """A way to a server for as long as it is wanted."""
    found = Gate(address)
    try:
        yield found
    finally:
        found.close()
