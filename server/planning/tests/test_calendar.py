"""Between seconds and days: sessions fall on the days at the bench and end by midnight."""

from __future__ import annotations

import datetime as dt
import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st
from planning.calendar import MOST_SESSIONS, BenchTime

WEEK = [0, 1, 2, 3, 4]


def test_sessions_skip_the_days_off() -> None:
    # A Thursday.
    when = BenchTime(dt.date(2026, 1, 8), dt.time(9, 30), 4.0, WEEK)
    days = [when.moment(session.start_s) for session in when.sessions()[:4]]
    assert [f"{day:%a %d %H:%M}" for day in days] == ["Thu 08 09:30", "Fri 09 09:30", "Mon 12 09:30", "Tue 13 09:30"]


def test_a_first_day_off_begins_on_the_next_day_at_the_bench() -> None:
    when = BenchTime(dt.date(2026, 1, 10), dt.time(9), 4.0, WEEK)
    assert when.moment(when.sessions()[0].start_s) == dt.datetime(2026, 1, 12, 9)


@pytest.mark.parametrize(("starts", "hours", "length"), [(20, 8, 4), (0, 24, 24), (9, 7.5, 7.5)])
def test_a_session_ends_by_midnight(starts: int, hours: float, length: float) -> None:
    when = BenchTime(dt.date(2026, 1, 5), dt.time(starts), hours, range(7))
    assert {session.length_s for session in when.sessions()} == {length * 3600}


@given(
    st.dates(dt.date(2020, 1, 1), dt.date(2040, 1, 1)),
    st.times().map(lambda time: time.replace(second=0, microsecond=0)),
    st.floats(0.5, 24),
    st.sets(st.integers(0, 6), min_size=1),
)
def test_every_session_is_on_a_day_at_the_bench(
    first: dt.date, starts: dt.time, hours: float, weekdays: set[int]
) -> None:
    when = BenchTime(first, starts, hours, weekdays)
    sessions = when.sessions()
    assert len(sessions) == MOST_SESSIONS
    for session, after in itertools.pairwise(sessions[:40]):
        day = when.moment(session.start_s)
        assert day.weekday() in weekdays
        assert day.time() == starts
        assert session.start_s + session.length_s <= after.start_s
        assert when.seconds(day) == session.start_s
