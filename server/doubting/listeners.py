"""What doubts do when passes change: tests are checked anew at once, the whole study soon after."""

from __future__ import annotations

from collections.abc import Collection

from studies.events import CaptureMoved, DecisionUndone, FiguresMade, PassesDecided, hear
from studies.models import Study

from doubting.checking import CHECKED_AT_ONCE, check_tests
from doubting.services import take_back
from doubting.tasks import queue_check


def listen() -> None:
    """Hear when other passes stand beside each other than before, and when what settled a doubt is taken back."""
    hear(PassesDecided, _on_decided, "doubting")
    hear(FiguresMade, lambda event: look_again(event.study, event.tests), "doubting")
    hear(CaptureMoved, lambda event: look_again(event.study, {event.before.test_id, event.after.test_id}), "doubting")
    hear(DecisionUndone, lambda event: take_back(event.study, event.decision), "doubting")


def _on_decided(event: PassesDecided) -> None:
    look_again(event.study, {change.one.test_id for change in event.changes if change.stands_otherwise})


def look_again(study: Study, tests: Collection[int]) -> None:
    """Check tests anew whose passes changed: many of them soon. Called within the transaction of the change."""
    at_once = len(tests) <= CHECKED_AT_ONCE
    if at_once:
        check_tests(study, tests)
    if tests:
        queue_check(study.pk, [] if at_once else sorted(tests))
