"""What a lead sees of people, and does about them."""

from __future__ import annotations

from django.contrib.auth.models import AnonymousUser, User
from django.utils import timezone
from django_otp.plugins.otp_totp.models import TOTPDevice
from problems import NotFound

from people.access import require
from people.factors import forget
from people.models import Failure, Invitation, Person, Role, SignIn
from people.schemas import InvitationOut, PeopleOut, PersonOut, SignInOut
from people.throttle import left_s

#: So many tries to sign in are shown.
_SHOWN = 200


def everybody(user: User | AnonymousUser) -> PeopleOut:
    """Who works here, whose name is shut just now, and which links are open."""
    require(user, Role.LEAD)
    shut: dict[str, int] = {}
    now = timezone.now()
    for failure in Failure.objects.all():
        shut[failure.name] = max(shut.get(failure.name, 0), left_s(failure, now))
    have = set(TOTPDevice.objects.filter(confirmed=True).values_list("user", flat=True))
    return PeopleOut(
        people=[
            PersonOut(
                name=one.user.get_username(), role=one.role, shut_s=shut.get(one.user.get_username(), 0),
                closed=not one.user.is_active, second_factor=one.user_id in have, last_in=one.user.last_login,
            )
            for one in Person.objects.select_related("user").order_by("user__username")
        ],
        invitations=[
            InvitationOut(
                id=one.pk, role=one.role, name=one.user.get_username() if one.user else "",
                made_by=one.made_by.get_username() if one.made_by else "", ends_at=one.ends_at,
            )
            for one in Invitation.objects.filter(ends_at__gt=now).select_related("user", "made_by")
        ],
    )  # fmt: skip


def unlock(user: User | AnonymousUser, name: str) -> PeopleOut:
    """Open a name again, from wherever it was shut. Raises :class:`NotFound` of a name that nobody has."""
    require(user, Role.LEAD)
    if not User.objects.filter(username=name).exists():
        raise NotFound("person")
    Failure.objects.filter(name=name).delete()
    return everybody(user)


def forget_factor(user: User | AnonymousUser, name: str) -> None:
    """Take somebody's second factor away. Raises :class:`NotFound`."""
    require(user, Role.LEAD)
    found = User.objects.filter(username=name, person__isnull=False).first()
    if found is None:
        raise NotFound("person")
    forget(found)


def sign_ins(user: User | AnonymousUser) -> list[SignInOut]:
    """The last tries to sign in, the newest first."""
    require(user, Role.LEAD)
    return [
        SignInOut(
            name=one.name, known=one.user_id is not None, address=one.address, agent=one.agent, at=one.at,
            outcome=one.get_outcome_display(),
        )
        for one in SignIn.objects.all()[:_SHOWN]
    ]  # fmt: skip
