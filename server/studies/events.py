"""What happens in studies, told once each, with what was before and what is after.

An event is told within the transaction of the change, the study locked. Who builds on a study hears those it asks for,
by their kind (see the `apps` of intake, planning, doubting and running; docs/events.md draws who hears what). What
follows is computed from the event and the rows; no meaning is read back out of words.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from django.dispatch import Signal

from studies.models import STANDING, Decision, Pass, Study


@dataclass(frozen=True)
class Event:
    """Something that happened in a study."""

    study: Study


@dataclass(frozen=True)
class StateChange:
    """A pass that became something else: its states before and after."""

    one: Pass
    before: str
    after: str

    @property
    def stands_otherwise(self) -> bool:
        """Whether it stands beside its siblings now and did not, or did and does not."""
        return (self.before in STANDING) != (self.after in STANDING)


@dataclass(frozen=True)
class PassesDecided(Event):
    """Passes were accepted, rejected, sent back, or what they hold changed so that they have to be decided again.

    `act` where somebody decided on them.
    """

    changes: tuple[StateChange, ...]
    act: Decision | None = None


@dataclass(frozen=True)
class CapturesCame(Event):
    """Passes have captures, or reported results, that had none: `passes`, their ids."""

    passes: tuple[int, ...]


@dataclass(frozen=True)
class CaptureSeenAnew(Event):
    """A capture is seen through other windows, or has other samples beside it, than before."""

    one: Pass
    before: str
    after: str


@dataclass(frozen=True)
class CaptureMoved(Event):
    """A capture left one pass, which is planned again, for another: both with what they were, `state` the first's."""

    before: Pass
    after: Pass
    state: str


@dataclass(frozen=True)
class FiguresMade(Event):
    """Figures of captures are others than before, by other measures or another method: in these tests and scenes."""

    tests: frozenset[int]
    scenes: frozenset[int]


@dataclass(frozen=True)
class MethodChanged(Event):
    """A study answers by another method than before, field by field; one opened again catches up by the same."""

    before: dict[str, Any]
    after: dict[str, Any]


@dataclass(frozen=True)
class DecisionUndone(Event):
    """An act is being taken back: whatever else it changed is put back as the act kept it."""

    decision: Decision


E = TypeVar("E", bound=Event)
_happened = Signal()


def tell(event: Event) -> None:
    """Let everybody hear it who asked for events of this kind."""
    _happened.send(type(event), event=event)


def hear(kind: type[E], listener: Callable[[E], None], name: str) -> None:
    """Have a listener called with every event of a kind; once, however often it is asked for by that name."""

    def heard(event: E, **_: Any) -> None:
        listener(event)

    _happened.connect(heard, sender=kind, weak=False, dispatch_uid=(name, kind.__name__))
