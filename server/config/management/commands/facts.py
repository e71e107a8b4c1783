"""`manage.py facts`: what the database holds, as JSON. `--snapshot` first tells one by which a dump sees the same."""

from __future__ import annotations

import json
import sys
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import connection, transaction

from config.facts import facts


class Command(BaseCommand):
    """Tell what two copies of a database share."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """One flag."""
        parser.add_argument("--snapshot", action="store_true", help="tell a snapshot, and keep it until input ends")

    def handle(self, *_args: Any, **options: Any) -> None:
        """Tell."""
        with transaction.atomic(), connection.cursor() as cursor:
            # All that is told is of one moment, however long it takes.
            cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
            if options["snapshot"]:
                cursor.execute("SELECT pg_export_snapshot()")
                self.stdout.write(cursor.fetchone()[0])
                self.stdout.flush()
            self.stdout.write(json.dumps(facts(), sort_keys=True))
            self.stdout.flush()
            if options["snapshot"]:
                sys.stdin.read()
