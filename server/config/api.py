"""The API: routers put together, and the one place where errors become answers."""

from __future__ import annotations

from typing import Any

from bench.api import router as bench
from django.contrib.auth.decorators import login_required
from django.db.utils import OperationalError
from django.http import HttpRequest, HttpResponse
from findings.api import router as findings
from intake.api import router as intake
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from people.access import signed_in
from people.api import router as people
from planning.api import router as planning
from problems import Problem
from rennbahn.errors import RennbahnError
from scenes.api import router as scenes
from studies.api import router as studies

from config.words import router as words

api = NinjaAPI(
    title="Rennbahn",
    version="1",
    description="Errors come in one shape: `code`, `message`, and where they apply `field`, `row`, `line`, `hint`.",
    auth=signed_in,
    docs_decorator=login_required,
    openapi_extra={"info": {"contact": {"name": "Rennbahn"}}},
)
for prefix, router in (
    ("/session", people),
    ("", bench),
    ("", scenes),
    ("/studies", studies),
    ("", intake),
    ("", planning),
    ("/studies", findings),
    ("", words),
):
    api.add_router(prefix, router)


def _answer(request: HttpRequest, status: int, code: str, message: str, **facts: Any) -> HttpResponse:
    body = {"code": code, "message": message, **{name: fact for name, fact in facts.items() if fact is not None}}
    return api.create_response(request, body, status=status)


@api.exception_handler(RennbahnError)
def on_known_error(request: HttpRequest, error: RennbahnError) -> HttpResponse:
    """An error raised on purpose, with the facts it carries."""
    status = error.status if isinstance(error, Problem) else 422
    row, line = getattr(error, "row", None), getattr(error, "line", None)
    return _answer(request, status, error.code, error.message, field=error.field, row=row, line=line, hint=error.hint)


@api.exception_handler(ValidationError)
def on_invalid_input(request: HttpRequest, error: ValidationError) -> HttpResponse:
    """Input that does not fit the schema: the first fault, by field."""
    first = error.errors[0]
    field = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path", "form", "payload"))
    return _answer(request, 422, "invalid", f"{field or 'input'}: {first['msg']}", field=field or None)


@api.exception_handler(AuthenticationError)
def on_unknown_person(request: HttpRequest, _error: AuthenticationError) -> HttpResponse:
    """Nobody is signed in."""
    return _answer(request, 401, "not_signed_in", "Sign in first.", hint="The session may have ended.")


@api.exception_handler(HttpError)
def on_http_error(request: HttpRequest, error: HttpError) -> HttpResponse:
    """Anything the framework refuses, such as a request without its CSRF token."""
    return _answer(request, error.status_code, "refused", str(error))


@api.exception_handler(OperationalError)
def on_database_away(request: HttpRequest, _error: OperationalError) -> HttpResponse:
    """The database restarts; nothing was written."""
    response = _answer(
        request, 503, "database_away", "The database does not answer.", hint="Nothing was written. Try again shortly."
    )
    response.headers["Retry-After"] = "2"
    return response
