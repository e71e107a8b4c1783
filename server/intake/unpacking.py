"""What the worker does with a pack: files are read ahead in processes of their own while those before are recorded.

Files are recorded by the batch, each batch with the fates of its files in one transaction, so that a worker, a server
or a database that dies in the middle changes nothing about what is there in the end.
"""

from __future__ import annotations

import contextlib
import itertools
import logging
import os
import tempfile
import zipfile
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path, PurePosixPath
from queue import SimpleQueue
from types import TracebackType
from typing import Any
from zoneinfo import ZoneInfo

from changed_rows import write_back
from django.conf import settings
from django.db import DataError, IntegrityError, transaction
from django.utils import timezone
from problems import Conflict
from rennbahn.capture.entries import UNREADABLE, leads_out, read_entry
from rennbahn.capture.naming import places_of
from rennbahn.errors import CaptureRefused, RennbahnError
from storing import Placed, place, place_all
from studies.deciding import run_as_of
from studies.events import CapturesCame, tell
from studies.models import Study
from studies.queries import with_lanes_and_tests
from studies.services import open_study

from intake import reading
from intake.bounded import BoundedProcess
from intake.measuring import settings_from
from intake.models import Arrival, EntryState, Pack, PackEntry, PackState, SavedMap
from intake.pieces import drop_pieces, whole
from intake.proposals import proposal_from, refusal_of
from intake.reading import TakenIn
from intake.recording import NewFile, ReadFile, SameBytes, keep_files, record_files, same_elsewhere
from intake.schemas import Assignment
from intake.uploads import LARGEST_FILE
from intake.zip_times import written_at

log = logging.getLogger(__name__)

#: Files read at once, each in a process of its own.
_READERS = min(4, os.cpu_count() or 1)
#: Files recorded at once: enough that a statement does for many, few enough that nobody waits long for the study.
_BATCH = 24
#: Tests whose passes are told of at once.
_TOLD_AT_ONCE = 8
#: How many files are unpacked ahead of their turn, and how many bytes of them.
_AHEAD = 2 * _BATCH
_AHEAD_BYTES = 128 * 2**20


#: How files are called that a worker puts together: what one left that was killed is known by it.
WORKERS = "worker-"
#: A file that ended a worker so often, each time while it was unpacked, is given up.
_MOST_ENDED = 2


def take_in(pack_id: int) -> int:
    """Take in what waits of a pack, until it is through or cancelled; how many files that were."""
    pack = Pack.objects.select_related("by", "study").get(pk=pack_id)
    if pack.state != PackState.RUNNING:
        return 0
    done = 0
    entries = list(pack.entries.filter(state=EntryState.WAITING).order_by("position"))
    with whole(pack, WORKERS) as path, zipfile.ZipFile(path) as packed, _Readers() as readers:
        for batch in _batches(_read_ahead(packed, entries, _Places(pack, entries), readers)):
            if not Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).exists():
                break
            _take_batch(pack, batch)
            done += len(batch)
    _tell(pack)
    with transaction.atomic():
        waits = pack.entries.filter(state=EntryState.WAITING).exists()
        if not waits and Pack.objects.filter(pk=pack_id, state=PackState.RUNNING).update(state=PackState.DONE):
            _let_go(pack)
    return done


@contextlib.contextmanager
def _watched(entry: PackEntry) -> Iterator[None]:
    """Unpack a file under watch: a mark on disk is there as long as it takes, and stays where the worker is killed.

    Raises EOFError of a file that ended workers before. What ends otherwise, as where the database goes away, leaves no
    mark.
    """
    mark = _place() / f"at-entry-{entry.pk}"
    ended = int(mark.read_text() or "0") if mark.exists() else 0
    if ended >= _MOST_ENDED:
        mark.unlink(missing_ok=True)
        log.error("entry %s ended the worker %s times and is given up", entry.pk, ended)
        raise EOFError("the worker ended while it read it, more than once")
    mark.write_text(str(ended + 1))
    try:
        yield
    finally:
        mark.unlink(missing_ok=True)


def _place() -> Path:
    """Where files are put down while they are dealt with."""
    return Path(settings.FILE_UPLOAD_TEMP_DIR or tempfile.gettempdir())


