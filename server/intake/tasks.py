"""What the worker does: measure again what was measured by something else.

A job names a study. It deals with one capture after the other, each in a transaction of its own and in a process with
bounds, so that a killed worker loses nothing and a capture that cannot be measured stops no other.
"""

from __future__ import annotations

import logging

from django.db import transaction
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued, UniqueViolation
from procrastinate.jobs import Status
from rennbahn import MEASURES_VERSION
from rennbahn.errors import RennbahnError
from studies.models import Pass, Study, StudyState
from studies.news import decided

from intake import crunching
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
from intake.models import Capture, CaptureFigures, Pack, PackState
from intake.unpacking import take_in

log = logging.getLogger(__name__)

#: A worker that was killed leaves its job as it was; whoever has not been heard of for so long is taken for dead.
STALLED_S = 30


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
        scenes = set(measured.values_list("test__scene", flat=True))
        with transaction.atomic():
            locked = Study.objects.select_for_update().get(pk=study_id)
            otherwise = set(measured.values_list("test", flat=True))
            decided.send(Study, study=locked, scenes=scenes, otherwise=otherwise)
    return len(ids)


def _measure_one(process: BoundedProcess, pk: int) -> None:
    whole = Capture.objects.select_related("on_pass__test__study").prefetch_related("channels", "sample_sets__channels")
    capture = whole.get(pk=pk)
    study = capture.on_pass.test.study
    settings = settings_for(study, capture.on_pass)
    made = made_by(capture, settings)
    try:
        found = process.call(crunching.measure, at_rest(capture), settings)
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


@app.task(queue="measuring", retry=RetryStrategy(max_attempts=50, wait=2))
def take_in_pack(pack_id: int) -> int:
    """Take in what waits of a pack of files; how many that were."""
    return take_in(pack_id)


def queue_pack(pack_id: int) -> None:
    """Have a pack taken in, once, when the transaction is through."""
    waiting = f"pack-{pack_id}"
    take_in_pack.configure(lock=waiting, queueing_lock=waiting).defer(pack_id=pack_id)


def queue_packs() -> None:
    """Queue every pack that is not through and waits for nobody, as after a crash."""
    for pk in Pack.objects.filter(state=PackState.RUNNING).values_list("pk", flat=True):
        try:
            with transaction.atomic():
                queue_pack(pk)
        except AlreadyEnqueued:
            log.info("pack %s waits already", pk)


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


@app.periodic(cron="* * * * * 0,20,40")
@app.task(queue="upkeep", queueing_lock="retry-stalled", pass_context=False)
async def retry_stalled(timestamp: int) -> None:  # noqa: ARG001
    """Take up the jobs of workers that died."""
    await take_up_stalled()


async def take_up_stalled(*, silent_s: int = STALLED_S) -> None:
    """Queue the jobs again whose worker has not been heard of for so long.

    Where the same work was queued again meanwhile, as a worker does when it starts, the dead job only stands in its
    way.
    """
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=silent_s):
        try:
            await app.job_manager.retry_job(job)
        except UniqueViolation:
            await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=True)
