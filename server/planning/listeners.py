"""What plans do when studies change: scenes teach by every decision, and a ready study is read again."""

from __future__ import annotations

from typing import Any

from bench.news import setups_changed
from studies.events import CaptureMoved, FiguresMade, PassesDecided, hear
from studies.models import PassState

from planning.noise import learn
from planning.readiness import look_again


def listen() -> None:
    """Hear what scenes learn from, and which setups changed."""
    hear(PassesDecided, _on_decided, "planning")
    hear(FiguresMade, lambda event: learn(event.study.pk, event.scenes), "planning")
    hear(CaptureMoved, _on_moved, "planning")
    setups_changed.connect(_on_setups_changed, dispatch_uid="planning")


def _on_decided(event: PassesDecided) -> None:
    learn(event.study.pk, {change.one.test.scene_id for change in event.changes})


def _on_moved(event: CaptureMoved) -> None:
    if event.state == PassState.ACCEPTED:
        learn(event.study.pk, {event.before.test.scene_id, event.after.test.scene_id})


def _on_setups_changed(versions: set[int], who: Any, **_: Any) -> None:
    look_again(versions, who)
