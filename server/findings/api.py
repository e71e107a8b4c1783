"""Findings."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router

from findings import queries
from findings.schemas import FindingsOut

router = Router(tags=["findings"])


@router.get("/{int:study_id}/findings", response=FindingsOut)
def findings(request: HttpRequest, study_id: int, baseline: int | None = None, other: int | None = None) -> FindingsOut:
    """The findings of a study: one lane over its own baseline, or over another."""
    return queries.findings_of(study_id, baseline, other)


@router.get("/{int:study_id}/findings.csv")
def findings_csv(
    request: HttpRequest, study_id: int, baseline: int | None = None, other: int | None = None
) -> HttpResponse:
    """The margins of every test as CSV."""
    response = HttpResponse(queries.findings_csv(study_id, baseline, other), content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="findings-{study_id}.csv"'
    return response
