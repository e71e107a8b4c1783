"""Before a correction is confirmed: which numbers of which reports it would change, old beside new."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from decimal import Decimal
from functools import partial

from bench.models import Part
from findings.facts import prices_of
from findings.record import StudyRecord, record_of
from findings.schemas import WhatIfIn
from intake.measuring import FIGURE_COLUMNS, columns_of
from intake.reading import Measured
from intake.trimming import check_windows, measured_through
from packages.making import compared
from problems import NotFound
from rennbahn.comparing import Pass as CorePass
from rennbahn.comparing import Study as CoreStudy
from rennbahn.comparing.measured import facts_told
from rennbahn.comparing.moves import left_out, taken_in
from rennbahn.quoting import Quote, is_of_money, quotes_of
from studies.models import Pass, PassState, Study
from studies.queries import with_lanes_and_tests
from studies.schemas import Method

from reports import prose
from reports.material import Studies
from reports.models import BlockKind, Report, ReportState
from reports.queries import correction_out, erratum
from reports.schemas import ChangedReportOut, WindowsWouldIn

#: A study as it would be: as the core compares it, and in which currency it is priced.
WouldBe = Callable[[], tuple[CoreStudy, str]]


def by_passes(study_id: int, data: WhatIfIn) -> list[ChangedReportOut]:
    """The live numbers of reports, published ones first, that would be others were these passes rejected, or accepted.

    Raises :class:`NotFound`.
    """
    ids = set(data.pass_ids)
    if Pass.objects.filter(pk__in=ids, test__study=study_id).count() < len(ids):
        raise NotFound("pass in this study")

    def changed() -> tuple[CoreStudy, str]:
        record = record_of(study_id)
        change = left_out if data.state == "rejected" else taken_in
        core = replace(compared(record), passes=tuple(change(record.passes, {str(pk) for pk in ids})))
        return core, prices_of(record.lanes)[1]

    return _in_order(_otherwise(study_id, changed))


def by_windows(study_id: int, data: WindowsWouldIn) -> list[ChangedReportOut]:
    """The same were captures of passes seen through other windows, and accepted so: those that count by now."""

    def changed() -> tuple[CoreStudy, str]:
        record = record_of(study_id)
        counts = {one.id for one in record.passes if one.status == PassState.ACCEPTED}
        found = measured_through(study_id, [pk for pk in data.pass_ids if str(pk) in counts], data.windows)
        seen = [_through(one, found.get(int(one.id))) for one in record.passes]
        return replace(compared(record), passes=tuple(seen)), prices_of(record.lanes)[1]

    if Pass.objects.filter(pk__in=data.pass_ids, test__study=study_id).count() < len(set(data.pass_ids)):
        raise NotFound("pass in this study")
    check_windows(data.windows)
    return _in_order(_otherwise(study_id, changed))


def _through(one: CorePass, found: Measured | None) -> CorePass:
    """A pass as it would be of what was measured; as it is where nothing was."""
    if found is None:
        return one
    columns = columns_of(found)
    return replace(
        one,
        figures={name: columns[column] for name, column in FIGURE_COLUMNS.items()},
        flags=("capped",) if columns["cap"] == "capped" else (),
        facts=facts_told(found.figures, found.corners),
    )


def by_method(study_id: int, method: Method) -> list[ChangedReportOut]:
    """The same were another method declared. What captures are measured against by it is seen once they are."""
    study = with_lanes_and_tests().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    for name in Method.model_fields:
        setattr(study, name, getattr(method, name))
    return _in_order(_otherwise(study_id, partial(_of, study)))


def by_price(part_id: int, price: Decimal | None, currency: str) -> list[ChangedReportOut]:
    """The same in every study were a part priced so."""
    if not Part.objects.filter(pk=part_id).exists():
        raise NotFound("part")
    ids = Study.objects.filter(lanes__setup_version__parts=part_id, reports__isnull=False).values("pk").distinct()
    found: list[ChangedReportOut] = []
    for study in with_lanes_and_tests().filter(pk__in=ids):
        for lane in study.lanes.all():
            for part in lane.setup_version.parts.all():
                if part.pk == part_id:
                    part.price, part.currency = price, currency
        found += _otherwise(study.pk, partial(_of, study), is_of_money)
    return _in_order(found)


def _of(study: Study) -> tuple[CoreStudy, str]:
    record = StudyRecord(study)
    return compared(record), prices_of(record.lanes)[1]


def _otherwise(
    study_id: int, would_be: WouldBe, may_change: Callable[[str], bool] = lambda _: True
) -> list[ChangedReportOut]:
    """What is said of a study otherwise than it would be; nothing is computed where nothing that may change is said."""
    told = {
        report: {key: one for key, one in numbers.items() if may_change(key.partition(":")[2])}
        for report, numbers in _said(study_id).items()
    }
    said = {report: numbers for report, numbers in told.items() if numbers}
    if not said:
        return []
    core, currency = would_be()
    after = _told(study_id, quotes_of(core, currency))
    now = _told(study_id, Studies().quotes(study_id).values())
    found = []
    for report, numbers in said.items():
        # What is no longer so by now is not of this change's making.
        moved = {key: one for key, one in numbers.items() if after.get(key) != now.get(key)}
        lines = [correction_out(one) for one in erratum(moved, after)]
        if lines:
            published = bool(report.editions.all())
            found.append(ChangedReportOut(id=report.pk, title=report.title, published=published, lines=lines))
    return found


def _told(study_id: int, quotes: Iterable[Quote]) -> dict[str, list[str]]:
    return {f"{study_id}:{one.key}": [one.of, one.text, one.verdict] for one in quotes}


def _in_order(found: list[ChangedReportOut]) -> list[ChangedReportOut]:
    return sorted(found, key=lambda one: not one.published)


def _said(study_id: int) -> dict[Report, dict[str, list[str]]]:
    """What each report says of a study in live numbers: its newest edition, or its draft where it has none."""
    found: dict[Report, dict[str, list[str]]] = {}
    studies = Studies()
    reports = Report.objects.filter(studies=study_id).exclude(state=ReportState.WITHDRAWN)
    for report in reports.prefetch_related("editions", "blocks"):
        editions = list(report.editions.all())
        if editions:
            found[report] = {key: told for key, told in editions[-1].says.items() if key.startswith(f"{study_id}:")}
            continue
        docs = [block.content["doc"] for block in report.blocks.all() if block.kind == BlockKind.PROSE]
        numbers = [one for doc in docs for one in prose.numbers_in(doc) if one.study == study_id]
        quotes = studies.quotes(study_id) if numbers else {}
        found[report] = {
            f"{one.study}:{one.key}": [one.of, one.text, quotes[one.key].verdict if one.key in quotes else ""]
            for one in numbers
        }
    return found
