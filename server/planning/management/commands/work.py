"""`manage.py work`: the worker. It measures again what is stale, and takes up the jobs of workers that died."""

from __future__ import annotations

import asyncio
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand
from intake.remeasuring import queue_stale
from intake.tasks import STALLED_S, queue_packs, take_up_stalled
from intake.unpacking import sweep_left
from procrastinate.contrib.django import app
from studies.models import Pass, PassState

from planning.models import SceneFirsts, SceneNoise
from planning.noise import learn_all
from planning.readiness import look_again_at_all


class Command(BaseCommand):
    """Runs until it is ended. PostgreSQL going away ends it too; whoever supervises it starts it again."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Whether other workers may run beside it."""
        parser.add_argument("--alone", action="store_true", help="no other worker runs: what is being done is nobody's")

    def handle(self, *_: Any, alone: bool, **__: Any) -> None:
        """Queue what an upgrade left stale or a crash unfinished, then work."""
        unlearned = not SceneNoise.objects.exists() or not SceneFirsts.objects.exists()
        if unlearned and Pass.objects.filter(state=PassState.ACCEPTED).exists():
            learn_all()
        if alone:
            sweep_left()
        look_again_at_all()
        queue_stale()
        queue_packs()
        connector: Any = app.connector
        with app.replace_connector(connector.get_worker_connector()):
            asyncio.run(self._work(alone=alone))

    async def _work(self, *, alone: bool) -> None:
        async with app.open_async():
            await take_up_stalled(silent_s=0 if alone else STALLED_S)
            await app.run_worker_async(concurrency=1, delete_jobs="successful", install_signal_handlers=True)
