"""What the bench does when captures come: what it knew of their runs is kept with them, and each is checked at once."""

from __future__ import annotations

from collections.abc import Sequence

from doubting.listeners import look_again
from studies.events import CapturesCame, CaptureSeenAnew, hear
from studies.models import Pass, Study

from running.models import BenchRun
from running.services import came_in
from running.sitting import bench_clock


def listen() -> None:
    """Hear which passes have captures, or another view of them."""
    hear(CapturesCame, lambda event: on_captures(event.study, event.passes), "running")
    hear(CaptureSeenAnew, lambda event: look_again(event.study, {event.one.test_id}), "running")


def on_captures(study: Study, passes: Sequence[int]) -> None:
    """Passes have captures: keep what was known of their runs, check their tests, and tell those at the bench."""
    came = list(Pass.objects.filter(pk__in=passes).select_related("session__driver").order_by("pk"))
    begun: dict[int, BenchRun] = {}
    runs = BenchRun.objects.filter(pass_id__in=passes, session__study=study, warm_up=False, broken_off=False)
    for run in runs.select_related("session__driver", "session__machine").order_by("pk"):
        known = begun.get(run.pass_id or 0)
        if known is None or known.arrival_id is None:
            begun[run.pass_id or 0] = run
    for one in came:
        if one.pk in begun and one.session_id is None:
            _keep_run(one, begun[one.pk])
    look_again(study, {one.test_id for one in came})
    for one in came:
        if one.session is not None and one.session.ended_at is None:
            came_in(one.session, one.session.driver, one.pk)


def _keep_run(one: Pass, run: BenchRun) -> None:
    """What was known of a run at the bench when it began."""
    one.session = run.session
    machine = run.session.machine
    told = {
        "after_load": run.after_load, "read_backs": run.read_backs,
        **({"machine": machine.name} if machine is not None and not machine.simulated else {}),
    }  # fmt: skip
    one.run_as = {**(one.run_as or {}), "bench": told}
    one.ran_at = bench_clock(run.session, run.began_at)
    one.save(update_fields=["session", "run_as", "ran_at"])
