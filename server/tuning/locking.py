"""A log, or a step with its log, locked: what is done to one comes one after another."""

from __future__ import annotations

from problems import NotFound

from tuning.models import Log, LogStep


def locked(log_id: int) -> Log:
    """A log, locked. Raises :class:`NotFound`."""
    log = Log.objects.select_for_update(of=("self",)).select_related("part", "base__setup").filter(pk=log_id).first()
    if log is None:
        raise NotFound("tuning log")
    return log


def step_locked(step_id: int) -> LogStep:
    """A step, its log locked. Raises :class:`NotFound`."""
    found = LogStep.objects.filter(pk=step_id).only("log_id").first()
    if found is None:
        raise NotFound("step")
    log = locked(found.log_id)
    step = LogStep.objects.select_related("setup__setup").get(pk=step_id)
    step.log = log
    return step
