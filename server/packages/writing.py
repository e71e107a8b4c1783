"""What is written down of a study beside what its numbers depend on: `record.json` of its package."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from bench.models import Part
from bench.schemas import PartIn, PartRef, SettingIn
from intake.models import Capture, FileRole, PassFile, Reported
from intake.schemas import ReportedIn
from planning.models import Acceptance, Plan
from planning.queries import plan_in
from planning.schemas import PlanIn
from scenes.models import Condition
from scenes.schemas import ConditionIn, GameIn, SceneIn
from studies.models import BenchSession, Lane, Pass, Study, StudyState, Test
from studies.schemas import AskedIn, Method

from packages.schemas import (
    Record,
    RecordedAcceptance,
    RecordedCapture,
    RecordedLane,
    RecordedPass,
    RecordedSamples,
    RecordedScene,
    RecordedSession,
    RecordedTest,
)


def record_of_study(study: Study, captures: Sequence[Capture], paths: dict[int, str]) -> bytes:
    """The record of a study with its lanes and tests at hand, as JSON.

    `paths` are those of files in the package by their arrivals' ids. Whoever worked on it is not named, and what was
    noted for the house's own eyes is left out.
    """
    lanes, tests = list(study.lanes.all()), list(study.tests.all())
    parts = {lane.pk: list(lane.setup_version.parts.all()) for lane in lanes}
    scenes = {test.scene_id: test.scene for test in tests}
    plan = Plan.objects.filter(study=study).first()
    said = Record(
        version=1,
        kind=study.kind,  # type: ignore[arg-type]  # the database holds no other
        asked=AskedIn(question=study.question, factor=study.factor, second_factor=study.second_factor),
        passes_wanted=study.passes_wanted,
        method=Method(**_fields(study, Method)),
        plan=None if plan is None else _plan(plan),
        finished=study.state == StudyState.FINISHED,
        kept=study.kept,
        parts=[_part(one) for one in {part.pk: part for some in parts.values() for part in some}.values()],
        games=[
            GameIn(**(_fields(one, GameIn) | {"notes": ""}))
            for one in {scene.game_id: scene.game for scene in scenes.values()}.values()
        ],
        scenes=[
            RecordedScene(id=str(pk), **(_fields(scene, SceneIn) | {"game": scene.game.name}))
            for pk, scene in scenes.items()
        ],
        conditions=[ConditionIn(**_fields(one, ConditionIn)) for one in _conditions(lanes, tests)],
        lanes=[_lane(lane, parts[lane.pk]) for lane in lanes],
        tests=[
            RecordedTest(
                id=str(one.pk), scene=str(one.scene_id), condition=one.condition.name, priority=one.priority,
                passes_wanted=one.passes_wanted, length_s=one.length_s,
            )
            for one in tests
        ],
        sessions=[_session(one) for one in BenchSession.objects.filter(study=study).order_by("begun_at", "pk")],
        passes=_passes(study, {one.on_pass_id: one for one in captures}, paths),
        accepted=[
            RecordedAcceptance(label=one.label, about=one.about, reason=one.reason)
            for one in Acceptance.objects.filter(study=study)
        ],
    )  # fmt: skip
    return said.model_dump_json(exclude_defaults=True, indent=1).encode()


def _fields(row: Any, schema: type[Any]) -> dict[str, Any]:
    return {name: getattr(row, name) for name in schema.model_fields if hasattr(row, name)}


def _part(part: Part) -> PartIn:
    return PartIn(**(_fields(part, PartIn) | {"notes": ""}))


def _plan(kept: Plan) -> PlanIn:
    """The plan without what names rows of this database: its control test, its dates and its order by hand."""
    order = "alternating" if kept.order == "by_hand" else kept.order
    told: dict[str, Any] = {"dates": [], "control_test": None, "order": order}
    return plan_in(kept).model_copy(update=told)


def _conditions(lanes: Iterable[Lane], tests: Iterable[Test]) -> list[Condition]:
    used = [*(test.condition for test in tests), *(lane.condition for lane in lanes if lane.condition)]
    return list({one.pk: one for one in used}.values())


def _lane(lane: Lane, parts: Sequence[Part]) -> RecordedLane:
    return RecordedLane(
        id=str(lane.pk),
        name=lane.name,
        baseline=lane.baseline,
        setup=lane.setup_version.setup.name,
        parts=[PartRef(kind=part.kind, name=part.name) for part in parts],
        settings=[SettingIn(name=one.name, value=one.value) for one in lane.setup_version.settings.all()],
        levels={level.factor: level.words for level in lane.levels.all()},
        condition=lane.condition.name if lane.condition else "",
    )


def _session(one: BenchSession) -> RecordedSession:
    return RecordedSession(
        id=str(one.pk), begun_at=one.begun_at, ended_at=one.ended_at, room_c=one.room_c, simulated=one.simulated,
        speed=one.speed, seed=one.seed,
    )  # fmt: skip


def _passes(study: Study, captures: dict[int, Capture], paths: dict[int, str]) -> list[RecordedPass]:
    beside: dict[int, list[PassFile]] = {}
    samples = PassFile.objects.filter(on_pass__test__study=study, role=FileRole.SAMPLES, samples__isnull=False)
    for file in samples.select_related("arrival", "samples"):
        beside.setdefault(file.on_pass_id, []).append(file)
    reported = {one.on_pass_id: one for one in Reported.objects.filter(on_pass__test__study=study)}
    passes = Pass.objects.filter(test__study=study).select_related("repeats").order_by("pk")
    return [
        RecordedPass(
            lane=str(one.lane_id), test=str(one.test_id), number=one.number, state=one.state,  # type: ignore[arg-type]
            role=one.role, reason_code=one.reason_code, reason=one.reason,  # type: ignore[arg-type]
            ran_at=one.ran_at, session=str(one.session_id) if one.session_id else None,
            repeats=one.repeats.number if one.repeats else None, run_as=one.run_as,
            capture=_capture(captures[one.pk], beside.get(one.pk, []), paths) if one.pk in captures else None,
            reported=ReportedIn(**_fields(reported[one.pk], ReportedIn)) if one.pk in reported else None,
        )
        for one in passes
    ]  # fmt: skip


def _capture(capture: Capture, beside: Sequence[PassFile], paths: dict[int, str]) -> RecordedCapture:
    return RecordedCapture(
        path=paths[capture.arrival_id], name=capture.arrival.name, columns=capture.columns,
        written_at=capture.arrival.written_at, windows=[list(one) for one in capture.windows],
        samples=[
            RecordedSamples(
                path=paths[one.arrival_id], name=one.arrival.name, offset_s=one.samples.offset_s,
                written_at=one.arrival.written_at,
            )
            for one in beside
        ],
    )  # fmt: skip
