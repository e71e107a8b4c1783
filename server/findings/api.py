"""Findings."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router
from quick import json_answer

from findings import exports, moving, queries
from findings.queries import Asked
from findings.schemas import BesideOut, FindingsOut, WhatIfIn, WhatIfOut

router = Router(tags=["findings"])


@router.get("/{int:study_id}/findings", response=FindingsOut)
def findings(
    request: HttpRequest,
    study_id: int,
    baseline: int | None = None,
    other: int | None = None,
    group: str | None = None,
) -> HttpResponse:
    """The findings of a study: one lane over its own baseline or another in one group of tests, and all in brief."""
    return json_answer(queries.findings_of(study_id, Asked(baseline, other, group)))


@router.get("/{int:study_id}/findings/beside", response=BesideOut)
def beside(
    request: HttpRequest,
    study_id: int,
    baseline: int | None = None,
    other: int | None = None,
    group: str | None = None,
) -> BesideOut:
    """What stands beside the findings: what was rejected, what is odd but real, which session ran shifted."""
    return moving.beside(study_id, Asked(baseline, other, group))


@router.post("/{int:study_id}/findings/what-if", response=WhatIfOut)
def what_if(request: HttpRequest, study_id: int, payload: WhatIfIn) -> WhatIfOut:
    """How the findings would move were some passes rejected, or accepted. Changes nothing."""
    return moving.what_if(study_id, payload)


@router.get("/{int:study_id}/findings.csv")
def findings_csv(
    request: HttpRequest,
    study_id: int,
    baseline: int | None = None,
    other: int | None = None,
    group: str | None = None,
) -> HttpResponse:
    """The margins of every test of a group as CSV."""
    content = exports.findings_csv(study_id, Asked(baseline, other, group))
    response = HttpResponse(content, content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="findings-{study_id}.csv"'
    return response
