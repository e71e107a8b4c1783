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


@dataclass(frozen=True)
class Files:
    """Where the bytes of files are: a directory, or a bucket of object storage with a beginning of names in it."""

    folder: Path | None = None
    bucket: str = ""
    within: str = ""

    def __str__(self) -> str:
        return f"s3://{self.bucket}/{self.within}".rstrip("/") if self.bucket else str(self.folder)


def _files(text: str) -> Files:
    if text.startswith("s3://"):
        bucket, _, within = text.removeprefix("s3://").partition("/")
        if not bucket:
            raise ValueError("a bucket is named as s3://bucket or s3://bucket/beginning")
        return Files(bucket=bucket, within=within.strip("/"))
    if not Path(text).is_absolute():
        raise ValueError("a directory by its whole path, or s3://bucket")
    return Files(folder=Path(text))


def _place(text: str) -> tuple[str, int]:
    host, _, port = text.rpartition(":")
    if not host:
        raise ValueError("host and port, as in 10.0.0.3:5432")
    return host, _port(port)


def _role(text: str) -> str:
    if text not in ("viewer", "tester"):
        raise ValueError("viewer or tester; leads are made here")
    return text


def _form(text: str) -> str:
    if text not in ("text", "json"):
        raise ValueError("text or json")
    return text


_NO_PLACE: tuple[str, int] | None = None
_NOWHERE: Path | None = None
_DATABASE: Files | None = None
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
DB_REPLICA = Option("DB_REPLICA", _place, _NO_PLACE, "host:port of a streaming replica that readers are served from")
DB_POOLED = Option("DB_POOLED", _switch, False, "1 where PostgreSQL is reached through a pool by the transaction")
UPLOADS = Option(
    "UPLOADS", Path, _NOWHERE, "where uploads are put down while they come; a place of the system’s without"
)
FILES = Option("FILES", _files, _DATABASE, "files in this directory or s3://bucket; in the database without")
FILES_AT = Option(
    "FILES_AT", str, "", "the address of S3-compatible storage; its keys as `AWS_ACCESS_KEY_ID` and so on"
)
WEB_DIST = Option("WEB_DIST", Path, _NOWHERE, "where the built interface lies; `web/dist` without")

DEMO = Option("DEMO", Path, _NOWHERE, "the file by which the supervisor is asked for the demo; none without")
BACK = Option("BACK", str, "", "of a demo, the address of one’s own that it was opened from")
BACKED_UP = Option("BACKED_UP", Path, _NOWHERE, "the file that says when the last backup was made; none without")
GREETING = Option("GREETING", str, "", "what the page to sign in says beside its form, line by line")
PROXY = Option("PROXY", str, "", "the address of the proxy whose headers are believed; without, no proxy’s are")
OIDC = Option("OIDC", str, "", "the address of an OpenID Connect provider, by which people sign in too")
OIDC_CLIENT = Option("OIDC_CLIENT", str, "", "what Rennbahn is called there")
OIDC_SECRET = Option("OIDC_SECRET", str, "", "with which secret", secret=True)
OIDC_NAME = Option("OIDC_NAME", str, "the house’s account", "what the button to sign in there says")
OIDC_ROLE = Option("OIDC_ROLE", _role, "", "viewer or tester: what newcomers from there are; without, nobody comes so")
LOG = Option("LOG", _form, "text", "json for one object a line, with every request")
METRICS_TOKEN = Option(
    "METRICS_TOKEN", str, "", "who shows it reads `/api/metrics` in Prometheus’s format; without, nobody", secret=True
)
COOKIES = Option("COOKIES", str, "", "what the names of cookies begin with, where two servers share a name")

OPTIONS = (
    SECRET_KEY, DEBUG, HOSTS, ORIGINS, HTTPS, TIME_ZONE, DB_HOST, DB_PORT, DB_NAME, DB_USER, DB_PASSWORD, DB_REPLICA,
    DB_POOLED, UPLOADS, FILES, FILES_AT, WEB_DIST, DEMO, BACK, BACKED_UP, GREETING, PROXY, OIDC, OIDC_CLIENT,
    OIDC_SECRET, OIDC_NAME, OIDC_ROLE, LOG, METRICS_TOKEN, COOKIES,
)  # fmt: skip
