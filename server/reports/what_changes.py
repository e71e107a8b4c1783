"""Before a correction is confirmed: which numbers of which reports it would change, old beside new."""

from __future__ import annotations

from dataclasses import replace

from findings.facts import prices_of
from findings.record import record_of
from findings.schemas import WhatIfIn
from packages.making import compared
from problems import NotFound
from rennbahn.comparing.moves import left_out, taken_in
from rennbahn.quoting import quotes_of
from studies.models import Pass

from reports import prose
from reports.models import BlockKind, Report, ReportState
from reports.queries import correction_out, erratum
from reports.schemas import ChangedReportOut


def what_changes(study_id: int, data: WhatIfIn) -> list[ChangedReportOut]:
    """The live numbers of reports, published ones first, that would be others were these passes rejected, or accepted.

    Raises :class:`NotFound`.
    """
    ids = set(data.pass_ids)
    if Pass.objects.filter(pk__in=ids, test__study=study_id).count() < len(ids):
        raise NotFound("pass in this study")
    said = {report: numbers for report, numbers in _said(study_id).items() if numbers}
    if not said:
        return []
    record = record_of(study_id)
    change = left_out if data.state == "rejected" else taken_in
    core = replace(compared(record), passes=tuple(change(record.passes, {str(pk) for pk in ids})))
    after = {
        f"{study_id}:{one.key}": [one.of, one.text, one.verdict] for one in quotes_of(core, prices_of(record.lanes)[1])
    }
    found = []
    for report, numbers in said.items():
        lines = [correction_out(one) for one in erratum(numbers, after)]
        if lines:
            published = bool(report.editions.all())
            found.append(ChangedReportOut(id=report.pk, title=report.title, published=published, lines=lines))
    return sorted(found, key=lambda one: not one.published)


def _said(study_id: int) -> dict[Report, dict[str, list[str]]]:
    """What each report says of a study in live numbers: its newest edition, or its draft where it has none."""
    found: dict[Report, dict[str, list[str]]] = {}
    reports = Report.objects.filter(studies=study_id).exclude(state=ReportState.WITHDRAWN)
    for report in reports.prefetch_related("editions", "blocks"):
        editions = list(report.editions.all())
        if editions:
            found[report] = {key: told for key, told in editions[-1].says.items() if key.startswith(f"{study_id}:")}
            continue
        docs = [block.content["doc"] for block in report.blocks.all() if block.kind == BlockKind.PROSE]
        numbers = [one for doc in docs for one in prose.numbers_in(doc) if one.study == study_id]
        found[report] = {f"{one.study}:{one.key}": [one.of, one.text, ""] for one in numbers}
    return found
