"""From the records of a study to what the core plans with."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace

from bench.queries import described, description_of, parts_named
from django.db.models import Min
from problems import Problem
from rennbahn.planning.changes import lane_change
from rennbahn.planning.fairness import REQUIRED, Fairness, LaneDescription, SetupDescription, check_fairness
from rennbahn.planning.lengths import Length, length_of
from rennbahn.planning.schedule import Costs, LaneChange, PlannedLane, PlannedPass, PlannedTest, Work
from scenes.models import Condition, Scene
from studies.models import STANDING, Lane, Pass, PassRole, PassState, Study, Test

from planning.calendar import BenchTime
from planning.lengths import lengths_of, lengths_of_scenes
from planning.schemas import PlanDate, SketchIn


def costs_of(values: dict[str, float]) -> Costs:
    """The core's costs with what is given changed. Raises :class:`Problem` on a name that is no cost."""
    known = {one.name for one in fields(Costs)}
    for name in values:
        if name not in known:
            raise Problem("unknown_cost", f"{name!r} is no change that costs time.", field=f"costs.{name}")
    return Costs(**values)


def lanes_of(study: Study) -> list[Lane]:
    """The lanes of a study, the baseline first."""
    return sorted(study.lanes.all(), key=lambda lane: (not lane.baseline, lane.position))


def fairness_of(study: Study) -> Fairness:
    """What differs between the lanes of a study."""
    lanes = lanes_of(study)
    described_lanes = [
        LaneDescription(
            str(lane.pk),
            lane.name,
            description_of(lane.setup_version),
            lane.condition.name if lane.condition else "",
        )
        for lane in lanes
    ]
    return check_fairness(described_lanes, str(lanes[0].pk), factors_of(study), REQUIRED[study.kind])


def factors_of(study: Study) -> list[str]:
    """What a study asks about, as the check reads it. Lanes of a scaling study differ in their condition."""
    own = [factor for factor in (study.factor, study.second_factor) if factor]
    return [*own, "condition"] if any(lane.condition_id for lane in study.lanes.all()) else own


def work_of(study: Study, costs: Costs) -> Work:
    """The passes of a study that are still to be run, with all that ordering them needs. Lane 0 is the baseline."""
    lanes, tests = lanes_of(study), list(study.tests.all())
    at_lane = {lane.pk: position for position, lane in enumerate(lanes)}
    at_test = {test.pk: position for position, test in enumerate(tests)}
    planned = Pass.objects.filter(test__study=study, state=PassState.PLANNED).values_list(
        "pk", "lane_id", "test_id", "number", "role"
    )
    return Work(
        tests=_planned_tests(tests),
        lanes=tuple(PlannedLane(str(lane.pk), lane.name, told_by(lane.condition)) for lane in lanes),
        passes=tuple(
            PlannedPass(str(pk), at_lane[lane], at_test[test], number, role == PassRole.CONTROL)
            for pk, lane, test, number, role in planned
        ),
        changes=changes_between([description_of(lane.setup_version) for lane in lanes], costs),
        costs=costs,
    )


def dated(study: Study, work: Work, dates: Sequence[PlanDate], when: BenchTime) -> Work:
    """The work with the days on which parts go back and games are patched; of several of one thing, the first."""
    back: dict[int, float] = {}
    patch: dict[int, float] = {}
    for one in sorted(dates, key=lambda one: one.on):
        morning = when.seconds(dt.datetime.combine(one.on, dt.time()))
        if one.lane_id is not None:
            back.setdefault(one.lane_id, morning)
        elif one.game_id is not None:
            patch.setdefault(one.game_id, morning)
    if not back and not patch:
        return work
    patched = {test.pk: patch[test.scene.game_id] for test in study.tests.all() if test.scene.game_id in patch}
    before = _run_before(patched, when)
    return replace(
        work,
        lanes=tuple(replace(lane, until_s=back.get(int(lane.id))) for lane in work.lanes),
        tests=tuple(
            replace(test, patched_s=patched.get(int(test.id)), run_before=int(test.id) in before) for test in work.tests
        ),
    )  # fmt: skip


def _run_before(patched: Mapping[int, float], when: BenchTime) -> set[int]:
    """Tests of which passes that stand were run before their game is patched."""
    ran = Pass.objects.filter(test__in=list(patched), ran_at__isnull=False, state__in=STANDING)
    first = ran.exclude(role=PassRole.WARM_UP).values_list("test").annotate(Min("ran_at"))
    return {test for test, at in first if when.seconds(at.replace(tzinfo=None)) < patched[test]}


