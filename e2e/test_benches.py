"""Two test machines and one person, a phone as a remote, and what would settle most next, taken with one key."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from browser import SIZE, Page, set_size
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from test_run import READY, end_session, heading
from ways import enter


@pytest.fixture
def study(page: Page) -> Iterator[str]:
    """The address of the study that is ready, with two test machines that send their files by themselves."""
    page.sign_in("tomke", PASSWORD)
    page.open("/bench/links")
    for name in ("left machine", "right machine"):
        page.fill("Name of the machine", name)
        page.click("Make its token")
        page.see("is linked once its program runs")
        page.see("127.0.0.1")
        page.click("I have it")
    page.open("/")
    page.study(READY)
    page.see("Lane after lane".lower())
    yield "/studies/" + page.driver.current_url.split("/studies/")[1].split("/")[0]
    page.open("/bench/links")
    for name in ("left machine", "right machine"):
        page.click(f"Revoke the token of {name}")
        page.not_see(f"Revoke the token of {name}")


def choose(page: Page, machine: str) -> None:
    """Sit down at a test machine."""
    page.click("At which test machine")
    page.click(machine)


def test_two_machines_run_a_lane_each_and_a_file_of_one_is_none_of_the_others(page: Page, study: str) -> None:
    page.open(f"{study}/run")
    page.see("Lanes that are run here".upper())
    choose(page, "left machine")
    page.labelled("110 W").click()
    tap(page, "begin the session")
    page.see("at left machine")
    page.see("160 W")
    page.click("run more here")
    page.see("160 W runs at left machine")
    choose(page, "right machine")
    page.press(Keys.ENTER)
    page.see("at right machine: 110 W")
    page.see("also runs: left machine")
    page.wait(lambda: page.element("h1").text, "an instruction")
    # Each is driven by itself: what is done at one is not done at the other.
    here = heading(page)
    enter(page, lambda: heading(page) != here, "the next step")
    page.click("also runs: left machine")
    page.see("at left machine: 160 W")
    page.see("step 1 of")
    end_session(page)
    page.open(f"{study}/run")
    page.see("at right machine: 110 W")
    page.see("step 2 of")
    end_session(page)


def test_a_phone_is_a_full_remote(page: Page, study: str) -> None:
    set_size(page.driver, 390, 844)
    try:
        page.open(f"{study}/run")
        choose(page, "none: its files are handed in by hand")
        tap(page, "begin the session")
        page.see("Begin the session: machine on")
        assert page.driver.execute_script("return document.documentElement.scrollWidth") <= 390
        first = heading(page)
        tap(page, "done")
        page.wait(lambda: heading(page) != first, "the next step, by a finger")
        tap(page, "note")
        page.press("the fan whistles", Keys.ENTER)
        tap(page, "pause")
        page.see("Take your time")
        tap(page, "go on")
        page.wait(lambda: heading(page) != "Take your time", "the step again")
        for name in ("did not run", "later", "room", "end the session"):
            button = page.wait(lambda name=name: in_reach(page, name), f"the button “{name}” in reach of a thumb")
            assert button >= 44, f"{name} is {button} px high"
        before = page.text()
        tap(page, "later")
        page.wait(lambda: page.text() != before, "another pass")
    finally:
        set_size(page.driver, *SIZE)
    end_session(page)


def tap(page: Page, name: str) -> None:
    """Press a button by a part of what stands on it, beside its key."""
    path = f"//button[contains(normalize-space(), '{name}')][not(@disabled)]"
    page.wait(lambda: _pressed(page, path), f"the button “{name}”")


def _pressed(page: Page, path: str) -> bool:
    for one in page.driver.find_elements("xpath", path):
        if one.is_displayed():
            one.click()
            return True
    return False


def in_reach(page: Page, name: str) -> float:
    """How high a button is that can be seen without scrolling; 0 where it cannot."""
    found: float = page.driver.execute_script(
        """const one = [...document.querySelectorAll("footer button")].find((b) => b.innerText.includes(arguments[0]));
        if (!one) return 0;
        const box = one.getBoundingClientRect();
        return box.bottom <= window.innerHeight && box.right <= window.innerWidth ? box.height : 0;""",
        name,
    )
    return found
