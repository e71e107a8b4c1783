"""What the worker does for intake: it takes in packs of files, and takes up the jobs of workers that died."""

from __future__ import annotations

import logging
from datetime import timedelta

import storing
from django.db import transaction
from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued, UniqueViolation
from procrastinate.jobs import Status

from intake.models import Pack, PackState
from intake.pieces import drop_pieces
from intake.unpacking import take_in

log = logging.getLogger(__name__)

#: A worker that was killed leaves its job as it was; whoever has not been heard of for so long is taken for dead.
STALLED_S = 30


#: Where what takes the worker long waits its turn.
QUEUE = "measuring"


@app.task(queue=QUEUE, retry=RetryStrategy(max_attempts=50, wait=2))
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


@app.periodic(cron="* * * * * 0,20,40")
@app.task(queue="upkeep", queueing_lock="retry-stalled", pass_context=False)
async def retry_stalled(timestamp: int) -> None:  # noqa: ARG001
    """Take up the jobs of workers that died."""
    await take_up_stalled()


#: A pack that nobody sent whole within this time is thrown away: nothing of it was acknowledged.
UNSENT = timedelta(days=3)


@app.periodic(cron="17 4 * * *")
@app.task(queue="upkeep", queueing_lock="sweep", pass_context=False)
def sweep(timestamp: int) -> int:  # noqa: ARG001
    """Throw away packs that were never sent whole, and files that no row names; how many packs."""
    left = Pack.objects.filter(state=PackState.ARRIVING, made_at__lt=timezone.now() - UNSENT)
    ids = list(left.values_list("pk", flat=True))
    for pk in ids:
        with transaction.atomic():
            drop_pieces(Pack(pk=pk))
            Pack.objects.filter(pk=pk, state=PackState.ARRIVING).delete()
    storing.sweep()
    return len(ids)


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
