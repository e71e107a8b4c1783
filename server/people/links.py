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

from people.access import require, role_of
from people.models import BenchToken, Role

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
        found = BenchToken.objects.filter(digest=_digest(token), revoked_at=None).select_related("user").first()
        if found is None or role_of(found.user) not in (Role.TESTER, Role.LEAD):
            return None
        now = timezone.now()
        if found.last_used_at is None or now - found.last_used_at > _SEEN_EVERY:
            BenchToken.objects.filter(pk=found.pk).update(last_used_at=now)
        request.user = found.user
        return found


from_bench = _FromBench()


def make_link(user: User | AnonymousUser, name: str, columns_name: str) -> tuple[BenchToken, str]:
    """A new token with its secret, which is told this once and kept nowhere."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        User.objects.select_for_update().get(pk=tester.pk)
        valid = BenchToken.objects.filter(user=tester, revoked_at=None)
        if valid.filter(name=name).exists():
            raise Conflict(
                "link_exists", f"You have a token “{name}” already.", field="name", hint="Revoke it, or choose a name."
            )
        if valid.count() >= _MOST:
            raise TooMany("too_many_links", f"You have {_MOST} tokens.", hint="Revoke those that nobody uses.")
        token = PREFIX + secrets.token_urlsafe(32)
        return BenchToken.objects.create(
            user=tester, name=name, columns_name=columns_name, digest=_digest(token)
        ), token


def links_of(user: User | AnonymousUser) -> list[BenchToken]:
    """One's own tokens, newest first; those that were revoked too."""
    return list(BenchToken.objects.filter(user=require(user, Role.TESTER)))


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
