"""What one can ask about studies."""

from __future__ import annotations

from collections.abc import Iterable

from bench.queries import setup_out, whole_versions
from django.db.models import Count, Prefetch, Q, QuerySet
from problems import NotFound

from studies.models import AuditLine, Lane, PassState, Study, Test
from studies.schemas import AuditOut, Counts, LaneOut, Method, StudyOut, StudySummary, TestOut


def all_studies() -> list[StudySummary]:
    """All studies, newest first, with their passes counted."""
    found = _counted(Study.objects.prefetch_related("lanes")).order_by("-created_at", "-id")
    return [_summary(study) for study in found]


def one_study(study_id: int) -> StudyOut:
    """A study with lanes, setups and tests. Raises :class:`NotFound`."""
    study = _counted(with_lanes_and_tests().filter(pk=study_id)).first()
    if study is None:
        raise NotFound("study")
    return StudyOut(
        **_summary(study).dict(),
        created_by=study.created_by.get_username(),
        passes_per_test=study.passes_per_test,
        method=Method(**{name: getattr(study, name) for name in Method.model_fields}),
        lanes_full=[
            LaneOut(
                id=lane.pk,
                position=lane.position,
                name=lane.name,
                baseline=lane.baseline,
                setup=setup_out(lane.setup_version),
                levels=lane.levels,
                condition=lane.condition.name if lane.condition else "",
            )
            for lane in study.lanes.all()
        ],
        tests_full=[test_out(test) for test in study.tests.all()],
    )


def with_lanes_and_tests() -> QuerySet[Study]:
    """Studies with all that names their lanes and tests, in a fixed number of queries."""
    lanes = Lane.objects.select_related("condition").prefetch_related(Prefetch("setup_version", whole_versions()))
    tests = Test.objects.select_related("scene__game", "condition")
    return Study.objects.select_related("created_by").prefetch_related(
        Prefetch("lanes", lanes), Prefetch("tests", tests)
    )


def test_out(test: Test) -> TestOut:
    """A test as the API gives it."""
    return TestOut(
        id=test.pk,
        position=test.position,
        scene_id=test.scene_id,
        condition_id=test.condition_id,
        game=test.scene.game.name,
        scene=test.scene.name,
        condition=test.condition.name,
        priority=test.priority,
        passes=test.passes_wanted,
    )


def audit_of(study_id: int) -> list[AuditOut]:
    """The record of a study, newest first. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    lines: Iterable[AuditLine] = AuditLine.objects.filter(study_id=study_id).select_related(
        "who", "on_pass__lane", "on_pass__test__scene__game", "on_pass__test__condition"
    )
    return [
        AuditOut(
            at=line.at,
            who=line.who.get_username(),
            what=line.what,
            why=line.why,
            pass_id=line.on_pass_id,
            on=str(line.on_pass) if line.on_pass else line.on_what,
        )
        for line in lines
    ]


def _counted(studies: QuerySet[Study]) -> QuerySet[Study]:
    passes = "tests__passes"
    return studies.annotate(
        test_count=Count("tests", distinct=True),
        **{
            f"{state}_count": Count(passes, filter=Q(**{f"{passes}__state": state}), distinct=True)
            for state in PassState.values
        },
    )


def _summary(study: Study) -> StudySummary:
    return StudySummary(
        id=study.pk,
        kind=study.kind,
        question=study.question,
        factor=study.factor,
        second_factor=study.second_factor,
        state=study.state,
        ready_at=study.ready_at,
        lanes=[lane.name for lane in study.lanes.all()],
        tests=getattr(study, "test_count", 0),
        counts=Counts(**{state: getattr(study, f"{state}_count", 0) for state in PassState.values}),
        created_at=study.created_at,
        finished_at=study.finished_at,
    )
