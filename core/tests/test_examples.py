"""Every example in a docstring says what really comes out."""

from __future__ import annotations

import doctest
import importlib
import pkgutil

import pytest
import rennbahn

MODULES = [
    one.name for one in pkgutil.walk_packages(rennbahn.__path__, "rennbahn.") if not one.name.endswith("__main__")
]


@pytest.mark.parametrize("name", MODULES)
def test_examples_hold(name: str) -> None:
    failed, _ = doctest.testmod(importlib.import_module(name))
    assert failed == 0


def test_there_are_examples() -> None:
    asked = ["rennbahn.planning.amounts", "rennbahn.planning.levels", "rennbahn.comparing.resolutions"]
    assert all(doctest.testmod(importlib.import_module(name)).attempted for name in asked)
