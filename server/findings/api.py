"""Findings."""

from __future__ import annotations

from typing import Annotated, Any

from answering import json_answer
from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Query, Router, UploadedFile
from opendocument import ods_answer
from people.access import user_of
from problems import Problem
from pydantic import Field
from sheets import csv_answer

from findings import against, answers, exports, parts, queries, services, why, worth
from findings.answer_schemas import AgainstOut, AnswerOut, CrossingOut, ForReaderOut, HeldOut, PartsOut, WhyOut
from findings.crossing import crossed
from findings.eye_notes import eye_notes as notes_of
from findings.eye_notes import picture
from findings.limits import held_by
from findings.next_hour import NextHourOut, next_hour_of
from findings.queries import Asked
from findings.schemas import (
    AskedWhy,
    BesideOut,
    EyeNoteIn,
    EyeNoteOut,
    FindingsOut,
    LookedAt,
    WhatIfIn,
    WhatIfOut,
)
from findings.what_if import beside as beside_findings
from findings.what_if import what_if as moved_by

Hours = Annotated[float | None, Field(ge=0.1, le=400, allow_inf_nan=False)]
router = Router(tags=["findings"])
FILE: Any = File(None)  # type: ignore[type-arg]
SEEN: Any = Form("", max_length=64)  # type: ignore[type-arg]

#: No wanted rate is above this, fps.
_MOST_FPS = 10_000.0
Rate = Annotated[float, Field(gt=0, le=_MOST_FPS)]


def rates_in(told: str) -> list[float]:
    """Rates out of `60,120`. Raises :class:`Problem` naming what is none."""
    found = []
    for part in filter(None, told.split(",")):
        try:
            rate = float(part)
        except ValueError:
            rate = 0.0
        if not 0 < rate <= _MOST_FPS:
            message = f"“{part.strip()}” is no rate: write numbers of fps with commas between them."
            raise Problem("bad_rate", message, field="targets")
        found.append(rate)
    return found


@router.get("/{int:study_id}/findings", response=FindingsOut)
def findings(request: HttpRequest, study_id: int, looked: Query[LookedAt]) -> HttpResponse:
    """The findings of a study: one lane over its own baseline or another in one group of tests, and all in brief."""
    return json_answer(queries.findings_of(study_id, looked.asked()))


@router.get("/{int:study_id}/answer", response=AnswerOut)
def answer(request: HttpRequest, study_id: int, targets: str = "", joined: int | None = None) -> HttpResponse:
    """The answer of a study's own kind, as ranks of a ladder or the knee of a sweep.

    `targets` are wanted rates in fps, with commas between them; the study's own without. `joined` is an older study
    whose lanes stand in it too.
    """
    return json_answer(answers.kind_answer(study_id, rates_in(targets), joined))


@router.get("/{int:study_id}/answer.csv")
def answer_table(request: HttpRequest, study_id: int) -> HttpResponse:
    """The numbers of that answer as CSV."""
    return csv_answer(exports.answer_csv(study_id), f"answer-{study_id}.csv")


@router.get("/{int:study_id}/for-reader/{int:reader_id}", response=ForReaderOut)
def for_reader(
    request: HttpRequest,
    study_id: int,
    reader_id: int,
    looked: Query[LookedAt],
) -> HttpResponse:
    """What one lane over another, and every lane, is to a reader: floor, display, money."""
    return json_answer(worth.worth_of(study_id, reader_id, looked.asked()))


@router.get("/{int:study_id}/next-hour", response=NextHourOut)
def next_hour(request: HttpRequest, study_id: int, hours: Hours = None) -> NextHourOut:
    """Which passes would settle most in the time that is left: until the deadline, or within so many hours."""
    return next_hour_of(study_id, hours)


@router.get("/{int:study_id}/limits", response=HeldOut)
def limits(
    request: HttpRequest,
    study_id: int,
    looked: Query[LookedAt],
    resolution: str = "",
) -> HttpResponse:
    """What holds the rate in every test, what each side could do alone, and a margin at a resolution not run."""
    return json_answer(held_by(study_id, looked.asked(), resolution))


@router.get("/{int:study_id}/findings/parts", response=PartsOut)
def in_parts(request: HttpRequest, study_id: int, looked: Query[LookedAt]) -> HttpResponse:
    """The findings in parts: named sets of games, what changes from group to group, what each test weighs."""
    return json_answer(parts.parts_of(study_id, looked.asked()))


