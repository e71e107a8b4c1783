"""What the worker does with a pack: files are read ahead in processes of their own while those before are recorded.

Each file is dealt with in transactions of its own and recognised by its bytes, so that a worker, a server or a database
that dies in the middle changes nothing about what is there in the end.
"""

from __future__ import annotations

import contextlib
import os
import tempfile
import zipfile
import zlib
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import PurePosixPath
from queue import SimpleQueue
from types import TracebackType
from typing import Any

from django.conf import settings
from django.db import transaction
from rennbahn.capture.naming import places_of
from rennbahn.errors import CaptureRefused, RennbahnError
from studies.deciding import run_as_of
from studies.models import Study
from studies.news import captured_many
from studies.queries import with_lanes_and_tests
from studies.services import open_study

from intake import crunching
from intake.bounded import BoundedProcess
from intake.crunching import TakenIn
from intake.measuring import settings_from
from intake.models import Arrival, ArrivalState, EntryState, Pack, PackEntry, PackState, SavedMap
from intake.proposals import proposal_from, refusal_of
from intake.schemas import Assignment
from intake.services import keep_file, record
from intake.uploads import LARGEST_FILE

#: Files read at once, each in a process of its own, and how many are unpacked ahead of their turn.
_READERS = min(4, os.cpu_count() or 1)
_AHEAD = 2 * _READERS
_CHUNK = 1 << 20
#: What became of a file: its state, in words, and the file as it is kept.
_Fate = tuple[str, str, int | None]


@contextlib.contextmanager
def whole(pack: Pack) -> Iterator[str]:
    """Where the file that the pieces make lies on disk."""
    with tempfile.NamedTemporaryFile(dir=settings.FILE_UPLOAD_TEMP_DIR, suffix=".zip") as file:
        for content in pack.pieces.order_by("position").values_list("content", flat=True).iterator(chunk_size=1):
            file.write(content)
        file.flush()
        yield file.name


def take_in(pack_id: int) -> int:
    """Take in what waits of a pack, until it is through or cancelled; how many files that were."""
    pack = Pack.objects.select_related("by", "study").get(pk=pack_id)
    if pack.state != PackState.RUNNING:
        return 0
    done = 0
    entries = list(pack.entries.filter(state=EntryState.WAITING).order_by("position"))
    with whole(pack) as path, zipfile.ZipFile(path) as packed, _Readers() as readers:
        for entry, found in _read_ahead(packed, entries, _Places(pack, entries), readers):
            if not Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).exists():
                break
            state, words, arrival = _take_entry(pack, entry, found)
            PackEntry.objects.filter(pk=entry.pk).update(state=state, words=words[:300], arrival=arrival)
            done += 1
    _tell(pack)
    with transaction.atomic():
        waits = pack.entries.filter(state=EntryState.WAITING).exists()
        if not waits and Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).update(state=PackState.DONE):
            _let_go(pack)
    return done


def _tell(pack: Pack) -> None:
    """Have the passes of a pack checked, also those of a worker that died before it could: a test at a time, so that
    nobody waits long for the study.
    """
    taken = pack.entries.filter(state=EntryState.TAKEN, arrival__use__isnull=False)
    of_tests: dict[int, list[int]] = {}
    for test, one in taken.values_list("arrival__use__on_pass__test", "arrival__use__on_pass"):
        of_tests.setdefault(test, []).append(one)
    for passes in of_tests.values():
        with transaction.atomic():
            study = Study.objects.select_for_update().get(pk=pack.study_id)
            captured_many.send(Study, study=study, passes=passes)


def _let_go(pack: Pack) -> None:
    """Drop the pieces of a pack that is through, where each of its files is kept by itself."""
    if not pack.entries.filter(arrival=None).exists():
        pack.pieces.all().delete()


@dataclass(frozen=True)
class _Read:
    """A file of a pack that was unpacked and read, where its name says it belongs, and what it was measured against;
    or why it could not be unpacked.
    """

    taken: TakenIn | None = None
    where: Assignment | None = None
    settings: dict[str, Any] | None = None
    trouble: str = ""


class _Places:
    """Where the files of a pack belong by their names."""

    def __init__(self, pack: Pack, entries: list[PackEntry]) -> None:
        self.study = with_lanes_and_tests().get(pk=pack.study_id)
        self.lanes, self.tests = list(self.study.lanes.all()), list(self.study.tests.all())
        self.saved = {one.header_key: one.columns for one in SavedMap.objects.all()}
        places = places_of(
            [_short(entry.name) for entry in entries],
            [lane.name for lane in self.lanes],
            [(test.scene.game.name, test.scene.name, test.condition.name) for test in self.tests],
        )
        self.of = {entry.pk: place for entry, place in zip(entries, places, strict=True)}

    def where(self, entry: PackEntry) -> _Read:
        """The place of a file, and the settings of its lane and test."""
        place = self.of[entry.pk]
        if place.lane is None or place.test is None or place.lane_guess or place.test_guess:
            return _Read()
        lane, test = self.lanes[place.lane], self.tests[place.test]
        where = Assignment(arrival_id=0, lane_id=lane.pk, test_id=test.pk, number=place.number)
        return _Read(where=where, settings=settings_from(self.study, run_as_of(lane, test)))


