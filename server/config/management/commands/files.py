"""`manage.py files check|move|home|sweep|pack FILE|unpack FILE`: where the bytes of files are, and if all are there."""

from __future__ import annotations

import hashlib
import sys
import tarfile
from argparse import ArgumentParser
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import Any

import storing
from django.conf import settings
from django.core.files.base import ContentFile
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction
from intake.models import LetGo, Original
from storing import Held, Placed, StoreFailsError, held, models_with_bytes

#: Rows looked at between two words about how far it is.
_TOLD = 1_000


class Command(BaseCommand):
    """Check, move or copy the bytes of files."""

    help = "check that every file is there with its hash; move files to the store, or home; sweep what no row names"

    def add_arguments(self, parser: ArgumentParser) -> None:
        """What is to be done."""
        parser.add_argument("verb", choices=("check", "move", "home", "sweep", "pack", "unpack"))
        parser.add_argument("file", nargs="?", type=Path, help="the tar of pack and unpack")

    def handle(self, *_args: Any, **options: Any) -> None:
        """Do it, or raise CommandError saying what is wrong."""
        verb, file = options["verb"], options["file"]
        if verb in ("pack", "unpack") and file is None:
            raise CommandError("name the tar")
        if verb != "check" and settings.FILES is None:
            raise CommandError("no store is set: RENNBAHN_FILES names a directory or s3://bucket")
        try:
            told = _done(verb, file)
        except StoreFailsError as error:
            raise CommandError(str(error)) from error
        self.stdout.write(told)


def _done(verb: str, file: Path) -> str:
    if verb == "check":
        return _check()
    if verb == "sweep":
        return f"{storing.sweep(everything=True)} files that no row names were swept"
    if verb == "pack":
        return _pack(file)
    return _unpack(file) if verb == "unpack" else _move(home=verb == "home")


def _check() -> str:
    """Read every file and hold it against the hash that its row keeps."""
    wrong = [f"{what}: {why}" for what, why in _faults()]
    if wrong:
        raise CommandError("\n".join(wrong))
    return f"{sum(kind._default_manager.count() for kind in models_with_bytes())} files are there, whole"


def _faults() -> Iterator[tuple[str, str]]:
    for one in Original.objects.select_related("arrival").iterator(chunk_size=20):
        yield from _fault(f"file {one.arrival_id}, {one.arrival}", one.whole, one.arrival.sha256)
    for kind in models_with_bytes():
        if "sha256" not in {field.name for field in kind._meta.get_fields()}:
            continue
        # Of a row that was typed in there are no bytes.
        for row in kind._default_manager.exclude(**{"sha256": ""}).iterator(chunk_size=5):
            yield from _fault(f"{kind._meta.verbose_name} {row.pk}, {row}", row.held, getattr(row, "sha256"))  # noqa: B009


def _fault(what: str, read: Any, wanted: str) -> Iterator[tuple[str, str]]:
    try:
        found = hashlib.sha256(read()).hexdigest()
    except (StoreFailsError, OSError, ValueError) as error:
        yield what, str(error)
    else:
        if found != wanted:
            yield what, "it is not what was handed in"


def _move(*, home: bool) -> str:
    """Move files from the database to the store, or back into it, a row at a time.

    It may be ended at any time and go on later; whoever reads meanwhile finds every file.
    """
    moved = 0
    for kind in models_with_bytes():
        rows = kind._default_manager.all()
        left = rows.exclude(stored="") if home else rows.filter(stored="")
        for pk in list(left.values_list("pk", flat=True)):
            _move_one(kind, pk, home=home)
            moved += 1
            if moved % _TOLD == 0:
                print(f"{moved} files are moved", file=sys.stderr)
    return f"{moved} files were moved to {'the database' if home else settings.FILES}"


def _move_one(kind: type[Held], pk: Any, *, home: bool) -> None:
    with transaction.atomic():
        row = kind._default_manager.select_for_update(of=("self",)).filter(pk=pk).first()
        if row is None or bool(row.stored) != home:
            return
        before = row.stored
        placed = Placed(row.held(), "") if home else storing.place(row.held())
        row.content, row.stored = placed.content, placed.stored
        row.save(update_fields=["content", "stored"])
        storing.let_go([before])


def _pack(file: Path) -> str:
    """Write every file that a row names, or named in the last days, into a tar by its name.

    Beside a dump that was made just before, that is every file that the dump names.
    """
    packed = 0
    with tarfile.open(file, "w") as archive:
        for rows in (*(kind._default_manager.all() for kind in models_with_bytes()), LetGo.objects.all()):
            for name in rows.exclude(stored="").values_list("stored", flat=True).iterator():
                content = held(b"", name)
                entry = tarfile.TarInfo(name)
                entry.size = len(content)
                archive.addfile(entry, BytesIO(content))
                packed += 1
    return f"{packed} files were packed"


def _unpack(file: Path) -> str:
    """Put the files of a tar into the store by the names that they had, but for those that are there."""
    back = 0
    with tarfile.open(file) as archive:
        for entry in archive:
            part = archive.extractfile(entry)
            if part is not None and not storing.store().exists(entry.name):
                storing.store().save(entry.name, ContentFile(part.read()))
                back += 1
    return f"{back} files were put back"
