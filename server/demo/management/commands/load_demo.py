"""`manage.py load_demo`: the demo data, once. `--sign-ins` prints who may sign in."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from demo import scenario
from demo.loading import load


class Command(BaseCommand):
    """Load the demo into an empty database."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """One flag."""
        parser.add_argument("--sign-ins", action="store_true", help="only print the demo's sign-ins")

    def handle(self, *_args: Any, **options: Any) -> None:
        """Load, or print."""
        if options["sign_ins"]:
            for name, role in scenario.PEOPLE:
                self.stdout.write(f"  sign in as {name:<8} {scenario.PASSWORD}   ({role})")
            return
        if load():
            self.stdout.write("rennbahn: demo data loaded")
