"""Signing in: the password, then the code of a second factor. Every try is counted before it is looked at."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.contrib.auth import authenticate, login
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone
from problems import Problem, TooMany

from people.access import BY_PROVIDER
from people.factors import code_fits, has_factor
from people.models import SignIn, SignInOutcome
from people.throttle import address_of, claim, succeeded

#: Tries are forgotten after this.
_KEPT = timedelta(days=180)


def sign_in(request: HttpRequest, name: str, password: str, code: str) -> User:
    """Sign somebody in. Raises :class:`TooMany` while the name is shut, and :class:`Problem` on what is wrong."""
    wait = claim(request, name)
    if wait:
        _note(request, name, SignInOutcome.SHUT)
        raise TooMany(
            "locked_out", f"Too many wrong passwords for this name from here. It opens again in {wait} s.",
            field="password", hint="Wait, or ask a lead to open it.",
        )  # fmt: skip
    user = authenticate(request, username=name, password=password)
    if not isinstance(user, User):
        _note(request, name, SignInOutcome.WRONG)
        raise Problem("wrong_password", "Name and password do not belong together.", field="password")
    if has_factor(user):
        if not code.strip():
            # The password was right: asking for the code is no wrong try.
            succeeded(request, name)
            _note(request, name, SignInOutcome.NO_CODE, user)
            raise Problem("code_needed", "Type the code that your device shows.", field="code")
        if not code_fits(user, code):
            _note(request, name, SignInOutcome.WRONG_CODE, user)
            raise Problem(
                "wrong_code",
                "The code is another one.",
                field="code",
                hint="Each code is good once. After a wrong one the next has to wait a little.",
            )
    succeeded(request, name)
    let_in(request, user)
    return user


def let_in(request: HttpRequest, user: User) -> None:
    """Begin somebody's session, and note from where."""
    login(request, user, backend=settings.AUTHENTICATION_BACKENDS[0])
    request.session.pop(BY_PROVIDER, None)
    request.session.set_expiry(None)
    if request.session.session_key is None:
        request.session.save()
    _note(request, user.get_username(), SignInOutcome.IN, user, request.session.session_key or "")


def _note(
    request: HttpRequest, name: str, outcome: SignInOutcome, user: User | None = None, session_key: str = ""
) -> None:
    now = timezone.now()
    if outcome == SignInOutcome.IN:
        SignIn.objects.filter(at__lt=now - _KEPT).delete()
        Session.objects.filter(expire_date__lt=now).delete()
    SignIn.objects.create(
        name=name[:150], user=user or User.objects.filter(username=name).first(), address=address_of(request),
        agent=str(request.META.get("HTTP_USER_AGENT", ""))[:200], at=now, outcome=outcome, session_key=session_key,
    )  # fmt: skip