def sweep_left() -> None:
    """Throw away what workers that were killed left of packs. Nobody else may be at work."""
    for file in _place().glob(f"{WORKERS}*.zip"):
        file.unlink(missing_ok=True)


def _tell(pack: Pack) -> None:
    """Have the passes of a pack checked, also those of a worker that died before it could: a few tests at a time, so
    that nobody waits long for the study.
    """
    taken = pack.entries.filter(state=EntryState.TAKEN, arrival__use__isnull=False)
    of_tests: dict[int, list[int]] = {}
    for test, one in taken.values_list("arrival__use__on_pass__test", "arrival__use__on_pass"):
        of_tests.setdefault(test, []).append(one)
    passes = iter(of_tests.values())
    while some := list(itertools.islice(passes, _TOLD_AT_ONCE)):
        with transaction.atomic():
            study = Study.objects.select_for_update().get(pk=pack.study_id)
            tell(CapturesCame(study, tuple(itertools.chain.from_iterable(some))))


def _let_go(pack: Pack) -> None:
    """Drop the pieces of a pack that is through, where each of its files is kept by itself."""
    if not pack.entries.filter(arrival=None).exists():
        drop_pieces(pack)


@dataclass(frozen=True)
class _Read:
    """A file of a pack that was unpacked and read, where its name says it belongs, when it was written, and what it was
    measured against; or why it could not be unpacked.
    """

    taken: TakenIn | None = None
    where: Assignment | None = None
    settings: dict[str, Any] | None = None
    trouble: str = ""
    written_at: datetime | None = None
    placed: Placed | None = None


class _Places:
    """Where the files of a pack belong by their names."""

    def __init__(self, pack: Pack, entries: list[PackEntry]) -> None:
        self.study = with_lanes_and_tests().get(pk=pack.study_id)
        self.lanes, self.tests = list(self.study.lanes.all()), list(self.study.tests.all())
        self.zone = ZoneInfo(pack.zone) if pack.zone else None
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
            return process.call(reading.take_in, content, saved, settings)
        except CaptureRefused as error:
            return TakenIn(reading.keep(content), refused=error)
        finally:
            self._free.put(process)


def _read_ahead(
    packed: zipfile.ZipFile, entries: list[PackEntry], places: _Places, readers: _Readers
) -> Iterator[tuple[PackEntry, _Read]]:
    """The files of a pack in order, each read; while one is dealt with, the next are unpacked and read."""
    ahead: deque[tuple[PackEntry, _Read, Future[TakenIn] | None, int]] = deque()

    def settled() -> tuple[PackEntry, _Read]:
        entry, read, future, _ = ahead.popleft()
        return entry, read if future is None else replace(read, taken=future.result())

    now = timezone.now()
    files = reading.files_in(packed)
    for entry in entries:
        content = b""
        if leads_out(files[entry.position].filename):
            ahead.append((entry, _Read(trouble="its name leads out of the folder that it is packed in"), None, 0))
            continue
        try:
            with _watched(entry):
                content = read_entry(packed, files[entry.position], LARGEST_FILE)
        except UNREADABLE as error:
            ahead.append((entry, _Read(trouble=f"it cannot be unpacked: {error}"), None, 0))
        else:
            if len(content) > LARGEST_FILE:
                ahead.append((entry, _Read(trouble=f"it is larger than {LARGEST_FILE // 2**20} MB"), None, 0))
            else:
                written = written_at(files[entry.position], places.zone, now)
                read = replace(places.where(entry), written_at=written)
                future = readers.read(content, places.saved, read.settings)
                ahead.append((entry, read, future, len(content)))
        while len(ahead) >= _AHEAD or sum(size for *_, size in ahead) > _AHEAD_BYTES:
            yield settled()
    while ahead:
        yield settled()


def _batches(found: Iterator[tuple[PackEntry, _Read]]) -> Iterator[list[tuple[PackEntry, _Read]]]:
    while batch := list(itertools.islice(found, _BATCH)):
        yield batch


