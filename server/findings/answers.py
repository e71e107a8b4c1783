"""The answer to a study of another kind than A against B, as the core gives it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from problems import Problem
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.words import level_words
from rennbahn.errors import RennbahnError
from rennbahn.kinds import answer_of
from rennbahn.kinds.answer import sentence_parts

from findings.facts import KINDS, aims_of, prices_of
from findings.joining import looked_record
from findings.record import StudyRecord

#: So many wanted rates are asked about at once.
MOST_TARGETS = 8


def kind_answer(study_id: int, targets: Sequence[float] = (), older: int | None = None) -> dict[str, Any]:
    """The answer of a study's own kind as plain data of the form of `AnswerOut`; with the lanes of an `older` study,
    where one is named.

    Raises :class:`NotFound`, or :class:`Problem` where lanes lack what their kind needs.
    """
    if len(targets) > MOST_TARGETS:
        raise Problem("too_many", f"At most {MOST_TARGETS} rates are asked about at once.", field="targets")
    record = looked_record(study_id, older)
    return record.answered(("answer", tuple(targets)), lambda: _answer(record, targets))


def _answer(record: StudyRecord, targets: Sequence[float]) -> dict[str, Any]:
    try:
        sheet = record.pooled
        core = replace(sheet.study, aims=aims_of(record.study, targets)) if targets else sheet.study
        found = answer_of(sheet if core is sheet.study else Sheet(core))
    except Problem:
        raise
    except RennbahnError as error:
        raise Problem("no_answer", _said(error), field="lanes") from None
    groups = {group.key: group.words for group in record.groups}
    own = [block | {"group_words": groups.get(block.get("group") or "", "")} for block in found.blocks]
    # The group that the question names is answered first.
    own.sort(key=lambda block: block.get("group") != record.asked_group)
    sentence = sentence_parts(found.sentence) if found.sentence else None
    if own and own[0].get("group") == record.asked_group:
        sentence = own[0]["sentence"]
    blocks = {name: own if name == found.kind else [] for name in KINDS.values()}
    return {
        "kind": found.kind, "sentence": sentence,
        "interval_words": level_words(core.method), **blocks,
        "currency": prices_of(record.lanes)[1], "joined": record.beside(),
    }  # fmt: skip


def _said(error: RennbahnError) -> str:
    return error.message[0].upper() + error.message[1:] + "."
