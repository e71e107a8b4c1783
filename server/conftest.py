"""Fixtures for the server's tests."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from testkit import Bench, Caller, caller, study_body


@pytest.fixture(autouse=True)
def _quick_passwords(settings: Any) -> None:
    """Hashing that is slow on purpose would be most of the tests' time."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


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
