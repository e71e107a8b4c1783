"""Reading a package back: the study is laid down, its captures are measured anew, what was decided is decided again.

It goes on from where it was left, as where a worker is killed. What a package says is never trusted: the record is read
to the letter as a request would be, and captures in a process with bounds.
"""

from __future__ import annotations

import logging
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import orjson
from django.contrib.auth.models import User
from django.db import transaction
from intake.attaching import report
from intake.bounded import BoundedProcess
from intake.measuring import keep_samples, see_through, settings_from
from intake.models import Arrival, ArrivalState, Capture, FileRole, PassFile
from intake.pieces import drop_pieces, whole
from intake.proposals import proposal_from
from intake.recording import NewFile, ReadFile, keep_files, record_files
from intake.schemas import Assignment
from intake.trimming import check_windows
from intake.unpacking import WORKERS
from problems import Conflict, Problem
from pydantic import ValidationError
from rennbahn.errors import RennbahnError
from strict import checked
from studies.deciding import decide
from studies.events import CapturesCame, tell
from studies.models import Pass, PassState, Study, StudyState
from studies.record import note
from studies.services import finish_study, open_study

from packages import opening
from packages.laying import Laid, laid_again, lay_down, sessions_of
from packages.models import Brought, BroughtState
from packages.schemas import Record, RecordedCapture, RecordedPass

log = logging.getLogger(__name__)
#: Captures read at once, and recorded at once.
_AT_ONCE = 8
#: Seconds for so many.
_SECONDS = 120.0


def bring_in(brought_id: int) -> None:
    """Read a package back as a study, and say what became of it."""
    brought = Brought.objects.select_related("by", "study").get(pk=brought_id)
    if brought.state != BroughtState.RUNNING:
        return
    with whole(brought, WORKERS) as path, BoundedProcess(seconds=_SECONDS) as process:
        try:
            words = _bring(brought, path, process)
            state = BroughtState.DONE
        except RennbahnError as error:
            log.info("package %s is refused: %s", brought_id, error.message)
            stays = "The study stays as far as it came." if brought.study_id else ""
            words = [" ".join(filter(None, (_sentence(error.message), error.hint, stays)))]
            state = BroughtState.REFUSED
    with transaction.atomic():
        kept = Brought.objects.select_for_update().get(pk=brought_id)
        kept.state, kept.words = state, "\n".join(filter(None, [kept.words, *words]))
        kept.save(update_fields=["state", "words"])
        drop_pieces(kept)


def _bring(brought: Brought, path: str, process: BoundedProcess) -> list[str]:
    """What is to be said of it in the end."""
    record = _record(process.call(opening.record_in, path))
    lead = brought.by
    for one in record.passes:
        check_windows(one.capture.windows if one.capture else [])
    if brought.study is None:
        with transaction.atomic():
            laid = lay_down(lead, record)
            brought.study, brought.words = laid.study, "\n".join(laid.renamed)
            brought.captures = sum(one.capture is not None for one in record.passes)
            brought.save(update_fields=["study", "words", "captures"])
            note(laid.study, lead, "read the study back", brought.name[:300])
    else:
        laid = laid_again(record, brought.study)
    with transaction.atomic():
        sessions = sessions_of(lead, record, laid.study)
    captures = _Captures(lead, laid, sessions)
    captures.take_in(record.passes, path, process)
    _report(lead, record, captures)
    return _decided(lead, record, laid)


def _record(content: bytes) -> Record:
    """The record, to the letter. Raises :class:`Problem` naming the field."""
    try:
        return Record.model_validate(checked(orjson.loads(content)))
    except orjson.JSONDecodeError as error:
        raise Problem("bad_package", f"record.json is no JSON: {error}.") from None
    except ValidationError as error:
        first = error.errors(include_url=False, include_context=False, include_input=False)[0]
        where = ".".join(str(one) for one in first["loc"])
        raise Problem("bad_package", f"record.json, {where}: {first['msg']}.") from None


@dataclass(frozen=True)
class _Read:
    """A pass with its capture: what the record tells of it, and what was read of its files."""

    one: RecordedPass
    told: RecordedCapture
    settings: dict[str, Any]
    found: opening.Found


