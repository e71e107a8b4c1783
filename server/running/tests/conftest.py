"""A study at whose bench nobody sits yet: its scenes are as long as its captures."""

from __future__ import annotations

import pytest
from testkit import AtBench, Bench


@pytest.fixture
def at(bench: Bench) -> AtBench:
    return AtBench(bench, bench.tester)
