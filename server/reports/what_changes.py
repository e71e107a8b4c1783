"""Before a correction is confirmed: what reports would say otherwise, in numbers and in sentences, old beside new."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from decimal import Decimal
from functools import partial

from bench.models import Part
from findings.record import StudyRecord, record_of, supposed
from findings.schemas import WhatIfIn
from intake.measuring import FIGURE_COLUMNS, columns_of
from intake.reading import Measured
from intake.trimming import check_windows, measured_through
from problems import NotFound
from rennbahn.comparing import Pass as CorePass
from rennbahn.comparing.measured import facts_told
from rennbahn.comparing.moves import left_out, taken_in
from rennbahn.quoting import is_of_money
from studies.models import Pass, PassState, Study
from studies.queries import with_lanes_and_tests
from studies.schemas import Method

from reports.material import Studies, used_studies
from reports.models import Report, ReportState
from reports.queries import claimed_by, correction_out, erratum, says_of
from reports.schemas import ChangedReportOut, WindowsWouldIn

#: A study's record as it would be.
WouldBe = Callable[[], StudyRecord]


def by_passes(study_id: int, data: WhatIfIn) -> list[ChangedReportOut]:
    """What reports, published ones first, would say otherwise were these passes rejected, or accepted.

    Raises :class:`NotFound`.
    """
    ids = set(data.pass_ids)
    if Pass.objects.filter(pk__in=ids, test__study=study_id).count() < len(ids):
        raise NotFound("pass in this study")

    def changed() -> StudyRecord:
        record = record_of(study_id)
        change = left_out if data.state == "rejected" else taken_in
        return record.otherwise(change(record.passes, {str(pk) for pk in ids}))

    return _in_order(_otherwise(study_id, changed))


def by_windows(study_id: int, data: WindowsWouldIn) -> list[ChangedReportOut]:
    """The same were captures of passes seen through other windows, and accepted so: those that count by now.

    Frame times that are printed are not told of: they show a capture whole, and shade what does not count.
    """

    def changed() -> StudyRecord:
        record = record_of(study_id)
        counts = {one.id for one in record.passes if one.status == PassState.ACCEPTED}
        found = measured_through(study_id, [pk for pk in data.pass_ids if str(pk) in counts], data.windows)
        return record.otherwise([_through(one, found.get(int(one.id))) for one in record.passes])

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
    return _in_order(_otherwise(study_id, partial(StudyRecord, study)))


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
        found += _otherwise(study.pk, partial(StudyRecord, study), is_of_money)
    return _in_order(found)


def _otherwise(
    study_id: int, would_be: WouldBe, may_change: Callable[[str], bool] = lambda _: True
) -> list[ChangedReportOut]:
    """What is said of a study otherwise than it would be; nothing is computed where nothing that may change is said.

    Of live numbers `may_change` tells by their names whether they can; sentences always may.
    """
    told = {
        report: {key: one for key, one in says.items() if claimed_by(key) or may_change(key.partition(":")[2])}
        for report, says in _said(study_id).items()
    }
    said = {report: says for report, says in told.items() if says}
    if not said:
        return []
    keys = {key for says in said.values() for key in says}
    now = _told(study_id, keys)
    with supposed(study_id, would_be()):
        after = _told(study_id, keys)
    found = []
    for report, says in said.items():
        # What is no longer so by now is not of this change's making.
        moved = {key: one for key, one in says.items() if after.get(key) != now.get(key)}
        lines = [correction_out(one) for one in erratum(moved, after)]
        if lines:
            published = bool(report.editions.all())
            found.append(ChangedReportOut(id=report.pk, title=report.title, published=published, lines=lines))
    return found


def _told(study_id: int, keys: Iterable[str]) -> dict[str, list[str]]:
    """What these keys come to of a study, as editions keep it: those of numbers and sentences that there are."""
    studies = Studies()
    found = {}
    for key in keys:
        claimed = claimed_by(key)
        if claimed is not None:
            told = studies.claim(claimed[0], study_id, claimed[1])
            found[key] = [told["label"], told["text"], told["verdict"]]
        elif (quote := studies.quotes(study_id).get(key.partition(":")[2])) is not None:
            found[key] = [quote.of, quote.text, quote.verdict]
    return found


def _in_order(found: list[ChangedReportOut]) -> list[ChangedReportOut]:
    return sorted(found, key=lambda one: not one.published)


def _said(study_id: int) -> dict[Report, dict[str, list[str]]]:
    """What each report says of a study: its newest edition, or its draft where it has none."""
    studies = Studies()
    reports = Report.objects.filter(studies=study_id).exclude(state=ReportState.WITHDRAWN)
    found = {}
    for report in reports.prefetch_related("editions", "blocks"):
        editions = list(report.editions.all())
        blocks = [] if editions else [one for one in report.blocks.all() if study_id in used_studies([one])]
        says = editions[-1].says if editions else says_of(blocks, studies)
        found[report] = {key: told for key, told in says.items() if key.startswith((f"{study_id}:", f"{study_id} "))}
    return found
