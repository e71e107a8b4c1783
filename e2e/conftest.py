"""One browser for all tests of a worker, one server with fresh demo data for each file; each test signs in afresh."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from browser import SIZE, Page, set_size, start_chromium
from selenium import webdriver
from serving import Serving, serving

# Clusters that tests make survive kills; no disk has to be waited for.
os.environ["RENNBAHN_FSYNC"] = "off"

#: What takes minutes begins first, so that nobody waits for it alone at the end.
LONG = ("test_own.py", "test_several.py", "test_faults.py", "test_plan.py")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Long files first; files are handed out whole, in this order."""
    items.sort(key=lambda item: LONG.index(item.path.name) if item.path.name in LONG else len(LONG))


@pytest.fixture(scope="session")
def worker() -> str:
    """Tells databases of tests that run side by side apart."""
    return os.environ.get("PYTEST_XDIST_WORKER", "alone")


@pytest.fixture(scope="session")
def server(worker: str) -> Iterator[Serving]:
    with serving(f"rennbahn_e2e_{worker}") as found:
        yield found


@pytest.fixture(scope="module")
def address(server: Serving) -> str:
    """What the tests of one file do, those of another never see: which run on one worker is chance."""
    if server.used:
        server.begin_anew()
    server.used = True
    return server.address


@pytest.fixture(scope="session")
def downloads(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("downloads")


@pytest.fixture(scope="session")
def driver(downloads: Path) -> Iterator[webdriver.Chrome]:
    chromium = start_chromium(downloads)
    yield chromium
    chromium.quit()


@pytest.fixture
def page(driver: webdriver.Chrome, address: str) -> Iterator[Page]:
    """A page with nobody signed in; afterwards the browser must not have complained."""
    driver.get(address + "/icon.svg")
    driver.delete_all_cookies()
    driver.execute_script("localStorage.clear()")
    set_size(driver, *SIZE)
    driver.get_log("browser")
    yield Page(driver, address)
    complaints = [
        entry["message"]
        for entry in driver.get_log("browser")
        # An answer of 4xx is shown to the user by the page; the browser notes it all the same.
        if entry["level"] == "SEVERE" and "the server responded with a status of 4" not in entry["message"]
    ]
    assert complaints == []
