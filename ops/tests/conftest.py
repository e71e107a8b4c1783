"""A cluster for tests of what is done with one."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from cluster import Cluster


@pytest.fixture
def cluster(monkeypatch: pytest.MonkeyPatch) -> Iterator[Cluster]:
    """The one that must keep what it is given, in a place of its own.

    Not one of pytest's: the postgres user must be able to walk there, and another run shuts pytest's places.
    """
    with tempfile.TemporaryDirectory(prefix="rennbahn-cluster-") as place:
        Path(place).chmod(0o755)
        monkeypatch.setenv("RENNBAHN_STATE", place)
        monkeypatch.setenv("RENNBAHN_FSYNC", "off")
        made = Cluster("demo")
        yield made
        made.remove()
