"""Pages that are filmed: a stopwatch and a screen that answers a press, for whoever opens them."""

from __future__ import annotations

import re

from browser import Page
from selenium.webdriver.common.action_chains import ActionChains
from test_places import violations

GROUND = "getComputedStyle(document.querySelector('[data-ground]')).backgroundColor"
BLACK, WHITE = "rgb(0, 0, 0)", "rgb(255, 255, 255)"


def shown_ms(at: Page) -> int:
    """What the stopwatch shows, ms."""
    found = re.fullmatch(r"(\d+):(\d\d)\.(\d{3})", at.element("[data-clock]").text)
    assert found
    minutes, seconds, thousandths = map(int, found.groups())
    return 60_000 * minutes + 1000 * seconds + thousandths


def ground(at: Page) -> str:
    return str(at.driver.execute_script(f"return {GROUND}"))


def test_a_stopwatch_runs_and_says_how_exact_a_reading_of_it_is(page: Page) -> None:
    page.driver.delete_all_cookies()
    page.open("/film/stopwatch")
    page.see("frames a second. A reading is at most")
    before, first = page.driver.execute_script("return performance.now()"), shown_ms(page)
    page.wait(lambda: shown_ms(page) > first + 400, "the clock to go on")
    after, last = page.driver.execute_script("return performance.now()"), shown_ms(page)
    assert abs((last - first) - (after - before)) < 150
    hz, late = map(float, re.findall(r"shows ([\d.]+) frames.*at most ([\d.]+) ms", page.text())[0])
    assert 1000 / hz + 0.9 < late < 1000 / hz + 20
    assert page.driver.execute_script("return document.querySelectorAll('[data-lit]').length") == 1
    assert violations(page) == []


def test_a_screen_turns_white_at_a_press_and_back_when_it_is_let_go(page: Page) -> None:
    page.driver.delete_all_cookies()
    page.open("/film/screen")
    page.see("it turns white")
    assert ground(page) == BLACK
    ActionChains(page.driver).key_down("j").perform()
    page.see("Press 1: KeyJ")
    assert ground(page) == WHITE
    assert violations(page) == []
    ActionChains(page.driver).key_up("j").perform()
    page.wait(lambda: ground(page) == BLACK, "black")
    ActionChains(page.driver).move_by_offset(200, 200).click_and_hold().perform()
    page.see("Press 2: mouse button 1")
    assert ground(page) == WHITE
    assert re.search(r"[\d.]+ ms to the next frame of this page", page.text())
    ActionChains(page.driver).release().perform()
    page.wait(lambda: ground(page) == BLACK, "black again")