class _Readers:
    """Processes that read files beside each other. Use it in a `with` block."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(_READERS)
        self._free: SimpleQueue[BoundedProcess] = SimpleQueue()
        self._all = [BoundedProcess() for _ in range(_READERS)]
        for process in self._all:
            self._free.put(process)

    def __enter__(self) -> _Readers:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self._pool.shutdown(cancel_futures=True)
        for process in self._all:
            process.end()

    def read(
        self, content: bytes, saved: dict[str, dict[str, Any]], settings: dict[str, Any] | None
    ) -> Future[TakenIn]:
        """Have a file read when its turn comes."""
        return self._pool.submit(self._read, content, saved, settings)

    def _read(self, content: bytes, saved: dict[str, dict[str, Any]], settings: dict[str, Any] | None) -> TakenIn:
        process = self._free.get()
        try:
            return process.call(crunching.take_in, content, saved, settings)
        except CaptureRefused as error:
            return TakenIn(crunching.keep(content), refused=error)
        finally:
            self._free.put(process)


def _read_ahead(
    packed: zipfile.ZipFile, entries: list[PackEntry], places: _Places, readers: _Readers
) -> Iterator[tuple[PackEntry, _Read]]:
    """The files of a pack in order, each read; while one is dealt with, the next are unpacked and read."""
    ahead: deque[tuple[PackEntry, _Read, Future[TakenIn] | None]] = deque()

    def settled() -> tuple[PackEntry, _Read]:
        entry, read, future = ahead.popleft()
        return entry, read if future is None else replace(read, taken=future.result())

    files = crunching.files_in(packed)
    for entry in entries:
        try:
            content = _unpacked(packed, files[entry.position])
        except (zipfile.BadZipFile, zlib.error, OSError, RuntimeError, NotImplementedError, EOFError) as error:
            ahead.append((entry, _Read(trouble=f"it cannot be unpacked: {error}"), None))
        else:
            if len(content) > LARGEST_FILE:
                ahead.append((entry, _Read(trouble=f"it is larger than {LARGEST_FILE // 2**20} MB"), None))
            else:
                read = places.where(entry)
                ahead.append((entry, read, readers.read(content, places.saved, read.settings)))
        if len(ahead) >= _AHEAD:
            yield settled()
    while ahead:
        yield settled()


def _take_entry(pack: Pack, entry: PackEntry, read: _Read) -> _Fate:
    """What became of one file."""
    if read.taken is None:
        return EntryState.REFUSED, read.trouble, None
    arrival = _kept(pack, entry, read.taken)
    if not isinstance(arrival, Arrival):
        return arrival
    if arrival.state == ArrivalState.TAKEN:
        return EntryState.TAKEN, "a pass", arrival.pk
    if arrival.refusal is not None:
        return EntryState.REFUSED, str(arrival.refusal.get("message", "it is no capture")), arrival.pk
    return _place(pack, arrival, read, read.taken)


def _kept(pack: Pack, entry: PackEntry, found: TakenIn) -> Arrival | _Fate:
    """The file as it is kept, or its fate where it was there before or cannot be kept."""
    no_capture = found.refused if found.proposed is None else None
    facts = {
        "proposal": proposal_from(found.proposed) if found.proposed else {},
        "header_key": found.proposed.look if found.proposed else "",
        "refusal": refusal_of(no_capture).dict() if no_capture else None,
    }
    try:
        with transaction.atomic():
            return keep_file(pack.by, open_study(pack.study_id), _short(entry.name), found.file, facts)
    except RennbahnError as error:
        if error.code != "duplicate_file":
            return EntryState.REFUSED, error.message, None
        same = Arrival.objects.filter(study=pack.study, sha256=found.file.sha256)
        there = same.exclude(state=ArrivalState.SET_ASIDE).get()
        # One that came with this pack: whoever took it in died before it could be noted, or the pack holds it twice.
        before = there.arrived_at < pack.made_at or PackEntry.objects.filter(pack=pack, arrival=there).exists()
        return (EntryState.KNOWN, error.message, there.pk) if before else there


def _place(pack: Pack, arrival: Arrival, read: _Read, found: TakenIn) -> _Fate:
    """Take a file as the pass that its name says, where that and its columns leave no question; else it waits."""
    if found.columns is None or read.where is None or read.settings is None:
        lacks = "say what its columns are" if found.columns is None else "its name does not say where it belongs"
        return EntryState.KEPT, f"it waits in Hand in: {lacks}", arrival.pk
    try:
        if found.read is None:
            raise found.refused or CaptureRefused("no_frames", "nothing was read of it")
        where = read.where.model_copy(update={"arrival_id": arrival.pk})
        record(pack.by, pack.study_id, where, found.columns, found.read, read.settings, alone=False)
    except CaptureRefused as error:
        Arrival.objects.filter(pk=arrival.pk).update(refusal=refusal_of(error).dict())
        return EntryState.REFUSED, error.message, arrival.pk
    except RennbahnError as error:
        if error.code in ("pass_taken", "wrong_state"):
            return EntryState.KEPT, f"it waits in Hand in: {error.message}", arrival.pk
        return EntryState.REFUSED, error.message, arrival.pk
    return EntryState.TAKEN, "a pass", arrival.pk


def _short(name: str) -> str:
    return PurePosixPath(name).name or "unnamed"


def _unpacked(packed: zipfile.ZipFile, file: zipfile.ZipInfo) -> bytes:
    """One file of a zip, at most a byte more than is taken."""
    parts, left = [], LARGEST_FILE + 1
    with packed.open(file) as stream:
        while left > 0 and (part := stream.read(min(_CHUNK, left))):
            parts.append(part)
            left -= len(part)
    return b"".join(parts)
