"""A block at the bench without the mouse: what reads back otherwise stops it, a faulty pass is caught and repeated."""

from __future__ import annotations

import pytest
from browser import Page
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys

READY = "Does a lower power limit show in the harbour?"
#: Of this seed the simulated bench shows the other lane's limit once, and its third pass stutters.
SEED, SPEED = 27248, 60


@pytest.fixture
def at(page: Page) -> Page:
    """The study that is ready, at the bench."""
    page.sign_in("tomke", PASSWORD)
    page.click(READY)
    page.see("Lane after lane".lower())
    study = page.driver.current_url.split("/studies/")[1].split("/")[0]
    page.open(f"/studies/{study}/run?seed={SEED}&speed={SPEED}")
    page.see("Nobody sits at the bench")
    return page


def heading(at: Page) -> str:
    """The one instruction on screen."""
    return at.element("h1").text


def go_on(at: Page, sign: str) -> None:
    """Press the one key to go on, step by step, until a sign shows."""
    for _ in range(40):
        at.wait(lambda: heading(at), "an instruction")
        if sign in at.text():
            return
        before = heading(at)
        at.press(Keys.ENTER)
        at.wait(lambda before=before: sign in at.text() or heading(at) != before, f"what follows “{before}”")
    raise AssertionError(f"forty steps and no “{sign}”; on screen:\n{at.text()[:1500]}")


def run_one(at: Page, verdict: str) -> None:
    """Start the pass that is to be run and wait for what the checks say of it."""
    at.see("The pass ·")
    at.press(Keys.ENTER)
    at.see("Hand on the game.")
    at.see(verdict)


def end_session(at: Page) -> None:
    """What was not run stays planned."""
    at.press("e")
    at.see("What was not run stays planned")
    at.press(Keys.ENTER)
    at.see("Hand in")


def test_a_lost_network_loses_no_tick_and_no_note(at: Page) -> None:
    at.press("j")
    at.see("Begin the session: machine on")
    network = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
    at.driver.execute_cdp_cmd("Network.enable", {})
    at.driver.execute_cdp_cmd("Network.emulateNetworkConditions", network)
    at.see("No network")
    first = heading(at)
    for _ in range(3):
        before = heading(at)
        at.press(Keys.ENTER)
        at.wait(lambda before=before: heading(at) != before, f"what follows “{before}”")
    at.press("n")
    at.press("the plug was loose", Keys.ENTER)
    at.see("No network · 4 acts kept here")
    fourth = heading(at)
    at.driver.execute_cdp_cmd("Network.emulateNetworkConditions", {**network, "offline": False})
    at.driver.refresh()
    at.not_see("No network")
    at.wait(lambda: heading(at) == fourth, f"“{fourth}” after the page was loaded again")
    assert first != fourth
    at.driver.get_log("browser")
    study = at.driver.current_url.split("/studies/")[1].split("/")[0]
    end_session(at)
    at.open(f"/studies/{study}/record")
    at.see("the plug was loose")
    assert at.text().count("the plug was loose") == 1


def test_a_second_person_looks_on_and_takes_over(at: Page, page: Page) -> None:
    at.press("j")
    at.see("Begin the session: machine on")
    at.driver.delete_all_cookies()
    page.sign_in("mara", PASSWORD)
    page.click(READY)
    study = page.driver.current_url.split("/studies/")[1].split("/")[0]
    page.open(f"/studies/{study}/run")
    page.see("tomke drives, you look on")
    page.press("v")
    page.not_see("you look on")
    before = heading(page)
    page.press(Keys.ENTER)
    page.wait(lambda: heading(page) != before, "the next step")
    end_session(page)


def test_six_passes_on_the_simulated_bench_without_the_mouse(at: Page) -> None:
    at.press("j")
    at.see("Simulated bench: nothing here is a result")
    go_on(at, "should say")
    at.see("Power limit should say 160 W")
    at.see("Look in a second place: the power the sensor program shows while the game runs")
    at.see("The simulated bench shows 110 W")
    at.press("1")
    at.see("Stop: it reads back otherwise")
    at.see("A run now would be a pass of another lane under this one’s name")
    at.press(Keys.ENTER)
    at.see("The simulated bench shows 160 W")
    # Whatever else is done meanwhile, the question stays: a note does not bring the wrong reading back.
    at.press("n")
    at.element("[role=dialog]")
    at.press("set it once more", Keys.ENTER)
    at.wait(lambda: not at.driver.find_elements("css selector", "[role=dialog]"), "the end of the dialog")
    at.see("The simulated bench shows 160 W")
    at.press(Keys.ENTER)
    at.see("Along the quay, twice around the crane.")
    at.press(Keys.ENTER)
    at.see("Warm-up · 32 s, not counted")
    at.press(Keys.ENTER)
    run_one(at, "It counts")
    at.press(Keys.ENTER)
    run_one(at, "It counts")
    at.press(Keys.ENTER)
    run_one(at, "Look again")
    at.see("stutters where its siblings have")
    at.press("x")
    at.see("Reject the last pass")
    at.press("a program woke up", Keys.ENTER)
    at.not_see("Look again")
    at.press("r")
    at.see("a repeat")
    run_one(at, "It counts")
    at.press(Keys.ENTER)
    at.see("Power limit: 160 W → 110 W")
    at.see("Stay within the maker’s stated limit.")
    go_on(at, "Power limit should say 110 W")
    go_on(at, "The pass ·")
    for _ in range(3):
        run_one(at, "It counts")
        at.press(Keys.ENTER)
    at.see("All passes are run")
    at.press(Keys.ENTER)
    at.see("What was not run stays planned")
    at.press("the crane was in the way once", Keys.ENTER)
    at.see("accepted 6")
    at.press("f")
    at.see("Simulated bench: 6 accepted passes are simulated")
