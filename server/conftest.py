"""Fixtures for the server's tests."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from typing import Any

import clock
import pytest
import scratch
from django.db import connections, transaction
from django.test.utils import override_settings
from planning import calendar
from procrastinate.contrib.django import app
from procrastinate.testing import InMemoryConnector
from testkit import Bench, Caller, Jobs, caller, study_body


@pytest.fixture(scope="session")
def django_db_setup(django_db_blocker: Any) -> Iterator[None]:
    """A copy of a migrated database for each process: migrating takes longer than most tests together."""
    name = f"test_rennbahn_{os.environ.get('PYTEST_XDIST_WORKER', 'alone')}"
    scratch.copy(scratch.empty_template(), name)
    with django_db_blocker.unblock():
        connections["default"].settings_dict["NAME"] = name
        yield
        connections["default"].close()
    scratch.drop(name)


@pytest.fixture(scope="session", autouse=True)
def _quick_passwords() -> Iterator[None]:
    """Hashing that is slow on purpose would be most of the tests' time."""
    with override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"]):
        yield


@pytest.fixture(scope="session", autouse=True)
def _own_uploads(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """What one process sweeps away was never another's."""
    with override_settings(FILE_UPLOAD_TEMP_DIR=str(tmp_path_factory.mktemp("uploads"))):
        yield


@pytest.fixture(autouse=True)
def jobs() -> Iterator[Jobs]:
    """Jobs that were queued, to be done when a test says so."""
    connector = InMemoryConnector()
    with app.replace_connector(connector):
        yield Jobs(connector)


@pytest.fixture(autouse=True)
def _own_time() -> Iterator[None]:
    """What one test let pass at the bench is no other's."""
    yield
    clock.ahead = timedelta(0)


@pytest.fixture(scope="session", autouse=True)
def _new_year() -> Iterator[None]:
    """Plans of tests begin in the first days of 2026, and so does their clock."""
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(calendar, "now", lambda: datetime(2026, 1, 1, 9))
        yield


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


@pytest.fixture(scope="module")
def shared(django_db_setup: None, django_db_blocker: Any) -> Iterator[Bench]:
    """The same study, made once for a module; what its tests change is rolled back one by one."""
    with kept_for_a_module(django_db_blocker):
        lead, tester = caller("lead"), caller("tester")
        yield Bench(lead, tester, lead.post("/studies", study_body(), status=201))


@pytest.fixture(scope="module")
def filled(django_db_setup: None, django_db_blocker: Any) -> Iterator[Bench]:
    """The same with three accepted passes in every cell, the second lane 6% faster."""
    with kept_for_a_module(django_db_blocker):
        lead, tester = caller("lead"), caller("tester")
        bench = Bench(lead, tester, lead.post("/studies", study_body(), status=201))
        bench.fill()
        yield bench


@contextlib.contextmanager
def kept_for_a_module(blocker: Any) -> Iterator[None]:
    """What is made in here is there for all tests of a module, and gone after it."""
    with blocker.unblock(), app.replace_connector(InMemoryConnector()), transaction.atomic():
        yield
        transaction.set_rollback(True)


@pytest.fixture
def queries(django_assert_max_num_queries: Any) -> Callable[[int], Any]:
    """Holds a block to a number of queries."""
    hold: Callable[[int], Any] = django_assert_max_num_queries
    return hold
