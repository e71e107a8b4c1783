"""The answer to a study of another kind than A against B, as the core gives it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from problems import NotFound, Problem
from rennbahn import comparing
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.words import level_words
from rennbahn.errors import RennbahnError
from rennbahn.kinds import answer_of
from rennbahn.kinds.answer import sentence_parts
from studies.queries import groups_of, with_lanes_and_tests

from findings.against import joined
from findings.facts import KINDS, aims_of, lanes_told, passes_told, prices_of, tests_told
from findings.queries import Answer, Asked

#: So many wanted rates are asked about at once.
MOST_TARGETS = 8


def kind_answer(study_id: int, targets: Sequence[float] = (), older: int | None = None) -> dict[str, Any]:
    """The answer of a study's own kind as plain data of the form of `AnswerOut`; a ladder with the lanes of an `older`
    study, where one is named.

    Raises :class:`NotFound`, or :class:`Problem` where lanes lack what their kind needs.
    """
    study = with_lanes_and_tests().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    if len(targets) > MOST_TARGETS:
        raise Problem("too_many", f"At most {MOST_TARGETS} rates are asked about at once.", field="targets")
    try:
        laid = Answer(study, Asked())
        core = core_study(laid, targets)
        beside: list[dict[str, Any]] = []
        if older is not None:
            core, beside = joined(core, laid, older)
        found = answer_of(Sheet(core))
    except Problem:
        raise
    except RennbahnError as error:
        raise Problem("no_answer", _said(error), field="lanes") from None
    groups = {group.key: group.words for group in groups_of(study)}
    own = [block | {"group_words": groups.get(block.get("group") or "", "")} for block in found.blocks]
    blocks = {name: own if name == found.kind else [] for name in KINDS.values()}
    return {
        "kind": found.kind, "sentence": sentence_parts(found.sentence) if found.sentence else None,
        "interval_words": level_words(core.method), **blocks,
        "currency": prices_of(list(study.lanes.all()))[1], "joined": beside,
    }  # fmt: skip


def core_study(laid: Answer, targets: Sequence[float] = ()) -> comparing.Study:
    """A study that was laid out, as the core answers it: with all that is told of lanes, tests and passes."""
    study = laid.study
    core = laid.core_study(passes_told(study, laid.passes))
    return replace(
        core,
        kind=KINDS.get(study.kind, "a_b"),  # type: ignore[call-overload]
        lanes=lanes_told(study, laid.lanes),
        tests=tests_told(study, laid.all_tests),
        aims=aims_of(study, targets),
    )


def _said(error: RennbahnError) -> str:
    return error.message[0].upper() + error.message[1:] + "."
