"""Between the core's seconds and the bench's calendar."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from dataclasses import dataclass

from rennbahn.planning.schedule import Session

#: Sessions that are looked ahead; a plan that needs more says so.
MOST_SESSIONS = 400


@dataclass(frozen=True)
class BenchTime:
    """Days at the bench from a first day on. Seconds count from midnight of that day."""

    first: dt.date
    starts: dt.time
    hours: float
    weekdays: Collection[int]

    def sessions(self) -> tuple[Session, ...]:
        """The sessions ahead; one that would run past midnight ends there."""
        start = self.starts.hour * 3600.0 + self.starts.minute * 60.0
        length = min(self.hours * 3600.0, 86_400.0 - start)
        days = (day for day in range(MOST_SESSIONS * 7) if (self.first.weekday() + day) % 7 in self.weekdays)
        return tuple(
            Session(day * 86_400.0 + start, length) for day, _ in zip(days, range(MOST_SESSIONS), strict=False)
        )

    def moment(self, seconds: float) -> dt.datetime:
        """When that is."""
        return dt.datetime.combine(self.first, dt.time()) + dt.timedelta(seconds=round(seconds))

    def seconds(self, moment: dt.datetime) -> float:
        """How far from the beginning a moment is."""
        return (moment - dt.datetime.combine(self.first, dt.time())).total_seconds()
