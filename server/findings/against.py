"""Two studies of one question beside each other, with what differs between them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from bench.models import SetupVersion
from problems import Problem
from rennbahn.kinds.against import beside, beside_words
from rennbahn.plain import plain
from studies.models import Lane, Test
from studies.schemas import Method

from findings.joining import matched, setup_differences, told_value
from findings.queries import Answer, Asked, answer_for
from findings.record import KINDS


def against(study_id: int, other_id: int, asked: Asked, theirs: Asked) -> dict[str, Any]:
    """This study beside another as plain data of the form of `AgainstOut`. Raises :class:`NotFound`."""
    if study_id == other_id:
        raise Problem("same_study", "A study stands beside another one, not beside itself.", field="other_study")
    here, there = answer_for(study_id, asked), answer_for(other_id, theirs)
    same = [(str(a.pk), str(b.pk)) for a, b in matched(here.tests, there.all_tests)]
    figures = []
    for key in KINDS:
        found = beside(here.sheet, here.pair, there.sheet, there.pair, here.figures[key], same)
        figures.append(plain(found) | {"words": beside_words(found)})
    return {
        "study_id": there.study.pk, "question": there.study.question, "baseline": _lane(there.baseline),
        "other": _lane(there.other), "lanes": [_lane(lane) for lane in there.lanes], "figures": figures,
        "differences": list(_differences(here, there)),
    }  # fmt: skip


def _lane(lane: Lane) -> dict[str, Any]:
    return {"id": lane.pk, "name": lane.name, "marker": lane.position}


def _differences(here: Answer, there: Answer) -> Iterable[str]:
    """What differs between two studies beside their results: when, how, with what."""
    yield f"asked on {here.study.created_at:%d %b %Y} here, on {there.study.created_at:%d %b %Y} there"
    for name in Method.model_fields:
        a, b = getattr(here.study, name), getattr(there.study, name)
        if a != b:
            yield f"{name.replace('_', ' ')}: {told_value(a)} here, {told_value(b)} there"
    for mine, their in ((here.baseline, there.baseline), (here.other, there.other)):
        yield from (f"{mine.name} and {their.name}: {one}" for one in _setups(mine.setup_version, their.setup_version))
    yield from _scenes(here.tests, there.all_tests)


def _setups(a: SetupVersion, b: SetupVersion) -> Iterable[str]:
    """Parts and settings that two setups do not share, in words."""
    for name, mine, their in setup_differences(a, b):
        yield f"{name.lower()} {mine} here, {their} there"


def _scenes(tests: Iterable[Test], others: Iterable[Test]) -> Iterable[str]:
    """Scenes that were described anew between the studies."""
    known = {(test.scene.game_id, test.scene.name.lower()): test.scene for test in others}
    for test in tests:
        other = known.get((test.scene.game_id, test.scene.name.lower()))
        if other is not None and other.version != test.scene.version:
            versions = f"version {test.scene.version} here, {other.version} there"
            yield f"{test.scene.game.name}, {test.scene.name}: {versions}"
