"""How long wrong passwords keep a name shut, for the address that they came from and nobody else.

A stranger can so shut a name for themselves alone; the owner signs in from elsewhere, waits a little, or asks a lead.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db.models import F
from django.http import HttpRequest
from django.utils import timezone

from people.models import Failure

#: Wrong passwords that cost nothing.
FREE = 5
#: The first wait, doubled with every further failure up to the longest.
_FIRST_S = 10
_LONGEST_S = 900
#: Failures are forgotten after this.
_FORGOTTEN = timedelta(days=1)


def wait_s(failures: int) -> int:
    """How long a name stays shut after so many failures in a row, in seconds."""
    return 0 if failures < FREE else min(_FIRST_S * 2 ** min(failures - FREE, 10), _LONGEST_S)


def left_s(failure: Failure, now: datetime) -> int:
    """Seconds for which it still keeps the name shut; at least 1 where it does."""
    left = (failure.last_at + timedelta(seconds=wait_s(failure.failures)) - now).total_seconds()
    return max(1, round(left)) if left > 0 else 0


def shut_for_s(request: HttpRequest, name: str) -> int:
    """Seconds until a name opens for who asks; 0 where it is open."""
    failure = Failure.objects.filter(name=name, address=_address(request)).first()
    return left_s(failure, timezone.now()) if failure else 0


def failed(request: HttpRequest, name: str) -> None:
    """Count a wrong password."""
    now = timezone.now()
    Failure.objects.filter(last_at__lt=now - _FORGOTTEN).delete()
    Failure.objects.bulk_create(
        [Failure(name=name, address=_address(request), failures=0, last_at=now)], ignore_conflicts=True
    )
    Failure.objects.filter(name=name, address=_address(request)).update(failures=F("failures") + 1, last_at=now)


def succeeded(request: HttpRequest, name: str) -> None:
    """Forget the wrong passwords: the right one was known."""
    Failure.objects.filter(name=name, address=_address(request)).delete()


def _address(request: HttpRequest) -> str:
    return str(request.META.get("REMOTE_ADDR", ""))[:64]
