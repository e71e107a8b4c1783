"""Reports."""

from __future__ import annotations

from typing import Any

from answering import json_answer
from django.http import HttpRequest, HttpResponse
from findings.schemas import WhatIfIn
from ninja import Router, Status
from people.access import require, user_of
from people.models import Role
from studies.schemas import Method

from reports import publishing, queries, services, what_changes
from reports.schemas import (
    AddIn,
    BeginIn,
    BlockEdit,
    ChangedReportOut,
    KeepIn,
    MaterialOut,
    MoveIn,
    PointIn,
    PriceIn,
    PublishIn,
    QuoteOut,
    ReportBlockIn,
    ReportLine,
    ReportOut,
    TakeOverIn,
    TitleIn,
    WindowsWouldIn,
    WithdrawReportIn,
)

router = Router(tags=["reports"])
_BLOCK = set(ReportBlockIn.model_fields)


@router.get("", response=list[ReportLine])
def reports(request: HttpRequest, study_id: int | None = None) -> list[ReportLine]:
    """The reports, newest first; those that draw on one study where it is named."""
    require(user_of(request), Role.TESTER)
    return queries.reports_page(study_id)


@router.post("", response={201: ReportOut})
def begin(request: HttpRequest, payload: BeginIn) -> Status[ReportOut]:
    """Begin a report from a study."""
    made = services.begin(user_of(request), payload.study_id, payload.title)
    return Status(201, queries.one_report(made.pk))


@router.post("/what-changes/{int:study_id}", response=list[ChangedReportOut])
def changes(request: HttpRequest, study_id: int, payload: WhatIfIn) -> list[ChangedReportOut]:
    """Which numbers of which reports would be others were these passes rejected, or accepted."""
    require(user_of(request), Role.TESTER)
    return what_changes.by_passes(study_id, payload)


@router.post("/what-changes/{int:study_id}/method", response=list[ChangedReportOut])
def changes_by_method(request: HttpRequest, study_id: int, payload: Method) -> list[ChangedReportOut]:
    """The same were another method declared."""
    require(user_of(request), Role.TESTER)
    return what_changes.by_method(study_id, payload)


@router.post("/what-changes/{int:study_id}/windows", response=list[ChangedReportOut])
def changes_by_windows(request: HttpRequest, study_id: int, payload: WindowsWouldIn) -> list[ChangedReportOut]:
    """The same were captures of passes seen through other windows, and accepted so."""
    require(user_of(request), Role.TESTER)
    return what_changes.by_windows(study_id, payload)


@router.post("/what-changes-by-price/{int:part_id}", response=list[ChangedReportOut])
def changes_by_price(request: HttpRequest, part_id: int, payload: PriceIn) -> list[ChangedReportOut]:
    """The same in every study were a part priced so."""
    require(user_of(request), Role.TESTER)
    return what_changes.by_price(part_id, payload.price, payload.currency)


@router.get("/{int:report_id}", response=ReportOut)
def report(request: HttpRequest, report_id: int) -> ReportOut:
    """A report, with what changed since it was written."""
    require(user_of(request), Role.TESTER)
    return queries.one_report(report_id)


@router.put("/{int:report_id}/title", response=ReportOut)
def title(request: HttpRequest, report_id: int, payload: TitleIn) -> ReportOut:
    """Give it another title."""
    services.rename(user_of(request), report_id, payload.title, payload.seen)
    return queries.one_report(report_id)


@router.get("/{int:report_id}/numbers", response=list[QuoteOut])
def numbers(request: HttpRequest, report_id: int, words: str = "") -> list[QuoteOut]:
    """Numbers of its studies in whose words all of `words` stand."""
    require(user_of(request), Role.TESTER)
    return queries.numbers_of(report_id, words[:200])


@router.post("/{int:report_id}/shelf", response={201: ReportOut})
def keep(request: HttpRequest, report_id: int, payload: KeepIn) -> Status[ReportOut]:
    """Keep what is looked at on its shelf."""
    services.keep(user_of(request), report_id, payload)
    return Status(201, queries.one_report(report_id))


