"""Putting a study together: its lanes, its tests, and the passes that are planned in them.

Called within the transaction of a service, which checks who asks and leaves the line in the record.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence

from bench.models import SetupVersion
from bench.schemas import LONGEST_VALUE, PricedRef, SettingIn, SetupIn
from bench.services import setup_like
from django.contrib.auth.models import AnonymousUser, User
from django.db.models import QuerySet
from problems import Conflict, Problem
from rennbahn.parts import kind_meant
from rennbahn.planning.levels import level_of
from scenes.services import condition_named, scene_named

from studies.models import COUNTING, Lane, Level, Pass, PassRole, PassState, Study, StudyKind, Test
from studies.schemas import LaneIn, StudyIn, TestIn

Caller = User | AnonymousUser
#: A year at the bench; a plan of this many is laid out within seconds.
MOST_PASSES = 20_000


def check_lanes(data: StudyIn) -> None:
    """Refuse lanes that do not fit the kind of study. Raises :class:`Problem` with the field."""
    kind = StudyKind(data.kind)
    if kind is StudyKind.A_B and len(data.lanes) != 2:
        raise Problem("two_lanes", "A against B has two lanes.", field="lanes", hint="A ladder takes more.")
    if data.baseline >= len(data.lanes):
        raise Problem("no_such_lane", "The baseline is none of the lanes.", field="baseline")
    names = [lane.name.lower() for lane in data.lanes]
    for position, name in enumerate(names):
        if name in names[:position]:
            raise Problem("lane_twice", "Lanes need names of their own.", field=f"lanes.{position}.name")
    if kind is StudyKind.GRID and not data.second_factor:
        raise Problem("second_factor_missing", "A grid crosses two factors.", field="second_factor")
    for position, lane in enumerate(data.lanes):
        if kind is StudyKind.SCALING and not lane.condition:
            raise Problem(
                "condition_missing", f"Lane “{lane.name}” does not say what it tells the games.",
                field=f"lanes.{position}.condition", hint="Each lane of a scaling study is a condition.",
            )  # fmt: skip


def check_not_alike(lanes: Sequence[Lane]) -> None:
    """Two lanes of one setup and one condition have nothing between them."""
    seen: set[tuple[int, int | None]] = set()
    for lane in lanes:
        what = (lane.setup_version_id, lane.condition_id)
        if what in seen:
            raise Problem(
                "lanes_alike",
                f"“{lane.name}” has the same setup as another lane, so there is nothing to compare.",
                field=f"lanes.{lane.position}",
                hint="Copy the setup and change the factor in the copy.",
            )
        seen.add(what)


def add_lane_to(study: Study, user: Caller, lane: LaneIn, position: int, *, baseline: bool = False) -> Lane:
    """Make a lane of a study, with the levels it stands for."""
    made = Lane.objects.create(
        study=study,
        position=position,
        name=lane.name,
        baseline=baseline,
        setup_version=setup_of(user, lane, position),
        condition=condition_named(lane.condition) if lane.condition else None,
    )
    levels = {factor: level_of(words) for factor, words in lane.levels.items() if words.strip()}
    Level.objects.bulk_create(
        Level(lane=made, factor=factor, words=level.words, number=level.number, unit=level.unit[:24])
        for factor, level in levels.items()
    )
    return made


def setup_of(user: Caller, lane: LaneIn, position: int) -> SetupVersion:
    """The version of the setup that a lane names or describes."""
    if lane.setup is not None:
        return setup_like(user, _with_levels(lane.setup, lane.levels))
    version = SetupVersion.objects.filter(setup=lane.setup_id).order_by("-number").first()
    if version is None:
        raise Problem(
            "setup_missing", f"Lane “{lane.name}” has no setup.", field=f"lanes.{position}.setup_id",
            hint="Choose one from the bench or describe a new one.",
        )  # fmt: skip
    return version


def _with_levels(setup: SetupIn, levels: Mapping[str, str]) -> SetupIn:
    """A described setup that also says what its lane stands for: a setting of the factor's name, or a part of its kind.

    What it says of the factor already stays; on a rig the parts are the rig's.
    """
    settings, parts = list(setup.settings), list(setup.parts)
    said = {one.name.casefold() for one in settings}
    for factor, words in levels.items():
        kind = kind_meant(factor)
        if not words.strip() or factor.casefold() in said:
            continue
        if kind is None:
            settings.append(SettingIn(name=factor.strip(), value=words.strip()[:LONGEST_VALUE]))
        elif setup.rig_id is None and all(part.kind != kind.id for part in parts):
            parts.append(PricedRef(kind=kind.id, name=words.strip()))
    return setup.model_copy(update={"settings": settings, "parts": parts})


def test_key(test: TestIn) -> tuple[str, str, str]:
    """What tells tests apart."""
    return test.game.lower(), test.scene.lower(), test.condition.lower()


def tests_in(study: Study) -> dict[tuple[str, str, str], Test]:
    """The tests that a study has, by :func:`test_key`."""
    found = study.tests.select_related("scene__game", "condition")
    return {(t.scene.game.name.lower(), t.scene.name.lower(), t.condition.name.lower()): t for t in found}


def new_test(study: Study, data: TestIn, position: int) -> Test:
    """A test that is not kept yet; its scene and condition are made where they are new."""
    return Test(
        study=study,
        position=position,
        scene=scene_named(data.game, data.scene),
        condition=condition_named(data.condition),
        priority=data.priority,
        passes_wanted=data.passes_wanted or study.passes_wanted,
    )


def check_size(lanes: int, passes: Iterable[int]) -> None:
    """Refuse a study that nobody could run. Raises :class:`Problem` (`too_many_passes`)."""
    total = lanes * sum(passes)
    if total > MOST_PASSES:
        raise Problem(
            "too_many_passes",
            f"That is {total:,} passes; a study holds up to {MOST_PASSES:,}.",
            field="tests",
            hint="Take fewer passes or tests, or split the question into studies.",
        )


def write_tests(study: Study, wanted: Sequence[TestIn]) -> None:
    """Make these the tests of a study. Raises :class:`Conflict` where one that has passes would go."""
    there = tests_in(study)
    keep: dict[tuple[str, str, str], Test] = {}
    fewer: set[int] = set()
    for position, data in enumerate(wanted):
        if test_key(data) in keep:
            raise test_twice(data)
        test = there.get(test_key(data))
        if test is None:
            test = new_test(study, data, position)
        else:
            test.position, test.priority = position, data.priority
            if data.passes_wanted is not None and data.passes_wanted < test.passes_wanted:
                fewer.add(test.pk)
            test.passes_wanted = data.passes_wanted or test.passes_wanted
        keep[test_key(data)] = test
    gone = [test for key, test in there.items() if key not in keep]
    run = Pass.objects.filter(test__in=gone).exclude(state=PassState.PLANNED).select_related("test").first()
    if run is not None:
        raise Conflict(
            "test_has_passes",
            f"{run.test} has passes that were run, so it stays.",
            field="tests",
            hint="Give it priority 3 to plan no more of it first, or leave its passes out with a reason.",
        )
    check_size(study.lanes.count(), (test.passes_wanted for test in keep.values()))
    _take_out(Pass.objects.filter(test__in=gone))
    Test.objects.filter(pk__in=[test.pk for test in gone]).delete()
    Test.objects.bulk_update([t for t in keep.values() if t.pk], ["position", "priority", "passes_wanted"])
    Test.objects.bulk_create([t for t in keep.values() if not t.pk])
    plan_passes(study, list(keep.values()), fewer)


def plan_passes(study: Study, tests: Sequence[Test], fewer: Collection[int] = ()) -> None:
    """Plan what is missing in each cell. Planned passes go only where the test, in `fewer`, now wants fewer.

    Passes that were run are never touched.
    """
    numbers: dict[tuple[int, int], list[tuple[int, str, int]]] = {}
    last: dict[tuple[int, int], int] = {}
    found = Pass.objects.filter(test__in=tests).values_list("lane_id", "test_id", "number", "state", "pk", "role")
    for lane_id, test_id, number, state, pk, role in found.order_by("number"):
        last[lane_id, test_id] = number
        if role != PassRole.CONTROL and role in COUNTING:
            numbers.setdefault((lane_id, test_id), []).append((number, state, pk))
    new: list[Pass] = []
    gone: list[int] = []
    for test in tests:
        for lane in study.lanes.all():
            there = numbers.get((lane.pk, test.pk), [])
            # A rejected pass is repeated beside what is wanted, not instead of it. That one did not run is a result.
            counting = [one for one in there if one[1] != PassState.REJECTED]
            missing = test.passes_wanted - len(counting)
            planned = [pk for _, state, pk in counting if state == PassState.PLANNED]
            if missing < 0 and test.pk in fewer:
                gone += planned[max(0, len(planned) + missing) :]
            first = last.get((lane.pk, test.pk), 0) + 1
            new += [Pass(lane=lane, test=test, number=first + i) for i in range(max(0, missing))]
    _take_out(Pass.objects.filter(pk__in=gone))
    Pass.objects.bulk_create(new)


def plan_controls(study: Study, test_id: int | None, each: int) -> None:
    """Plan so many control passes of one test in every lane, in place of those that were planned; of None, no more.

    Raises :class:`Problem` where the test is not of this study.
    """
    _take_out(Pass.objects.filter(test__study=study, role=PassRole.CONTROL))
    if test_id is None:
        return
    test = study.tests.filter(pk=test_id).first()
    if test is None:
        raise Problem(
            "strange_test", "The control test is none of this study's.", field="control_test", hint="Choose another."
        )
    last: dict[int, int] = {}
    done: Counter[int] = Counter()
    for lane_id, number, role in Pass.objects.filter(test=test).values_list("lane_id", "number", "role"):
        last[lane_id] = max(last.get(lane_id, 0), number)
        done[lane_id] += role == PassRole.CONTROL
    Pass.objects.bulk_create(
        Pass(lane=lane, test=test, number=last.get(lane.pk, 0) + 1 + at, role=PassRole.CONTROL)
        for lane in study.lanes.all()
        for at in range(max(0, each - done[lane.pk]))
    )


def _take_out(planned: QuerySet[Pass]) -> None:
    """Take planned passes out of the plan. What the record says of them stays, with the words for which they were."""
    planned.filter(state=PassState.PLANNED).delete()


def test_twice(data: TestIn) -> Conflict:
    """The refusal of a test that is there already."""
    where = f"{data.game}, {data.scene}, {data.condition}"
    return Conflict("test_twice", f"{where} is in the study already.", field="tests")
