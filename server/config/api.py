"""The API: routers put together, and the one place where errors become answers."""

from __future__ import annotations

import errno
import logging
from typing import Any

from answering import Out
from bench.api import router as bench
from django.contrib.auth.decorators import login_required
from django.core.exceptions import RequestDataTooBig, SuspiciousOperation, TooManyFieldsSent, TooManyFilesSent
from django.db import connection
from django.db.utils import DatabaseError, DataError, IntegrityError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, UnreadablePostError
from django.http.multipartparser import MultiPartParserError
from doubting.api import router as doubting
from faults import place_of, sentence_of
from films.api import router as films
from findings.api import router as findings
from fitting.api import router as fitting
from intake.api import router as intake
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from packages.api import router as packages
from people.access import doors, signed_in
from people.api import house_router, me_router, people_router
from people.api import router as session
from planning.api import router as planning
from problems import Problem
from psycopg import errors as postgres
from readers.api import router as readers
from rennbahn.errors import RennbahnError
from reports.api import router as reports
from running.api import router as running
from scenes.api import router as scenes
from storing import StoreFailsError
from strict import StrictParser
from studies.api import router as studies
from studies.words import router as words
from tuning.api import router as tuning

from config import kept
from config.heartbeat import heard_ago_s
from config.shape import error_body

log = logging.getLogger(__name__)

#: Statuses that any endpoint may answer with, beside those it succeeds with.
_REFUSALS = {
    400: "The request cannot be read",
    401: "Nobody is signed in",
    403: "The role does not reach, or the CSRF token is missing",
    404: "There is no such thing",
    405: "That method is not known here",
    409: "It does not fit what is already there",
    413: "The request is too large",
    422: "The input is refused, by field",
    429: "Too many tries",
    500: "Something unexpected",
    503: "The database or the machine is busy",
    507: "The disk is full",
}


class ErrorOut(Out):
    """An error: a stable code, a sentence for people, and where they apply the field, row, line and remedy."""

    code: str
    message: str
    field: str | None = None
    row: int | None = None
    line: int | None = None
    hint: str | None = None


class RennbahnAPI(NinjaAPI):
    """The API, whose description lists the errors of every operation."""

    def get_openapi_schema(self, **how: Any) -> Any:
        """The description, with the one shape of errors."""
        schema = super().get_openapi_schema(**how)
        shape = ErrorOut.model_json_schema(ref_template="#/components/schemas/{model}")
        schema["components"].setdefault("schemas", {})["ErrorOut"] = shape
        content = {"application/json": {"schema": {"$ref": "#/components/schemas/ErrorOut"}}}
        told = "; ".join(f"{status}: {words[0].lower()}{words[1:]}" for status, words in _REFUSALS.items())
        schema["components"]["responses"] = {"Refusal": {"description": f"Refused. {told}.", "content": content}}
        for operations in schema["paths"].values():
            for operation in operations.values():
                answers = {str(status): answer for status, answer in operation["responses"].items()}
                operation["responses"] = answers | {"default": {"$ref": "#/components/responses/Refusal"}}
        return _without_titles(schema)


def _without_titles(schema: Any) -> Any:
    """The description without the titles that the framework makes of names: they say nothing that names do not."""
    if isinstance(schema, dict):
        return {
            name: _without_titles(value)
            for name, value in schema.items()
            if not (name == "title" and isinstance(value, str) and "version" not in schema)
        }
    return [_without_titles(one) for one in schema] if isinstance(schema, list) else schema


api = RennbahnAPI(
    title="Rennbahn",
    version="1",
    description="Errors come in one shape: `code`, `message`, and where they apply `field`, `row`, `line`, `hint`.",
    auth=signed_in,
    parser=StrictParser(),
    docs_decorator=login_required,
    openapi_extra={"info": {"contact": {"name": "Rennbahn"}}},
)
doors.append(kept.ask)
for prefix, router in (
    ("/session", session),
    ("/people", people_router),
    ("/me", me_router),
    ("/house", house_router),
    ("", bench),
    ("", scenes),
    ("/readers", readers),
    ("/reports", reports),
    ("/studies", studies),
    ("", intake),
    ("", planning),
    ("", doubting),
    ("", running),
    ("", packages),
    ("", films),
    ("/tuning", tuning),
    ("/fits", fitting),
    ("/studies", findings),
    ("", words),
):
    api.add_router(prefix, router)


