"""A zip of many captures, taken in by the worker one file after the other: it can be left, cancelled and resumed.

It is sent in pieces, so that no request is large however many captures there are, and none is held in memory whole.
Each file is dealt with in transactions of its own and recognised by its bytes, so that a worker, a server or a database
that dies in the middle changes nothing about what is there in the end.
"""

from __future__ import annotations

import contextlib
import hashlib
import logging
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile, UploadedFile
from django.db import transaction
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.errors import RennbahnError
from studies.record import note
from studies.services import open_study

from intake.models import (
    Arrival,
    ArrivalState,
    EntryState,
    Pack,
    PackEntry,
    PackPiece,
    PackState,
)
from intake.queries import arrival_out
from intake.schemas import Assignment, TakeIn
from intake.services import Caller, receive, take
from intake.uploads import LARGEST_FILE

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
            with _whole(pack) as packed:
                names = _names(packed)
        except Problem as error:
            _drop(pack)
            refused = error
        else:
            PackEntry.objects.bulk_create(PackEntry(pack=pack, position=at, name=name) for at, name in enumerate(names))
            pack.state = PackState.RUNNING
            pack.save(update_fields=["state"])
            note(pack.study, tester, "handed in a pack", f"{pack.name}: {len(names)} files")
            _queue(pack)
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


@contextlib.contextmanager
def _whole(pack: Pack) -> Iterator[zipfile.ZipFile]:
    """The zip that the pieces make, on disk. Raises :class:`Problem` where they make none."""
    with tempfile.TemporaryFile(dir=settings.FILE_UPLOAD_TEMP_DIR) as file:
        for content in pack.pieces.order_by("position").values_list("content", flat=True).iterator(chunk_size=1):
            file.write(content)
        try:
            packed = zipfile.ZipFile(file)
        except (zipfile.BadZipFile, NotImplementedError, ValueError) as error:
            raise Problem(
                "no_zip", f"The file is no whole zip: {error}.", field="file", hint="Pack it again."
            ) from None
        with packed:
            yield packed


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
            _queue(pack)
    return pack


def _queue(pack: Pack) -> None:
    from intake.tasks import queue_pack  # noqa: PLC0415 - the task calls back

    queue_pack(pack.pk)


def take_in(pack_id: int) -> int:
    """Take in what waits of a pack, until it is through or cancelled; how many files that were."""
    pack = Pack.objects.select_related("by", "study").get(pk=pack_id)
    done = 0
    if pack.state != PackState.RUNNING:
        return done
    with _whole(pack) as packed:
        for entry in pack.entries.filter(state=EntryState.WAITING).order_by("position"):
            if not Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).exists():
                return done
            state, words, arrival = _take_entry(pack, packed, entry.name)
            PackEntry.objects.filter(pk=entry.pk).update(state=state, words=words[:300], arrival=arrival)
            done += 1
    with transaction.atomic():
        if Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).update(state=PackState.DONE):
            _let_go(pack)
    return done


def _let_go(pack: Pack) -> None:
    """Drop the pieces of a pack that is through, where each of its files is kept by itself."""
    if not pack.entries.filter(arrival=None).exists():
        pack.pieces.all().delete()


def _take_entry(pack: Pack, packed: zipfile.ZipFile, name: str) -> tuple[str, str, int | None]:
    """What became of one file."""
    try:
        content = _unpacked(packed, name)
    except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError, EOFError) as error:
        return EntryState.REFUSED, f"it cannot be unpacked: {error}", None
    if len(content) > LARGEST_FILE:
        return EntryState.REFUSED, f"it is larger than {LARGEST_FILE // 2**20} MB", None
    short = PurePosixPath(name).name or "unnamed"
    try:
        arrival = receive(pack.by, pack.study_id, SimpleUploadedFile(short, content))
    except RennbahnError as error:
        if error.code != "duplicate_file":
            return EntryState.REFUSED, error.message, None
        digest = hashlib.sha256(content).hexdigest()
        there = Arrival.objects.filter(study=pack.study, sha256=digest).exclude(state=ArrivalState.SET_ASIDE).get()
        if there.arrived_at < pack.made_at:
            return EntryState.KNOWN, error.message, there.pk
        # It came with this pack: whoever took it in died before it could be noted, or the pack holds it twice.
        if PackEntry.objects.filter(pack=pack, arrival=there).exists():
            return EntryState.KNOWN, error.message, there.pk
        arrival = there
    return _place(pack.by, arrival)


def _place(user: User, arrival: Arrival) -> tuple[str, str, int | None]:
    """Take a file as the pass that its name says, where that and its columns leave no question; else it waits."""
    if arrival.state == ArrivalState.TAKEN:
        return EntryState.TAKEN, "a pass", arrival.pk
    if arrival.refusal is not None:
        return EntryState.REFUSED, str(arrival.refusal.get("message", "it is no capture")), arrival.pk
    told = arrival_out(arrival)
    lacks = ""
    if told.columns is None or told.questions:
        lacks = "say what its columns are"
    elif told.lane_id is None or told.test_id is None or told.lane_guess or told.test_guess:
        lacks = "its name does not say where it belongs"
    else:
        place = Assignment(arrival_id=arrival.pk, lane_id=told.lane_id, test_id=told.test_id, number=told.number)
        taken = take(user, arrival.study_id, TakeIn(columns=told.columns, assignments=[place], save_as=""))[0]
        if taken.refusal is None:
            return EntryState.TAKEN, "a pass", arrival.pk
        if taken.refusal.reason not in ("pass_taken", "wrong_state"):
            return EntryState.REFUSED, taken.refusal.message, arrival.pk
        lacks = taken.refusal.message
    return EntryState.KEPT, f"it waits in Hand in: {lacks}", arrival.pk


def _unpacked(packed: zipfile.ZipFile, name: str) -> bytes:
    """One file of a zip, at most a byte more than is taken."""
    parts, left = [], LARGEST_FILE + 1
    with packed.open(name) as stream:
        while left > 0 and (part := stream.read(min(_CHUNK, left))):
            parts.append(part)
            left -= len(part)
    return b"".join(parts)
