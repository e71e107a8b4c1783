"""Measuring again what was measured by something else: the worker's task, and who queues it.

A job names a study. It deals with one capture after the other, each in a transaction of its own and in a process with
bounds, so that a killed worker loses nothing and a capture that cannot be measured stops no other.
"""

from __future__ import annotations

import logging

from django.db import transaction
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued
from rennbahn import MEASURES_VERSION
from rennbahn.errors import RennbahnError
from studies.events import FiguresMade, tell
from studies.models import Pass, Study, StudyState

from intake import reading
from intake.bounded import BoundedProcess
from intake.measuring import (
    at_rest,
    basis_of,
    keep_figures,
    keep_profile,
    made_by,
    settings_for,
    stale_captures,
)
from intake.models import Capture, CaptureFigures

log = logging.getLogger(__name__)


@app.task(queue="measuring", retry=RetryStrategy(max_attempts=5, exponential_wait=4))
def measure_study(study_id: int) -> int:
    """Measure again what is stale in a study; how many captures that were."""
    study = Study.objects.get(pk=study_id)
    ids = list(stale_captures().filter(on_pass__test__study=study).order_by("pk").values_list("pk", flat=True))
    with BoundedProcess() as process:
        for pk in ids:
            _measure_one(process, pk)
    if ids:
        # What scenes teach stands on these figures.
        measured = Pass.objects.filter(capture__in=ids)
        scenes = frozenset(measured.values_list("test__scene", flat=True))
        with transaction.atomic():
            locked = Study.objects.select_for_update().get(pk=study_id)
            tests = frozenset(measured.values_list("test", flat=True))
            tell(FiguresMade(locked, tests, scenes))
    return len(ids)


def _measure_one(process: BoundedProcess, pk: int) -> None:
    whole = Capture.objects.select_related("on_pass__test__study").prefetch_related("channels", "sample_sets__channels")
    capture = whole.get(pk=pk)
    study = capture.on_pass.test.study
    settings = settings_for(study, capture.on_pass)
    made = made_by(capture, settings)
    try:
        found = process.call(reading.measure, at_rest(capture), settings)
    except RennbahnError as error:
        log.warning("capture %s was not measured: %s", pk, error)
        Capture.objects.filter(pk=pk).update(trouble=str(error)[:300])
        return
    with transaction.atomic():
        # Whatever changed meanwhile is measured by the job that the change has queued.
        Study.objects.select_for_update().get(pk=study.pk)
        locked = Capture.objects.select_for_update().prefetch_related("sample_sets").get(pk=pk)
        if made_by(locked, settings) != made:
            return
        row = CaptureFigures.objects.filter(capture=locked, version=MEASURES_VERSION, basis=basis_of(made)).first()
        row = row or keep_figures(locked, found, made)
        keep_profile(locked, found, made)
        locked.basis, locked.trouble = basis_of(made), ""
        if Study.objects.get(pk=study.pk).state == StudyState.OPEN or locked.current_id is None:
            locked.current = row
        locked.save(update_fields=["basis", "trouble", "current"])


def queue_measuring(study_id: int) -> None:
    """Have a study measured again, once, when the transaction is through."""
    waiting = f"study-{study_id}"
    measure_study.configure(lock=waiting, queueing_lock=waiting).defer(study_id=study_id)


def queue_stale() -> list[int]:
    """Queue every study that has something stale, as after an upgrade; their ids."""
    found = stale_captures().filter(trouble="").values_list("on_pass__test__study", flat=True).distinct()
    ids = sorted(set(found))
    for study_id in ids:
        queue_once(study_id)
    return ids


def queue_once(study_id: int) -> None:
    """Queue a study unless it waits already."""
    try:
        with transaction.atomic():
            queue_measuring(study_id)
    except AlreadyEnqueued:
        log.info("study %s waits to be measured already", study_id)
