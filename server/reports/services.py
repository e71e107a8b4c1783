"""What a tester does about reports: begin, keep, write, take over, and say what is in order in spite of it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import chain, count
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils.text import slugify
from page_marks import check_seen, mark_of
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from studies.models import Study

from reports import prose
from reports.material import Look, Studies, label_of
from reports.models import OF_THE_HOUSE, Block, BlockKind, Kept, Report, ReportState, Settled, Shown
from reports.schemas import KeepIn, LookIn, ReportBlockIn

Caller = User | AnonymousUser
#: What a report may hold.
MOST_BLOCKS, MOST_KEPT = 200, 300


def begin(user: Caller, study_id: int | None, title: str = "") -> Report:
    """Begin a report, with a study's question as its title where none is given. Raises :class:`NotFound`."""
    tester = require(user, Role.TESTER)
    study = None if study_id is None else _study(study_id)
    title = title or (study.question[:160] if study else "")
    if not title:
        raise Problem("no_title", "A report of no study needs a title.", field="title")
    with transaction.atomic():
        report = _at_an_address_of_its_own(Report(title=title, by=tester))
        report.studies.add(*([study] if study else []))
    return report


def rename(user: Caller, report_id: int, title: str, seen: str) -> Report:
    """Give a report another title. Its address stays."""
    require(user, Role.TESTER)
    with transaction.atomic():
        report = for_change(report_id)
        check_seen("the title", seen, title_mark(report), "Somebody gave it another")
        report.title = title
        _touched(report)
    return report


def keep(user: Caller, report_id: int, data: KeepIn) -> Kept:
    """Put what is looked at on the shelf of a report. Raises :class:`NotFound`, :class:`Problem`."""
    tester = require(user, Role.TESTER)
    study, content = _study_of(data.kind, data.study_id), {"look": _look(data.kind, data.look)}
    made = Kept(kind=data.kind, study=study, content=content, by=tester, way=data.way)
    material = Studies().material(data.kind, study.pk if study else 0, Look.of(content))
    made.label = label_of(data.kind, material)[:300]
    with transaction.atomic():
        report = for_change(report_id)
        if report.shelf.count() >= MOST_KEPT:
            raise Conflict("shelf_full", f"A shelf holds at most {MOST_KEPT}.", hint="Take something off it.")
        made.report = report
        made.save()
        _draws_on(report, made)
    return made


def take_off(user: Caller, report_id: int, kept_id: int) -> None:
    """Take something off the shelf."""
    require(user, Role.TESTER)
    with transaction.atomic():
        if not for_change(report_id).shelf.filter(pk=kept_id).delete()[0]:
            raise NotFound("thing on this shelf")


def add_block(user: Caller, report_id: int, data: ReportBlockIn, after: int | None) -> Block:
    """Put a block behind another, or first. Raises :class:`NotFound`, :class:`Problem`."""
    tester = require(user, Role.TESTER)
    shown = _shown(data)
    made = Block(kind=data.kind, by=tester, **shown)
    if made.kind != BlockKind.PROSE:
        made.said = _what_it_says(made)
    with transaction.atomic():
        report = for_change(report_id)
        blocks = list(report.blocks.all())
        if len(blocks) >= MOST_BLOCKS:
            raise Conflict("report_full", f"A report holds at most {MOST_BLOCKS} blocks.")
        made.report, made.place = report, _place_behind(blocks, after)
        report.blocks.filter(place__gte=made.place).update(place=F("place") + 1)
        made.save()
        _draws_on(report, made)
        _touched(report)
    return made


def save_block(user: Caller, report_id: int, block_id: int, data: ReportBlockIn, seen: str) -> Block:
    """Save a block as it is now. Raises :class:`page_marks.Overtaken` where somebody saved it meanwhile."""
    tester = require(user, Role.TESTER)
    shown = _shown(data)
    with transaction.atomic():
        report = for_change(report_id)
        block = _block(report, block_id)
        if data.kind != block.kind:
            raise Problem("other_kind", "A block stays of its kind.", field="kind", hint="Add another and remove it.")
        check_seen("this block", seen, block_mark(block), lambda: f"“{block.by.get_username()}” saved it")
        block.content, block.study, block.by = shown["content"], shown["study"], tester
        if data.kind != BlockKind.PROSE.value:
            block.said = _what_it_says(block)
        block.save()
        _draws_on(report, block)
        _touched(report)
    return block


