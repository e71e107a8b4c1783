"""Why a number is what it is, with the passes of this study by their ids."""

from __future__ import annotations

from typing import Any

from problems import NotFound
from rennbahn.kinds.why import Contrast, why_contrast, why_level, why_margin, why_suite
from rennbahn.plain import plain
from studies.models import StudyKind

from findings.queries import Answer, answer_for
from findings.record import KINDS
from findings.schemas import AskedWhy


def why(study_id: int, number: AskedWhy) -> dict[str, Any]:
    """The derivation of a number, as `WhyOut` has it.

    Raises :class:`NotFound` of a test or a lane that is none of the study's.
    """
    laid = answer_for(study_id, number.asked())
    return laid.record.answered(("why", number.model_dump_json()), lambda: _why(laid, number))


def _why(laid: Answer, number: AskedWhy) -> dict[str, Any]:
    test, lane = number.test, number.lane
    if number.figure not in KINDS:
        raise NotFound("figure")
    name = laid.figures[number.figure]
    if test is not None and test not in {one.pk for one in laid.all_tests}:
        raise NotFound("test in this study")
    if number.plus or number.minus:
        return _contrast(laid, name, number)
    if lane is not None:
        lanes = [str(one.pk) for one in laid.lanes]
        if str(lane) not in lanes:
            raise NotFound("lane in this study")
        if laid.study.kind == StudyKind.SWEEP:
            lanes = [one.id for one in laid.record.core.lanes if not one.facts.rival or one.id == str(lane)]
        return plain(why_level(laid.sheet, name, str(lane), lanes, laid.group))  # type: ignore[no-any-return]
    if test is not None:
        return plain(why_margin(laid.sheet, laid.pair, name, str(test)))  # type: ignore[no-any-return]
    return plain(why_suite(laid.sheet, laid.pair, name, laid.group))  # type: ignore[no-any-return]


def _contrast(laid: Answer, figure: str, number: AskedWhy) -> dict[str, Any]:
    """Lanes over lanes, over the tests of the group, or one of them."""
    known = {str(lane.pk) for lane in laid.lanes}
    plus, minus = (side.split(",") for side in (number.plus, number.minus))
    if not {*plus, *minus} <= known:
        raise NotFound("lane in this study")
    of = Contrast(plus, minus, number.per, number.at_once)
    # Over all tests an answer stands on those that all of its lanes have.
    tests, among = [str(test.pk) for test in laid.tests], [str(lane.pk) for lane in laid.lanes]
    if number.test is not None:
        tests, among = [str(number.test)], []
    found: dict[str, Any] = plain(why_contrast(laid.record.pooled, figure, of, tests, among))
    return found
