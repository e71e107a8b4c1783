"""Every setting of the server: its environment variable, its type, what it is without one, and what it does.

Settings are read here and nowhere else. `manage.py options` lists them as they are; the README is held to this table.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Generic, TypeVar

from django.core.exceptions import ImproperlyConfigured

T = TypeVar("T")

PREFIX = "RENNBAHN_"


@dataclass(frozen=True)
class Option(Generic[T]):
    """One setting: `read` makes its value of the text that the environment holds, or raises ValueError."""

    name: str
    read: Callable[[str], T]
    default: T
    does: str
    secret: bool = False

    @property
    def variable(self) -> str:
        """The environment variable."""
        return f"{PREFIX}{self.name}"

    def of(self, environment: Mapping[str, str] = os.environ) -> T:
        """Its value there. Raises ImproperlyConfigured with the variable and what was wanted."""
        text = environment.get(self.variable)
        if text is None or text == "":
            return self.default
        try:
            return self.read(text)
        except ValueError as error:
            raise ImproperlyConfigured(f"{self.variable} is {text!r}: {error}.") from None

    def shown(self, environment: Mapping[str, str] = os.environ) -> str:
        """Its value as it may be seen."""
        value = self.of(environment)
        return "(set)" if self.secret and value else str(value)


def _switch(text: str) -> bool:
    if text not in ("0", "1"):
        raise ValueError("1 switches it on, 0 off")
    return text == "1"


def _several(text: str) -> tuple[str, ...]:
    return tuple(one.strip() for one in text.split(",") if one.strip())


def _port(text: str) -> int:
    if not text.isascii() or not text.isdigit() or not 1 <= int(text) <= 65_535:
        raise ValueError("a port is a number from 1 to 65535")
    return int(text)


_NOWHERE: Path | None = None
_HERE: tuple[str, ...] = ("localhost", "127.0.0.1", "[::1]")
_NONE: tuple[str, ...] = ()

SECRET_KEY = Option("SECRET_KEY", str, "", "signs sessions; `make demo` makes one and keeps it", secret=True)
DEBUG = Option("DEBUG", _switch, False, "1 for development: pages of errors, no secret key asked for")
HOSTS = Option("HOSTS", _several, _HERE, "names that the server answers to")
ORIGINS = Option("ORIGINS", _several, _NONE, "addresses that pages may write from, beside the server’s own")
HTTPS = Option("HTTPS", _switch, False, "1 behind a front that speaks HTTPS: secure cookies and HSTS")
TIME_ZONE = Option("TIME_ZONE", str, "UTC", "the bench’s own: plans are laid out from now on in it")
DB_HOST = Option("DB_HOST", str, "127.0.0.1", "where PostgreSQL is")
DB_PORT = Option("DB_PORT", _port, 5432, "its port")
DB_NAME = Option("DB_NAME", str, "rennbahn", "the database")
DB_USER = Option("DB_USER", str, "rennbahn", "who signs in to it")
DB_PASSWORD = Option("DB_PASSWORD", str, "", "with which password", secret=True)
UPLOADS = Option(
    "UPLOADS", Path, _NOWHERE, "where uploads are put down while they come; a place of the system’s without"
)
WEB_DIST = Option("WEB_DIST", Path, _NOWHERE, "where the built interface lies; `web/dist` without")

OPTIONS = (
    SECRET_KEY, DEBUG, HOSTS, ORIGINS, HTTPS, TIME_ZONE, DB_HOST, DB_PORT, DB_NAME, DB_USER, DB_PASSWORD, UPLOADS,
    WEB_DIST,
)  # fmt: skip
