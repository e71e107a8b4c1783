"""What intake does when a study changes: captures that are measured against something else are queued."""

from __future__ import annotations

from studies.events import CaptureSeenAnew, DecisionUndone, FiguresMade, MethodChanged, hear, tell
from studies.models import Decision, Pass, Study

from intake.measuring import count_fresh, expect_anew, see_through, stale_captures
from intake.models import Capture
from intake.remeasuring import queue_once


def listen() -> None:
    """Hear what changes what captures are measured against, and what acts are taken back."""
    hear(MethodChanged, lambda event: catch_up(event.study), "intake")
    hear(DecisionUndone, lambda event: see_as_before(event.study, event.decision), "intake")


def catch_up(study: Study) -> None:
    """Have the captures of a study measured by what it says now. Called within the transaction of the change."""
    expect_anew(study)
    fresh = count_fresh(Capture.objects.filter(on_pass__test__study=study))
    if fresh:
        # What scenes teach and what checks find stands on these figures.
        told = Pass.objects.filter(capture__in=fresh).values_list("test__scene", "test")
        scenes, tests = (set(ids) for ids in zip(*told, strict=True))
        tell(FiguresMade(study, frozenset(tests), frozenset(scenes)))
    if stale_captures().filter(on_pass__test__study=study).exists():
        queue_once(study.pk)


def see_as_before(study: Study, decision: Decision) -> None:
    """Put the windows back that an act had changed. Called within the transaction in which it is taken back."""
    windows = decision.facts.get("windows", {})
    whole = Capture.objects.select_related("on_pass__test").prefetch_related("channels", "sample_sets__channels")
    for capture in whole.filter(pk__in=windows).order_by("pk"):
        before = repr(capture.windows)
        see_through(study, capture, windows[str(capture.pk)])
        tell(CaptureSeenAnew(study, capture.on_pass, before, repr(capture.windows)))
