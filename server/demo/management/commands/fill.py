"""`manage.py fill`: fill a scratch database with studies of invented figures, for looking at size."""

from __future__ import annotations

import json
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from demo.filling import fill


class Command(BaseCommand):
    """Prints the ids of the studies that are looked at, as JSON."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """How many passes, from which seed."""
        parser.add_argument("--passes", type=int, default=100_000)
        parser.add_argument("--seed", type=int, default=1)

    def handle(self, *_: Any, passes: int, seed: int, **__: Any) -> None:
        """Fill it."""
        try:
            self.stdout.write(json.dumps(fill(passes, seed)))
        except ValueError as error:
            raise CommandError(f"{error}.") from None
