"""An answer in parts, as the core gives it: sets of games as suites of their own, changes, what each test weighs."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Any

from bench.models import Part
from rennbahn.kinds.parts import change_words, changes, influences, part_suites, part_words
from rennbahn.plain import plain
from studies.models import Lane, Test

from findings.queries import Answer, Asked, answer_for

_FIGURES = ("average", "low_1")


def parts_of(study_id: int, asked: Asked) -> dict[str, Any]:
    """The parts of an answer as plain data of the form of `PartsOut`. Raises :class:`NotFound`."""
    laid = answer_for(study_id, asked)
    return laid.record.answered(("parts", asked), lambda: _parts(laid))


def _parts(laid: Answer) -> dict[str, Any]:
    figures = [laid.figures[key] for key in _FIGURES]
    leading = laid.figures["average" if laid.study.leading == "average_fps" else "low_1"]
    sets = _sets(laid)
    groups = {group.key: group.words for group in laid.groups}
    a, b = laid.baseline.name, laid.other.name
    suites = [part_suites(laid.sheet, laid.pair, figure, laid.group, sets) for figure in figures]
    turns = [changes(laid.sheet, laid.pair, figure) for figure in figures if figure in laid.sheet.figure_at]
    return {
        "parts": [
            {"name": both[0].name, **{key: plain(one) | {"words": part_words(one)}
                                      for key, one in zip(_FIGURES, both, strict=True)}}
            for both in zip(*suites, strict=True)
            # One test is no set: it stands in the margins.
            if max(one.tests for one in both) > 1
        ],
        "changes": [
            plain(one) | {"words": change_words(one, groups, a, b)} for each in zip(*turns, strict=True) for one in each
        ],
        "influence": plain(influences(laid.sheet, laid.pair, leading, laid.group)),
    }  # fmt: skip


def _sets(laid: Answer) -> dict[str, list[str]]:
    """Named sets of the tests of a study: what the magazine calls its games, and what is written down of them."""
    sets: dict[str, list[str]] = {}
    newer = _newer_than_driver(laid.lanes)
    for test in laid.all_tests:
        for name in _names_of(test, newer):
            sets.setdefault(name, []).append(str(test.pk))
    named = {mark for test in laid.all_tests for mark in test.scene.game.marks}
    # What the magazine names is told first.
    return {name: sets[name] for name in sorted(sets, key=lambda one: one not in named)}


def _names_of(test: Test, newer: set[str]) -> Iterable[str]:
    game = test.scene.game
    yield from game.marks
    if game.name.lower() in newer:
        yield "newer than the driver"
    yield from (f"leans on the {side}" for side in test.scene.leans_on)
    if game.genre:
        yield f"genre: {game.genre}"
    if test.condition.api:
        yield f"API: {test.condition.api}"


def _newer_than_driver(lanes: list[Lane]) -> set[str]:
    """Games whose build in these setups came out after the newest driver of any of them."""
    parts = [part for lane in lanes for part in lane.setup_version.parts.all()]
    drivers = [day for part in parts if part.kind == "driver" and (day := _day(part)) is not None]
    if not drivers:
        return set()
    return {
        str(part.facts.get("game", "")).lower()
        for part in parts
        if part.kind == "build" and (day := _day(part)) is not None and day > max(drivers)
    }


def _day(part: Part) -> date | None:
    told = part.facts.get("date")
    return date.fromisoformat(told) if isinstance(told, str) else None
