"""What the worker does for doubts: check a whole study, soon after its passes changed and once for many changes."""

from __future__ import annotations

import logging
from collections.abc import Sequence

from django.db import transaction
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import AlreadyEnqueued
from studies.models import Study

from doubting.checking import CHECKED_AT_ONCE, check_study, check_tests

log = logging.getLogger(__name__)

#: Changes that follow each other this closely are checked together, s.
_WAIT_S = 3


@app.task(queue="measuring", retry=RetryStrategy(max_attempts=5, exponential_wait=4))
def check(study_id: int, tests: list[int]) -> None:
    """Check some tests of a study each by itself, then all that shows only over the whole of it."""
    for first in range(0, len(tests), CHECKED_AT_ONCE):
        with transaction.atomic():
            study = Study.objects.select_for_update().get(pk=study_id)
            check_tests(study, tests[first : first + CHECKED_AT_ONCE])
    with transaction.atomic():
        check_study(Study.objects.select_for_update().get(pk=study_id))


def queue_check(study_id: int, tests: Sequence[int] = ()) -> None:
    """Have a study checked once the transaction is through, together with what changes within the next seconds.

    Tests are named where nobody has checked them yet; such a job waits for itself alone.
    """
    waiting = f"check-{study_id}"
    alone = None if tests else waiting
    job = check.configure(lock=waiting, queueing_lock=alone, schedule_in={"seconds": _WAIT_S})
    try:
        with transaction.atomic():
            job.defer(study_id=study_id, tests=list(tests))
    except AlreadyEnqueued:
        log.info("study %s waits to be checked already", study_id)


def is_checking(study_id: int) -> bool:
    """Whether a check of a study waits or runs."""
    jobs = ProcrastinateJob.objects.filter(task_name=check.name, args__study_id=study_id)
    return jobs.filter(status__in=["todo", "doing"]).exists()
