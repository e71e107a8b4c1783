"""Setups that failed somewhere: what uses them says so."""

from __future__ import annotations

from django.db.models import Exists, OuterRef, Prefetch
from rennbahn.tuning import failed_words
from rennbahn.tuning.log import PASSED
from studies.models import Pass, PassState, Study

from tuning.logs import step
from tuning.models import LogStep, QuickPass, StabilityRun
from tuning.schemas import MarkOut

_WORDS = {"crashed": "crashed", "unstable": "was unstable"}


def marks() -> list[MarkOut]:
    """Setups that failed stability anywhere: at a step of a log, or since a pass of them crashed in a study."""
    return [*_of_steps(), *_of_passes()]


def _of_steps() -> list[MarkOut]:
    failed = StabilityRun.objects.filter(struck_why="").exclude(outcome=PASSED)
    steps = LogStep.objects.filter(Exists(failed.filter(step=OuterRef("pk"))), setup__isnull=False)
    bare = Prefetch("passes", QuickPass.objects.defer("content"))
    return [
        MarkOut(
            version_id=one.setup.pk, setup_id=one.setup.setup_id,
            words=f"{failed_words(step(one))} at step {one.number} of “{one.log.title}”",
            way=f"/tuning/{one.log_id}",
        )
        for one in steps.select_related("log", "setup").prefetch_related("runs", bare)
        if one.setup is not None
    ]  # fmt: skip


def _of_passes() -> list[MarkOut]:
    """Once a game, the latest: one that never crashed again may still do so."""
    crashed = Pass.objects.filter(
        state__in=(PassState.DID_NOT_RUN, PassState.REJECTED),
        reason_code__in=_WORDS,
        test__study__in=Study.objects.all(),
    )
    found: dict[tuple[int, int], MarkOut] = {}
    of = ("lane__setup_version", "setup_version", "test__scene__game", "test__study")
    for one in crashed.select_related(*of).order_by("-pk"):
        version, game, study = one.setup_version or one.lane.setup_version, one.test.scene.game, one.test.study
        mark = MarkOut(
            version_id=version.pk, setup_id=version.setup_id,
            words=f"{_WORDS[one.reason_code]} in {game} (“{study}”)", way=f"/studies/{study.pk}/passes",
        )  # fmt: skip
        found.setdefault((version.pk, game.pk), mark)
    return list(found.values())
