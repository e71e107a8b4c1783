"""A zip of many captures, taken in by the worker one file after the other: it can be left, cancelled and resumed.

It is sent in pieces, so that no request is large however many captures there are, and none is held in memory whole.
"""

from __future__ import annotations

import zipfile
from typing import Any
from zoneinfo import available_timezones

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.errors import RennbahnError
from storing import place
from studies.record import note
from studies.services import open_study

from intake import reading
from intake.bounded import bounded
from intake.limits import check_half_sent, check_room
from intake.models import Pack, PackEntry, PackState
from intake.pieces import drop_pieces, keep_piece, whole
from intake.services import Caller
from intake.tasks import queue_pack

#: A pack holds at most so many files, and so much once it is unpacked.
MOST_ENTRIES = 5_000
MOST_UNPACKED = 8 * 2**30


def open_pack(user: Caller, study_id: int, name: str, zone: str = "") -> Pack:
    """Begin a pack, whose pieces follow. Raises :class:`Problem` for a zone that there is not, or where much waits."""
    tester = require(user, Role.TESTER)
    if zone and zone not in available_timezones():
        raise Problem("unknown_zone", f"“{zone}” is no zone of time.", field="zone", hint="As in “Europe/Berlin”.")
    with transaction.atomic():
        study = open_study(study_id)
        check_half_sent(tester)
        check_room(study, None)
        return Pack.objects.create(study=study, name=name, zone=zone, by=tester)


def add_piece(user: Caller, pack_id: int, position: int, upload: UploadedFile[Any]) -> Pack:
    """Keep the next piece of a pack. One that is there already may come again, as after a connection that broke off.

    Raises :class:`Problem` where another piece is due, or the pack grows too large.
    """
    require(user, Role.TESTER)
    content = upload.read()
    placed = place(content)
    with transaction.atomic():
        pack = _arriving(pack_id)
        keep_piece(pack, position, content, placed)
    return pack


def close_pack(user: Caller, pack_id: int) -> Pack:
    """List what a pack holds that was sent whole; the worker takes it in.

    What is no zip, or holds nothing or too much, is not kept. Raises :class:`Problem` saying so.
    """
    tester = require(user, Role.TESTER)
    sent = Pack.objects.filter(pk=pack_id, state=PackState.ARRIVING).first()
    names: list[str] = []
    refused: RennbahnError | None = None
    if sent is not None:
        # Put together and listed before anything is locked: another's act shall not wait for gigabytes.
        try:
            with whole(sent) as path:
                names = _names(path)
        except RennbahnError as error:
            refused = error
    with transaction.atomic():
        pack = _arriving(pack_id)
        if sent is None or pack.size != sent.size:
            raise Conflict("pack_state", "A piece of the pack came just now.", hint="Close it once all are there.")
        if refused is not None:
            _drop(pack)
        else:
            PackEntry.objects.bulk_create(PackEntry(pack=pack, position=at, name=name) for at, name in enumerate(names))
            pack.state = PackState.RUNNING
            pack.save(update_fields=["state"])
            note(pack.study, tester, "handed in a pack", f"{pack.name}: {len(names)} files")
            queue_pack(pack.pk)
    if refused is not None:
        raise refused
    return pack


def drop_pack(user: Caller, pack_id: int) -> None:
    """Throw away what there is of a pack that was never sent whole."""
    require(user, Role.TESTER)
    with transaction.atomic():
        _drop(_arriving(pack_id))


def _drop(pack: Pack) -> None:
    drop_pieces(pack)
    pack.delete()


def _arriving(pack_id: int) -> Pack:
    """A pack that is still being sent, held."""
    pack = _held(pack_id)
    if pack.state != PackState.ARRIVING:
        raise _otherwise(pack)
    return pack


def _held(pack_id: int) -> Pack:
    """A pack of an open study, both held in this order. Raises :class:`NotFound`."""
    study_id = Pack.objects.filter(pk=pack_id).values_list("study", flat=True).first()
    if study_id is None:
        raise NotFound("pack")
    open_study(study_id)
    pack = Pack.objects.select_for_update().filter(pk=pack_id).first()
    if pack is None:
        raise NotFound("pack")
    return pack


def _otherwise(pack: Pack) -> Conflict:
    return Conflict("pack_state", f"The pack is {PackState(pack.state).label.lower()} already.")


def _names(path: str) -> list[str]:
    """Names of the files in a zip, in its order; whatever its directory holds, it is read within bounds."""
    try:
        files = bounded(reading.listed, path)
    except (zipfile.BadZipFile, NotImplementedError, ValueError) as error:
        message = f"The file is no whole zip: {error}."
        raise Problem("no_zip", message, field="file", hint="Pack it again.") from None
    if not files:
        raise Problem("empty_zip", "The zip holds no file.", field="file")
    if len(files) > MOST_ENTRIES:
        raise Problem("too_many", f"The zip holds {len(files)} files; up to {MOST_ENTRIES} are taken.", field="file")
    if sum(size for _, size in files) > MOST_UNPACKED:
        raise Problem("too_large", f"The zip unpacks to more than {MOST_UNPACKED // 2**30} GB.", field="file")
    # The end of a long path says more than its beginning.
    return [name[-400:] for name, _ in files]


def cancel_pack(user: Caller, pack_id: int) -> Pack:
    """Take in no more of it. What was taken stays; the rest waits to be resumed."""
    return _turn(user, pack_id, PackState.RUNNING, PackState.CANCELLED, "cancelled a pack")


def resume_pack(user: Caller, pack_id: int) -> Pack:
    """Go on where it was cancelled."""
    return _turn(user, pack_id, PackState.CANCELLED, PackState.RUNNING, "resumed a pack")


def _turn(user: Caller, pack_id: int, before: str, after: str, what: str) -> Pack:
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        pack = _held(pack_id)
        if pack.state == after:
            return pack
        if pack.state != before:
            raise _otherwise(pack)
        pack.state = after
        pack.save(update_fields=["state"])
        note(pack.study, tester, what, pack.name)
        if after == PackState.RUNNING:
            queue_pack(pack.pk)
    return pack