def move_block(user: Caller, report_id: int, block_id: int, after: int | None) -> None:
    """Move a block behind another, or to the top."""
    require(user, Role.TESTER)
    with transaction.atomic():
        report = for_change(report_id)
        moved = _block(report, block_id)
        blocks = [one for one in report.blocks.all() if one.pk != moved.pk]
        if after == moved.pk:
            return
        at = 0 if after is None else next((i + 1 for i, one in enumerate(blocks) if one.pk == after), -1)
        if at < 0:
            raise NotFound("block in this report")
        blocks.insert(at, moved)
        for place, one in enumerate(blocks, start=1):
            one.place = place
        Block.objects.bulk_update(blocks, ["place"])
        _touched(report)


def remove_block(user: Caller, report_id: int, block_id: int, seen: str) -> None:
    """Take a block out. Raises :class:`page_marks.Overtaken` where it was saved meanwhile."""
    require(user, Role.TESTER)
    with transaction.atomic():
        report = for_change(report_id)
        block = _block(report, block_id)
        check_seen("nothing", seen, block_mark(block), lambda: f"“{block.by.get_username()}” saved this block")
        block.delete()
        _touched(report)


def take_over(user: Caller, report_id: int, block_id: int | None, key: str) -> Report:
    """Say what is so now: one number of a block, the whole block where `key` is empty, all of the report for None.

    A number that is no more stays as it is, and marked.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        report, studies = for_change(report_id), Studies()
        blocks = [_block(report, block_id)] if block_id is not None else list(report.blocks.select_for_update())
        for block in blocks:
            if block.kind == BlockKind.PROSE:
                doc = block.content["doc"]
                block.content = {"doc": prose.with_numbers(doc, lambda one: _taken(one, key, studies))}
            else:
                block.said = studies.says(block)
        changed = [one for one in blocks if one.kind != BlockKind.PROSE or prose.numbers_in(one.content["doc"])]
        for block in changed:
            block.by = tester
            block.save()
            if block.kind in OF_THE_HOUSE:
                # What a log is held against may be another by now.
                _draws_on(report, block)
        _touched(report)
    return report


def settle(user: Caller, report_id: int, point: str, why: str) -> Report:
    """Accept a point of the list, with the reason that prints; an empty reason opens it again."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        report = for_change(report_id)
        report.settled.filter(point=point).delete()
        if report.state == ReportState.READY:
            # It was signed with what it went out with.
            _touched(report)
        if why:
            Settled.objects.create(report=report, point=point, why=why, by=tester)
    return report


def for_change(report_id: int) -> Report:
    """A report, locked. Raises :class:`NotFound`, :class:`Conflict` where it was withdrawn."""
    report = Report.objects.filter(pk=report_id).first()
    if report is None:
        raise NotFound("report")
    report = Report.all_reports.select_for_update().get(pk=report_id)
    if report.state == ReportState.WITHDRAWN:
        raise Conflict("withdrawn", "This report was withdrawn.", hint="Begin another.")
    return report


def block_mark(block: Block) -> str:
    """A mark of what a block holds."""
    return mark_of([block.pk, block.content, block.said])


def title_mark(report: Report) -> str:
    """A mark of its title."""
    return mark_of(["title", report.title])


def whole_mark(report: Report, blocks: Sequence[Block]) -> str:
    """A mark of all that would be published."""
    return mark_of([report.title, [block_mark(block) for block in blocks]])


def _touched(report: Report) -> None:
    """What was signed is no longer what stands in it."""
    report.checked_by = None
    report.state = ReportState.DRAFT
    report.save(update_fields=["title", "state", "checked_by"])


def _taken(said: prose.Said, key: str, studies: Studies) -> prose.Said:
    if key and key != f"{said.study}:{said.key}":
        return said
    return studies.now(said) or said


