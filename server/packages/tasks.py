"""What the worker does for packages: it reads them back, one after the other."""

from __future__ import annotations

import logging

from django.db import transaction
from django.utils import timezone
from intake.pieces import drop_pieces
from intake.tasks import QUEUE, UNSENT
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from packages.bringing import bring_in
from packages.models import Brought, BroughtState

log = logging.getLogger(__name__)


@app.task(queue=QUEUE, retry=RetryStrategy(max_attempts=5, wait=2))
def read_back(brought_id: int) -> None:
    """Read a package back as a study, from where it was left."""
    bring_in(brought_id)


def queue_brought(brought_id: int) -> None:
    """Have a package read back, once, when the transaction is through."""
    waiting = f"package-{brought_id}"
    read_back.configure(lock=waiting, queueing_lock=waiting).defer(brought_id=brought_id)


@app.periodic(cron="*/5 * * * *")
@app.task(queue="upkeep", queueing_lock="packages")
def queue_left(timestamp: int) -> None:  # noqa: ARG001
    """Queue what was left in the middle, and throw away what was never sent whole."""
    for pk in Brought.objects.filter(state=BroughtState.RUNNING).values_list("pk", flat=True):
        try:
            with transaction.atomic():
                queue_brought(pk)
        except AlreadyEnqueued:
            log.info("package %s waits already", pk)
    for one in Brought.objects.filter(state=BroughtState.ARRIVING, made_at__lt=timezone.now() - UNSENT):
        with transaction.atomic():
            drop_pieces(one)
            Brought.objects.filter(pk=one.pk, state=BroughtState.ARRIVING).delete()
