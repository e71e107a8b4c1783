"""How long wrong passwords keep a name shut, for the address that they came from and nobody else.

A stranger can so shut a name for themselves alone; the owner signs in from elsewhere, waits a little, or asks a lead.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db import transaction
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
    """Seconds for which it still keeps the name shut; at least 1 where it does.

    A try that was counted while this one waited for its turn may be of after ``now``: by itself it shuts nothing.
    """
    if not wait_s(failure.failures):
        return 0
    left = (failure.last_at + timedelta(seconds=wait_s(failure.failures)) - now).total_seconds()
    return max(1, round(left)) if left > 0 else 0


def claim(request: HttpRequest, name: str) -> int:
    """Count a try before it is looked at, so that tries at once are counted too; seconds to wait where it is shut."""
    now, address = timezone.now(), address_of(request)
    Failure.objects.filter(last_at__lt=now - _FORGOTTEN).delete()
    Failure.objects.bulk_create(
        [Failure(name=name[:150], address=address, failures=0, last_at=now)], ignore_conflicts=True
    )
    with transaction.atomic():
        found = Failure.objects.select_for_update().filter(name=name[:150], address=address).first()
        if found is None:
            return 1
        turn = timezone.now()
        wait = left_s(found, turn)
        if not wait:
            Failure.objects.filter(pk=found.pk).update(failures=F("failures") + 1, last_at=turn)
        return wait


def succeeded(request: HttpRequest, name: str) -> None:
    """Forget the wrong passwords: the right one was known."""
    Failure.objects.filter(name=name, address=address_of(request)).delete()


def address_of(request: HttpRequest) -> str:
    """Where a request comes from; behind a proxy that is trusted, what that says (see :mod:`web_server`)."""
    return str(request.META.get("REMOTE_ADDR", ""))[:64]
