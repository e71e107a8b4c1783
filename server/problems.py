"""Errors of the server that are answers: what went wrong, in the core's own form, with a status."""

from __future__ import annotations

from rennbahn.errors import RennbahnError


class Problem(RennbahnError):
    """An error with the HTTP status it is answered with."""

    status = 422

    def __init__(
        self, code: str, message: str, *, field: str | None = None, hint: str | None = None, row: int | None = None
    ) -> None:
        super().__init__(code, message, field=field, hint=hint)
        self.row = row


class NotAllowed(Problem):
    """The person's role does not reach."""

    status = 403


class NotFound(Problem):
    """There is no such thing."""

    status = 404

    def __init__(self, what: str) -> None:
        super().__init__("not_found", f"There is no such {what}.", hint="It may have another address.")


class Conflict(Problem):
    """It does not fit what is already there."""

    status = 409


class TooMany(Problem):
    """Too many tries."""

    status = 429