def changes_between(setups: Sequence[SetupDescription], costs: Costs) -> dict[tuple[int, int], LaneChange]:
    """What lies between any two lanes."""
    return {(i, j): lane_change(a, b, costs) for i, a in enumerate(setups) for j, b in enumerate(setups) if i != j}


def told_by(condition: Condition | None) -> tuple[str, str] | None:
    """What a condition tells a game: resolution and settings. One that says no more than its name tells that."""
    if condition is None:
        return None
    if not condition.resolution and not condition.settings_told:
        return condition.name, ""
    return condition.resolution, condition.settings_told


@dataclass(frozen=True)
class Sketched:
    """A study on paper: what would be run, and whether it is fair. Lanes go by their position."""

    work: Work
    fairness: Fairness | None


def sketched(data: SketchIn) -> Sketched:
    """What a study as typed so far comes to. Parts, scenes and conditions on record bring what is known of them."""
    refs = [part for lane in data.lanes for part in lane.parts if part.name]
    known = parts_named(refs)
    conditions = {one.name.lower(): one for one in Condition.objects.all()}

    def setup(position: int) -> SetupDescription:
        lane = data.lanes[position]
        named = [part for part in lane.parts if part.name]
        return described(named, {s.name: s.value for s in lane.settings if s.name and s.value}, known)

    setups = [setup(position) for position in range(len(data.lanes))]
    base = data.baseline if data.baseline < len(data.lanes) else 0
    order = sorted(range(len(data.lanes)), key=lambda position: (position != base, position))
    lanes = [
        LaneDescription(str(p), data.lanes[p].name or f"lane {p + 1}", setups[p], data.lanes[p].condition)
        for p in order
    ]
    factors = [factor for factor in data.factors if factor]
    if any(lane.condition for lane in lanes):
        factors.append("condition")
    fairness = check_fairness(lanes, str(base), factors) if len(lanes) > 1 else None
    tests = _sketched_tests(data, conditions)
    costs = Costs()
    work = Work(
        tests=tests,
        lanes=tuple(PlannedLane(lane.id, lane.name, _told_by_name(lane.condition, conditions)) for lane in lanes),
        passes=tuple(
            PlannedPass(f"{lane}-{test}-{number}", lane, test, number)
            for lane in range(len(lanes))
            for test in range(len(tests))
            for number in range(1, data.passes_wanted + 1)
        ),
        changes=changes_between([setups[p] for p in order], costs),
        costs=costs,
    )
    return Sketched(work, fairness)


def _told_by_name(name: str, conditions: dict[str, Condition]) -> tuple[str, str] | None:
    """What the condition of that name tells; one that is not on record yet tells no more than its name."""
    return told_by(conditions.get(name.lower()) or Condition(name=name)) if name else None


def _sketched_tests(data: SketchIn, conditions: dict[str, Condition]) -> tuple[PlannedTest, ...]:
    games = {test.game.lower() for test in data.tests}
    scenes = {
        (scene.game.name.lower(), scene.name.lower()): scene
        for scene in Scene.objects.select_related("game")
        if scene.game.name.lower() in games
    }
    lengths = lengths_of_scenes(scenes.values())
    tests = []
    for position, test in enumerate(data.tests):
        if not test.game:
            continue
        scene = scenes.get((test.game.lower(), test.scene.lower())) or Scene(name=test.scene)
        condition = conditions.get(test.condition.lower()) or Condition(name=test.condition)
        restart = scene.game.preset_needs_restart if scene.pk else False
        length = lengths.get(scene.pk) or length_of(None, None)
        tests.append(_test(str(position), test.game, scene, condition, length, restart=restart, priority=2))
    return tuple(tests)


def _planned_tests(tests: Sequence[Test]) -> tuple[PlannedTest, ...]:
    lengths = lengths_of(tests)
    return tuple(
        _test(
            str(test.pk), test.scene.game.name, test.scene, test.condition, lengths[test.pk],
            restart=test.scene.game.preset_needs_restart, priority=test.priority,
        )
        for test in tests
    )  # fmt: skip


def _test(
    key: str, game: str, scene: Scene, condition: Condition, length: Length, *, restart: bool, priority: int
) -> PlannedTest:
    resolution, settings = told_by(condition) or ("", "")
    return PlannedTest(
        id=key,
        game=game,
        scene=scene.name,
        resolution=resolution,
        settings=settings,
        length_s=length.seconds,
        length_known=length.known is not None,
        warm_ups=scene.warm_up_runs,
        needs_restart=restart,
        priority=priority,
    )
