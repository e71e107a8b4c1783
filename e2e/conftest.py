"""One server and one browser for all tests of a worker; each test signs in afresh."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from browser import SIZE, Page, set_size, start_chromium
from selenium import webdriver
from serving import serving


@pytest.fixture(scope="session")
def worker() -> str:
    """Tells databases of tests that run side by side apart."""
    return os.environ.get("PYTEST_XDIST_WORKER", "alone")


@pytest.fixture(scope="session")
def address(worker: str) -> Iterator[str]:
    with serving(f"rennbahn_e2e_{worker}") as found:
        yield found


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
