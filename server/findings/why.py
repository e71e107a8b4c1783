"""Why a number is what it is, with the passes of this study by their ids."""

from __future__ import annotations

from typing import Any

from problems import NotFound
from rennbahn.comparing.cells import Sheet
from rennbahn.kinds.why import why_level, why_margin, why_suite
from rennbahn.plain import plain
from studies.models import StudyKind

from findings.answers import core_study
from findings.queries import KINDS, Asked, answer_for


def why(study_id: int, asked: Asked, figure: str, test: int | None, lane: int | None) -> dict[str, Any]:
    """The derivation of a margin in a test, of the suite of a group, or of a lane's level, as `WhyOut` has it.

    Raises :class:`NotFound` of a test or a lane that is none of the study's.
    """
    laid = answer_for(study_id, asked)
    if figure not in KINDS:
        raise NotFound("figure")
    name = laid.figures[figure]
    if lane is not None:
        lanes = [str(one.pk) for one in laid.lanes]
        if str(lane) not in lanes:
            raise NotFound("lane in this study")
        core = core_study(laid)
        if laid.study.kind == StudyKind.SWEEP:
            lanes = [one.id for one in core.lanes if not one.facts.rival or one.id == str(lane)]
        sheet = Sheet(core)
        # A lane without any result here stands aside, as it does in the answer.
        own = {test.pk for test in laid.tests}
        ran = {one.lane for one in core.passes if one.status == "accepted" and int(one.test) in own}
        lanes = [one for one in lanes if one in ran or one == str(lane)]
        return plain(why_level(sheet, name, str(lane), lanes, laid.group))  # type: ignore[no-any-return]
    if test is not None:
        if test not in {one.pk for one in laid.all_tests}:
            raise NotFound("test in this study")
        return plain(why_margin(laid.sheet, laid.pair, name, str(test)))  # type: ignore[no-any-return]
    return plain(why_suite(laid.sheet, laid.pair, name, laid.group))  # type: ignore[no-any-return]
