"""A plugin of the tests: the slowest ten at the end, and a word where a suite took longer than it may.

Longer is no failure: machines are busy. It is said, so that it does not creep.
"""

from __future__ import annotations

import time
from typing import Any

import pytest

_SLOWEST = 10


def pytest_addoption(parser: pytest.Parser) -> None:
    """The budget of a suite stands in its settings."""
    parser.addini("budget_s", "seconds that this suite may take in a quiet hour", default="0")


class _Clock:
    """Adds up what each test took, with what it needed to begin and end."""

    def __init__(self, budget_s: float) -> None:
        self.budget_s, self.began = budget_s, time.monotonic()
        self.took: dict[str, float] = {}

    def pytest_runtest_logreport(self, report: Any) -> None:
        """One part of a test is over."""
        self.took[report.nodeid] = self.took.get(report.nodeid, 0.0) + report.duration

    def pytest_terminal_summary(self, terminalreporter: Any) -> None:
        """The slowest, and the budget where it was passed."""
        slowest = sorted(self.took.items(), key=lambda one: -one[1])[:_SLOWEST]
        if len(self.took) > _SLOWEST:
            terminalreporter.write_line("slowest: " + "; ".join(f"{s:.1f} s {_short(name)}" for name, s in slowest))
        wall = time.monotonic() - self.began
        over = f", over its budget of {self.budget_s:.0f} s" if 0 < self.budget_s < wall else ""
        terminalreporter.write_line(f"took {wall:.0f} s{over}")


def _short(nodeid: str) -> str:
    return nodeid.rsplit("/", 1)[-1]


def pytest_configure(config: pytest.Config) -> None:
    """Once a run, in the process that reports."""
    if not hasattr(config, "workerinput"):
        config.pluginmanager.register(_Clock(float(config.getini("budget_s"))), "budget-clock")
