"""Signing in by the house's own provider of accounts (OpenID Connect), where one is set.

The provider's answer is checked by Authlib: state, nonce, PKCE, signature, issuer, audience and times. Whom it lets in
is said by :mod:`people.outside`.
"""

from __future__ import annotations

import logging
from functools import cache
from typing import Any, cast

from authlib.common.errors import AuthlibBaseError
from authlib.integrations.django_client import OAuth
from authlib.integrations.django_client.apps import DjangoOAuth2App
from django.conf import settings
from django.contrib.auth.models import AnonymousUser, User
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe
from joserfc.errors import JoseError
from problems import Conflict
from requests import RequestException

from people import outside
from people.access import BY_PROVIDER, role_of
from people.signing import let_in

log = logging.getLogger(__name__)

#: A provider that does not answer is not waited for longer.
_PATIENCE_S = 10
#: A session of somebody who is not signed in lasts as long as it takes to sign in there.
_UNDERWAY_S = 900
_TIE = "tie_outside"
_WRONG = (AuthlibBaseError, JoseError, RequestException, ValueError, KeyError, TypeError)


@require_safe
@never_cache
def begin(request: HttpRequest) -> HttpResponse:
    """Send somebody to the provider; with `tie`, who is signed in ties their account."""
    if not settings.OIDC_ISSUER:
        return HttpResponse(status=404)
    request.session[_TIE] = "tie" in request.GET and role_of(request.user) is not None
    if role_of(request.user) is None:
        request.session.set_expiry(_UNDERWAY_S)
    try:
        return cast(HttpResponse, _provider().authorize_redirect(request, request.build_absolute_uri("/sign-in/back")))
    except _WRONG as error:
        return _refused("away", error)


@require_safe
@never_cache
def back(request: HttpRequest) -> HttpResponse:
    """Take what the provider says of somebody. Whatever is wrong leads to the page to sign in, which says it."""
    if not settings.OIDC_ISSUER:
        return HttpResponse(status=404)
    tie = bool(request.session.pop(_TIE, False))
    try:
        told = _provider().authorize_access_token(request)["userinfo"]
        issuer, subject = str(told["iss"]), str(told["sub"])
        wished = str(told.get("preferred_username") or told.get("nickname") or "")
    except _WRONG as error:
        return _refused("refused", error)
    if tie:
        return _tied(request.user, issuer, subject)
    user = outside.person_of(issuer, subject, wished)
    if user is None:
        return HttpResponseRedirect("/sign-in?outside=unknown")
    if role_of(user) is None:
        return HttpResponseRedirect("/sign-in?outside=closed")
    let_in(request, user)
    request.session[BY_PROVIDER] = True
    return HttpResponseRedirect("/")


def _tied(user: User | AnonymousUser, issuer: str, subject: str) -> HttpResponse:
    if not isinstance(user, User) or role_of(user) is None:
        return HttpResponseRedirect("/sign-in?outside=refused")
    try:
        outside.tie(user, issuer, subject)
    except Conflict:
        return HttpResponseRedirect("/you?outside=taken")
    return HttpResponseRedirect("/you?outside=tied")


def _refused(why: str, error: Exception) -> HttpResponse:
    log.warning("signing in by the provider failed: %s: %s", type(error).__name__, str(error)[:300])
    return HttpResponseRedirect(f"/sign-in?outside={why}")


@cache
def _client(issuer: str, client: str, secret: str) -> Any:
    registry = OAuth()
    return registry.register(
        "house", client_id=client, client_secret=secret,
        server_metadata_url=f"{issuer.rstrip('/')}/.well-known/openid-configuration",
        client_kwargs={
            "scope": "openid profile", "code_challenge_method": "S256", "default_timeout": _PATIENCE_S,
        },
    )  # fmt: skip


def _provider() -> DjangoOAuth2App:
    return cast(DjangoOAuth2App, _client(settings.OIDC_ISSUER, settings.OIDC_CLIENT, settings.OIDC_SECRET))
