"""Older results taken along: the lanes of another study beside one's own, in the tests that are the same one."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from bench.models import SetupVersion
from problems import Problem
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.joining import DECIDES, other_figures, same_tests
from rennbahn.comparing.sentences import listed
from rennbahn.parts import KINDS, kind_meant
from rennbahn.planning.levels import Level, level_of
from studies.models import Lane, Study, StudyKind, Test
from studies.queries import lane_out

from findings.facts import lanes_told
from findings.record import StudyRecord, record_of

#: Kinds of part that make a machine: where they differ, lanes are no levels of one another.
_HARDWARE = {
    "card", "processor", "memory", "board", "drive", "cooler", "supply", "case", "machine", "display", "adapter",
}  # fmt: skip
_LABELS = {kind.id: kind.label for kind in KINDS}
#: So many differences of a setup are named.
_NAMED = 4


def looked_record(study_id: int, older_id: int | None) -> StudyRecord:
    """The record of a study, with the lanes of an older one where one is named.

    Raises :class:`NotFound`, and :class:`Problem` where their figures are not the same figures.
    """
    record = record_of(study_id)
    if older_id is None:
        return record
    if older_id == study_id:
        raise Problem("same_study", "A study is joined with another one, not with itself.", field="joined")
    older = record_of(older_id)
    # Kept as long as both are as they are.
    with record.lock:
        kept = record.joins.get(older_id)
        if kept is None or kept.older is not older:
            kept = record.joins[older_id] = JoinedRecord(record, older)
    return kept


@dataclass(frozen=True)
class Joined:
    """A lane of an older study: in words what is to be said of it, and whether it takes part."""

    lane: Lane
    words: str
    takes_part: bool


class JoinedRecord(StudyRecord):
    """The record of a study with the lanes of an older one."""

    def __init__(self, own: StudyRecord, older: StudyRecord) -> None:
        self.__dict__.update({name: value for name, value in vars(own).items() if name != "pooled"})
        self.older = older
        same = _same_tests(own, older)
        self.joined = [_looked_at(own, older, lane, len(same)) for lane in older.lanes]
        lanes = [one.lane for one in self.joined if one.takes_part]
        if not lanes:
            raise Problem(
                "no_lane_joins", f"No lane of “{older.study.question}” joins this study: {self.joined[0].words}.",
                field="joined", hint="Look at the two studies beside each other instead.",
            )  # fmt: skip
        ids = {str(lane.pk) for lane in lanes}
        self.lanes = [*own.lanes, *lanes]
        self.lane_names = own.lane_names | {str(lane.pk): _name(lane) for lane in lanes}
        # Sessions of another study are sessions of their own, whenever they began.
        self.passes = [
            *own.passes,
            *(
                replace(
                    one, test=same[one.test], id=f"older {one.id}",
                    session=None if one.session is None else f"older {one.session}",
                )
                for one in older.passes
                if one.test in same and one.lane in ids
            ),
        ]  # fmt: skip
        told = lanes_told(own.study, self.lanes, {lane.pk: _levels(own.study, lane) for lane in lanes})
        self.core = replace(
            own.core, passes=tuple(self.passes),
            lanes=tuple(
                replace(one, name=self.lane_names[one.id], facts=_as_rival(own, lane, one.facts))
                for one, lane in zip(told, self.lanes, strict=True)
            ),
        )  # fmt: skip
        self.sheet = Sheet(self.core)
        self.lock = threading.RLock()
        self._blocks, self._answers, self.joins = {}, OrderedDict(), {}

    def beside(self) -> list[dict[str, Any]]:
        """The older lanes as the API tells of them."""
        found = []
        for at, one in enumerate(self.joined):
            lane = lane_out(one.lane)
            lane.name, lane.baseline, lane.position = _name(one.lane), False, len(self.lanes) + at
            found.append({
                "lane_id": one.lane.pk, "name": one.lane.name, "study_id": self.older.study.pk, "words": one.words,
                "takes_part": one.takes_part, "lane": lane.model_dump(),
            })  # fmt: skip
        return found


def matched(tests: Iterable[Test], others: Iterable[Test]) -> list[tuple[Test, Test]]:
    """Tests of two studies that are the same one: the same version of a scene under the same condition."""
    mine, theirs = ([((test.scene_id, test.condition_id), test) for test in some] for some in (tests, others))
    return same_tests(mine, theirs)


def setup_differences(a: SetupVersion, b: SetupVersion) -> Iterable[tuple[str, str, str]]:
    """Parts and settings that two setups do not share: what it is, and what each has."""
    parts = [_by_kind(version) for version in (a, b)]
    for kind in dict.fromkeys([*parts[0], *parts[1]]):
        mine, their = (" and ".join(own.get(kind, ["none"])) for own in parts)
        if mine != their:
            yield kind, mine, their
    settings = [{one.name: one.value for one in version.settings.all()} for version in (a, b)]
    for name in dict.fromkeys([*settings[0], *settings[1]]):
        mine, their = (own.get(name, "not said") for own in settings)
        if mine != their:
            yield name, mine, their


def _by_kind(version: SetupVersion) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for part in version.parts.all():
        found.setdefault(part.kind, []).append(part.name)
    return found


def _same_tests(own: StudyRecord, older: StudyRecord) -> dict[str, str]:
    """The own test of each older one that is the same. Raises :class:`Problem` where results are not to be joined."""
    if StudyKind.SCALING in (own.study.kind, older.study.kind):
        raise Problem(
            "kind_differs", "Lanes of a scaling study are conditions of one setup: no other lane is a step of theirs.",
            field="joined", hint="Look at the two studies beside each other instead.",
        )  # fmt: skip
    here, there = ({name: getattr(one.study, name) for name in DECIDES} for one in (own, older))
    name = other_figures(here, there)
    if name is not None:
        raise Problem(
            "method_differs",
            f"“{older.study.question}” was measured with another {name.replace('_', ' ')} ({told_value(there[name])}, "
            f"here {told_value(here[name])}): its results are not joined.",
            field="joined", hint="Give both studies one method, and their figures are made anew.",
        )  # fmt: skip
    same = {str(theirs.pk): str(mine.pk) for mine, theirs in matched(own.tests, older.tests)}
    if not same:
        raise Problem(
            "no_common_test", f"No test of “{older.study.question}” is one of this study’s.", field="joined",
            hint="A test is the same one where scene, its version and condition are.",
        )  # fmt: skip
    return same


def told_value(value: Any) -> str:
    """A field of a method in words."""
    return str(value).replace("_", " ") if value not in (None, "") else "not said"


def _name(lane: Lane) -> str:
    return f"{lane.name} (older)"


def _factors(study: Study) -> list[str]:
    return [factor for factor in (study.factor, study.second_factor) if factor]


def _levels(study: Study, lane: Lane) -> dict[str, Level]:
    """What an older lane stands for by this study's factors: as it said there, else as its setup says."""
    said = {level.factor.lower(): level for level in lane.levels.all()}
    found = {}
    for factor in _factors(study):
        level = said.get(factor.lower())
        if level is not None:
            found[factor] = Level(level.words, level.number, level.unit)
        elif words := _said_by_setup(lane.setup_version, factor):
            found[factor] = level_of(words)
    return found


