"""What a lead does about people."""

from __future__ import annotations

from django.contrib.auth.models import AnonymousUser, User
from django.utils import timezone
from problems import NotFound

from people.access import require
from people.models import Failure, Person, Role
from people.schemas import PersonOut
from people.throttle import left_s


def everybody(user: User | AnonymousUser) -> list[PersonOut]:
    """Who works here, and whose name is shut just now."""
    require(user, Role.LEAD)
    shut: dict[str, int] = {}
    now = timezone.now()
    for failure in Failure.objects.all():
        shut[failure.name] = max(shut.get(failure.name, 0), left_s(failure, now))
    return [
        PersonOut(name=one.user.get_username(), role=one.role, shut_s=shut.get(one.user.get_username(), 0))
        for one in Person.objects.select_related("user").order_by("user__username")
    ]


def unlock(user: User | AnonymousUser, name: str) -> list[PersonOut]:
    """Open a name again, from wherever it was shut. Raises :class:`NotFound` of a name that nobody has."""
    require(user, Role.LEAD)
    if not User.objects.filter(username=name).exists():
        raise NotFound("person")
    Failure.objects.filter(name=name).delete()
    return everybody(user)
