"""Two studies of one question beside each other, with what differs between them; and older results taken along."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from bench.models import SetupVersion
from problems import Problem
from rennbahn import comparing
from rennbahn.comparing.joining import DECIDES, other_figures, same_tests
from rennbahn.kinds.against import beside, beside_words
from rennbahn.plain import plain
from studies.models import Lane, Study, Test
from studies.schemas import Method

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


def matched(tests: Iterable[Test], others: Iterable[Test]) -> list[tuple[Test, Test]]:
    """Tests of two studies that are the same one: the same version of a scene under the same condition."""
    mine, theirs = ([((test.scene_id, test.condition_id), test) for test in some] for some in (tests, others))
    return same_tests(mine, theirs)


def _lane(lane: Lane) -> dict[str, Any]:
    return {"id": lane.pk, "name": lane.name, "marker": lane.position}


def _differences(here: Answer, there: Answer) -> Iterable[str]:
    """What differs between two studies beside their results: when, how, with what."""
    yield f"asked on {here.study.created_at:%d %b %Y} here, on {there.study.created_at:%d %b %Y} there"
    for name in Method.model_fields:
        a, b = getattr(here.study, name), getattr(there.study, name)
        if a != b:
            yield f"{name.replace('_', ' ')}: {_told(a)} here, {_told(b)} there"
    for mine, their in ((here.baseline, there.baseline), (here.other, there.other)):
        yield from (f"{mine.name} and {their.name}: {one}" for one in _setups(mine.setup_version, their.setup_version))
    yield from _scenes(here.tests, there.all_tests)


def _told(value: Any) -> str:
    return str(value).replace("_", " ") if value not in (None, "") else "not said"


def _setups(a: SetupVersion, b: SetupVersion) -> Iterable[str]:
    """Parts and settings that two setups do not share."""
    parts = [_by_kind(version) for version in (a, b)]
    for kind in dict.fromkeys([*parts[0], *parts[1]]):
        mine, their = (" and ".join(own.get(kind, ["none"])) for own in parts)
        if mine != their:
            yield f"{kind} {mine} here, {their} there"
    settings = [{one.name: one.value for one in version.settings.all()} for version in (a, b)]
    for name in dict.fromkeys([*settings[0], *settings[1]]):
        mine, their = (own.get(name, "not said") for own in settings)
        if mine != their:
            yield f"{name.lower()} {mine} here, {their} there"


def _by_kind(version: SetupVersion) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for part in version.parts.all():
        found.setdefault(part.kind, []).append(part.name)
    return found


def _scenes(tests: Iterable[Test], others: Iterable[Test]) -> Iterable[str]:
    """Scenes that were described anew between the studies."""
    known = {(test.scene.game_id, test.scene.name.lower()): test.scene for test in others}
    for test in tests:
        other = known.get((test.scene.game_id, test.scene.name.lower()))
        if other is not None and other.version != test.scene.version:
            versions = f"version {test.scene.version} here, {other.version} there"
            yield f"{test.scene.game.name}, {test.scene.name}: {versions}"


def joined(core: comparing.Study, laid: Answer, older_id: int) -> tuple[comparing.Study, list[dict[str, Any]]]:
    """A study with the lanes of an older one beside its own, in the tests that are the same one, and what is to be said
    of each. Raises :class:`Problem` where their figures are not the same figures.
    """
    if older_id == laid.study.pk:
        raise Problem("same_study", "A study is joined with another one, not with itself.", field="joined")
    older = answer_for(older_id, Asked())
    here, there = ({name: getattr(one, name) for name in DECIDES} for one in (laid.study, older.study))
    name = other_figures(here, there)
    if name is not None:
        raise Problem(
            "method_differs",
            f"“{older.study.question}” was measured with another {name.replace('_', ' ')} ({_told(there[name])}, here "
            f"{_told(here[name])}): its results are not joined.",
            field="joined", hint="Give both studies one method, and their figures are made anew.",
        )  # fmt: skip
    same = {str(theirs.pk): str(own.pk) for own, theirs in matched(laid.all_tests, older.all_tests)}
    if not same:
        raise Problem(
            "no_common_test", f"No test of “{older.study.question}” is one of this study’s.", field="joined",
            hint="A test is the same one where scene, its version and condition are.",
        )  # fmt: skip
    # Sessions of another study are sessions of their own, whenever they began.
    passes = [
        replace(
            one, test=same[one.test], id=f"older {one.id}",
            session=None if one.session is None else f"older {one.session}",
        )
        for one in older.passes
        if one.test in same
    ]  # fmt: skip
    whole = replace(core, lanes=(*core.lanes, *older.record.core.lanes), passes=(*core.passes, *passes))
    return whole, [_joined_lane(laid.study, older.study, lane, len(same)) for lane in older.lanes]


def _joined_lane(study: Study, older: Study, lane: Lane, tests: int) -> dict[str, Any]:
    days = (study.created_at.date() - older.created_at.date()).days
    drivers = [part.name for part in lane.setup_version.parts.all() if part.kind == "driver"]
    age = "1 day" if abs(days) == 1 else f"{abs(days)} days"
    when = f"{age} {'older' if days > 0 else 'newer'}" if days else "of the same day"
    driver = f", driver {' and '.join(drivers)}" if drivers else ", driver not said"
    return {
        "lane_id": lane.pk, "name": lane.name, "study_id": older.pk,
        "words": f"{lane.name}, from “{older.question}”: {when}{driver}, same scenes in {tests} of its tests",
    }  # fmt: skip
