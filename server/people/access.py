"""Who may call: one sign-in check for every endpoint, one role check at the top of every service."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.http import HttpRequest
from ninja.security import SessionAuth
from problems import NotAllowed

from people.models import Person, Role

_ORDER = [Role.VIEWER, Role.TESTER, Role.LEAD]


class _SignedIn(SessionAuth):
    """A signed-in user with a role; writing calls need the CSRF token."""

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:  # noqa: ARG002
        return request.user if role_of(request.user) is not None else None


signed_in = _SignedIn()


def role_of(user: User | AnonymousUser) -> Role | None:
    """The user's role; None for nobody and for users without one."""
    if not user.is_authenticated or not user.is_active:
        return None
    if user.is_superuser:
        return Role.LEAD
    try:
        return Role(user.person.role)
    except Person.DoesNotExist:
        return None


def require(user: User | AnonymousUser, role: Role) -> User:
    """The user, if their role reaches. Raises :class:`NotAllowed`."""
    own = role_of(user)
    if own is None or not isinstance(user, User) or _ORDER.index(own) < _ORDER.index(role):
        raise NotAllowed(
            "not_allowed",
            f"This needs the role {role.value}; yours is {own.value if own else 'none'}.",
            hint="Ask a lead to do it or to change your role.",
        )
    return user


def user_of(request: HttpRequest) -> User | AnonymousUser:
    """The caller."""
    return request.user
