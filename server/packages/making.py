"""The data package of a study: all that its numbers depend on, sent as it is made (see :mod:`rennbahn.packages`)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from itertools import chain

from findings.facts import prices_of
from findings.joining import looked_record
from findings.record import StudyRecord
from intake.measuring import settings_for
from intake.models import Arrival, Capture, Original
from rennbahn.comparing import Study as CoreStudy
from rennbahn.packages import CaptureFile, LaneMore, PassMore, SampleFile, package_chunks, tables_of
from studies.models import Pass, Study
from waiting import Turns

from packages.opening import RECORD
from packages.writing import record_of_study

#: Originals read at a time, and their bytes.
_AT_ONCE, _BYTES_AT_ONCE = 10, 32 * 2**20
_packages = Turns("Another data package is being made")
_STRANGE = re.compile(r"[^\w.+-]+")


def package_of(study_id: int) -> Iterator[bytes]:
    """The package of a study, piece by piece. Raises :class:`NotFound`, or :class:`waiting.Busy`."""
    _packages.check()
    record = looked_record(study_id, None)
    captures = _captures(record.study)
    passes = Pass.objects.filter(test__study=record.study).select_related("session")
    more = {
        str(one.pk): PassMore(one.number, one.reason, one.session is not None and one.session.simulated)
        for one in passes
    }
    study, files = compared(record), {str(one.on_pass_id): _file(record.study, one) for one in captures}
    money, currency = prices_of(record.lanes)
    lanes = {str(pk): LaneMore(currency) for pk in money}
    told = record_of_study(record.study, captures, {arrival.pk: _path(arrival) for arrival in _arrivals(captures)})
    contents = chain([(RECORD, told)], _contents(captures))
    return _in_turn(package_chunks(study, tables_of(study, files, more, lanes), contents))


def _in_turn(chunks: Iterator[bytes]) -> Iterator[bytes]:
    """The pieces while they are asked for: whoever asks no more, as a closed browser, gives the turn back."""
    with _packages.turn():
        yield from chunks


def compared(record: StudyRecord) -> CoreStudy:
    """The study with every lane to be compared with the one that all are compared with."""
    base = next((lane for lane in record.lanes if lane.baseline), record.lanes[0])
    others = tuple((str(base.pk), str(lane.pk)) for lane in record.lanes if lane.pk != base.pk)
    return replace(record.core, compare=others)


def _captures(study: Study) -> list[Capture]:
    found = Capture.objects.filter(on_pass__test__study=study).select_related("arrival", "on_pass")
    return list(found.prefetch_related("sample_sets__file__arrival").order_by("pk"))


def _file(study: Study, capture: Capture) -> CaptureFile:
    samples = [SampleFile(_path(one.file.arrival), one.offset_s) for one in capture.sample_sets.all()]
    windows = tuple((float(start), float(stop)) for start, stop in capture.windows)
    settings = settings_for(study, capture.on_pass)
    return CaptureFile(_path(capture.arrival), capture.columns, settings, windows, tuple(samples))


def _path(arrival: Arrival) -> str:
    """Where a file is in a package: by its number, so that two of one name stand beside each other."""
    return f"captures/{arrival.pk}-{_STRANGE.sub('-', arrival.name)}"


def _contents(captures: list[Capture]) -> Iterator[tuple[str, bytes]]:
    """All files, byte for byte as they came, a few at a time."""
    for some in _batches(_arrivals(captures)):
        originals = Original.objects.select_related("arrival").in_bulk([arrival.pk for arrival in some])
        for arrival in some:
            # The same file may stand beside two passes.
            yield _path(arrival), originals[arrival.pk].whole()


def _arrivals(captures: list[Capture]) -> list[Arrival]:
    """The files of passes, with those of samples beside them."""
    return [arrival for one in captures for arrival in (one.arrival, *(x.file.arrival for x in one.sample_sets.all()))]


def _batches(arrivals: list[Arrival]) -> Iterator[list[Arrival]]:
    """A few files at a time, and fewer of large ones."""
    some: list[Arrival] = []
    for arrival in arrivals:
        if some and (len(some) == _AT_ONCE or sum(one.size for one in some) + arrival.size > _BYTES_AT_ONCE):
            yield some
            some = []
        some.append(arrival)
    if some:
        yield some
