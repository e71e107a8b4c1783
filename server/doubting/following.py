"""What doubts do when passes change: tests are checked anew at once, the whole study soon after."""

from __future__ import annotations

from collections.abc import Collection

from django.utils import timezone
from studies.models import Decision, Study

from doubting.checking import check_test
from doubting.models import Settled
from doubting.tasks import queue_check

#: Of more tests than these the worker checks all: nobody waits for so many at a screen.
_AT_ONCE = 8


def look_again(study: Study, tests: Collection[int]) -> None:
    """Check tests anew whose passes changed. Called within the transaction of the change."""
    at_once = len(tests) <= _AT_ONCE
    if at_once:
        for test in sorted(tests):
            check_test(study, test)
    if tests:
        queue_check(study.pk, [] if at_once else sorted(tests))


def take_back(decision: Decision) -> None:
    """What a decision settled that was taken back stands again."""
    Settled.objects.filter(decision=decision, taken_back_at=None).update(taken_back_at=timezone.now())
