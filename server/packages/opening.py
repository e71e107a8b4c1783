"""What is read of a package that somebody brought: it runs in a process with bounds and imports no Django."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from intake import reading
from rennbahn.errors import CaptureRefused, RennbahnError
from rennbahn.packages.files import LARGEST_TABLE, Package
from rennbahn.packages.tables import bad

#: What reading a package back needs beside its tables, and its most bytes.
RECORD = "record.json"
_LARGEST_RECORD = 64 * 2**20


@dataclass(frozen=True)
class Asked:
    """A capture to be read: its path, by which map, measured against what."""

    path: str
    columns: dict[str, Any]
    settings: dict[str, Any]


@dataclass(frozen=True)
class Found:
    """A file of a package: its bytes as they are kept, what it seems to be, and what was read of it."""

    file: reading.KeptFile
    proposed: reading.Proposed | None
    read: reading.Crunched


@dataclass(frozen=True)
class FoundSamples:
    """The same of a file of samples."""

    file: reading.KeptFile
    proposed: reading.Proposed | None
    samples: reading.CrunchedSamples


def record_in(path: str) -> bytes:
    """The record of a package. Raises where anything in it is not as it was written, before anything is made of it."""
    with Package(path) as package:
        if not package.told:
            raise bad("it says nothing of a study")
        if RECORD not in package.entries:
            raise bad(f"it has no {RECORD}: it can be verified, and not read back")
        for name in package.resources():
            _whole(package, name, max(_LARGEST_RECORD, LARGEST_TABLE))
        return _whole(package, RECORD, _LARGEST_RECORD)


def captures_in(path: str, asked: Sequence[Asked]) -> list[Found]:
    """Captures of a package, each read and measured. Raises :class:`rennbahn.errors.RennbahnError` naming the file."""
    found = []
    with Package(path) as package:
        for one in asked:
            content = _whole(package, one.path)
            try:
                found.append(
                    Found(reading.keep(content), _proposed(content), reading.read(content, one.columns, one.settings))
                )
            except CaptureRefused as error:
                raise bad(f"the capture {one.path}: {error.sentence()}") from None
            except RennbahnError as error:
                raise bad(f"the capture {one.path}: {error.message}") from None
    return found


def samples_in(path: str, name: str) -> FoundSamples:
    """A file of samples of a package."""
    with Package(path) as package:
        content = _whole(package, name)
    try:
        return FoundSamples(reading.keep(content), _proposed(content), reading.samples(content))
    except CaptureRefused as error:
        raise bad(f"the samples {name}: {error.sentence()}") from None


def _whole(package: Package, name: str, *most: int) -> bytes:
    """A file as its package lists it. Raises where it was changed since."""
    content = package.read(name, *most)
    if package.resources().get(name) != f"sha256:{hashlib.sha256(content).hexdigest()}":
        raise bad(f"{name} is not what the package lists: it was changed, or is not listed")
    return content


def _proposed(content: bytes) -> reading.Proposed | None:
    try:
        return reading.propose(content)
    except CaptureRefused:
        return None
