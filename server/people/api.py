"""Signing in and out."""

from __future__ import annotations

from answering import Out
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router
from ninja.utils import check_csrf
from problems import NotAllowed, Problem, TooMany
from pydantic import Field
from strict import In

from people import services
from people.access import role_of, user_of
from people.schemas import PersonOut, UnlockIn
from people.throttle import failed, shut_for_s, succeeded

router = Router(tags=["people"])
people_router = Router(tags=["people"])


class SignIn(In):
    """Name and password."""

    name: str = Field(max_length=150)
    password: str = Field(max_length=1000)


class Session(Out):
    """Who is signed in; `name` and `role` are empty for nobody."""

    name: str
    role: str
    csrf_token: str


@router.get("", auth=None, response=Session)
def who(request: HttpRequest) -> Session:
    """Who is signed in, and the token that writing calls need."""
    role = role_of(request.user)
    return Session(name=request.user.get_username(), role=role.value if role else "", csrf_token=get_token(request))


@router.post("", auth=None, response=Session)
def sign_in(request: HttpRequest, payload: SignIn) -> Session:
    """Sign in. After some wrong passwords a name is shut for the address they came from, a little longer each time."""
    _own_page(request)
    wait = shut_for_s(request, payload.name)
    if wait:
        raise TooMany(
            "locked_out",
            f"Too many wrong passwords for this name from here. It opens again in {wait} s.",
            field="password",
            hint="Wait, or ask a lead to open it.",
        )
    user = authenticate(request, username=payload.name, password=payload.password)
    if user is None:
        failed(request, payload.name)
        raise Problem("wrong_password", "Name and password do not belong together.", field="password")
    succeeded(request, payload.name)
    login(request, user)
    return who(request)


@router.delete("", auth=None, response=Session)
def sign_out(request: HttpRequest) -> Session:
    """Sign out."""
    _own_page(request)
    logout(request)
    return who(request)


def _own_page(request: HttpRequest) -> None:
    """Refuse a sign-in that another site's page sends: it has no token of ours."""
    if check_csrf(request) is not None:
        raise NotAllowed("refused", "The request has no valid CSRF token.", hint="Load the page again.")


@people_router.get("", response=list[PersonOut])
def people(request: HttpRequest) -> list[PersonOut]:
    """Who works here, and whose name is shut just now."""
    return services.everybody(user_of(request))


@people_router.post("/unlock", response=list[PersonOut])
def unlock(request: HttpRequest, payload: UnlockIn) -> list[PersonOut]:
    """Open a name again that was shut by wrong passwords."""
    return services.unlock(user_of(request), payload.name)