@router.get("/{int:study_id}/findings/crossing", response=CrossingOut)
def crossing(request: HttpRequest, study_id: int, looked: Query[LookedAt], target: Rate | None = None) -> HttpResponse:
    """Which tests a wanted rate in fps parts two lanes in; the study's own rate without one."""
    return json_answer(crossed(study_id, looked.asked(), target))


@router.get("/{int:study_id}/findings/against/{int:other_study_id}", response=AgainstOut)
def against_another(
    request: HttpRequest,
    study_id: int,
    other_study_id: int,
    looked: Query[LookedAt],
    their_baseline: int | None = None,
    their_other: int | None = None,
) -> HttpResponse:
    """Another study beside this one: do their answers part, and what differs between them?"""
    theirs = Asked(their_baseline, their_other)
    return json_answer(against.against(study_id, other_study_id, looked.asked(), theirs))


@router.get("/{int:study_id}/why", response=WhyOut)
def why_it_is(request: HttpRequest, study_id: int, number: Query[AskedWhy]) -> HttpResponse:
    """Why a number is what it is: of the suite, of one test, of one lane, or of lanes over lanes."""
    return json_answer(why.why(study_id, number))


@router.get("/{int:study_id}/answer.ods")
def answer_sheet(request: HttpRequest, study_id: int) -> HttpResponse:
    """The numbers of that answer as an OpenDocument sheet."""
    return ods_answer(exports.answer_csv(study_id), f"answer-{study_id}.ods")


@router.get("/{int:study_id}/eye-notes", response=list[EyeNoteOut])
def eye_notes(request: HttpRequest, study_id: int) -> HttpResponse:
    """What the eye gets from lane to lane, as reviewers wrote it, with what pictures there are."""
    return json_answer(notes_of(study_id))


@router.put("/{int:study_id}/eye-notes/{int:from_lane_id}/{int:to_lane_id}", response=list[EyeNoteOut])
def keep_eye_note(
    request: HttpRequest, study_id: int, from_lane_id: int, to_lane_id: int, payload: EyeNoteIn
) -> HttpResponse:
    """Write down what the eye gets from one lane to another."""
    return json_answer(services.keep_note(user_of(request), study_id, from_lane_id, to_lane_id, payload))


@router.post("/{int:study_id}/eye-notes/{int:from_lane_id}/{int:to_lane_id}/{side}", response=list[EyeNoteOut])
def keep_eye_picture(
    request: HttpRequest,
    study_id: int,
    from_lane_id: int,
    to_lane_id: int,
    side: str,
    file: UploadedFile | None = FILE,
    seen: str = SEEN,
) -> HttpResponse:
    """Keep a picture of the lane it comes `from` or goes `to`, in place of the one that was `seen` there, by mark."""
    return json_answer(services.keep_picture(user_of(request), study_id, from_lane_id, to_lane_id, side, file, seen))


@router.get("/{int:study_id}/eye-notes/{int:from_lane_id}/{int:to_lane_id}/{side}")
def eye_picture(
    request: HttpRequest, study_id: int, from_lane_id: int, to_lane_id: int, side: str, mark: str = ""
) -> HttpResponse:
    """A picture as it was handed in; a `mark` of its content makes an address that never means another one."""
    return picture(study_id, from_lane_id, to_lane_id, side)


@router.get("/{int:study_id}/findings.ods")
def findings_sheet(request: HttpRequest, study_id: int, looked: Query[LookedAt]) -> HttpResponse:
    """The margins of every test of a group as an OpenDocument sheet."""
    return ods_answer(exports.findings_csv(study_id, looked.asked()), f"findings-{study_id}.ods")


@router.get("/{int:study_id}/findings/beside", response=BesideOut)
def beside(request: HttpRequest, study_id: int, looked: Query[LookedAt]) -> BesideOut:
    """What stands beside the findings: what was rejected, what is odd but real, which session ran shifted."""
    return beside_findings(study_id, looked.asked())


@router.post("/{int:study_id}/findings/what-if", response=WhatIfOut)
def what_if(request: HttpRequest, study_id: int, payload: WhatIfIn) -> WhatIfOut:
    """How the findings would move were some passes rejected, or accepted. Changes nothing."""
    return moved_by(study_id, payload)


@router.get("/{int:study_id}/findings.csv")
def findings_csv(request: HttpRequest, study_id: int, looked: Query[LookedAt]) -> HttpResponse:
    """The margins of every test of a group as CSV."""
    return csv_answer(exports.findings_csv(study_id, looked.asked()), f"findings-{study_id}.csv")