def _take_batch(pack: Pack, batch: list[tuple[PackEntry, _Read]]) -> None:
    """Keep files and record those whose place is known, with the fate of each, all in one transaction.

    What the database refuses is found by taking the files one by one, and stops no other.
    """
    batch = _put_down(batch)
    try:
        with transaction.atomic():
            _settle(pack, batch)
    except (DataError, IntegrityError) as error:
        log.warning("a batch of pack %s failed: %s", pack.pk, error)
        if len(batch) > 1:
            for one in batch:
                _take_batch(pack, [one])
        else:
            entry = batch[0][0]
            _fate(entry, EntryState.REFUSED, "it holds what cannot be kept")
            entry.save(update_fields=["state", "words", "arrival"])


def _put_down(batch: list[tuple[PackEntry, _Read]]) -> list[tuple[PackEntry, _Read]]:
    """Put the bytes of a batch down before anything is locked, beside each other."""
    files = [read.taken.file for _, read in batch if read.taken is not None and read.placed is None]
    places = iter(place_all([file.packed for file in files]))
    return [
        (entry, read if read.taken is None or read.placed is not None else replace(read, placed=next(places)))
        for entry, read in batch
    ]


def _settle(pack: Pack, batch: list[tuple[PackEntry, _Read]]) -> None:
    try:
        study = open_study(pack.study_id)
    except Conflict as error:
        for entry, _ in batch:
            _fate(entry, EntryState.REFUSED, error.message)
    else:
        there = []
        for entry, read in batch:
            if read.taken is None:
                _fate(entry, EntryState.REFUSED, read.trouble)
            else:
                there.append((entry, read, read.taken))
        _keep_and_record(pack, study, there)
    write_back([entry for entry, _ in batch], ["state", "words", "arrival", "also_in"])


def _fate(entry: PackEntry, state: EntryState, words: str, arrival: Arrival | None = None) -> None:
    entry.state, entry.words, entry.arrival = state, words[:300], arrival


def _keep_and_record(pack: Pack, study: Study, there: list[tuple[PackEntry, _Read, TakenIn]]) -> None:
    files = [
        NewFile(_short(entry.name), taken.file, read.placed or place(taken.file.packed), _facts(taken, read.written_at))
        for entry, read, taken in there
    ]
    placed: dict[int, ReadFile] = {}
    others = same_elsewhere(study.pk, [taken.file.sha256 for *_, taken in there])
    for entry, _, taken in there:
        entry.also_in_id = others.get(taken.file.sha256, (None, ""))[0]
    for at, arrival in enumerate(keep_files(pack.by, study, files)):
        entry, read, taken = there[at]
        if isinstance(arrival, SameBytes):
            _fate(entry, EntryState.KNOWN, arrival.message, arrival.earlier)
        elif taken.refused is not None:
            _fate(entry, EntryState.REFUSED, taken.refused.message, arrival)
        elif taken.columns is None or read.where is None or read.settings is None or taken.read is None:
            lacks = "say what its columns are" if taken.columns is None else "its name does not say where it belongs"
            _fate(entry, EntryState.KEPT, f"it waits in Hand in: {lacks}", arrival)
        else:
            where = read.where.model_copy(update={"arrival_id": arrival.pk})
            placed[at] = ReadFile(arrival, where, taken.columns, taken.read, read.settings)
    for at, one in zip(placed, record_files(pack.by, study, list(placed.values())), strict=True):
        entry, arrival = there[at][0], placed[at].arrival
        if not isinstance(one, RennbahnError):
            _fate(entry, EntryState.TAKEN, "a pass", arrival)
        elif one.code in ("pass_taken", "wrong_state"):
            _fate(entry, EntryState.KEPT, f"it waits in Hand in: {one.message}", arrival)
        else:
            _fate(entry, EntryState.REFUSED, one.message, arrival)


def _facts(taken: TakenIn, written: datetime | None) -> dict[str, Any]:
    """What is kept with a file."""
    return {
        "written_at": written,
        "proposal": proposal_from(taken.proposed) if taken.proposed else {},
        "header_key": taken.proposed.look if taken.proposed else "",
        "refusal": refusal_of(taken.refused).dict() if taken.refused else None,
    }


def _short(name: str) -> str:
    return PurePosixPath(name).name or "unnamed"
