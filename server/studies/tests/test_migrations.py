"""Data from before plans: a study that was recorded then is whole afterwards."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

BEFORE = [("bench", "0001_initial"), ("scenes", "0001_initial"), ("studies", "0001_initial")]


def migrate(targets: list[tuple[str, str]]) -> Any:
    executor = MigrationExecutor(connection)
    executor.migrate(targets)
    return MigrationExecutor(connection).loader.project_state(targets).apps


def test_a_study_from_before_keeps_its_passes_and_gains_what_was_run(transactional_db: None) -> None:
    old = migrate(BEFORE)
    try:
        get = old.get_model
        who = get("auth", "User").objects.create(username="somebody")
        study = get("studies", "Study").objects.create(question="Old?", factor="Fan", created_by=who, passes_per_test=5)
        part = get("bench", "Part").objects.create(kind="card", name="V5")
        version = get("bench", "SetupVersion").objects.create(
            setup=get("bench", "Setup").objects.create(name="Box"), number=1, frozen=True
        )
        version.parts.add(part)
        lane = get("studies", "Lane").objects.create(study=study, position=0, name="a", setup_version=version)
        game = get("scenes", "Game").objects.create(name="Moss Republic", engine_cap_fps=90)
        test = get("studies", "Test").objects.create(
            study=study,
            position=0,
            scene=get("scenes", "Scene").objects.create(game=game, name="square"),
            condition=get("scenes", "Condition").objects.create(name="1440 high"),
        )
        run = get("studies", "Pass").objects.create(lane=lane, test=test, number=1, state="accepted")
        get("studies", "Pass").objects.create(lane=lane, test=test, number=2)
        line = get("studies", "AuditLine").objects.create(study=study, on_pass=run, who=who, what="recorded a pass")
        call_command("migrate", verbosity=0)
        from studies.models import Pass, Study  # noqa: PLC0415

        kept = Study.objects.get(question="Old?")
        assert (kept.kind, kept.ready_at, kept.tests.get().passes_wanted) == ("a_b", None, 5)
        first, second = Pass.objects.order_by("number")
        assert (first.setup_version_id, first.recorded_at) == (version.pk, line.at)
        assert (second.setup_version_id, second.recorded_at) == (None, None)
        assert kept.tests.get().scene.game.engine_cap_fps == 90
        assert [one.name for one in kept.lanes.get().setup_version.parts.all()] == ["V5"]
    finally:
        call_command("migrate", verbosity=0)