#: A worker tells that it lives every ten seconds.
_WORKER_SILENT_S = 60


class Health(Out):
    """The server answers, and its database does; `worker` is whether one was heard of within the last minute."""

    ok: bool
    worker: bool


@api.get("/health", auth=None, response=Health, tags=["health"])
def health(request: HttpRequest) -> Health:
    """Does the server answer, with its database behind it, and is a worker at work?"""
    heard = heard_ago_s(connection)
    return Health(ok=True, worker=heard is not None and heard < _WORKER_SILENT_S)


def _answer(status: int, code: str, message: str, *, again: bool = False, **facts: Any) -> HttpResponse:
    response = HttpResponse(error_body(code, message, **facts), status=status, content_type="application/json")
    # What was rolled back whole may be tried again (see config.shape).
    response.again = again  # type: ignore[attr-defined]
    return response


@api.exception_handler(RennbahnError)
def on_known_error(request: HttpRequest, error: RennbahnError) -> HttpResponse:
    """An error raised on purpose, with the facts it carries."""
    status = error.status if isinstance(error, Problem) else 422
    row, line = getattr(error, "row", None), getattr(error, "line", None)
    facts: dict[str, Any] = {
        "field": error.field,
        "row": row,
        "line": line,
        "hint": error.hint,
        "now": getattr(error, "now", None),
    }
    return _answer(status, error.code, error.message, **facts)


@api.exception_handler(ValidationError)
def on_invalid_input(request: HttpRequest, error: ValidationError) -> HttpResponse:
    """Input that does not fit the schema: the first fault, by field, in the words of the form."""
    first = error.errors[0]
    return _answer(422, "invalid", sentence_of(first), field=place_of(first) or None)


@api.exception_handler(AuthenticationError)
def on_unknown_person(request: HttpRequest, _error: AuthenticationError) -> HttpResponse:
    """Nobody is signed in."""
    return _answer(401, "not_signed_in", "Sign in first.", hint="The session may have ended.")


@api.exception_handler(HttpError)
def on_http_error(request: HttpRequest, error: HttpError) -> HttpResponse:
    """Anything the framework refuses, such as a request without its CSRF token, or a body that it cannot read."""
    if isinstance(error.__cause__, RennbahnError):
        return on_known_error(request, error.__cause__)
    return _answer(error.status_code, "refused", str(error))


@api.exception_handler(SuspiciousOperation)
def on_strange_request(request: HttpRequest, error: SuspiciousOperation) -> HttpResponse:
    """A request beyond what is read at all."""
    if isinstance(error, RequestDataTooBig):
        return _answer(
            413, "too_large", "The request is too large.", hint="Send less at once: up to 4 MB beside files."
        )
    if isinstance(error, (TooManyFieldsSent, TooManyFilesSent)):
        return _answer(413, "too_many", "The request holds too many fields or files.", hint="Send one file a request.")
    return _answer(400, "unreadable_request", "The request cannot be read.")


@api.exception_handler(MultiPartParserError)
def on_broken_form(request: HttpRequest, error: MultiPartParserError) -> HttpResponse:
    """A form with files that ends before its end, or is none."""
    return _answer(400, "unreadable_request", f"The form cannot be read: {error}.", hint="Send the file again.")


@api.exception_handler(UnreadablePostError)
def on_cut_request(request: HttpRequest, _error: UnreadablePostError) -> HttpResponse:
    """The request ended before its end."""
    return _answer(400, "unreadable_request", "The request ended before its end.", hint="Send it again.")


@api.exception_handler(StoreFailsError)
def on_store_failure(request: HttpRequest, error: StoreFailsError) -> HttpResponse:
    """The store of files cannot be reached, or has not what it was given."""
    log.error("the store of files: %s", error)
    if error.missing:
        told = "The bytes of this file are no longer where they were put."
        return _answer(
            503, "file_missing", told, hint="Tell whoever keeps the store: `manage.py files check` names all."
        )
    told = "The store of files cannot be reached or written."
    return _answer(503, "store_away", told, hint="Nothing was changed. Try again shortly.")


