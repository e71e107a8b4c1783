"""`manage.py first_lead ADDRESS`: prints the link for the first lead, while nobody works here."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from people.accounts import FIRST_WITHIN, invite_first


class Command(BaseCommand):
    """A link that works once; each call makes a new one in place of the one before."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """Where the server is."""
        parser.add_argument("address")

    def handle(self, *_args: Any, **options: Any) -> None:
        """Print it, where nobody works here yet."""
        token = invite_first()
        if token is not None:
            hours = int(FIRST_WITHIN.total_seconds() // 3600)
            self.stdout.write("  Nobody works here yet. The first lead comes in by this link:\n")
            self.stdout.write(f"      {options['address']}/welcome#{token}\n")
            self.stdout.write(f"  It works once, for {hours} hours; starting again makes another.")
