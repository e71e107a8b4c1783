"""What one can ask about reports."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

import clock
from problems import NotFound
from rennbahn.quoting import Correction, Quote, corrections

from reports import prose
from reports.material import Look, Studies
from reports.models import OF_THE_HOUSE, Block, BlockKind, Edition, Kept, Report
from reports.points import points_of
from reports.schemas import (
    BareOut,
    CorrectionOut,
    EditionFileOut,
    EditionOut,
    KeptOut,
    PointOut,
    QuoteOut,
    ReportBlockOut,
    ReportLine,
    ReportOut,
    SaysOtherwise,
    StudyRef,
)
from reports.services import block_mark, title_mark, whole_mark

#: So many numbers are found at once.
MOST_FOUND = 40


def reports_page(study_id: int | None = None) -> list[ReportLine]:
    """The reports, newest first; of one study where it is named."""
    found = Report.objects.select_related("by").prefetch_related("studies", "editions")
    if study_id is not None:
        found = found.filter(studies=study_id)
    return [ReportLine(**_line(report)) for report in found[:200]]


def one_report(report_id: int) -> ReportOut:
    """A report, with what changed since it was written. Raises :class:`NotFound`."""
    report = _report(report_id)
    blocks, studies = blocks_of(report), Studies()
    shown = [_block_out(block, studies, [one.pk for one in report.studies.all()]) for block in blocks]
    editions = list(report.editions.select_related("by", "checked_by"))
    settled = {one.point: one for one in report.settled.select_related("by")}
    changed = sum(len(one.changes) for one in shown)
    points = points_of(blocks, studies, changed)
    last = editions[-1].says if editions else None
    return ReportOut(
        **_line(report),
        seen=whole_mark(report, blocks),
        title_seen=title_mark(report),
        early=f"/articles/early/{report.secret}/",
        checked_by=report.checked_by.get_username() if report.checked_by else "",
        withdrawn_why=report.withdrawn_why,
        blocks=shown,
        shelf=[_kept_out(one) for one in report.shelf.select_related("by")],
        points=[
            PointOut(
                words=one.words, way=one.way, blocks=one.blocks,
                why=settled[one.words].why if one.words in settled else "",
                by=settled[one.words].by.get_username() if one.words in settled else "",
            )
            for one in points
        ],
        cautions=studies.cautions(blocks),
        editions=[_edition_out(one) for one in editions],
        next_erratum=[] if last is None else [correction_out(one) for one in erratum(last, says_of(blocks, studies))],
    )  # fmt: skip


def blocks_of(report: Report) -> list[Block]:
    """The blocks of a report from the top."""
    return list(report.blocks.select_related("by"))


def material_of(report_id: int, block_id: int) -> dict[str, Any]:
    """What a block shows. Raises :class:`NotFound`."""
    block = _report(report_id).blocks.filter(pk=block_id).first()
    if block is None or block.kind == BlockKind.PROSE:
        raise NotFound("block that shows something")
    return Studies().material(block.kind, block.study_id or 0, Look.of(block.content))


def numbers_of(report_id: int, words: str) -> list[QuoteOut]:
    """Numbers of the report's studies in whose words all of `words` stand."""
    asked = words.casefold().replace("-", "−").split()
    studies, found = Studies(), []
    for study in _report(report_id).studies.all():
        for quote in studies.quotes(study.pk).values():
            said = f"{quote.of} {quote.text}".casefold()
            if all(word in said for word in asked):
                found.append(quote_out(study.pk, quote))
                if len(found) == MOST_FOUND:
                    return found
    return found


#: What the keys of sentences say before their look.
_READERS, _CLAIMS = "readers", "claims"
#: What they say in place of a study, where there is none.
_OF_THE_HOUSE = "house"


def says_of(blocks: Iterable[Block], studies: Studies) -> dict[str, list[str]]:
    """All that blocks say, by key: of what, in which words, with which verdict. Numbers are by study and name, with a
    colon between them; sentences by study and what is looked at.
    """
    found: dict[str, list[str]] = {}
    for block in blocks:
        if block.kind == BlockKind.PROSE:
            for one in prose.numbers_in(block.content["doc"]):
                quote = studies.quotes(one.study).get(one.key)
                found[f"{one.study}:{one.key}"] = [one.of, one.text, quote.verdict if quote else ""]
        elif block.kind != BlockKind.METHOD:
            look = json.dumps(block.content["look"], sort_keys=True)
            of = studies.says(block)["label"]
            # One claim stands in a sentence, its picture and its table, and is corrected once.
            what = _READERS if block.kind == BlockKind.READERS else _CLAIMS
            of_study = _OF_THE_HOUSE if block.kind in OF_THE_HOUSE else block.study_id
            told = [of, block.said["text"], block.said.get("verdict", "")]
            found.setdefault(f"{of_study} {what} {look}", told)
    return found


