"""Run where the network comes and goes: a dead spot, a server that hangs, a page that is loaded again meanwhile."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from browser import Page
from gate import Gate, gate_to
from scratch import PASSWORD
from selenium import webdriver
from selenium.webdriver.common.keys import Keys
from test_run import READY, end_session, heading
from ways import enter


@pytest.fixture
def gate(address: str) -> Iterator[Gate]:
    with gate_to(address) as found:
        yield found


@pytest.fixture
def at(driver: webdriver.Chrome, gate: Gate) -> Iterator[Page]:
    """The study that is ready, at the bench, behind a gate. What the browser complains of is what is tried here."""
    driver.get(gate.address + "/icon.svg")
    driver.delete_all_cookies()
    driver.__dict__.pop("signed_in", None)
    page = Page(driver, gate.address)
    page.sign_in("tomke", PASSWORD)
    page.study(READY)
    page.see("Lane after lane".lower())
    study = page.driver.current_url.split("/studies/")[1].split("/")[0]
    page.open(f"/studies/{study}/run?seed=27248&speed=60")
    page.see("Nobody sits at the bench")
    page.press("j")
    page.see("Begin the session: machine on")
    yield page
    gate.open()
    page.not_see("No network")
    end_session(page)
    driver.get_log("browser")
    driver.__dict__.pop("signed_in", None)


def test_loaded_again_in_a_dead_spot_it_shows_the_instruction(at: Page, gate: Gate) -> None:
    at.wait(lambda: at.driver.execute_async_script(KEPT), "the page to be kept")
    gate.cut()
    at.see("No network")
    first = heading(at)
    enter(at, lambda: heading(at) != first, "the second step")
    second = heading(at)
    at.driver.refresh()
    at.see("No network")
    at.wait(lambda: heading(at) == second, f"“{second}” after the page was loaded again")
    at.press("n")
    at.press("the plug was loose", Keys.ENTER)
    at.see("2 acts kept here")
    gate.open()
    at.not_see("No network")
    at.wait(lambda: heading(at) == second, "the same instruction, from the server")
    assert "was not taken" not in at.text()


def test_a_server_that_hangs_is_no_network_within_three_seconds(at: Page, gate: Gate) -> None:
    at.not_see("No network")
    gate.hang()
    began = at.driver.execute_script("return performance.now()")
    at.see("No network")
    assert at.driver.execute_script("return performance.now()") - began < 4_000
    first = heading(at)
    enter(at, lambda: heading(at) != first, "the second step, without the server")
    gate.open()
    at.not_see("No network")
    assert "was not taken" not in at.text()


#: Whether what Run needs to be loaded again lies in the browser.
KEPT = """
const done = arguments[0];
caches.open("rennbahn-page").then(async (cache) => {
  const paths = (await cache.keys()).map((one) => new URL(one.url).pathname);
  const facts = await (await caches.open("rennbahn-bench")).keys();
  done(paths.includes("/") && paths.some((path) => path.endsWith(".js")) && facts.length >= 3);
});
"""