@router.delete("/{int:report_id}/shelf/{int:kept_id}", response=ReportOut)
def take_off(request: HttpRequest, report_id: int, kept_id: int) -> ReportOut:
    """Take something off its shelf."""
    services.take_off(user_of(request), report_id, kept_id)
    return queries.one_report(report_id)


@router.post("/{int:report_id}/blocks", response={201: ReportOut})
def add_block(request: HttpRequest, report_id: int, payload: AddIn) -> Status[ReportOut]:
    """Put in a block, behind another or first."""
    services.add_block(user_of(request), report_id, ReportBlockIn(**payload.dict(include=_BLOCK)), payload.after)
    return Status(201, queries.one_report(report_id))


@router.put("/{int:report_id}/blocks/{int:block_id}", response=ReportOut)
def save_block(request: HttpRequest, report_id: int, block_id: int, payload: BlockEdit) -> ReportOut:
    """Save a block as it is now."""
    services.save_block(
        user_of(request), report_id, block_id, ReportBlockIn(**payload.dict(include=_BLOCK)), payload.seen
    )
    return queries.one_report(report_id)


@router.put("/{int:report_id}/blocks/{int:block_id}/place", response=ReportOut)
def move_block(request: HttpRequest, report_id: int, block_id: int, payload: MoveIn) -> ReportOut:
    """Move a block."""
    services.move_block(user_of(request), report_id, block_id, payload.after)
    return queries.one_report(report_id)


@router.delete("/{int:report_id}/blocks/{int:block_id}", response=ReportOut)
def remove_block(request: HttpRequest, report_id: int, block_id: int, seen: str = "") -> ReportOut:
    """Take a block out; `seen` is the mark of the one that was read."""
    services.remove_block(user_of(request), report_id, block_id, seen)
    return queries.one_report(report_id)


@router.get("/{int:report_id}/blocks/{int:block_id}/material", response=MaterialOut)
def material(request: HttpRequest, report_id: int, block_id: int) -> HttpResponse:
    """What a block shows, as its study stands."""
    require(user_of(request), Role.TESTER)
    found: dict[str, Any] = queries.material_of(report_id, block_id)
    return json_answer(found)


@router.post("/{int:report_id}/take-over", response=ReportOut)
def take_over(request: HttpRequest, report_id: int, payload: TakeOverIn) -> ReportOut:
    """Say what is so now."""
    services.take_over(user_of(request), report_id, payload.block_id, payload.key)
    return queries.one_report(report_id)


@router.put("/{int:report_id}/settled", response=ReportOut)
def settle(request: HttpRequest, report_id: int, payload: PointIn) -> ReportOut:
    """Accept a point of the list with a reason that prints."""
    services.settle(user_of(request), report_id, payload.point, payload.why)
    return queries.one_report(report_id)


@router.post("/{int:report_id}/ask-check", response=ReportOut)
def ask_check(request: HttpRequest, report_id: int) -> ReportOut:
    """Ask for a second person's look."""
    publishing.ask_check(user_of(request), report_id)
    return queries.one_report(report_id)


@router.post("/{int:report_id}/sign", response=ReportOut)
def sign(request: HttpRequest, report_id: int, seen: str = "") -> ReportOut:
    """Sign what stands in it; `seen` is the mark of the report that was read."""
    publishing.sign(user_of(request), report_id, seen)
    return queries.one_report(report_id)


@router.post("/{int:report_id}/publish", response=ReportOut)
def publish(request: HttpRequest, report_id: int, payload: PublishIn) -> ReportOut:
    """Freeze it as its next edition, which opens at its time."""
    publishing.publish(user_of(request), report_id, payload)
    return queries.one_report(report_id)


@router.post("/{int:report_id}/withdraw", response=ReportOut)
def withdraw(request: HttpRequest, report_id: int, payload: WithdrawReportIn) -> ReportOut:
    """Withdraw it: its editions say so first."""
    publishing.withdraw(user_of(request), report_id, payload.why)
    return queries.one_report(report_id)
