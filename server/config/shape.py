"""What holds for every answer of the API: the one shape of errors, no storing, and another try where one was lost."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import orjson
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase

#: How often a request is carried out that lost against another one at the same moment.
TRIES = 4

_WORDS = {
    400: ("unreadable_request", "The request cannot be read."),
    403: ("refused", "The request was refused: its CSRF token is missing or old."),
    404: ("not_found", "There is nothing at this address."),
    405: ("wrong_method", "That cannot be done at this address."),
    413: ("too_large", "The request is too large."),
}


def error_body(code: str, message: str, **facts: Any) -> bytes:
    """An error in the one shape; facts that are None are left out."""
    body = {"code": code, "message": message, **{name: fact for name, fact in facts.items() if fact is not None}}
    # A name that the answer repeats may hold what no answer can: half a character.
    return orjson.dumps({name: _sayable(fact) for name, fact in body.items()})


def _sayable(fact: Any) -> Any:
    return fact.encode("utf-8", "replace").decode() if isinstance(fact, str) else fact


class ShapeMiddleware:
    """Errors of the API in their one shape, whoever answered; and nothing of it is stored on the way."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer in shape."""
        response = self.get_response(request)
        if not request.path.startswith("/api/"):
            return response
        if "Cache-Control" not in response.headers:
            response.headers["Cache-Control"] = "no-store"
        if response.status_code < 400 or response.headers.get("Content-Type", "").startswith("application/json"):
            return response
        code, message = _WORDS.get(response.status_code, ("refused", "The request was refused."))
        if response.status_code >= 500:
            code, message = "unexpected", "Something went wrong on the server."
        shaped = HttpResponse(error_body(code, message), status=response.status_code, content_type="application/json")
        for name in ("Allow", "Retry-After", "Cache-Control"):
            if name in response.headers:
                shaped.headers[name] = response.headers[name]
        return shaped


class AgainMiddleware:
    """Carries a request out again that was rolled back whole, since another one was quicker: it may fit now."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer, at the latest with what the last try comes to."""
        for _ in range(TRIES - 1):
            response = self.get_response(request)
            if not getattr(response, "again", False):
                return response
            for _, files in request.FILES.lists() if hasattr(request, "_files") else ():
                for file in files:
                    file.seek(0)
        return self.get_response(request)
