"""Who may call: one sign-in check for every endpoint, one role check at the top of every service."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.http import HttpRequest
from ninja.security import SessionAuth
from problems import NotAllowed
from waiting import ASKS

from people.models import Person, Role

_ORDER = [Role.VIEWER, Role.TESTER, Role.LEAD]


#: Asked of every request of somebody signed in, before anything is done: each may refuse it.
doors: list[Callable[[HttpRequest], None]] = []


class _SignedIn(SessionAuth):
    """A signed-in user with a role; writing calls need the CSRF token."""

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:  # noqa: ARG002
        if role_of(request.user) is None:
            return None
        if not self.even_owing and owes_second_factor(request):
            raise NotAllowed(
                "second_factor_needed", "This house asks for a second factor, and you have none yet.",
                hint="Make one under your name.",
            )  # fmt: skip
        ASKS.set(f"person {request.user.pk}")
        for asks in doors:
            asks(request)
        return request.user

    def __init__(self, *, even_owing: bool = False) -> None:
        super().__init__()
        self.even_owing = even_owing


signed_in = _SignedIn()
#: Also for those who owe a second factor: what one needs to make one.
signed_in_even_owing = _SignedIn(even_owing=True)


#: Of a session that was begun at the house's own provider: it asks for what it asks for.
BY_PROVIDER = "by_provider"


def owes_second_factor(request: HttpRequest) -> bool:
    """Whether the house asks for a second factor that this person has not."""
    person = getattr(request.user, "person", None)
    return person is not None and bool(person.owes_second_factor) and not request.session.get(BY_PROVIDER, False)


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
