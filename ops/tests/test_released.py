"""Databases of what was released before are brought to today's, and lose nothing on the way.

`testing/released` has a small dump of each with what it held (`manage.py facts`).
"""

from __future__ import annotations

import json
from pathlib import Path

import backup
import pytest
from cluster import Cluster
from held import fewer
from paths import REPOSITORY

RELEASED = sorted((REPOSITORY / "testing" / "released").glob("*.dump"))


@pytest.mark.parametrize("dump", RELEASED, ids=lambda dump: dump.stem)
def test_a_released_database_becomes_todays_and_loses_nothing(dump: Path, cluster: Cluster) -> None:
    held = json.loads(dump.with_suffix(".json").read_text())
    backup._bring_back(cluster, dump)
    found = backup._facts_of(cluster)
    assert fewer(held, found) == []
    assert held["findings"], "a release has a finished study"
    assert found["findings"] == held["findings"]
    backup._manage(cluster, "files", "check")


def test_there_is_a_release() -> None:
    assert RELEASED