def _shown(data: ReportBlockIn) -> dict[str, Any]:
    if data.kind == BlockKind.PROSE.value:
        if data.doc is None or data.study_id is not None:
            raise Problem("no_prose", "Prose is a text and of no study.", field="doc")
        doc, studies = prose.checked(data.doc), Studies()
        for study in {one.study for one in prose.numbers_in(doc)}:
            _study(study)
        return {"content": {"doc": prose.with_numbers(doc, studies.named)}, "study": None}
    if data.rows and data.kind != BlockKind.TABLE.value:
        raise Problem("no_rows", "Rows are chosen of a table.", field="rows")
    if data.doc is not None:
        raise Problem("no_prose", "Only prose is a text.", field="doc")
    return {
        "content": {"look": _look(data.kind, data.look), "caption": data.caption, "rows": data.rows},
        "study": _study_of(data.kind, data.study_id),
    }


def _what_it_says(block: Block) -> dict[str, Any]:
    """What a block comes to. What is not there is refused, except an answer: that may still come."""
    studies = Studies()
    if block.kind in (BlockKind.TRACE, BlockKind.EYE, *OF_THE_HOUSE):
        studies.material(block.kind, block.study_id or 0, Look.of(block.content))
    return studies.says(block)


def _draws_on(report: Report, shown: Shown) -> None:
    """A report draws on the studies that it shows, whose numbers its prose says, or that a log is held against."""
    said = prose.numbers_in(shown.content["doc"]) if "doc" in shown.content else []
    drawn = {one.study for one in said} | ({shown.study_id} if shown.study_id else set())
    house = Look.of(shown.content).house
    report.studies.add(*drawn, *(Studies().house(house).studies if house is not None else ()))


def _study_of(kind: str, study_id: int | None) -> Study | None:
    """The study that a block of this kind is of; none of those that show what the house keeps beside them."""
    if kind in OF_THE_HOUSE:
        if study_id is not None:
            raise Problem("of_no_study", "This is of no study.", field="study_id")
        return None
    if study_id is None:
        raise Problem("no_study", "This block shows something of a study: which?", field="study_id")
    return _study(study_id)


def _study(study_id: int) -> Study:
    found = Study.objects.filter(pk=study_id).first()
    if found is None:
        raise NotFound("study")
    return found


def _block(report: Report, block_id: int) -> Block:
    blocks = Block.objects.select_for_update(of=("self",)).select_related("by")
    found = blocks.filter(report=report, pk=block_id).first()
    if found is None:
        raise NotFound("block in this report")
    return found


def _place_behind(blocks: Sequence[Block], after: int | None) -> int:
    if after is None:
        return 1
    found = next((one for one in blocks if one.pk == after), None)
    if found is None:
        raise NotFound("block in this report")
    return found.place + 1


def _look(kind: str, look: LookIn | None) -> dict[str, Any]:
    """What is looked at, as it is kept with a block of that kind."""
    trace = look.trace if look is not None else None
    if (kind == BlockKind.TRACE) != (trace is not None):
        raise Problem("no_trace", "Frame times are of passes of a test, and nothing else is.", field="look")
    eye = look.eye if look is not None else None
    if (kind == BlockKind.EYE) != (eye is not None):
        raise Problem("no_step", "What the eye gets is from one lane to another, and nothing else is.", field="look")
    if trace is not None and len({one.pass_id for one in trace.passes}) < len(trace.passes):
        raise Problem("pass_twice", "A pass stands once among frame times.", field="look")
    for name in OF_THE_HOUSE:
        if (kind == name) != (look is not None and getattr(look, name) is not None):
            raise Problem("no_look", f"{BlockKind(name).label} is what such a block shows, and no other.", field="look")
    return look.dict(exclude_none=True) if look is not None else {}


def _at_an_address_of_its_own(report: Report) -> Report:
    """Keep a report that is new under a name that no other has, also where two are begun at once."""
    base = slugify(report.title)[:64] or "report"
    # Under that name stand those that are not open yet.
    base = f"{base}-report" if base == "early" else base
    reports = Report.all_reports
    taken = set(reports.filter(slug__startswith=base).values_list("slug", flat=True))
    for slug in chain([base], (f"{base}-{number}" for number in count(2))):
        if slug in taken:
            continue
        report.slug = slug
        try:
            with transaction.atomic():
                report.save()
        except IntegrityError:
            if not reports.filter(slug=slug).exists():
                raise
            continue
        return report
    raise AssertionError
