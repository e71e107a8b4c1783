"""Whose Rennbahn this is: name, time zone, money; made with the first lead, changed by leads."""

from __future__ import annotations

import time
import zoneinfo

from django.conf import settings
from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from django_otp.plugins.otp_totp.models import TOTPDevice
from problems import Problem

from people.access import require
from people.models import House, Person, Role
from people.schemas import HouseIn

#: How long a process believes what the time zone was, in seconds.
_BELIEVED_S = 60.0
_zone: tuple[float, zoneinfo.ZoneInfo] | None = None


def zone() -> zoneinfo.ZoneInfo:
    """The time zone of the bench: the house's, or what the settings say where there is no house."""
    global _zone  # noqa: PLW0603 - asked for with every plan; a house hardly ever moves
    now = time.monotonic()
    if _zone is None or now - _zone[0] > _BELIEVED_S:
        kept = House.objects.values_list("time_zone", flat=True).first()
        _zone = now, zoneinfo.ZoneInfo(kept or settings.TIME_ZONE)
    return _zone[1]


def house() -> House | None:
    """The house; None before its first lead has made it."""
    return House.objects.first()


def keep_house(data: HouseIn) -> House:
    """Keep what a house is. Raises :class:`Problem` on a time zone that there is not."""
    if data.time_zone not in zoneinfo.available_timezones():
        raise Problem(
            "unknown_time_zone", f"{data.time_zone!r} is no time zone.", field="time_zone",
            hint="Written as region and town, such as Europe/Vienna.",
        )  # fmt: skip
    global _zone  # noqa: PLW0603
    kept, _ = House.objects.update_or_create(pk=1, defaults=data.dict())
    _zone = None
    return kept


def change_house(user: User | AnonymousUser, data: HouseIn) -> House:
    """Change what a house is. Who has no second factor when one is asked for owes it from now on."""
    require(user, Role.LEAD)
    with transaction.atomic():
        kept = keep_house(data)
        have = TOTPDevice.objects.filter(confirmed=True).values("user")
        Person.objects.update(owes_second_factor=False)
        if data.second_factor:
            Person.objects.exclude(user__in=have).update(owes_second_factor=True)
    return kept