def claimed_by(key: str) -> tuple[BlockKind, Look] | None:
    """Of which kind and look a sentence is that editions keep under this key; None where it is of a number."""
    _, what, look = [*key.split(" ", 2), "", ""][:3]
    kind = {_READERS: BlockKind.READERS, _CLAIMS: BlockKind.ANSWER}.get(what)
    if kind is None or ":" in key.split(" ", 1)[0]:
        return None
    return kind, Look.of({"look": json.loads(look)})


def erratum(before: dict[str, Any], after: dict[str, Any]) -> list[Correction]:
    """What is said otherwise, as the core holds two editions against each other."""
    return corrections(
        {key: (of, text, verdict) for key, (of, text, verdict) in before.items()},
        {key: (of, text, verdict) for key, (of, text, verdict) in after.items()},
    )


def quote_out(study: int, quote: Quote) -> QuoteOut:
    """A number of a study as the API gives it."""
    return QuoteOut(
        study_id=study, key=quote.key, of=quote.of, text=quote.text, interval=quote.interval, verdict=quote.verdict
    )


def _report(report_id: int) -> Report:
    report = (
        Report.objects.select_related("by", "checked_by")
        .prefetch_related("studies", "editions")
        .filter(pk=report_id)
        .first()
    )
    if report is None:
        raise NotFound("report")
    return report


def _line(report: Report) -> dict[str, Any]:
    last = max(report.editions.all(), key=lambda one: one.number, default=None)
    return {
        "id": report.pk, "title": report.title, "state": report.state, "by": report.by.get_username(), "at": report.at,
        "studies": [StudyRef(id=one.pk, question=one.question, kind=one.kind) for one in report.studies.all()],
        "edition": last.number if last else None, "opens_at": last.opens_at if last else None,
        "address": f"/articles/{report.slug}/",
    }  # fmt: skip


def _block_out(block: Block, studies: Studies, of: list[int]) -> ReportBlockOut:
    doc = block.content.get("doc")
    if doc is None:
        changes = []
        now = studies.says(block)
        if now["mark"] != block.said.get("mark"):
            changes = [SaysOtherwise(key="", of="", before=block.said.get("text", ""), after=now["text"])]
        bare: list[BareOut] = []
    else:
        changes = _changes(doc, studies)
        bare = [
            BareOut(text=one.text, guesses=[quote_out(study, guess) for guess in one.guesses])
            for one, study in studies.bare(doc, of)
        ]
    return ReportBlockOut(
        id=block.pk, kind=block.kind, study_id=block.study_id, doc=doc, look=block.content.get("look", {}),
        caption=block.content.get("caption", ""), rows=block.content.get("rows", []),
        says=block.said.get("text", ""), by=block.by.get_username(), at=block.at, seen=block_mark(block),
        changes=changes, bare=bare,
    )  # fmt: skip


def _changes(doc: prose.Node, studies: Studies) -> list[SaysOtherwise]:
    """The live numbers that are no longer what is said, each once."""
    found: dict[str, SaysOtherwise] = {}
    for one in prose.numbers_in(doc):
        now = studies.now(one)
        if now is None or now.text != one.text:
            key = f"{one.study}:{one.key}"
            found[key] = SaysOtherwise(key=key, of=one.of, before=one.text, after=now.text if now else "")
    return list(found.values())


def _kept_out(one: Kept) -> KeptOut:
    return KeptOut(
        id=one.pk, kind=one.kind, study_id=one.study_id, look=one.content.get("look", {}), label=one.label,
        way=one.way, by=one.by.get_username(),
    )  # fmt: skip


def _edition_out(one: Edition) -> EditionOut:
    return EditionOut(
        number=one.number, title=one.title, at=one.at, opens_at=one.opens_at, open=one.opens_at <= clock.now(),
        by=one.by.get_username(), checked_by=one.checked_by.get_username() if one.checked_by else "", why=one.why,
        erratum=[CorrectionOut(**told) for told in one.erratum],
        files=[EditionFileOut(name=name, size=size, sha256=sha)
               for name, size, sha in one.files.values_list("name", "size", "sha256")],
    )  # fmt: skip


def correction_out(one: Correction) -> CorrectionOut:
    """A correction as the API gives it."""
    return CorrectionOut(key=one.key, of=one.of, before=one.before, after=one.after, flip=one.flip)
