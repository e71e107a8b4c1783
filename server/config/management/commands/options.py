"""`manage.py options`: every setting with its variable, its value and what it does."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from config.options import OPTIONS


class Command(BaseCommand):
    """Lists the settings; what is secret is only said to be set."""

    help = __doc__

    def handle(self, *_args: Any, **_options: Any) -> None:
        """Print them, a line each."""
        for one in OPTIONS:
            self.stdout.write(f"{one.variable:<24} {one.shown():<32} {one.does}")
