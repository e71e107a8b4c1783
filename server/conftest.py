"""Fixtures for the server's tests."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime
from typing import Any

import pytest
from planning import calendar
from procrastinate.contrib.django import app
from procrastinate.testing import InMemoryConnector
from testkit import Bench, Caller, Jobs, caller, study_body


@pytest.fixture(autouse=True)
def _quick_passwords(settings: Any) -> None:
    """Hashing that is slow on purpose would be most of the tests' time."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture(autouse=True)
def jobs() -> Iterator[Jobs]:
    """Jobs that were queued, to be done when a test says so."""
    connector = InMemoryConnector()
    with app.replace_connector(connector):
        yield Jobs(connector)


@pytest.fixture(autouse=True)
def _new_year(monkeypatch: pytest.MonkeyPatch) -> None:
    """Plans of tests begin in the first days of 2026, and so does their clock."""
    monkeypatch.setattr(calendar, "now", lambda: datetime(2026, 1, 1, 9))


@pytest.fixture
def viewer(db: None) -> Caller:
    return caller("viewer")


@pytest.fixture
def tester(db: None) -> Caller:
    return caller("tester")


@pytest.fixture
def lead(db: None) -> Caller:
    return caller("lead")


@pytest.fixture
def nobody(db: None) -> Caller:
    return caller(None)


@pytest.fixture
def bench(lead: Caller, tester: Caller) -> Bench:
    return Bench(lead, tester, lead.post("/studies", study_body(), status=201))


@pytest.fixture
def queries(django_assert_max_num_queries: Any) -> Callable[[int], Any]:
    """Holds a block to a number of queries."""
    hold: Callable[[int], Any] = django_assert_max_num_queries
    return hold
