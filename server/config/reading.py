"""Readers are served by a replica of the database where one is set, as long as it keeps up.

What somebody with the role of a viewer looks at is read there; all that writes, and all that those read who measure, is
of the database itself. Every query of such a request goes to one place, so that what is kept in memory by the state of
a study's rows (see :mod:`findings.record`) is never made of two moments.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.conf import settings
from django.core.exceptions import MiddlewareNotUsed
from django.db import DatabaseError, connections
from django.http import HttpRequest, HttpResponse
from people.access import role_of
from people.models import Role

from config.heartbeat import heard_ago_s

log = logging.getLogger(__name__)

REPLICA = "replica"
#: Says of an answer that it was read there.
HEADER = "X-Read-From"
#: How far it is behind shows in when a worker was last heard of there, which is every ten seconds.
BEHIND_S = 25
#: It is looked at so often at most; one that failed is left alone for so long.
_LOOKED_S = 3.0
#: Who wrote reads from the database itself for so long, and so sees what was written.
_WROTE, _WROTE_S = "wrote", 10
_READING = ("GET", "HEAD")
_SERVER_FAILED = 500


class Reading:
    """Has the requests of readers answered from the replica, and from the database itself where that fails."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        if REPLICA not in settings.DATABASES:
            raise MiddlewareNotUsed
        self.get_response = get_response
        self.looked_at = -_LOOKED_S
        self.keeps_up = False

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer."""
        if request.method not in _READING:
            response = self.get_response(request)
            name = f"{settings.SESSION_COOKIE_NAME}_{_WROTE}"
            response.set_cookie(name, "1", _WROTE_S, secure=settings.HTTPS, httponly=True, samesite="Lax")
            return response
        if not self._may(request):
            return self.get_response(request)
        with from_replica():
            response = self.get_response(request)
        response.headers[HEADER] = REPLICA
        if response.status_code >= _SERVER_FAILED:
            # Reading twice does nothing twice.
            self._leave(f"answered {response.status_code}")
            response = self.get_response(request)
        return response

    def _may(self, request: HttpRequest) -> bool:
        wrote = f"{settings.SESSION_COOKIE_NAME}_{_WROTE}" in request.COOKIES
        try:
            return not wrote and self._keeping_up() and role_of(request.user) == Role.VIEWER
        except DatabaseError:
            # Who asks is known by the database itself; where it is away, the API says so.
            return False

    def _keeping_up(self) -> bool:
        if time.monotonic() - self.looked_at >= _LOOKED_S:
            self.keeps_up = keeps_up()
            self.looked_at = time.monotonic()
        return self.keeps_up

    def _leave(self, why: str) -> None:
        log.warning("the replica is left alone for a while: %s", why)
        self.keeps_up, self.looked_at = False, time.monotonic()
        connections[REPLICA].close()


@contextmanager
def from_replica() -> Iterator[None]:
    """All queries of this thread go to the replica, whoever asks them."""
    own = connections["default"]
    connections["default"] = connections[REPLICA]
    try:
        yield
    finally:
        connections["default"] = own


def keeps_up() -> bool:
    """Whether the replica answers, and holds what was written just now."""
    connection = connections[REPLICA]
    try:
        connection.close_if_unusable_or_obsolete()
        heard = heard_ago_s(connection)
    except DatabaseError as error:
        log.warning("the replica does not answer: %s", error)
        connection.close()
        return False
    return heard is not None and heard < BEHIND_S
