"""What is read of a package that somebody brought: it runs in a process with bounds and imports no Django."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from intake import reading
from rennbahn.errors import CaptureRefused, RennbahnError
from rennbahn.packages.files import LARGEST_TABLE, Package
from rennbahn.packages.tables import bad

#: What reading a package back needs beside its tables, and its most bytes.
RECORD = "record.json"
_LARGEST_RECORD = 32 * 2**20
#: A study of 20,000 passes has a third of so many values; read, each takes many times its bytes.
_MOST_VALUES = 4_000_000


@dataclass(frozen=True)
class Asked:
    """A capture to be read: its path, by which map, measured against what; and the paths of samples beside it."""

    path: str
    columns: dict[str, Any]
    settings: dict[str, Any]
    samples: tuple[str, ...] = ()


@dataclass(frozen=True)
class FoundSamples:
    """A file of samples: its bytes as they are kept, what it seems to be, and what was read of it."""

    file: reading.KeptFile
    proposed: reading.Proposed | None
    samples: reading.CrunchedSamples


@dataclass(frozen=True)
class Found:
    """The same of a capture, with the samples beside it."""

    file: reading.KeptFile
    proposed: reading.Proposed | None
    read: reading.Crunched
    beside: tuple[FoundSamples, ...]


def record_in(path: str) -> bytes:
    """The record of a package. Raises where anything in it is not as it was written, before anything is made of it."""
    with Package(path) as package:
        if not package.told:
            raise bad("it says nothing of a study")
        if RECORD not in package.entries:
            raise bad(f"it has no {RECORD}: it can be verified, and not read back")
        for name, wanted in package.resources().items():
            if f"sha256:{hashlib.sha256(package.read(name, LARGEST_TABLE)).hexdigest()}" != wanted:
                raise bad(f"{name} is not what the package lists: it was changed")
        _listed(package, {RECORD})
        content = package.read(RECORD, _LARGEST_RECORD)
    if sum(content.count(sign) for sign in b"[{,") > _MOST_VALUES:
        raise bad(f"{RECORD} holds more than a study has")
    return content


def captures_in(path: str, asked: Sequence[Asked]) -> list[Found]:
    """Captures of a package that was found whole (see :func:`record_in`), each read and measured.

    Raises :class:`rennbahn.errors.RennbahnError` naming the file.
    """
    with Package(path) as package:
        _listed(package, {name for one in asked for name in (one.path, *one.samples)})
        return [_capture(package, one) for one in asked]


def _capture(package: Package, one: Asked) -> Found:
    content = package.read(one.path)
    with _naming(f"the capture {one.path}"):
        read = reading.read(content, one.columns, one.settings)
    beside = tuple(_samples(package, name) for name in one.samples)
    return Found(reading.keep(content), _proposed(content), read, beside)


def _samples(package: Package, name: str) -> FoundSamples:
    content = package.read(name)
    with _naming(f"the samples {name}"):
        return FoundSamples(reading.keep(content), _proposed(content), reading.samples(content))


def _listed(package: Package, names: set[str]) -> None:
    """What a package does not list was held against nothing."""
    strange = names - set(package.resources())
    if strange:
        raise bad(f"it does not list {min(strange)}")


@contextmanager
def _naming(what: str) -> Iterator[None]:
    """Says of which file an error is."""
    try:
        yield
    except CaptureRefused as error:
        raise bad(f"{what}: {error.sentence()}") from None
    except RennbahnError as error:
        raise bad(f"{what}: {error.message}") from None


def _proposed(content: bytes) -> reading.Proposed | None:
    try:
        return reading.propose(content)
    except CaptureRefused:
        return None