class _Captures:
    """The captures of a package, read and recorded a few at a time."""

    def __init__(self, lead: User, laid: Laid, sessions: dict[str, int]) -> None:
        self.lead, self.laid, self.sessions = lead, laid, sessions

    def take_in(self, passes: Sequence[RecordedPass], path: str, process: BoundedProcess) -> None:
        """Take in what is not there yet. Raises :class:`RennbahnError` of a capture that is not as it was."""
        there = set(
            Capture.objects.filter(on_pass__test__study=self.laid.study)
            .values_list("on_pass__lane", "on_pass__test", "on_pass__number")
        )  # fmt: skip
        left = [(one, one.capture) for one in passes if one.capture and self.laid.place(one) not in there]
        for at in range(0, len(left), _AT_ONCE):
            some = left[at : at + _AT_ONCE]
            asked = [
                opening.Asked(
                    told.path, told.columns, settings_from(self.laid.study, _run_as(one)),
                    tuple(file.path for file in told.samples),
                )
                for one, told in some
            ]  # fmt: skip
            found = process.call(opening.captures_in, path, asked)
            self._keep(
                [
                    _Read(one, told, ask.settings, read)
                    for (one, told), ask, read in zip(some, asked, found, strict=True)
                ]
            )

    def _keep(self, some: Sequence[_Read]) -> None:
        frames = [_put_down(one.told.name, one.found, {"written_at": one.told.written_at}) for one in some]
        samples = [
            [
                _put_down(file.name, read, {"written_at": file.written_at, "state": ArrivalState.TAKEN})
                for file, read in zip(one.told.samples, one.found.beside, strict=True)
            ]
            for one in some
        ]
        with transaction.atomic():
            study = open_study(self.laid.study.pk)
            files = []
            for one, arrival in zip(some, _kept(self.lead, study, frames), strict=True):
                lane, test, number = self.laid.place(one.one)
                where = Assignment(arrival_id=arrival.pk, lane_id=lane, test_id=test, number=number)
                files.append(ReadFile(arrival, where, one.told.columns, one.found.read, one.settings))
            recorded = []
            for one, put, kept in zip(some, samples, record_files(self.lead, study, files), strict=True):
                if isinstance(kept, RennbahnError):
                    raise kept
                self.as_told(kept, one.one)
                self._seen(study, kept, one, _kept(self.lead, study, put))
                recorded.append(kept.pk)
            tell(CapturesCame(study, tuple(recorded)))

    def as_told(self, kept: Pass, one: RecordedPass) -> None:
        """When it ran, in which sitting and with which caps is as it was told, not as it is now."""
        kept.ran_at, kept.run_as = one.ran_at, _run_as(one)
        kept.session_id = self.sessions.get(one.session or "")
        kept.save(update_fields=["ran_at", "run_as", "session"])

    def _seen(self, study: Study, kept: Pass, read: _Read, beside: Sequence[Arrival]) -> None:
        """Through its windows, with its samples, against its own caps."""
        capture = Capture.objects.select_related("on_pass").get(on_pass=kept)
        for file, own, arrival in zip(read.told.samples, read.found.beside, beside, strict=True):
            put = PassFile.objects.create(on_pass=kept, arrival=arrival, role=FileRole.SAMPLES)
            keep_samples(capture, put, own.samples, file.offset_s)
        see_through(study, capture, read.told.windows)


def _report(lead: User, record: Record, captures: _Captures) -> None:
    """Results that exist only as numbers."""
    passes = _passes(captures.laid)
    for one in record.passes:
        planned = passes[captures.laid.place(one)]
        if one.reported is not None and planned.state == PassState.PLANNED:
            with transaction.atomic():
                captures.as_told(report(lead, planned.pk, one.reported), one)


def _decided(lead: User, record: Record, laid: Laid) -> list[str]:
    """Decide on passes as it was decided, and finish what was finished; what could not be said of it."""
    passes = _passes(laid)
    acts: dict[tuple[str, str, str], list[Pass]] = defaultdict(list)
    for one in record.passes:
        kept = passes[laid.place(one)]
        if one.state not in (PassState.PLANNED, PassState.RECORDED, kept.state):
            acts[one.state, one.reason_code, one.reason].append(kept)
    if acts:
        with transaction.atomic():
            study = open_study(laid.study.pk)
            for (state, code, reason), some in acts.items():
                decide(lead, study, some, state, reason, code)
    # Where the worker ended after it was finished, nothing is left to do.
    if not record.finished or laid.study.state == StudyState.FINISHED:
        return []
    try:
        finish_study(lead, laid.study.pk)
    except Conflict as error:
        return [f"It is not finished here: {error.message}"]
    return []


def _passes(laid: Laid) -> dict[tuple[int, int, int], Pass]:
    """The passes of a study by lane, test and number."""
    whole_passes = Pass.objects.filter(test__study=laid.study).order_by("pk")
    found = whole_passes.select_related("lane", "test__scene__game", "test__condition")
    return {(one.lane_id, one.test_id, one.number): one for one in found}


def _put_down(name: str, one: opening.Found | opening.FoundSamples, facts: dict[str, Any]) -> NewFile:
    proposed = one.proposed
    told = {"proposal": proposal_from(proposed), "header_key": proposed.look} if proposed else {}
    return NewFile.put_down(name, one.file, facts | told)


def _kept(lead: User, study: Study, files: Sequence[NewFile]) -> list[Arrival]:
    found = []
    for one in keep_files(lead, study, files):
        if isinstance(one, RennbahnError):
            raise one
        found.append(one)
    return found


def _run_as(one: RecordedPass) -> dict[str, Any] | None:
    """What a pass was run with, as passes keep it: caps that were named afterwards only where there are some."""
    if one.run_as is None:
        return None
    return one.run_as.dict(exclude=set() if one.run_as.assumed_caps else {"assumed_caps"})


def _sentence(message: str) -> str:
    return f"{message[:1].upper()}{message[1:].rstrip('.')}."
