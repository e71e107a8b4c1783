"""A zip of many captures, taken in by the worker one file after the other: it can be left, cancelled and resumed.

It is sent in pieces, so that no request is large however many captures there are, and none is held in memory whole.
Each file is dealt with in transactions of its own and recognised by its bytes, so that a worker, a server or a database
that dies in the middle changes nothing about what is there in the end.
"""

from __future__ import annotations

import logging
import zipfile
from pathlib import PurePosixPath
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from studies.record import note
from studies.services import open_study

from intake.models import (
    Pack,
    PackEntry,
    PackPiece,
    PackState,
)
from intake.services import Caller
from intake.tasks import queue_pack
from intake.unpacking import whole

log = logging.getLogger(__name__)
#: A pack is at most so large, holds so many files, and so much once it is unpacked.
MOST_PACKED = 2 * 2**30
MOST_ENTRIES = 5_000
MOST_UNPACKED = 8 * 2**30
_CHUNK = 1 << 20


def open_pack(user: Caller, study_id: int, name: str) -> Pack:
    """Begin a pack, whose pieces follow."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        return Pack.objects.create(study=open_study(study_id), name=name, by=tester)


def add_piece(user: Caller, pack_id: int, position: int, upload: UploadedFile[Any]) -> Pack:
    """Keep the next piece of a pack. One that is there already may come again, as after a connection that broke off.

    Raises :class:`Problem` where another piece is due, or the pack grows too large.
    """
    require(user, Role.TESTER)
    content = upload.read()
    with transaction.atomic():
        pack = _arriving(pack_id)
        there = PackPiece.objects.filter(pack=pack, position=position).values_list("content", flat=True).first()
        if there is not None and bytes(there) == content:
            return pack
        due = pack.pieces.count()
        if position != due:
            raise Conflict("another_piece", f"Piece {due} of the pack is due (got {position}).")
        if pack.size + len(content) > MOST_PACKED:
            raise Problem(
                "too_large",
                f"The pack grows beyond {MOST_PACKED // 2**30} GB.",
                field="file",
                hint="Send it in several: what is here already is passed over.",
            )
        PackPiece.objects.create(pack=pack, position=position, content=content)
        pack.size += len(content)
        pack.save(update_fields=["size"])
    return pack


def close_pack(user: Caller, pack_id: int) -> Pack:
    """List what a pack holds that was sent whole; the worker takes it in.

    What is no zip, or holds nothing or too much, is not kept. Raises :class:`Problem` saying so.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        pack = _arriving(pack_id)
        try:
            with whole(pack) as packed:
                names = _names(packed)
        except Problem as error:
            _drop(pack)
            refused = error
        else:
            PackEntry.objects.bulk_create(PackEntry(pack=pack, position=at, name=name) for at, name in enumerate(names))
            pack.state = PackState.RUNNING
            pack.save(update_fields=["state"])
            note(pack.study, tester, "handed in a pack", f"{pack.name}: {len(names)} files")
            queue_pack(pack.pk)
            return pack
    raise refused


def drop_pack(user: Caller, pack_id: int) -> None:
    """Throw away what there is of a pack that was never sent whole."""
    require(user, Role.TESTER)
    with transaction.atomic():
        _drop(_arriving(pack_id))


def _drop(pack: Pack) -> None:
    pack.pieces.all().delete()
    pack.delete()


def _arriving(pack_id: int) -> Pack:
    """A pack that is still being sent, held."""
    found = Pack.objects.filter(pk=pack_id).first()
    if found is None:
        raise NotFound("pack")
    open_study(found.study_id)
    pack = Pack.objects.select_for_update().filter(pk=pack_id).first()
    if pack is None:
        raise NotFound("pack")
    if pack.state != PackState.ARRIVING:
        raise Conflict("pack_state", f"The pack is {PackState(pack.state).label.lower()} already.")
    return pack


def _names(packed: zipfile.ZipFile) -> list[str]:
    """Names of the files in a zip, in its order."""
    files = [one for one in packed.infolist() if not one.is_dir() and not _hidden(one.filename)]
    if not files:
        raise Problem("empty_zip", "The zip holds no file.", field="file")
    if len(files) > MOST_ENTRIES:
        raise Problem("too_many", f"The zip holds {len(files)} files; up to {MOST_ENTRIES} are taken.", field="file")
    if sum(one.file_size for one in files) > MOST_UNPACKED:
        raise Problem("too_large", f"The zip unpacks to more than {MOST_UNPACKED // 2**30} GB.", field="file")
    return [one.filename[:400] for one in files]


def _hidden(name: str) -> bool:
    """Files that packers leave beside what was packed."""
    return any(part.startswith((".", "__MACOSX")) for part in PurePosixPath(name).parts)


def cancel_pack(user: Caller, pack_id: int) -> Pack:
    """Take in no more of it. What was taken stays; the rest waits to be resumed."""
    return _turn(user, pack_id, PackState.RUNNING, PackState.CANCELLED, "cancelled a pack")


def resume_pack(user: Caller, pack_id: int) -> Pack:
    """Go on where it was cancelled."""
    return _turn(user, pack_id, PackState.CANCELLED, PackState.RUNNING, "resumed a pack")


def _turn(user: Caller, pack_id: int, before: str, after: str, what: str) -> Pack:
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        found = Pack.objects.filter(pk=pack_id).first()
        if found is None:
            raise NotFound("pack")
        study = open_study(found.study_id)
        pack = Pack.objects.select_for_update().get(pk=pack_id)
        if pack.state == after:
            return pack
        if pack.state != before:
            raise Conflict("pack_state", f"The pack is {PackState(pack.state).label.lower()} already.")
        pack.state = after
        pack.save(update_fields=["state"])
        note(study, tester, what, pack.name)
        if after == PackState.RUNNING:
            queue_pack(pack.pk)
    return pack
