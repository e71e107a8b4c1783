"""Files kept, and captures recorded as passes: many in as many statements as one. Roles as in services.

Whatever takes time (reading, measuring, packing) was done before; here everything is called with the study locked.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import timedelta
from pathlib import PurePath
from typing import Any

from django.contrib.auth.models import User
from django.db.models import OuterRef, Subquery
from problems import Conflict, NotFound
from rennbahn import MEASURES_VERSION
from rennbahn.errors import RennbahnError
from storing import Placed, let_go, place
from studies.deciding import Run, record_passes
from studies.models import HIDDEN, Lane, Pass, Study, Test

from intake.measuring import basis_of, figures_row, made_of, profile_row, settings_for, whole_row
from intake.models import (
    PACKING,
    AllFigures,
    Arrival,
    ArrivalState,
    Capture,
    CaptureFigures,
    CaptureProfile,
    Channel,
    FileRole,
    Original,
    PassFile,
)
from intake.reading import Crunched, KeptFile
from intake.remeasuring import queue_once
from intake.schemas import Assignment


@dataclass(frozen=True)
class NewFile:
    """A file that came: its name there, its bytes as they are kept and where, and what else is kept with it."""

    name: str | None
    kept: KeptFile
    placed: Placed
    facts: dict[str, Any]

    @classmethod
    def put_down(cls, name: str | None, kept: KeptFile, facts: dict[str, Any]) -> NewFile:
        """One whose bytes are put down now, before anything is locked."""
        return cls(name, kept, place(kept.packed), facts)


@dataclass(frozen=True)
class ReadFile:
    """A file that waits, what was read of it by which columns, which pass it is to be, what it was measured against."""

    arrival: Arrival
    place: Assignment
    columns: dict[str, Any]
    found: Crunched
    settings: dict[str, Any]


class SameBytes(Conflict):
    """The study has the same bytes already, in a file that is named."""

    def __init__(self, name: str, earlier: Arrival) -> None:
        capture = getattr(earlier, "capture", None) if earlier.pk else None
        where = f", which is {capture.on_pass}" if capture else ""
        super().__init__(
            "duplicate_file",
            f"“{name}” holds the same bytes as “{earlier.name}”{where}: the same file is not two passes.",
            hint="Hand in the capture of the other run, or set the earlier file aside.",
        )
        self.earlier = earlier


def file_name(name: str | None) -> str:
    """The name of a file without its folders, as it is kept."""
    return PurePath(unicodedata.normalize("NFC", name or "unnamed").replace("\\", "/")).name[:255]


def keep_files(tester: User, study: Study, files: Sequence[NewFile]) -> list[Arrival | SameBytes]:
    """Keep the bytes of files; of those that the study has already, and of one that is there twice, why not."""
    digests = [file.kept.sha256 for file in files]
    known = Arrival.objects.filter(study=study, sha256__in=digests).exclude(state=ArrivalState.SET_ASIDE)
    there = {one.sha256: one for one in known.select_related("capture__on_pass")}
    fates: list[Arrival | SameBytes] = []
    for file in files:
        name = file_name(file.name)
        earlier = there.get(file.kept.sha256)
        if earlier is not None:
            fates.append(SameBytes(name, earlier))
            continue
        facts = {"size": file.kept.size, "sha256": file.kept.sha256, "by": tester, **file.facts}
        there[file.kept.sha256] = arrival = Arrival(study=study, name=name, **facts)
        fates.append(arrival)
    new = [one for one in fates if isinstance(one, Arrival)]
    Arrival.objects.bulk_create(new)
    placed = {file.kept.sha256: file.placed for file in files}
    rows = [Original(arrival=one, packing=PACKING, **placed[one.sha256].fields()) for one in new]
    Original.objects.bulk_create(rows)
    kept = {row.stored for row in rows}
    let_go([file.placed.stored for file in files if file.placed.stored not in kept])
    return fates


def same_elsewhere(study_id: int, digests: Sequence[str]) -> dict[str, tuple[int, str]]:
    """Of files by their digests, another study that has the same bytes: its id and its question."""
    there = Arrival.objects.filter(sha256__in=digests).exclude(state=ArrivalState.SET_ASIDE)
    rows = there.exclude(study__in={study_id, *HIDDEN.get()})
    found: dict[str, tuple[int, str]] = {}
    for digest, pk, question in rows.order_by("pk").values_list("sha256", "study", "study__question"):
        found.setdefault(digest, (pk, question))
    return found


def record_files(tester: User, study: Study, files: Sequence[ReadFile]) -> list[Pass | RennbahnError]:
    """Record files as passes. Each stands for itself: of one that cannot be, the reason is in its place."""
    fates: dict[int, Pass | RennbahnError] = {}
    lanes, tests = lanes_and_tests([file.place for file in files])
    digests = [file.found.digest for file in files]
    same = Capture.objects.filter(frames_digest__in=digests, on_pass__test__study=study)
    there = {one.frames_digest: one for one in same.select_related("arrival", "on_pass")}
    runs: dict[int, Run] = {}
    #: The first file of each run in this batch, and those that hold the same frames once more.
    first: dict[str, int] = {}
    again: dict[int, int] = {}
    for at, file in enumerate(files):
        if file.found.digest in first:
            again[at] = first[file.found.digest]
            continue
        try:
            _check_waiting(file.arrival)
            _check_not_there(file, there.get(file.found.digest))
            lane, test = _place(study, lanes, tests, file.place)
        except RennbahnError as error:
            fates[at] = error
            continue
        # A logger writes the last frame when the run ends, so the run began its own length before.
        written = file.arrival.written_at
        began = written and written - timedelta(seconds=file.found.duration_s)
        runs[at] = Run(lane, test, file.place.number, began)
        first[file.found.digest] = at
    recorded = dict(zip(runs, record_passes(tester, study, list(runs.values())), strict=True))
    fates.update(recorded)
    _keep(study, [(files[at], one) for at, one in recorded.items() if isinstance(one, Pass)])
    # The same run twice is one pass; where its first file found no place, the next may.
    for at in [at for at, of in again.items() if isinstance(fates[of], Pass)]:
        fates[at] = _same_frames(files[at], str(files[again.pop(at)].arrival), "which came with it")
    if again:
        fates.update(zip(again, record_files(tester, study, [files[at] for at in again]), strict=True))
    return [fates[at] for at in range(len(files))]


def lanes_and_tests(places: Iterable[Assignment]) -> tuple[dict[int, Lane], dict[int, Test]]:
    """Lanes and tests that are named, with all that a pass of them is run with."""
    places = list(places)
    lanes = Lane.objects.select_related("setup_version", "condition").in_bulk({place.lane_id for place in places})
    tests = Test.objects.select_related("scene__game", "condition").in_bulk({place.test_id for place in places})
    return lanes, tests


def _place(study: Study, lanes: dict[int, Lane], tests: dict[int, Test], place: Assignment) -> tuple[Lane, Test]:
    lane, test = lanes.get(place.lane_id), tests.get(place.test_id)
    if lane is None or test is None or lane.study_id != study.pk or test.study_id != study.pk:
        raise NotFound("lane and test in this study")
    return lane, test


def _check_waiting(arrival: Arrival) -> None:
    if arrival.state != ArrivalState.WAITING:
        raise Conflict("file_taken", f"“{arrival.name}” is {ArrivalState(arrival.state).label.lower()}.")


def _check_not_there(file: ReadFile, there: Capture | None) -> None:
    """The same run is one pass, however it is packed or its lines end. Raises :class:`Conflict`."""
    if there is not None:
        raise _same_frames(file, there.arrival.name, f"which is {there.on_pass}")


def _same_frames(file: ReadFile, other: str, where: str) -> Conflict:
    return Conflict(
        "duplicate_frames",
        f"“{file.arrival.name}” holds the same frames as “{other}”, {where}: the same run is not two passes.",
        hint="Hand in the capture of the other run, or set this file aside.",
    )


def _keep(study: Study, recorded: Sequence[tuple[ReadFile, Pass]]) -> None:
    """Keep captures, their arrays and their figures.

    Where a pass is measured against something else by now than its file was, its figures are stale and made anew.
    """
    captures, figures, profiles, stale = [], [], [], False
    for file, one in recorded:
        made, now = made_of([], file.settings, ()), settings_for(study, one)
        stale = stale or now != file.settings
        capture = Capture(
            on_pass=one, arrival=file.arrival, columns=file.columns, source_flags=list(file.found.kept.source_flags),
            frames_digest=file.found.digest, length_s=file.found.duration_s, basis=basis_of(made_of([], now, ())),
        )  # fmt: skip
        captures.append(capture)
        row = figures_row(capture, file.found.measured, made)
        figures.append((row, whole_row(row, file.found.measured, made)))
        profiles.append(profile_row(capture, file.found.measured, made))
    Capture.objects.bulk_create(captures)
    PassFile.objects.bulk_create(
        PassFile(on_pass=one, arrival=file.arrival, role=FileRole.FRAMES) for file, one in recorded
    )
    Channel.objects.bulk_create(
        Channel(capture=capture, name=name, data=data)
        for capture, (file, _) in zip(captures, recorded, strict=True)
        for name, data in file.found.kept.arrays.items()
    )
    CaptureFigures.objects.bulk_create(row for row, _ in figures)
    AllFigures.objects.bulk_create(whole for _, whole in figures)
    CaptureProfile.objects.bulk_create(profiles)
    measured = CaptureFigures.objects.filter(capture=OuterRef("pk"), version=MEASURES_VERSION)
    Capture.objects.filter(pk__in=[one.pk for one in captures]).update(current=Subquery(measured.values("pk")[:1]))
    arrivals = [file.arrival for file, _ in recorded]
    Arrival.objects.filter(pk__in=[one.pk for one in arrivals]).update(state=ArrivalState.TAKEN, refusal=None)
    for arrival in arrivals:
        arrival.state, arrival.refusal = ArrivalState.TAKEN, None
    if stale:
        queue_once(study.pk)