def _said_by_setup(version: SetupVersion, factor: str) -> str:
    """What a setup says of a factor: its parts of that kind, or the setting of that name; empty without any."""
    kind = kind_meant(factor)
    if kind is not None:
        return " and ".join(part.name for part in version.parts.all() if part.kind == kind.id)
    return next((one.value for one in version.settings.all() if one.name.lower() == factor.lower()), "")


def _crossing(study: Study, levels: Mapping[str, Level]) -> tuple[str, ...]:
    return tuple(levels[factor].words.lower() for factor in _factors(study) if factor in levels)


def _otherwise(own: StudyRecord, lane: Lane) -> list[str]:
    """In what the setup of an older lane differs from the baseline's beside the factors: hardware as its kinds."""
    factors = {factor.lower() for factor in _factors(own.study)}
    baseline = next((one for one in own.lanes if one.baseline), own.lanes[0])
    found = []
    for name, *_ in setup_differences(baseline.setup_version, lane.setup_version):
        label = _LABELS.get(name, name)
        if not {name.lower(), label.lower()} & factors:
            found.append(name if name in _HARDWARE else label.lower())
    return found


def _as_rival(own: StudyRecord, lane: Lane, facts: Any) -> Any:
    """On another machine a lane is no point of a sweep, whatever it is set to: it is a rival."""
    joins_curve = lane.study_id == own.study.pk or not _HARDWARE & set(_otherwise(own, lane))
    return facts if own.study.kind != StudyKind.SWEEP or joins_curve else replace(facts, level=None, rival=True)


def _looked_at(own: StudyRecord, older: StudyRecord, lane: Lane, tests: int) -> Joined:
    """What is to be said of an older lane, and whether it takes part: a crossing of a grid has to be one of its."""
    other = _otherwise(own, lane)
    if own.study.kind == StudyKind.GRID:
        levels = _levels(own.study, lane)
        lacks = [factor for factor in _factors(own.study) if factor not in levels]
        crossing = _crossing(own.study, levels)
        there = {_crossing(own.study, _levels(own.study, one)) for one in own.lanes}
        hardware = [name for name in other if name in _HARDWARE]
        why = ""
        if lacks:
            why = f"it says no {lacks[0].lower()}"
        elif hardware:
            why = f"it differs in {listed(hardware)} too"
        elif crossing in there:
            why = "this study has that crossing itself"
        if why:
            return Joined(lane, f"{lane.name}, from “{older.study.question}”, is left out: {why}", takes_part=False)
    days = (own.study.created_at.date() - older.study.created_at.date()).days
    drivers = [part.name for part in lane.setup_version.parts.all() if part.kind == "driver"]
    age = "1 day" if abs(days) == 1 else f"{abs(days)} days"
    when = f"{age} {'older' if days > 0 else 'newer'}" if days else "of the same day"
    driver = f", driver {' and '.join(drivers)}" if drivers else ", driver not said"
    rest = [name for name in dict.fromkeys(other) if name != "driver"]
    named = rest if len(rest) <= _NAMED else [*rest[:_NAMED], f"{len(rest) - _NAMED} more"]
    also = f"; its setup also differs in {listed(named)}" if named else ""
    words = f"{lane.name}, from “{older.study.question}”: {when}{driver}, same scenes in {tests} of its tests{also}"
    return Joined(lane, words, takes_part=True)
