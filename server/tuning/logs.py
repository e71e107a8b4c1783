"""Logs as the core knows them, and what it says of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from intake.models import CaptureFigures
from rennbahn.tuning import Quick, Rival, Setting, Stability, Step, Tuning, TuningLog, tuning_of
from studies.models import HIDDEN, PassState

from tuning.models import Log, LogSetting, LogStep

_WAYS = {"up": 1, "down": -1}


@dataclass(frozen=True)
class Told:
    """A log with its steps by number, as the core knows it and what it says.

    `kept` are its steps in their order; the core's are ordered as one went: those of the branch that one is on last.
    """

    log: Log
    kept: Sequence[LogStep]
    core: TuningLog
    found: Tuning


def told(log: Log, *, rival: bool = True) -> Told:
    """A log that was loaded with :func:`tuning.queries.whole`, held against its rival or not."""
    kept = list(log.steps.all())
    settings = {one.name: setting(one) for one in log.settings.all()}
    steps = tuple(step(one) for one in _as_one_went(kept))
    core = TuningLog(settings, steps, _rival_of(log) if rival else None, log.stability_min)
    return Told(log, kept, core, tuning_of(core))


def setting(one: LogSetting) -> Setting:
    """A setting as the core knows it."""
    return Setting(one.unit, one.stock, one.resolution, one.limit_low, one.limit_high, one.kind, _WAYS.get(one.harder))


def step(one: LogStep) -> Step:
    """A step as the core knows it, without what was struck out."""
    return Step(
        str(one.number),
        one.set,
        one.read_back,
        tuple(Stability(run.program, run.minutes, run.outcome) for run in one.runs.all() if not run.struck_why),
        tuple(Quick(row.fps, row.w) for row in one.passes.all() if not row.struck_why),
        one.sample,
    )


def _rival_of(log: Log) -> Rival | None:
    """The rival by its accepted passes that have watts; None where there is none, or it is kept from whoever asks."""
    if log.rival_test is None or log.rival_test.study_id in HIDDEN.get():
        return None
    found = CaptureFigures.objects.filter(
        current_of__on_pass__lane=log.rival_lane_id, current_of__on_pass__test=log.rival_test_id,
        current_of__on_pass__state=PassState.ACCEPTED, power_w__gt=0,
    ).order_by("pk")  # fmt: skip
    passes = tuple(Quick(fps, w) for fps, w in found.values_list("average_fps", "power_w"))
    return Rival(passes) if passes else None


def _as_one_went(steps: Sequence[LogStep]) -> list[LogStep]:
    """Steps with those that lead to the last one at the end: who went back goes on from where they went back to."""
    if not steps:
        return []
    by_id = {one.pk: one for one in steps}
    way, at = [steps[-1]], steps[-1].after_id
    while at is not None and at in by_id:
        way.append(by_id[at])
        at = by_id[at].after_id
    on_way = {one.pk for one in way}
    return [*(one for one in steps if one.pk not in on_way), *reversed(way)]
