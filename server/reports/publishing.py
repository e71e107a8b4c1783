"""Out of the house: a signature, an edition frozen with all its data, and the way back by withdrawing."""

from __future__ import annotations

import hashlib
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

import clock
from django.db import transaction
from packages.making import package_of
from page_marks import check_seen
from pdf import pdf_of, png_of
from people.access import require
from people.models import Role
from problems import Conflict, Problem
from rendering import render
from rennbahn.quoting import spoken
from storing import place_all
from studies.record import note
from studies.words import all_words

from reports import prose
from reports.behind import behind
from reports.eyes import carried
from reports.house import house_file
from reports.material import Look, Studies, eyes_of, houses_of, states_of, used_studies
from reports.models import OF_THE_HOUSE, Block, BlockKind, Edition, EditionFile, Report, ReportState
from reports.odt import odt_of
from reports.queries import blocks_of, erratum, one_report, says_of
from reports.schemas import PointOut, PublishIn
from reports.services import Caller, for_change, whole_mark

#: A data package that is larger is not published with a report: it is taken along from the study.
MOST_DATA = 150 * 2**20


@dataclass(frozen=True)
class _File:
    name: str
    media_type: str
    content: bytes


def ask_check(user: Caller, report_id: int) -> None:
    """Ask for a second person's look. Raises :class:`Conflict` where something blocks it."""
    require(user, Role.TESTER)
    _refuse_blocked(one_report(report_id).points)
    with transaction.atomic():
        report = for_change(report_id)
        report.state = ReportState.TO_CHECK
        report.save(update_fields=["state"])


def sign(user: Caller, report_id: int, seen: str) -> None:
    """Sign what stands in a report, as somebody who wrote none of it. Raises :class:`Conflict`."""
    tester = require(user, Role.TESTER)
    points = one_report(report_id).points
    _refuse_blocked(points)
    _refuse_open(points)
    with transaction.atomic():
        report = for_change(report_id)
        blocks = blocks_of(report)
        check_seen("the signature", seen, whole_mark(report, blocks), "Somebody changed the report")
        if tester in {report.by, *(block.by for block in blocks)}:
            raise Conflict("own_words", "Whoever wrote of it does not sign it.", hint="Ask somebody else.")
        report.state, report.checked_by = ReportState.READY, tester
        report.save(update_fields=["state", "checked_by"])


def publish(user: Caller, report_id: int, data: PublishIn) -> Edition:
    """Freeze what stands in a report as its next edition. Raises :class:`Conflict` where it may not go out so."""
    lead = require(user, Role.LEAD)
    told = one_report(report_id)
    _refuse_blocked(told.points)
    if told.state != ReportState.READY and not data.unchecked:
        raise Conflict(
            "not_signed", "Nobody has signed this report.", field="unchecked",
            hint="Ask somebody to sign it, or publish it unsigned: its page says so.",
        )  # fmt: skip
    if not data.unchecked:
        # What came up since it was signed nobody has looked at.
        _refuse_open(told.points)
    if told.editions and not data.why:
        raise Problem("no_reason", "A further edition tells why.", field="why")
    report = Report.objects.get(pk=report_id)
    blocks, studies = blocks_of(report), Studies()
    check_seen("the edition", data.seen, whole_mark(report, blocks), "Somebody changed the report")
    used = used_studies(blocks)
    states = _states(used, blocks)
    now = clock.now()
    edition = Edition(
        report=report, number=len(told.editions) + 1, title=report.title, at=now, by=lead, why=data.why,
        opens_at=_opens(data.opens_at, now, report), checked_by=report.checked_by, says=says_of(blocks, studies),
        summary=summary_of(blocks),
    )  # fmt: skip
    last = report.editions.last()
    edition.erratum = [asdict(one) for one in erratum(last.says, edition.says)] if last else []
    files = _files(edition, blocks, studies, told.points, used if data.with_data else [])
    placed = place_all([file.content for file in files])
    with transaction.atomic():
        report = for_change(report_id)
        check_seen("the edition", data.seen, whole_mark(report, blocks_of(report)), "Somebody changed the report")
        if states != _states(used, blocks) or report.editions.count() != edition.number - 1:
            raise Conflict("changed_meanwhile", "What it shows changed meanwhile.", hint="Look at it, and publish.")
        edition.save()
        EditionFile.objects.bulk_create(
            EditionFile(
                edition=edition, name=file.name, media_type=file.media_type, size=len(file.content),
                sha256=hashlib.sha256(file.content).hexdigest(), **own.fields(),
            )
            for file, own in zip(files, placed, strict=True)
        )  # fmt: skip
        report.state, report.opens_at = ReportState.PUBLISHED, edition.opens_at
        report.save(update_fields=["state", "opens_at"])
        for study in report.studies.all():
            # Whoever reads the record of the study does not learn of an article before it opens.
            note(study, lead, "published a report", f"edition {edition.number}")
    return edition


