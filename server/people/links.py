"""Tokens of test machines: each is bound to a person, shown once, kept as a digest, and opens one address alone."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone
from ninja.security import HttpBearer
from problems import Conflict, NotFound, TooMany
from waiting import ASKS

from people.access import require, role_of
from people.models import BenchToken, Machine, Role

#: What every token begins with, so that one is known wherever it is found lying about.
PREFIX = "rbl_"
#: So many tokens of one person are valid at once.
_MOST = 20
#: When a token was used last is kept no finer than this.
_SEEN_EVERY = timedelta(seconds=30)


class _FromBench(HttpBearer):
    """A test machine with a valid token of somebody who may run passes."""

    def authenticate(self, request: HttpRequest, token: str) -> Any:
        """The token's row, which is put on the request with its person."""
        if not token.startswith(PREFIX):
            return None
        found = (
            BenchToken.objects.filter(digest=_digest(token), revoked_at=None).select_related("user", "machine").first()
        )
        if found is None or role_of(found.user) not in (Role.TESTER, Role.LEAD):
            return None
        now = timezone.now()
        if found.last_used_at is None or now - found.last_used_at > _SEEN_EVERY:
            BenchToken.objects.filter(pk=found.pk).update(last_used_at=now)
        request.user = found.user
        ASKS.set(f"machine by token {found.pk}")
        return found


from_bench = _FromBench()


def make_link(user: User | AnonymousUser, name: str, columns_name: str) -> tuple[BenchToken, str]:
    """A new token of a machine by its name, with its secret, which is told this once and kept nowhere.

    A machine that nobody named before is made; two people may have a token each of the same one.
    """
    require(user, Role.TESTER)
    name = " ".join(name.split())
    with transaction.atomic():
        machine = Machine.objects.filter(name__iexact=name).first()
        if machine is not None and machine.simulated:
            raise Conflict("machine_simulated", f"“{name}” is a simulated bench.", field="name", hint="Choose a name.")
        return link_machine(user, machine or Machine.objects.create(name=name), columns_name)


def link_machine(user: User | AnonymousUser, machine: Machine, columns_name: str = "") -> tuple[BenchToken, str]:
    """A new token of a machine."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        User.objects.select_for_update().get(pk=tester.pk)
        valid = BenchToken.objects.filter(user=tester, revoked_at=None)
        if valid.filter(machine=machine).exists():
            raise Conflict(
                "link_exists", f"You have a token of “{machine}” already.", field="name",
                hint="Revoke it, or name another machine.",
            )  # fmt: skip
        if valid.count() >= _MOST:
            raise TooMany("too_many_links", f"You have {_MOST} tokens.", hint="Revoke those that nobody uses.")
        token = PREFIX + secrets.token_urlsafe(32)
        return BenchToken.objects.create(
            user=tester, machine=machine, columns_name=columns_name, digest=_digest(token)
        ), token


def links_of(user: User | AnonymousUser) -> list[BenchToken]:
    """One's own tokens, newest first; those that were revoked too."""
    own = BenchToken.objects.filter(user=require(user, Role.TESTER), machine__simulated=False)
    return list(own.select_related("machine"))


def machines() -> list[Machine]:
    """The test machines that somebody holds a valid token of, by name."""
    held = Machine.objects.filter(simulated=False, tokens__revoked_at=None, tokens__isnull=False)
    return list(held.distinct())


def revoke_link(user: User | AnonymousUser, link_id: int) -> BenchToken:
    """Let a token of one's own open nothing any more; a lead may revoke anybody's."""
    tester = require(user, Role.TESTER)
    found = BenchToken.objects.filter(pk=link_id).first()
    if found is None or (found.user_id != tester.pk and role_of(tester) != Role.LEAD):
        raise NotFound("token")
    if found.revoked_at is None:
        found.revoked_at = timezone.now()
        found.save(update_fields=["revoked_at"])
    return found


def _digest(token: str) -> str:
    # A token is 256 bits of chance: nobody finds it by trying, so a plain digest keeps it.
    return hashlib.sha256(token.encode()).hexdigest()
