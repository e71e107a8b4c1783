"""Addresses are read to the letter too: what nobody asks for behind the question mark is refused by name."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import cache
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase

from config.api import api
from config.shape import error_body

_PART = re.compile(r"<(?:\w+:)?(\w+)>")


@cache
def _parameters() -> dict[tuple[str, str], frozenset[str]]:
    """What each operation takes in its query, by method and path, as the API describes itself."""
    return {
        (method.upper(), path): frozenset(one["name"] for one in about.get("parameters", []) if one["in"] == "query")
        for path, operations in api.get_openapi_schema()["paths"].items()
        for method, about in operations.items()
    }


class AskedMiddleware:
    """A filter that is misspelt shows everything and looks like an answer; so it is none."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer."""
        return self.get_response(request)

    def process_view(self, request: HttpRequest, *_: Any) -> HttpResponse | None:
        """Refuse a parameter that the operation does not know."""
        if not request.GET or request.resolver_match is None:
            return None
        path = "/" + _PART.sub(r"{\1}", request.resolver_match.route)
        known = _parameters().get((str(request.method), path))
        unknown = sorted(set(request.GET) - known) if known is not None else []
        if not unknown:
            return None
        taken = f"It takes {', '.join(sorted(known or ()))}." if known else "It takes none."
        body = error_body(
            "unknown_parameter", f"{unknown[0]}: this address takes no such parameter.", field=unknown[0], hint=taken
        )
        return HttpResponse(body, status=422, content_type="application/json")
