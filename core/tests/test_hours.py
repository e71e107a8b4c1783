"""When passes ran: sessions, rests, and times that cannot be."""

from __future__ import annotations

import pytest
from rennbahn.comparing.hours import Run, bench_hours


def test_hours_count_from_where_the_session_began() -> None:
    found = bench_hours([Run(1000.0, 60.0), Run(1000.0 + 3600.0, 120.0)])
    assert found.of == pytest.approx((30 / 3600, 1 + 60 / 3600))
    assert found.trouble == ""


def test_a_bench_that_rested_begins_anew_whatever_the_order_of_the_list() -> None:
    runs = [Run(90_000.0, 60.0), Run(0.0, 60.0), Run(100.0, 60.0), Run(90_100.0, 60.0)]
    assert bench_hours(runs).of == pytest.approx((30 / 3600, 30 / 3600, 130 / 3600, 130 / 3600))


def test_a_pass_that_does_not_say_has_no_hour_and_the_others_keep_theirs() -> None:
    found = bench_hours([Run(0.0, 60.0), Run(None, 60.0), Run(120.0, 60.0)])
    assert found.of[1] is None
    assert found.of[2] == pytest.approx(150 / 3600)
    assert found.trouble == "unknown"


def test_passes_that_would_overlap_were_not_run_then() -> None:
    copied = [Run(500.0, 60.0), Run(501.0, 60.0)]
    assert bench_hours(copied).of == (None, None)
    assert bench_hours(copied).trouble == "overlap"
    assert bench_hours([Run(0.0, 60.0), Run(58.0, 60.0)]).trouble == "", "files say it to a second or two"
    assert bench_hours([]).of == ()
