"""A study is ready for what was read when it was called so: a difference that came since takes it back."""

from __future__ import annotations

from collections.abc import Collection

from django.contrib.auth.models import User
from django.db import transaction
from studies.models import Study, StudyState
from studies.queries import with_lanes_and_tests
from studies.services import no_longer_ready

from planning.building import fairness_of
from planning.fair import objections_mark, unanswered

#: As much as a line of the record holds.
MOST_WHY = 300


def look_again(versions: Collection[int], who: User) -> None:
    """Take ready studies back whose lanes have these setups and now differ in something that was not read."""
    ready = Study.objects.filter(state=StudyState.OPEN, ready_at__isnull=False, lanes__setup_version__in=versions)
    _take_back(set(ready.values_list("pk", flat=True)), who)


def look_again_at_all() -> None:
    """Take ready studies back that were read by another version of the check, which did not ask what this one asks.

    Nobody did that: the record names who made the study, and says what asks.
    """
    with transaction.atomic():
        ready = Study.objects.filter(state=StudyState.OPEN, ready_at__isnull=False)
        _take_back(set(ready.values_list("pk", flat=True)), None)


def _take_back(ids: set[int], who: User | None) -> None:
    locked = {study.pk: study for study in Study.objects.select_for_update().filter(pk__in=ids).order_by("pk")}
    for study in with_lanes_and_tests().filter(pk__in=ids):
        fairness = fairness_of(study)
        if objections_mark(fairness) == study.ready_for:
            continue
        found = unanswered(study, fairness)
        if found:
            about = f"{found[0].label}: {found[0].about}"
            why = about if who else f"asked since an upgrade: {about}"
            no_longer_ready(locked[study.pk], who or study.created_by, why[:MOST_WHY])
