"""What setups have to do with tuning logs: which failed somewhere, and which were steps."""

from __future__ import annotations

from bench.models import SetupVersion
from django.db.models import Exists, OuterRef, Prefetch, Q, QuerySet
from rennbahn.tuning import failed_words
from rennbahn.tuning.log import PASSED
from studies.models import Pass, PassState, Study

from tuning.logs import step
from tuning.models import LogStep, QuickPass, StabilityRun
from tuning.schemas import MarkOut

_WORDS = {"crashed": "crashed", "unstable": "was unstable"}
Versions = QuerySet[SetupVersion]


def marks(study_id: int | None = None) -> list[MarkOut]:
    """Setups that failed stability anywhere: at a step of a log, or since a pass of them crashed in a study.

    Those that a study uses, where one is named.
    """
    versions = SetupVersion.objects.all()
    if study_id is not None:
        versions = versions.filter(lanes__study__in=Study.objects.filter(pk=study_id))
    return [*_of_steps(versions), *_of_passes(versions)]


def origins() -> list[MarkOut]:
    """Setups that were steps of tuning logs."""
    steps = LogStep.objects.filter(setup__isnull=False).select_related("log", "setup").order_by("pk")
    return [_mark(one.setup, f"step {one.number} of {_named(one)}", _way(one)) for one in steps if one.setup]


def _of_steps(versions: Versions) -> list[MarkOut]:
    failed = StabilityRun.objects.filter(struck_why="").exclude(outcome=PASSED)
    steps = LogStep.objects.filter(Exists(failed.filter(step=OuterRef("pk"))), setup__in=versions)
    bare = Prefetch("passes", QuickPass.objects.defer("content"))
    return [
        _mark(one.setup, f"{failed_words(step(one))} at step {one.number} of {_named(one)}", _way(one))
        for one in steps.select_related("log", "setup").prefetch_related("runs", bare)
        if one.setup is not None
    ]


def _of_passes(versions: Versions) -> list[MarkOut]:
    """Once a game, the latest: one that never crashed again may still do so."""
    crashed = Pass.objects.filter(
        state__in=(PassState.DID_NOT_RUN, PassState.REJECTED),
        reason_code__in=_WORDS,
        test__study__in=Study.objects.all(),
    ).filter(
        Q(setup_version__in=versions) | Q(setup_version=None, lane__setup_version__in=versions),
    )
    found: dict[tuple[int, int], MarkOut] = {}
    of = ("lane__setup_version", "setup_version", "test__scene__game", "test__study")
    for one in crashed.select_related(*of).order_by("-pk"):
        version, game, study = one.setup_version or one.lane.setup_version, one.test.scene.game, one.test.study
        words = f"{_WORDS[one.reason_code]} in {game} (“{study}”)"
        found.setdefault((version.pk, game.pk), _mark(version, words, f"/studies/{study.pk}/passes"))
    return list(found.values())


def _mark(version: SetupVersion, words: str, way: str) -> MarkOut:
    return MarkOut(version_id=version.pk, setup_id=version.setup_id, words=words, way=way)


def _named(one: LogStep) -> str:
    return f"“{one.log.title}”{', on the simulated bench' if one.log.seed is not None else ''}"


def _way(one: LogStep) -> str:
    return f"/tuning/{one.log_id}"
