"""Signing in and out."""

from __future__ import annotations

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema
from problems import Problem, TooMany

from people.access import role_of

router = Router(tags=["people"])


class SignIn(Schema):
    """Name and password."""

    name: str
    password: str


class Session(Schema):
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
    """Sign in. Several wrong passwords lock the name out for a quarter of an hour."""
    credentials = {"username": payload.name, "password": payload.password}
    user = authenticate(request, **credentials)
    if user is None:
        if not AxesProxyHandler.is_allowed(request, credentials):
            raise TooMany("locked_out", "Too many wrong passwords.", hint="Wait a quarter of an hour, or ask a lead.")
        raise Problem("wrong_password", "Name and password do not belong together.", field="password")
    login(request, user)
    return who(request)


@router.delete("", auth=None, response=Session)
def sign_out(request: HttpRequest) -> Session:
    """Sign out."""
    logout(request)
    return who(request)
