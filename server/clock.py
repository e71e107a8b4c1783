"""What time it is at the bench, by the server's clock: the clock that every machine's and browser's is put right by."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.utils import timezone

#: Tests let time pass by this instead of waiting.
ahead = timedelta(0)


def now() -> datetime:
    """This moment."""
    return timezone.now() + ahead
