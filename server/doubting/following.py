"""What doubts do when passes change: tests are checked anew at once, the whole study soon after."""

from __future__ import annotations

from collections.abc import Collection

from studies.models import Study

from doubting.checking import check_test
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
