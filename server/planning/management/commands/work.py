"""`manage.py work`: the worker. It measures again what is stale, and takes up the jobs of workers that died."""

from __future__ import annotations

import asyncio
from typing import Any

from django.core.management.base import BaseCommand
from intake.tasks import queue_stale, take_up_stalled
from procrastinate.contrib.django import app
from studies.models import Pass, PassState

from planning.models import SceneNoise
from planning.noise import learn_all
from planning.readiness import look_again_at_all


class Command(BaseCommand):
    """Runs until it is ended. PostgreSQL going away ends it too; whoever supervises it starts it again."""

    help = __doc__

    def handle(self, *_: Any, **__: Any) -> None:
        """Queue what an upgrade left stale, then work."""
        if not SceneNoise.objects.exists() and Pass.objects.filter(state=PassState.ACCEPTED).exists():
            learn_all()
        look_again_at_all()
        queue_stale()
        connector: Any = app.connector
        with app.replace_connector(connector.get_worker_connector()):
            asyncio.run(self._work())

    async def _work(self) -> None:
        async with app.open_async():
            await take_up_stalled()
            await app.run_worker_async(concurrency=1, delete_jobs="successful", install_signal_handlers=True)
