"""Between the core's seconds and the bench's calendar."""

from __future__ import annotations

import datetime as dt
import itertools
import math
from collections.abc import Collection
from dataclasses import dataclass

from django.utils import timezone
from people.house import zone
from rennbahn.planning.schedule import Session


def now() -> dt.datetime:
    """The bench's own clock, without a zone."""
    return timezone.localtime(timezone=zone()).replace(tzinfo=None)


def _from(session: Session, earliest: float) -> Session | None:
    """What is left of a session from a moment on."""
    if session.start_s >= earliest:
        return session
    left = session.start_s + session.length_s - earliest
    return Session(earliest, left) if left > 0 else None


#: Sessions that are looked ahead; a plan that needs more says so.
MOST_SESSIONS = 400


@dataclass(frozen=True)
class BenchTime:
    """Days at the bench from a first day on. Seconds count from midnight of that day.

    What is still to be run begins `not_before` that moment: no session lies in the past.
    """

    first: dt.date
    starts: dt.time
    hours: float
    weekdays: Collection[int]
    not_before: dt.datetime | None = None
    #: From when to when of each day the bench stands still; over midnight where the first is the later.
    quiet: tuple[dt.time, dt.time] | None = None
    #: Days on which nobody is at the bench.
    off: Collection[dt.date] = ()

    def sessions(self) -> tuple[Session, ...]:
        """The sessions ahead; one that would run past midnight ends there."""
        start = self.starts.hour * 3600.0 + self.starts.minute * 60.0
        length = min(self.hours * 3600.0, 86_400.0 - start)
        earliest = -math.inf if self.not_before is None else math.ceil(self.seconds(self.not_before) / 60.0) * 60.0
        begins = max(0, int(max(earliest, 0.0) // 86_400))
        ahead = range(begins, begins + MOST_SESSIONS * 7)
        gone = {(day - self.first).days for day in self.off}
        days = (day for day in ahead if (self.first.weekday() + day) % 7 in self.weekdays and day not in gone)
        whole = (piece for day in days for piece in self._loud(Session(day * 86_400.0 + start, length), day * 86_400.0))
        found = (_from(session, earliest) for session in whole)
        return tuple(itertools.islice((session for session in found if session is not None), MOST_SESSIONS))

    def _loud(self, session: Session, midnight: float) -> list[Session]:
        """A day's session without its quiet hours: in two where they lie within it."""
        if self.quiet is None:
            return [session]
        begins, ends = (at.hour * 3600.0 + at.minute * 60.0 for at in self.quiet)
        still = [(begins, ends)] if begins <= ends else [(0.0, ends), (begins, 86_400.0)]
        left = [(session.start_s, session.start_s + session.length_s)]
        for a, b in still:
            left = [
                piece
                for x, y in left
                for piece in ((x, min(y, midnight + a)), (max(x, midnight + b), y))
                if piece[1] - piece[0] > 0.0
            ]
        return [Session(x, y - x) for x, y in left]

    def moment(self, seconds: float) -> dt.datetime:
        """When that is."""
        return dt.datetime.combine(self.first, dt.time()) + dt.timedelta(seconds=round(seconds))

    def seconds(self, moment: dt.datetime) -> float:
        """How far from the beginning a moment is."""
        return (moment - dt.datetime.combine(self.first, dt.time())).total_seconds()
