"""What stands beside an answer: how it would move, what was thrown out, what is odd but real, which session shifted."""

from __future__ import annotations

from collections.abc import Sequence

from doubting.models import How, Settled, WideDoubt
from problems import NotFound
from rennbahn import comparing
from rennbahn.comparing.model import ACCEPTED, AVERAGE
from rennbahn.comparing.moves import left_out, moved, moved_words, shift_words, taken_in, without_shift
from rennbahn.comparing.rejections import rejections_of, rejections_words
from rennbahn.comparing.suite import Suite
from studies.models import Pass, PassState
from studies.queries import group_key

from findings.queries import Answer, Asked, answer_for
from findings.schemas import (
    BesideOut,
    LaneRef,
    MovedOut,
    OddOut,
    RejectedOut,
    RejectionsOut,
    ShiftOut,
    WhatIfIn,
    WhatIfOut,
)


def beside(study_id: int, asked: Asked) -> BesideOut:
    """What stands beside the findings of a pair of lanes in a group. Raises :class:`NotFound`."""
    answer = answer_for(study_id, asked)
    return BesideOut(
        rejections=_rejections(answer, answer.passes, _rejected_in(answer)), odd=_odd(answer), shifts=_shifts(answer)
    )


def what_if(study_id: int, data: WhatIfIn) -> WhatIfOut:
    """How the findings would move were these passes rejected, or accepted. Raises :class:`NotFound`."""
    ids = set(data.pass_ids)
    passes = list(Pass.objects.filter(pk__in=ids, test__study=study_id).select_related("lane", "test__condition"))
    if len(passes) < len(ids):
        raise NotFound("pass in this study")
    answer = answer_for(study_id, _pair_for(passes))
    names = {str(pk) for pk in ids}
    rejected = _rejected_in(answer)
    if data.state == "rejected":
        after = left_out(answer.passes, names)
        out = rejected | names
    else:
        after = taken_in(answer.passes, names)
        out = rejected - names
    figures = [answer.figures[key] for key in ("average", "low_1")]
    average, low_1 = (
        _moved(answer, figure, suite)
        for figure, suite in zip(figures, answer.suites_with(after, *figures), strict=True)
    )
    return WhatIfOut(
        baseline=LaneRef(id=answer.baseline.pk, name=answer.baseline.name, marker=answer.baseline.position),
        other=LaneRef(id=answer.other.pk, name=answer.other.name, marker=answer.other.position),
        group=answer.group,
        counted=sum(one.id in names and one.status == ACCEPTED for one in answer.passes),
        average=average,
        low_1=low_1,
        rejections=_rejections(answer, after, out),
    )


def _pair_for(passes: Sequence[Pass]) -> Asked:
    """The pair that shows most of what some passes do: their lane against the baseline, in their group."""
    lane = next((one.lane_id for one in passes if not one.lane.baseline), None)
    return Asked(other=lane, group=group_key(passes[0].test.condition))


def _moved(answer: Answer, figure: str, after: Suite) -> MovedOut:
    found = moved(answer.suite_of(figure), after, answer.method, figure)
    return MovedOut(
        figure=figure, before=found.before, after=found.after, before_verdict=found.before_verdict,
        after_verdict=found.after_verdict, words=moved_words(found, answer.baseline.name, answer.other.name),
    )  # fmt: skip


def _rejected_in(answer: Answer) -> set[str]:
    """Ids of the passes of the group that were rejected."""
    out = Pass.objects.filter(test__in=answer.tests, state=PassState.REJECTED)
    return {str(pk) for pk in out.values_list("pk", flat=True)}


def _rejections(answer: Answer, passes: Sequence[comparing.Pass], rejected: set[str]) -> RejectedOut:
    figure = answer.figures["average" if answer.study.leading == AVERAGE else "low_1"]
    tests = {str(test.pk) for test in answer.tests}
    within = [one for one in passes if one.test in tests]
    found = rejections_of(
        answer.record.core.lanes,
        [one for one in within if one.status == ACCEPTED],
        [one for one in within if one.id in rejected],
        figure,
    )
    return RejectedOut(
        lanes=[
            RejectionsOut(lane_id=int(one.lane), count=one.count, raising=one.raising, lowering=one.lowering)
            for one in found
        ],
        words=rejections_words(found, answer.lane_names),
    )


def _odd(answer: Answer) -> list[OddOut]:
    """Accepted passes that are odd, but real, with what was found odd about them."""
    rows = (
        Settled.objects.filter(
            study=answer.study, how=How.ODD, taken_back_at=None, on_pass__state=PassState.ACCEPTED,
            on_pass__test__in=answer.tests,
        )
        .order_by("on_pass__test__position", "on_pass__lane__position", "on_pass__number", "pk")
        .values_list("on_pass", "on_pass__test", "on_pass__lane", "on_pass__number", "words")
    )  # fmt: skip
    return [OddOut(pass_id=pk, test_id=test, lane_id=lane, number=n, words=words) for pk, test, lane, n, words in rows]


def _shifts(answer: Answer) -> list[ShiftOut]:
    """Sessions that ran shifted as a whole, each with what taking the shift off would do to the answer."""
    settled = set(
        Settled.objects.filter(study=answer.study, on_pass=None, taken_back_at=None).values_list("key", flat=True)
    )
    figure = answer.figures["average"]
    found = []
    for one in WideDoubt.objects.filter(study=answer.study, check_id="offset"):
        share, by = float(one.evidence["shift"]), str(one.evidence["by"])
        after = without_shift(answer.passes, {str(pk) for pk in one.passes}, share)
        told = moved(answer.suite_of(figure), answer.suites_with(after, figure)[0], answer.method, figure)
        session = f"Session {one.evidence['session']}"
        words = shift_words(session, share, by, told, answer.baseline.name, answer.other.name)
        found.append(ShiftOut(key=one.key, passes=len(one.passes), settled=one.key in settled, words=words))
    return found
