"""Many captures whose places are known, taken in at once: the demo's, and those of tests.

The way is a pack's (see :mod:`intake.unpacking`), without its zip and its processes.
"""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from intake import reading
from intake.measuring import settings_from
from intake.models import Arrival
from intake.proposals import proposal_from
from intake.reading import TakenIn
from intake.recording import NewFile, ReadFile, keep_files, lanes_and_tests, record_files
from intake.schemas import Assignment
from studies.deciding import run_as_of
from studies.events import CapturesCame, tell
from studies.models import Pass
from studies.services import open_study


@dataclass(frozen=True)
class Written:
    """What a logger wrote, of which pass of which cell (the next one without a number), and when."""

    name: str
    log: bytes
    lane_id: int
    test_id: int
    number: int | None = None
    written_at: datetime | None = None
    #: Whether it is to be a pass; else it waits to be assigned.
    taken: bool = True


#: Files with what each is measured against.
Asked = Sequence[tuple[bytes, dict[str, Any]]]


def read_one(log: bytes, settings: dict[str, Any]) -> TakenIn:
    """Read and measure a file; what is simulated needs no bounds."""
    return reading.take_in(log, {}, settings)


def read_beside_each_other(asked: Asked) -> list[TakenIn]:
    """Read and measure files in a process a core, in their order."""
    # What a process is given is a function of a module without Django, which it could not load.
    saved: list[dict[str, dict[str, Any]]] = [{} for _ in asked]
    logs, settings = [log for log, _ in asked], [told for _, told in asked]
    return list(_readers().map(reading.take_in, logs, saved, settings, chunksize=4))


@cache
def _readers() -> ProcessPoolExecutor:
    """Processes that are kept for all studies of a demo: starting one takes as long as reading fifty files."""
    context = multiprocessing.get_context("forkserver")
    return ProcessPoolExecutor(mp_context=context)


def take_many(
    user: User, study_id: int, files: Sequence[Written], read: Callable[[Asked], list[TakenIn]] = read_beside_each_other
) -> list[int | None]:
    """Take files in as passes, in their order; of one that waits there is none. Raises ValueError of a refused one."""
    with transaction.atomic():
        study = open_study(study_id)
        places = [Assignment(arrival_id=0, lane_id=x.lane_id, test_id=x.test_id, number=x.number) for x in files]
        lanes, tests = lanes_and_tests(places)
        settings = [settings_from(study, run_as_of(lanes[x.lane_id], tests[x.test_id])) for x in places]
        found = read([(file.log, told) for file, told in zip(files, settings, strict=True)])
        kept = keep_files(
            user,
            study,
            [NewFile.put_down(file.name, one.file, _facts(file, one)) for file, one in zip(files, found, strict=True)],
        )
        wanted: list[ReadFile] = []
        for file, arrival, place, one, told in zip(files, kept, places, found, settings, strict=True):
            if not isinstance(arrival, Arrival):
                raise ValueError(arrival.message)  # noqa: TRY004 - the file is the fault, not its type
            if one.columns is None or one.read is None:
                raise ValueError(f"{file.name}: {one.refused or 'its columns leave a question'}")
            if file.taken:
                place.arrival_id = arrival.pk
                wanted.append(ReadFile(arrival, place, one.columns, one.read, told))
        passes = iter(record_files(user, study, wanted))
        ids = [_recorded(next(passes)) if file.taken else None for file in files]
        tell(CapturesCame(study, tuple(pk for pk in ids if pk is not None)))
    return ids


def _facts(file: Written, one: TakenIn) -> dict[str, Any]:
    if one.proposed is None:
        raise ValueError(f"{file.name}: {one.refused}")
    return {
        "proposal": proposal_from(one.proposed), "header_key": one.proposed.look, "written_at": file.written_at,
    }  # fmt: skip


def _recorded(one: Pass | Exception) -> int:
    if isinstance(one, Exception):
        raise ValueError(str(one))  # noqa: TRY004 - the same
    return one.pk
