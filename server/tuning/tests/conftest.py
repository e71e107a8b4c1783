"""A setup at stock, and a tuning log on it."""

from __future__ import annotations

from typing import Any

import pytest
from testkit import Caller
from tuning.tests.logs import a_setup, log_body


@pytest.fixture
def base(lead: Caller) -> dict[str, Any]:
    return a_setup(lead)


@pytest.fixture
def log(lead: Caller, base: dict[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = lead.post("/tuning", log_body(lead, base), status=201)
    return made
