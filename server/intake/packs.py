"""A zip of many captures, taken in by the worker one file after the other: it can be left, cancelled and resumed.

Each file is dealt with in transactions of its own and recognised by its bytes, so that a worker, a server or a database
that dies in the middle changes nothing about what is there in the end.
"""

from __future__ import annotations

import hashlib
import io
import logging
import zipfile
from pathlib import PurePosixPath
from typing import Any

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
    PackContent,
    PackEntry,
    PackState,
)
from intake.queries import arrival_out
from intake.schemas import Assignment, TakeIn
from intake.services import Caller, receive, take
from intake.uploads import LARGEST_FILE

log = logging.getLogger(__name__)
#: A pack holds at most so many files, and so much once it is unpacked.
MOST_ENTRIES = 5_000
MOST_UNPACKED = 8 * 2**30
_CHUNK = 1 << 20


def begin_pack(user: Caller, study_id: int, upload: UploadedFile[Any]) -> Pack:
    """Keep a zip and list what it holds; the worker takes it in. Raises :class:`Problem` on what is none."""
    tester = require(user, Role.TESTER)
    content = upload.read()
    names = _names(content)
    with transaction.atomic():
        study = open_study(study_id)
        pack = Pack.objects.create(study=study, name=(upload.name or "pack.zip")[:255], size=len(content), by=tester)
        PackContent.objects.create(pack=pack, content=content)
        PackEntry.objects.bulk_create(PackEntry(pack=pack, position=at, name=name) for at, name in enumerate(names))
        note(study, tester, "handed in a pack", f"{pack.name}: {len(names)} files")
        _queue(pack)
    return pack


def _names(content: bytes) -> list[str]:
    """Names of the files in a zip, in its order."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            files = [one for one in packed.infolist() if not one.is_dir() and not _hidden(one.filename)]
    except (zipfile.BadZipFile, NotImplementedError, ValueError) as error:
        raise Problem("no_zip", f"The file is no whole zip: {error}.", field="file", hint="Pack it again.") from None
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
    content = bytes(PackContent.objects.get(pack=pack).content)
    with zipfile.ZipFile(io.BytesIO(content)) as packed:
        for entry in pack.entries.filter(state=EntryState.WAITING).order_by("position"):
            if not Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).exists():
                return done
            state, words, arrival = _take_entry(pack, packed, entry.name)
            PackEntry.objects.filter(pk=entry.pk).update(state=state, words=words[:300], arrival=arrival)
            done += 1
    Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).update(state=PackState.DONE)
    return done


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
