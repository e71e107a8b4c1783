"""Reports at three stages: one published and corrected, one under embargo, and a draft whose number changed.

A price was typed wrongly, published, found by a reader, and corrected; a draft that was begun before says it still.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from decimal import Decimal
from typing import Any

import clock
from bench.models import Part
from bench.schemas import PartIn
from bench.services import edit_part
from django.contrib.auth.models import User
from reports.models import Report
from reports.publishing import ask_check, publish, sign
from reports.queries import numbers_of, one_report
from reports.schemas import EyeLookIn, KeepIn, LookIn, PublishIn, ReportBlockIn
from reports.services import add_block, begin, keep, settle, take_over
from studies.models import Study

from demo import hardware

LADDER, FANS = "Which of five cards suits a shared flat?", "Does the quiet fan profile cost frames?"
PRESETS = "What does each preset cost a living-room computer?"
_CARD, _WRONG = "Tellur 60", Decimal("399.00")
_OWN = LookIn(own=True)
Node = dict[str, Any]


def tell(lead: User, tester: User) -> None:
    """Write them, publish two, and correct one."""
    ladder, fans = (Study.objects.get(question=question) for question in (LADDER, FANS))
    right = _price(lead, _WRONG)
    cards = _article(
        tester, ladder, "Five cards for a shared flat",
        [
            _prose("Four people, one computer, one bill. Whoever buys the card pays for everybody’s evenings, so it "
                   "was asked what a card has to cost before all four games run as they should."),
            ReportBlockIn(kind="answer", study_id=ladder.pk, look=_OWN),
            ReportBlockIn(kind="picture", study_id=ladder.pk, look=_OWN),
            _said(ladder, tester, [f"The {_CARD} costs ", f"price {_CARD}", " and runs at ", f"average fps of {_CARD}",
                                   " over all. A frame a second costs ", f"cost of a frame a second {_CARD}", "."]),
            ReportBlockIn(kind="table", study_id=ladder.pk, look=_OWN),
            ReportBlockIn(kind="readers", study_id=ladder.pk),
            ReportBlockIn(kind="method", study_id=ladder.pk),
        ],
    )  # fmt: skip
    draft = begin(tester, ladder.pk, "What a frame costs this autumn")
    for block in (
        _prose("Prices have moved since the summer. This is what a frame a second costs now."),
        _said(ladder, tester, [f"The {_CARD} is at ", f"price {_CARD}", " today."], draft),
    ):
        add_block(tester, draft.pk, block, _last(draft))
    keep(tester, draft.pk, KeepIn(kind="picture", study_id=ladder.pk, look=_OWN,
                                  way=f"/studies/{ladder.pk}/findings"))  # fmt: skip
    _publish(lead, tester, cards)
    _price(lead, right)
    take_over(tester, cards.pk, None, "")
    _publish(lead, tester, cards, why=f"A reader saw that the {_CARD} stood here with the price of another shop")
    quiet = _article(
        tester, fans, "The quiet profile costs you nothing you would see",
        [
            ReportBlockIn(kind="answer", study_id=fans.pk),
            _prose("Nobody hears the computer any more. What does that cost in frames?"),
            ReportBlockIn(kind="picture", study_id=fans.pk),
            ReportBlockIn(kind="method", study_id=fans.pk),
        ],
    )  # fmt: skip
    _publish(lead, tester, quiet, opens_in=timedelta(days=9))
    presets = Study.objects.get(question=PRESETS)
    low, medium, *_ = presets.lanes.all()
    step = LookIn(eye=EyeLookIn(from_lane=low.pk, to_lane=medium.pk))
    couch = _article(
        tester, presets, "Medium is what the couch sees",
        [
            ReportBlockIn(kind="answer", study_id=presets.pk, look=_OWN),
            _prose("Numbers tell what a preset costs. What one gets for it is seen with the eye, from where one sits."),
            ReportBlockIn(kind="eye", study_id=presets.pk, look=step),
            ReportBlockIn(kind="table", study_id=presets.pk, look=_OWN),
            ReportBlockIn(kind="method", study_id=presets.pk),
        ],
    )  # fmt: skip
    _publish(lead, tester, couch)


def _price(lead: User, price: Decimal) -> Decimal:
    """Give the card a price; the one that it had."""
    part = Part.objects.get(name=_CARD)
    before = part.price or Decimal(0)
    told = next(one for one in hardware.PARTS if one.name == _CARD)
    edit_part(lead, part.pk, PartIn(**(told.dict() | {"price": price})))
    return before


def _article(tester: User, study: Study, title: str, blocks: Sequence[ReportBlockIn]) -> Report:
    report = begin(tester, study.pk, title)
    for block in blocks:
        add_block(tester, report.pk, block, _last(report))
    return report


def _publish(lead: User, tester: User, report: Report, why: str = "", opens_in: timedelta | None = None) -> None:
    """As a house does: asked for, settled and signed by the one who wrote none of it, and published."""
    ask_check(tester, report.pk)
    for point in one_report(report.pk).points:
        if not point.why:
            settle(lead, report.pk, point.words, "Told in the article; it changes no verdict.")
    seen = one_report(report.pk).seen
    sign(lead, report.pk, seen)
    opens = None if opens_in is None else (clock.now() + opens_in).replace(hour=13, minute=0, second=0, microsecond=0)
    publish(lead, report.pk, PublishIn(seen=seen, why=why, opens_at=opens))


def _last(report: Report) -> int | None:
    last = report.blocks.last()
    return last.pk if last else None


def _said(study: Study, tester: User, parts: Sequence[str], report: Report | None = None) -> ReportBlockIn:
    """Prose in which every second part is a live number, found by its words."""
    own = report or begin(tester, study.pk, "To look numbers up")
    inside: list[Node] = []
    for at, part in enumerate(parts):
        if at % 2 == 0:
            inside.append({"type": "text", "text": part})
            continue
        found = numbers_of(own.pk, part)[0]
        told = {"study": found.study_id, "key": found.key, "of": found.of, "text": found.text}
        inside.append({"type": "number", "attrs": told})
    if report is None:
        own.delete()
    return _doc(inside)


def _prose(words: str) -> ReportBlockIn:
    return _doc([{"type": "text", "text": words}])


def _doc(inside: list[Node]) -> ReportBlockIn:
    return ReportBlockIn(kind="prose", doc={"type": "doc", "content": [{"type": "paragraph", "content": inside}]})