def withdraw(user: Caller, report_id: int, why: str) -> None:
    """Withdraw a report: its editions stay readable and say so first."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        report = for_change(report_id)
        if not report.editions.exists():
            raise Conflict("not_published", "What was never published is not withdrawn.")
        report.state, report.withdrawn_at, report.withdrawn_why = ReportState.WITHDRAWN, clock.now(), why
        report.save(update_fields=["state", "withdrawn_at", "withdrawn_why"])
        for study in report.studies.all():
            note(study, lead, "withdrew a report", why[:300])


def summary_of(blocks: list[Block]) -> str:
    """The first sentence of an answer, else of the prose."""
    answer = next((one.said["text"] for one in blocks if one.kind == BlockKind.ANSWER), "")
    texts = (prose.plain_text(one.content["doc"]) for one in blocks if one.kind == BlockKind.PROSE)
    return (answer or next((text for text in texts if text.strip()), "")).strip()[:600]


def script_of(title: str, blocks: list[Block]) -> str:
    """What is said, in its order and with its numbers as one says them, for whoever speaks over pictures."""
    told = [title]
    for block in blocks:
        if block.kind == BlockKind.PROSE:
            told.append(spoken(prose.plain_text(block.content["doc"]).strip()))
        elif block.kind in (BlockKind.ANSWER, BlockKind.READERS, *OF_THE_HOUSE):
            told.append(spoken(block.said["text"]))
    return "\n\n".join(filter(None, told)) + "\n"


def _files(
    edition: Edition, blocks: list[Block], studies: Studies, points: list[PointOut], with_data: list[int]
) -> list[_File]:
    """All that is frozen: data first, since the page tells their hashes."""
    data = [_File(f"study-{study}.zip", "application/zip", _package(study)) for study in with_data]
    tables = filter(None, map(house_file, houses_of(blocks)))
    data += [_File(name, "text/csv; charset=utf-8", content.encode()) for name, content in tables]
    before = {one["key"]: one["before"] for one in edition.erratum}
    said = {key: number for number, key in enumerate(_numbers(blocks), start=1)}
    page: dict[str, Any] = {
        "words": all_words(), "address": f"/articles/{edition.report.slug}/",
        "title": edition.title, "summary": edition.summary, "number": edition.number, "at": edition.at.isoformat(),
        "author": edition.report.by.get_username(),
        "by": edition.by.get_username(), "checked_by": edition.checked_by.get_username() if edition.checked_by else "",
        "why": edition.why, "erratum": edition.erratum, "before": before, "places": said,
        "blocks": [_shown(block, studies) for block in blocks],
        "accepted": [{"words": one.words, "why": one.why} for one in points],
        "cautions": studies.cautions(blocks),
        "files": [
            {"name": one.name, "size": len(one.content), "sha256": hashlib.sha256(one.content).hexdigest()}
            for one in data
        ],
        "numbers": [behind(studies, key) for key in said],
    }  # fmt: skip
    drawn = render("draw", page)
    return [
        *data,
        _File("index.html", "text/html; charset=utf-8", drawn["page"].encode()),
        _File("numbers.html", "text/html; charset=utf-8", drawn["numbers"].encode()),
        _File("article.pdf", "application/pdf", pdf_of(drawn["print"])),
        _File("preview.png", "image/png", png_of(drawn["preview"])),
        _File("article.odt", "application/vnd.oasis.opendocument.text", odt_of(drawn["page"], edition.title)),
        _File("script.txt", "text/plain; charset=utf-8", script_of(edition.title, blocks).encode()),
    ]


def _states(used: list[int], blocks: list[Block]) -> list[Any]:
    """In what state all is that blocks show."""
    studies = Studies()
    return [states_of(used), eyes_of(blocks), [studies.house(one).mark for one in houses_of(blocks)]]


def _numbers(blocks: list[Block]) -> list[str]:
    """The live numbers of prose, each once, by study and key."""
    docs = [block.content["doc"] for block in blocks if block.kind == BlockKind.PROSE]
    return list(dict.fromkeys(f"{one.study}:{one.key}" for doc in docs for one in prose.numbers_in(doc)))


def _shown(block: Block, studies: Studies) -> dict[str, Any]:
    told = {"id": block.pk, "kind": block.kind, "doc": None, "look": {}, "caption": "", "rows": [], "material": None}
    if block.kind == BlockKind.PROSE:
        return {**told, "doc": block.content["doc"]}
    study, look = block.study_id or 0, Look.of(block.content)
    material = studies.material(block.kind, study, look)
    if look.eye is not None:
        material["eye"] = carried(study, look.eye, material["eye"])
    return {
        **told, "look": block.content["look"], "caption": block.content.get("caption", ""),
        "rows": block.content.get("rows", []),
        "material": material,
    }  # fmt: skip


def _package(study: int) -> bytes:
    found = bytearray()
    for piece in package_of(study):
        found += piece
        if len(found) > MOST_DATA:
            raise Conflict(
                "too_much_data", f"The data of a study are more than {MOST_DATA // 2**20} MB.", field="with_data",
                hint="Publish without data; its package is taken along from the study's record.",
            )  # fmt: skip
    return bytes(found)


def _opens(asked: datetime | None, now: datetime, report: Report) -> datetime:
    """When an edition opens: never before the one that it follows."""
    if asked is not None and asked.tzinfo is None:
        raise Problem("no_zone", "A time at which something opens needs its zone.", field="opens_at")
    return max(asked or now, now, report.opens_at or now)


def _refuse_blocked(points: list[PointOut]) -> None:
    stop = next((one.words for one in points if one.blocks), None)
    if stop:
        raise Conflict("not_in_order", stop, hint="Put it right first: no reason makes it good.")


def _refuse_open(points: list[PointOut]) -> None:
    left = next((one.words for one in points if not one.why), None)
    if left:
        raise Conflict("points_open", f"Not settled yet: {left}", hint="Settle it, or say why it goes out with it.")
