"""Where the bytes of files are: in their rows, or in a store beside the database (a directory, or object storage).

A store is named by `RENNBAHN_FILES`. Every file put there gets a name that nothing had before and nothing has again, so
that none is ever written over. It is put down before the transaction that names it is through: what a row names is
there, and what no row names, as after a crash, is swept.
"""

from __future__ import annotations

import os
import uuid
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from django.apps import apps
from django.conf import settings
from django.core.files.base import ContentFile, File
from django.core.files.storage import FileSystemStorage, Storage, storages
from django.db import connection, models
from django.utils import timezone

#: Files put down at once: a store far away answers late, but many at a time.
_AT_ONCE = 8
#: What no row ever named is swept after so long: no transaction takes a day.
_UNNAMED = timedelta(days=2)
#: What a row named once stays so long, so that a database brought back from a backup of the last week finds its files.
LET_GO = timedelta(days=8)


class Folder(FileSystemStorage):
    """A directory whose files are on the disk when they are said to be, also after a power cut."""

    def _save(self, name: str, content: File[Any]) -> str:
        saved = str(super()._save(name, content))  # type: ignore[misc]  # Django's own, which its types leave out
        path = Path(self.path(saved))
        # The file, the folder that names it, and those that may have been made for it.
        for one in (path, *list(path.parents)[:4]):
            opened = os.open(one, os.O_RDONLY)
            try:
                os.fsync(opened)
            finally:
                os.close(opened)
        return saved


class StoreFailsError(Exception):
    """The store cannot be reached, or has not what a row names. `missing` tells which."""

    def __init__(self, why: str, *, missing: bool = False) -> None:
        super().__init__(why)
        self.missing = missing


@dataclass(frozen=True)
class Placed:
    """Bytes that have a place: in the row that is to be written, or in the store by a name."""

    content: bytes
    stored: str

    def fields(self) -> dict[str, Any]:
        """What a row says of them."""
        return {"content": self.content, "stored": self.stored}


class Held(models.Model):
    """A row with bytes: its own, or a name in the store."""

    content = models.BinaryField(default=bytes, blank=True)
    stored = models.CharField(max_length=60, blank=True, db_index=True)

    class Meta:
        abstract = True

    def held(self) -> bytes:
        """The bytes. Raises :class:`StoreFailsError`."""
        return held(self.content, self.stored)


def place(content: bytes) -> Placed:
    """Put bytes where they are to stay. Do so before anything is locked: a store may be slow."""
    return place_all([content])[0]


def place_all(contents: Sequence[bytes]) -> list[Placed]:
    """The same of several, beside each other. Raises :class:`StoreFailsError`."""
    if settings.FILES is None:
        return [Placed(content, "") for content in contents]
    if len(contents) == 1:
        return [Placed(b"", _put(contents[0]))]
    with ThreadPoolExecutor(_AT_ONCE) as pool:
        return [Placed(b"", name) for name in pool.map(_put, contents)]


def held(content: bytes | memoryview, stored: str) -> bytes:
    """The bytes of a row. Raises :class:`StoreFailsError`."""
    if not stored:
        return bytes(content)
    try:
        with store().open(stored) as file:
            return bytes(file.read())
    except FileNotFoundError:
        raise StoreFailsError(f"{stored} is not in the store", missing=True) from None
    except _failures() as error:
        raise StoreFailsError(f"{stored} cannot be read: {error}") from error


def let_go(names: Sequence[str]) -> None:
    """Say, within a transaction, that no row names these files any more: they are swept some days later."""
    _let_go().bulk_create(_let_go().model(stored=name, at=timezone.now()) for name in names if name)


def models_with_bytes() -> list[type[Held]]:
    """Every kind of row that holds bytes, of those that the database has: that of an older version lacks some."""
    there = set(connection.introspection.table_names())
    return [one for one in apps.get_models() if issubclass(one, Held) and one._meta.db_table in there]


def sweep(*, everything: bool = False) -> int:
    """Take out of the store what was let go, and what no row ever named; how many.

    What no row named is looked for in the last weeks alone, unless `everything` is asked for.
    """
    if settings.FILES is None:
        return 0
    over = _let_go().filter(at__lt=timezone.now() - LET_GO)
    names = list(over.values_list("stored", flat=True))
    _delete(names)
    over.filter(stored__in=names).delete()
    last = timezone.now().date() - _UNNAMED
    days = [day for day in _days() if day <= last and (everything or day > last - timedelta(days=30))]
    gone = len(names)
    for day in days:
        unnamed = sorted(set(_of_day(day)) - _named(f"{day:%Y/%m/%d}/"))
        _delete(unnamed)
        gone += len(unnamed)
    return gone


def store() -> Storage:
    """The store that is set. Raises :class:`StoreFailsError` where none is, as where a setting was lost."""
    if settings.FILES is None:
        raise StoreFailsError("no store is set, and a row names a file in one: RENNBAHN_FILES")
    return storages["files"]


def _put(content: bytes) -> str:
    name = f"{timezone.now():%Y/%m/%d}/{uuid.uuid4().hex}"
    try:
        return str(store().save(name, ContentFile(content)))
    except _failures() as error:
        raise StoreFailsError(f"{name} cannot be written: {error}") from error


def _delete(names: Sequence[str]) -> None:
    for name in names:
        store().delete(name)


def _named(beginning: str) -> set[str]:
    found: set[str] = set()
    for rows in (*(kind._default_manager.all() for kind in models_with_bytes()), _let_go().all()):
        found.update(rows.filter(stored__startswith=beginning).values_list("stored", flat=True))
    return found


def _let_go() -> models.Manager[Any]:
    """Files that were let go."""
    return apps.get_model("intake", "LetGo")._default_manager


def _days() -> Iterator[date]:
    """The days of which there are files."""
    for year in _folders(""):
        for month in _folders(year):
            for day in _folders(f"{year}/{month}"):
                yield date(int(year), int(month), int(day))


def _folders(within: str) -> list[str]:
    try:
        return sorted(one for one in store().listdir(within)[0] if one.isdigit())
    except FileNotFoundError:
        return []


def _of_day(day: date) -> list[str]:
    return [f"{day:%Y/%m/%d}/{name}" for name in store().listdir(f"{day:%Y/%m/%d}")[1]]


def _failures() -> tuple[type[Exception], ...]:
    """What a store fails with."""
    if settings.FILES is not None and settings.FILES.bucket:
        from botocore.exceptions import BotoCoreError, ClientError  # noqa: PLC0415 - slow to load, and rarely wanted

        return (OSError, BotoCoreError, ClientError)
    return (OSError,)
