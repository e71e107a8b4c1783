"""A study laid down as a package describes it: its bench, its scenes, its lanes, tests and passes, none run yet.

What the bench has already under the same name and says alike is used. What says otherwise is made beside it under the
next free name, so that nothing of one's own is changed and no number stands on another price.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import TypeVar

from bench.models import Part
from bench.schemas import PartIn, PricedRef, SetupIn
from bench.services import add_part
from django.contrib.auth.models import User
from planning.building import fairness_of
from planning.queries import one_study
from planning.schemas import AcceptIn
from planning.services import accept_difference, save_plan
from problems import Conflict, Problem
from rennbahn.parts import checked_facts
from scenes.models import Condition, Game
from scenes.schemas import ConditionIn, GameIn, SceneIn
from scenes.services import add_condition, add_game, add_scene, newest_scene
from studies.kept import keep_to
from studies.models import BenchSession, Lane, Pass, Study, Test
from studies.schemas import LaneIn, StudyIn, TestIn
from studies.services import create_study

from packages.schemas import Record, RecordedPass

T = TypeVar("T")
#: What a part of the bench must say alike to be the one that is meant: all that numbers depend on.
_ALIKE = ("price", "currency", "weight_g")
_LONGEST_NAME = 120


@dataclass
class Laid:
    """A study that was laid down: its lanes and tests by the ids of the record, its sessions too, and its passes by
    lane, test and number; `renamed` are in words what has another name here.
    """

    study: Study
    lanes: dict[str, Lane]
    tests: dict[str, Test]
    renamed: list[str] = field(default_factory=list)

    def place(self, one: RecordedPass) -> tuple[int, int, int]:
        """Where a pass is here. Raises :class:`Problem` of one in no lane or test."""
        lane, test = self.lanes.get(one.lane), self.tests.get(one.test)
        if lane is None or test is None:
            raise Problem("bad_package", f"record.json: a pass is of lane {one.lane} and test {one.test}; one is none.")
        return lane.pk, test.pk, one.number


def laid_again(record: Record, study: Study) -> Laid:
    """A study that was laid down before, as when the worker ended in the middle.

    Raises :class:`Conflict` where somebody gave it other lanes or tests since.
    """
    lanes, tests = list(study.lanes.all()), list(study.tests.all())
    if (len(lanes), len(tests)) != (len(record.lanes), len(record.tests)):
        raise Conflict("study_changed", "Somebody gave the study other lanes or tests while it was read back.")
    return Laid(
        study,
        {told.id: lane for told, lane in zip(record.lanes, lanes, strict=True)},
        {told.id: test for told, test in zip(record.tests, tests, strict=True)},
    )


def lay_down(lead: User, record: Record) -> Laid:
    """Lay a study down, within a transaction. Raises :class:`rennbahn.errors.RennbahnError` of what cannot be."""
    names = _Names(lead)
    for game in record.games:
        names.game(game)
    parts = {(part.kind, part.name.lower()): names.part(part) for part in record.parts}
    scenes = {one.id: (one.game, names.scene(SceneIn(**one.dict(exclude={"id"})))) for one in record.scenes}
    conditions = {one.name.lower(): names.condition(one) for one in record.conditions}
    ids = {*(one.id for one in record.lanes)}, {*(one.id for one in record.tests)}
    if len(ids[0]) < len(record.lanes) or len(ids[1]) < len(record.tests):
        raise Problem("bad_package", "record.json: a lane or test is there twice.")
    lanes = [
        LaneIn(
            name=lane.name,
            setup=SetupIn(
                name=lane.setup,
                parts=[PricedRef(kind=x.kind, name=parts.get((x.kind, x.name.lower()), x.name)) for x in lane.parts],
                settings=lane.settings,
            ),
            levels=lane.levels,
            condition=_named(conditions, lane.condition.lower(), "condition") if lane.condition else "",
        )
        for lane in record.lanes
    ]
    tests = [
        TestIn(
            game=_named(scenes, test.scene, "scene")[0],
            scene=_named(scenes, test.scene, "scene")[1],
            condition=_named(conditions, test.condition.lower(), "condition"),
            priority=test.priority,
            passes_wanted=test.passes_wanted,
        )
        for test in record.tests
    ]
    study = create_study(
        lead,
        StudyIn(
            kind=record.kind, **record.asked.dict(), lanes=lanes, tests=tests, passes_wanted=record.passes_wanted,
            baseline=next((at for at, lane in enumerate(record.lanes) if lane.baseline), 0), method=record.method,
        ),
    )  # fmt: skip
    laid = laid_again(record, study)
    laid.renamed = names.renamed
    for told in record.tests:
        if told.length_s is not None:
            Test.objects.filter(pk=laid.tests[told.id].pk).update(length_s=told.length_s)
    if record.plan is not None:
        save_plan(lead, study.pk, record.plan)
    _plan_passes(record, laid)
    _accept(lead, record, study)
    if record.kept:
        # What was kept to some is here kept to whoever brought it.
        keep_to(lead, study.pk, [])
    return laid


def sessions_of(lead: User, record: Record, study: Study) -> dict[str, int]:
    """The sittings of a record, made where they are not there yet, by the ids of the record."""
    there = list(BenchSession.objects.filter(study=study).order_by("begun_at", "pk"))
    if not there:
        there = BenchSession.objects.bulk_create(
            BenchSession(
                study=study, begun_at=one.begun_at, ended_at=one.ended_at or one.begun_at, begun_by=lead, driver=lead,
                room_c=one.room_c, simulated=one.simulated, speed=one.speed, seed=one.seed,
            )
            for one in record.sessions
        )  # fmt: skip
    return {told.id: one.pk for told, one in zip(record.sessions, there, strict=True)}


def _plan_passes(record: Record, laid: Laid) -> None:
    """The passes of the record in place of those that a new study plans."""
    places = [laid.place(one) for one in record.passes]
    if len(set(places)) < len(places):
        raise Problem("bad_package", "record.json: a pass is there twice.")
    Pass.objects.filter(test__study=laid.study).delete()
    made = Pass.objects.bulk_create(
        Pass(lane_id=lane, test_id=test, number=number, role=one.role)
        for one, (lane, test, number) in zip(record.passes, places, strict=True)
    )
    at = dict(zip(places, made, strict=True))
    for one, (lane, test, _), kept in zip(record.passes, places, made, strict=True):
        if one.repeats is not None:
            kept.repeats = at.get((lane, test, one.repeats))
    Pass.objects.bulk_update([kept for kept in made if kept.repeats_id], ["repeats"])


def _accept(lead: User, record: Record, study: Study) -> None:
    """Accept what was accepted, where it is the same difference."""
    found = {(one.label, one.about): one for one in fairness_of(one_study(study.pk)).objections}
    for told in record.accepted:
        same = found.get((told.label, told.about))
        if same is not None:
            accept_difference(lead, study.pk, AcceptIn(key=same.key, about=same.about, reason=told.reason))


class _Names:
    """How things of a record are called here."""

    def __init__(self, lead: User) -> None:
        self.lead = lead
        self.renamed: list[str] = []

    def part(self, told: PartIn) -> str:
        """A part with the same facts and price."""
        facts = checked_facts(told.kind, told.facts)

        def there(name: str) -> bool | None:
            own = Part.objects.filter(kind=told.kind, name__iexact=name).first()
            return None if own is None else own.facts == facts and _alike(own, told, _ALIKE)

        return self._name(told.name, there, lambda name: add_part(self.lead, _called(told, name)))

    def game(self, told: GameIn) -> None:
        """A game: what its engine does is told by each pass for itself."""
        if not Game.objects.filter(name__iexact=told.name).exists():
            add_game(self.lead, told)

    def scene(self, told: SceneIn) -> str:
        """A scene with the same card."""

        def there(name: str) -> bool | None:
            own = newest_scene(told.game, name)
            return None if own is None else _alike(own, told, set(SceneIn.model_fields) - {"game", "name"})

        return self._name(told.name, there, lambda name: add_scene(self.lead, _called(told, name)))

    def condition(self, told: ConditionIn) -> str:
        """A condition that tells games the same."""

        def there(name: str) -> bool | None:
            own = Condition.objects.filter(name__iexact=name).first()
            return None if own is None else _alike(own, told, set(ConditionIn.model_fields) - {"name"})

        return self._name(told.name, there, lambda name: add_condition(self.lead, _called(told, name)))

    def _name(self, name: str, there: Callable[[str], bool | None], make: Callable[[str], object]) -> str:
        """The name under which it is here: its own, or the next one that is free or means the same."""
        for number in range(1, 1_000):
            tail = "" if number == 1 else f" ({number})"
            tried = f"{name[: _LONGEST_NAME - len(tail)]}{tail}"
            same = there(tried)
            if same is False:
                continue
            if same is None:
                make(tried)
            if tried != name:
                self.renamed.append(f"“{name}” is “{tried}” here, since “{name}” says something else on this bench.")
            return tried
        raise Problem("bad_package", f"There are too many things called “{name}”.")


def _alike(own: object, told: object, said: Iterable[str]) -> bool:
    return all(getattr(own, name) == getattr(told, name) for name in said)


def _called(told: T, name: str) -> T:
    found: T = told.model_copy(update={"name": name})  # type: ignore[attr-defined]
    return found


def _named(known: dict[str, T], name: str, what: str) -> T:
    if name not in known:
        raise Problem("bad_package", f"record.json: it names a {what} “{name[:60]}” that it does not describe.")
    return known[name]