#: Why the database writes nothing, by what it says: status, code, what to say, and the remedy.
_CANNOT: dict[tuple[type[Exception], ...], tuple[int, str, str, str]] = {
    (postgres.DiskFull, postgres.OutOfMemory): (
        507, "disk_full", "There is no room left to keep this.", "Make room, then try again.",
    ),
    (postgres.ReadOnlySqlTransaction,): (
        503, "read_only", "The database takes nothing new just now; it can be read.", "Whoever keeps it must look.",
    ),
}  # fmt: skip


@api.exception_handler(DatabaseError)
def on_database_error(request: HttpRequest, error: DatabaseError) -> HttpResponse:
    """What the database refuses or cannot do."""
    cause = error.__cause__
    if isinstance(error, DataError):
        log.warning("refused by the database: %s", error)
        return _answer(
            422, "out_of_range", "A value is beyond what can be kept.", hint="Look at its numbers and texts."
        )
    if isinstance(error, IntegrityError):
        return _held_by_a_rule(request, error)
    if isinstance(cause, (postgres.DeadlockDetected, postgres.SerializationFailure, postgres.LockNotAvailable)):
        hint = "Nothing was written. Try again shortly."
        return _answer(503, "busy", "Others are changing the same just now.", again=True, hint=hint)
    cannot = next((told for kinds, told in _CANNOT.items() if isinstance(cause, kinds)), None)
    if cannot is not None:
        log.error("the database cannot write: %s", error)
        status, code, message, remedy = cannot
        return _answer(status, code, message, hint=f"Nothing was written. {remedy}")
    if isinstance(error, (OperationalError, InterfaceError)):
        return _database_away(request)
    return on_unexpected(request, error)


def _held_by_a_rule(request: HttpRequest, error: IntegrityError) -> HttpResponse:
    """A rule of the database held: whose doing it was depends on which."""
    cause, hint = error.__cause__, "Load the page again and look, then try again."
    if isinstance(cause, postgres.UniqueViolation):
        log.warning("made at the same moment: %s", error)
        told = "Somebody made or changed the same at the same moment."
        return _answer(409, "made_meanwhile", told, again=True, hint=hint)
    if isinstance(cause, (postgres.ForeignKeyViolation, postgres.RestrictViolation)):
        log.warning("used or gone: %s", error)
        return _answer(409, "used_meanwhile", "Something this rests on was taken away or put to use.", hint=hint)
    # What no check before it caught is a fault of ours, not somebody else's save.
    return on_unexpected(request, error)


def _database_away(request: HttpRequest) -> HttpResponse:
    # A commit that was under way may have gone through: of a change one cannot know without looking.
    changing = request.method not in ("GET", "HEAD", "OPTIONS")
    hint = "Look whether it was kept, then try again." if changing else "Try again shortly."
    response = _answer(503, "database_away", "The database does not answer.", hint=hint)
    response.headers["Retry-After"] = "2"
    return response


#: Faults of the disk where uploads are put down: code, what to say, and the remedy.
_DISK = {
    errno.ENOSPC: ("disk_full", "There is no room left on the server’s disk.", "Make room first."),
    errno.EDQUOT: ("disk_full", "The server has used up its share of the disk.", "Make room first."),
    errno.EROFS: ("disk_shut", "The server’s disk cannot be written.", "Whoever keeps the server has to look at it."),
    errno.EACCES: (
        "disk_shut",
        "The server may not write where it puts files down.",
        "Its directory has to be opened.",
    ),
    errno.EPERM: ("disk_shut", "The server may not write where it puts files down.", "Its directory has to be opened."),
}


@api.exception_handler(OSError)
def on_disk_error(request: HttpRequest, error: OSError) -> HttpResponse:
    """A disk that is full, or cannot be written; any other fault of the machine is unexpected, and told as such."""
    if error.errno not in _DISK:
        return on_unexpected(request, error)
    log.exception("the machine cannot do it")
    code, message, remedy = _DISK[error.errno]
    return _answer(507, code, message, hint=f"Nothing was written. {remedy}")


@api.exception_handler(Exception)
def on_unexpected(request: HttpRequest, error: Exception) -> HttpResponse:
    """A fault of ours: told in the one shape, and in full in the server's log."""
    log.error("unexpected: %s %s", request.method, request.path, exc_info=error)
    return _answer(500, "unexpected", "Something went wrong on the server.", hint="It is in the server’s log.")
