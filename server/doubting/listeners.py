"""What doubts do when passes change: tests are checked anew at once, the whole study soon after."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.contrib.auth.models import User
from scenes.news import scenes_put_right
from studies.events import CaptureMoved, DecisionUndone, FiguresMade, PassesDecided, hear
from studies.models import Study, StudyState, Test
from studies.record import note

from doubting.checking import CHECKED_AT_ONCE, check_tests
from doubting.settling import settle_decided, take_back
from doubting.tasks import queue_check


def listen() -> None:
    """Hear when other passes stand beside each other than before, and when what settled a doubt is taken back."""
    hear(PassesDecided, _on_decided, "doubting")
    hear(FiguresMade, lambda event: look_again(event.study, event.tests), "doubting")
    hear(CaptureMoved, lambda event: look_again(event.study, {event.before.test_id, event.after.test_id}), "doubting")
    scenes_put_right.connect(_on_scenes_put_right, dispatch_uid="doubting")
    hear(DecisionUndone, lambda event: take_back(event.study, event.decision), "doubting")


def _on_scenes_put_right(scenes: set[int], who: User, words: str, **_: Any) -> None:
    """The record of each open study that ran them says so, and its passes are held against what is said now."""
    tests = Test.objects.filter(scene__in=scenes, study__state=StudyState.OPEN, study__removed_at=None)
    by_study: dict[int, list[int]] = {}
    for pk, test in tests.order_by("study", "pk").values_list("study", "pk"):
        by_study.setdefault(pk, []).append(test)
    for study in Study.objects.select_for_update().filter(pk__in=by_study).order_by("pk"):
        note(study, who, "put the card of a scene right", words)
        queue_check(study.pk, by_study[study.pk])


def _on_decided(event: PassesDecided) -> None:
    look_again(event.study, {change.one.test_id for change in event.changes if change.stands_otherwise})
    if event.act is not None:
        settle_decided(event.study, event.act, {change.one.pk for change in event.changes})


def look_again(study: Study, tests: Collection[int]) -> None:
    """Check tests anew whose passes changed: many of them soon. Called within the transaction of the change."""
    at_once = len(tests) <= CHECKED_AT_ONCE
    if at_once:
        check_tests(study, tests)
    if tests:
        queue_check(study.pk, [] if at_once else sorted(tests))
