"""The door of :mod:`one_database`: every page is told which database it is of, and writes into no other."""

from __future__ import annotations

from collections.abc import Callable

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from one_database import HEADER, HINT, MESSAGE, mark

from config.shape import error_body

_READING = ("GET", "HEAD", "OPTIONS")


class OneDatabase:
    """Tells every page of the API which database it is of, and lets none write that is of another."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer, or refuse."""
        if not request.path.startswith("/api/"):
            return self.get_response(request)
        said = request.headers.get(HEADER, "")
        try:
            own = mark()
        except DatabaseError:
            # It is away, which the API says in its own words.
            return self.get_response(request)
        if said and said != own and request.method not in _READING:
            body = error_body("brought_back", MESSAGE, hint=HINT)
            return HttpResponse(body, status=409, content_type="application/json", headers={HEADER: own})
        response = self.get_response(request)
        response.headers[HEADER] = own
        return response
