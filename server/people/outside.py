"""Accounts here that are tied to accounts at the house's own provider (see :mod:`people.provider`).

They are tied by issuer and subject, never by a name or an address, which change hands.
"""

from __future__ import annotations

import logging
import re

from django.conf import settings
from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from problems import Conflict

from people.access import require
from people.models import OutsideAccount, Person, Role

log = logging.getLogger(__name__)


def person_of(issuer: str, subject: str, wished: str) -> User | None:
    """Who has that account: whom it is tied to, else a newcomer under a name near to the one `wished` for; None where
    nobody comes so.
    """
    return _known(issuer, subject) or (_newcomer(issuer, subject, wished) if settings.OIDC_ROLE else None)


def tie(user: User, issuer: str, subject: str) -> None:
    """Let that account sign somebody in. Raises :class:`Conflict` where it signs in somebody else."""
    try:
        with transaction.atomic():
            OutsideAccount.objects.update_or_create(user=user, defaults={"issuer": issuer, "subject": subject})
    except IntegrityError:
        raise Conflict("taken", "That account lets somebody else in here.", hint="Ask a lead.") from None


def untie(user: User | AnonymousUser) -> None:
    """Let one's account be nobody's at the provider. Raises :class:`Conflict` where nothing else would let one in."""
    person = require(user, Role.VIEWER)
    if not person.has_usable_password():
        raise Conflict("no_password", "You have no password here.", hint="Ask a lead for a link to make one, first.")
    OutsideAccount.objects.filter(user=person).delete()


def tied(user: User | AnonymousUser) -> bool:
    """Whether one's account is tied to one at the provider."""
    return bool(settings.OIDC_ISSUER) and OutsideAccount.objects.filter(user__username=user.get_username()).exists()


def _known(issuer: str, subject: str) -> User | None:
    found = OutsideAccount.objects.filter(issuer=issuer, subject=subject).select_related("user__person").first()
    return found.user if found else None


def _newcomer(issuer: str, subject: str, wished: str) -> User | None:
    """An account of the role that newcomers get, under a name that is free."""
    try:
        with transaction.atomic():
            user = User(username=_free(wished))
            user.set_unusable_password()
            user.save()
            Person.objects.create(user=user, role=Role(settings.OIDC_ROLE))
            OutsideAccount.objects.create(user=user, issuer=issuer, subject=subject)
    except IntegrityError:
        # The same person in two windows at once: the other was quicker.
        return _known(issuer, subject)
    log.warning("%s came by the provider as %s", user.get_username(), settings.OIDC_ROLE)
    return user


def _free(wished: str) -> str:
    """A name that nobody has, as near to the one wished for as names may be. A name of somebody's is never taken."""
    name = re.sub(r"[^\w.+-]", "", wished.partition("@")[0])[:30] or "reader"
    taken = {one.lower() for one in User.objects.filter(username__istartswith=name).values_list("username", flat=True)}
    free = (f"{name}{number or ''}" for number in (0, *range(2, len(taken) + 3)))
    return next(one for one in free if one.lower() not in taken)
