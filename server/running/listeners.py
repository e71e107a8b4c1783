"""What the bench does when captures come: what it knew of their runs is kept with them, and each is checked at once."""

from __future__ import annotations

from collections.abc import Sequence

from doubting.listeners import look_again
from studies.events import CapturesCame, CaptureSeenAnew, hear
from studies.models import Pass, Study

from running.link import bench_clock
from running.models import ActKind, RunAct
from running.services import came_in


def listen() -> None:
    """Hear which passes have captures, or another view of them."""
    hear(CapturesCame, lambda event: on_captures(event.study, event.passes), "running")
    hear(CaptureSeenAnew, lambda event: look_again(event.study, {event.one.test_id}), "running")


def on_captures(study: Study, passes: Sequence[int]) -> None:
    """Passes have captures: keep what was known of their runs, check their tests, and tell those at the bench."""
    came = list(Pass.objects.filter(pk__in=passes).select_related("session__driver").order_by("pk"))
    begun: dict[int, RunAct] = {}
    acts = RunAct.objects.filter(
        kind=ActKind.BEGAN, pass_id__in=passes, session__study=study, data__warm_up=False
    ).select_related("session__driver")
    for act in acts.order_by("pk"):
        begun[act.pass_id or 0] = act
    for one in came:
        if one.pk in begun and one.session_id is None:
            _keep_run(one, begun[one.pk])
    look_again(study, {one.test_id for one in came})
    for one in came:
        if one.session is not None and one.session.ended_at is None:
            came_in(one.session, one.session.driver, one.pk)


def _keep_run(one: Pass, began: RunAct) -> None:
    """What was known of a run at the bench when it began."""
    one.session = began.session
    told = {name: began.data.get(name, nothing) for name, nothing in (("after_load", False), ("read_back", None))}
    one.run_as = {**(one.run_as or {}), "bench": told}
    one.ran_at = bench_clock(began.session, began.at)
    one.save(update_fields=["session", "run_as", "ran_at"])
