"""`manage.py simbench ADDRESS`: the simulated bench. It plays runs of simulated sessions and sends their files."""

from __future__ import annotations

import signal
import tempfile
import threading
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand
from django.db import close_old_connections
from django.db.utils import DatabaseError

from running.playing import Player

_BUSY_S = 0.15
_IDLE_S = 1.0


class Command(BaseCommand):
    """Runs until it is ended."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Where the server is."""
        parser.add_argument("address")

    def handle(self, *_: Any, address: str, **__: Any) -> None:
        """Play whatever there is to play."""
        ended = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: ended.set())
        with tempfile.TemporaryDirectory(prefix="rennbahn-simbench-") as folder:
            player = Player(address, Path(folder))
            while not ended.is_set():
                try:
                    busy = player.turn()
                except DatabaseError:
                    # PostgreSQL is away for a while, or a session ended under our hands.
                    close_old_connections()
                    busy = False
                ended.wait(_BUSY_S if busy else _IDLE_S)
            player.close()
