"""What one can ask about studies."""

from __future__ import annotations

from collections.abc import Iterable

from bench.queries import setup_out, whole_versions
from django.db.models import Count, Exists, OuterRef, Prefetch, Q, QuerySet
from problems import NotFound
from rennbahn.comparing import groups
from rennbahn.planning.levels import missing_cells
from scenes.models import Condition

from studies.marks import method_mark, question_mark, tests_mark
from studies.models import AuditLine, Lane, Pass, PassRole, PassState, Study, StudyKind, Test
from studies.schemas import (
    AuditOut,
    Counts,
    GroupOut,
    LaneOut,
    LevelOut,
    Method,
    PassRef,
    SeenOut,
    StudyOut,
    StudySummary,
    TestOut,
)


def studies_page(words: str = "", before: int | None = None, *, archived: bool = False) -> list[StudySummary]:
    """A page of studies with their passes counted, newest first: those that hold `words` in question, factor or lanes.

    `before` is the study that the page before ended with.
    """
    asked = Study.objects.filter(archived_at__isnull=not archived)
    asked = asked if before is None else asked.filter(pk__lt=before)
    for word in words.split():
        named = Lane.objects.filter(study=OuterRef("pk"), name__icontains=word)
        own = Q(question__icontains=word) | Q(factor__icontains=word) | Q(second_factor__icontains=word)
        asked = asked.filter(own | Exists(named))
    newest = asked.prefetch_related("lanes").annotate(test_count=Count("tests")).order_by("-pk")
    found = list(newest[:PAGE])
    counts = pass_counts(study.pk for study in found)
    return [_summary(study, counts.get(study.pk, {}), getattr(study, "test_count", 0)) for study in found]


def pass_ref(one: Pass) -> PassRef:
    """A pass and its state as the API gives them."""
    return PassRef(
        id=one.pk, lane_id=one.lane_id, test_id=one.test_id, number=one.number, state=one.state, role=one.role,
        reason_code=one.reason_code, reason=one.reason,
    )  # fmt: skip


#: Studies on one page of the desk.
PAGE = 30


def one_study(study_id: int) -> StudyOut:
    """A study with lanes, setups and tests. Raises :class:`NotFound`."""
    study = with_lanes_and_tests().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    kept_to = sorted(one.get_username() for one in study.kept_to.all()) if study.kept else None
    return StudyOut(
        **_summary(study, pass_counts([study_id]).get(study_id, {}), len(study.tests.all())).dict(),
        created_by=study.created_by.get_username(),
        kept_to=kept_to,
        passes_wanted=study.passes_wanted,
        method=Method(**{name: getattr(study, name) for name in Method.model_fields}),
        lanes_full=[lane_out(lane) for lane in study.lanes.all()],
        tests_full=[test_out(test) for test in study.tests.all()],
        groups=groups_of(study),
        missing_cells=_missing_cells(study),
        seen=SeenOut(
            question=question_mark(study), method=method_mark(study), tests=tests_mark(list(study.tests.all()))
        ),
    )


def group_key(condition: Condition) -> str:
    """What tests may be pooled by."""
    return _pooled_by(condition).group


def _pooled_by(condition: Condition) -> groups.Condition:
    return groups.Condition(condition.intent, condition.resolution, condition.preset, condition.name)


def groups_of(study: Study) -> list[GroupOut]:
    """The groups of a study's tests, in the order of the tests."""
    tests_of: dict[str, list[Test]] = {}
    for test in study.tests.all():
        tests_of.setdefault(group_key(test.condition), []).append(test)
    names = groups.group_names(_pooled_by(tests[0].condition) for tests in tests_of.values())
    return [
        GroupOut(
            key=key,
            words=names[key],
            intent=tests[0].condition.intent,
            tests=len(tests),
            games=len({test.scene.game_id for test in tests}),
        )
        for key, tests in tests_of.items()
    ]


def _missing_cells(study: Study) -> list[dict[str, str]]:
    if study.kind != StudyKind.GRID:
        return []
    lanes = [{level.factor: level.words for level in lane.levels.all()} for lane in study.lanes.all()]
    return missing_cells(lanes, [study.factor, study.second_factor])


def with_lanes_and_tests() -> QuerySet[Study]:
    """Studies with all that names their lanes and tests, in a fixed number of queries."""
    lanes = Lane.objects.select_related("condition").prefetch_related(
        "levels", Prefetch("setup_version", whole_versions())
    )
    tests = Test.objects.select_related("scene__game", "condition")
    return Study.objects.select_related("created_by").prefetch_related(
        Prefetch("lanes", lanes), Prefetch("tests", tests)
    )


def lane_out(lane: Lane) -> LaneOut:
    """A lane as the API gives it."""
    return LaneOut(
        id=lane.pk,
        position=lane.position,
        name=lane.name,
        baseline=lane.baseline,
        setup=setup_out(lane.setup_version),
        levels={
            level.factor: LevelOut(words=level.words, number=level.number, unit=level.unit)
            for level in lane.levels.all()
        },
        condition=lane.condition.name if lane.condition else "",
    )


def test_out(test: Test) -> TestOut:
    """A test as the API gives it."""
    return TestOut(
        id=test.pk,
        position=test.position,
        scene_id=test.scene_id,
        game_id=test.scene.game_id,
        condition_id=test.condition_id,
        game=test.scene.game.name,
        scene=test.scene.name,
        condition=test.condition.name,
        priority=test.priority,
        group=group_key(test.condition),
        passes_wanted=test.passes_wanted,
    )


def audit_of(study_id: int) -> list[AuditOut]:
    """The record of a study, newest first. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    lines: Iterable[AuditLine] = AuditLine.objects.filter(study_id=study_id).select_related("who")
    return [
        AuditOut(
            at=line.at,
            who=line.who.get_username(),
            what=line.what,
            why=line.why,
            pass_id=line.pass_id,
            on=line.on_what,
        )
        for line in lines
    ]


def pass_counts(study_ids: Iterable[int]) -> dict[int, dict[str, int]]:
    """How many passes each study has in each state, without warm-ups, which never count: one query, whose cost grows
    with the studies asked for.
    """
    passes = Pass.objects.filter(test__study__in=list(study_ids)).exclude(role=PassRole.WARM_UP)
    found: dict[int, dict[str, int]] = {}
    for study, state, count in passes.values_list("test__study", "state").annotate(n=Count("pk")).order_by():
        found.setdefault(study, {})[state] = count
    return found


def _summary(study: Study, counts: dict[str, int], tests: int) -> StudySummary:
    return StudySummary(
        id=study.pk,
        kind=study.kind,
        question=study.question,
        factor=study.factor,
        second_factor=study.second_factor,
        state=study.state,
        ready_at=study.ready_at,
        lanes=[lane.name for lane in study.lanes.all()],
        tests=tests,
        counts=Counts(**{state: counts.get(state, 0) for state in PassState.values}),
        created_at=study.created_at,
        finished_at=study.finished_at,
        archived_at=study.archived_at,
        kept=study.kept,
    )
