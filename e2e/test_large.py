"""A ladder as large as they come: thirty setups, twelve games, three resolutions, three passes."""

from __future__ import annotations

import pytest
from browser import Page, set_size
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from ways import call


@pytest.fixture
def ladder(page: Page) -> Page:
    page.sign_in("mara", PASSWORD)
    page.driver.set_script_timeout(30)
    lanes = [
        {
            "name": f"Card {n:02}",
            "setup": {
                "name": f"Long box, card {n:02}",
                "parts": [{"kind": "card", "name": f"Long {n:02}"}, {"kind": "driver", "name": f"Long {n % 2}"}],
                "settings": [{"name": "Sync", "value": "off"}],
            },
        }
        for n in range(30)
    ]
    tests = [
        {"game": f"Long game {g:02}", "scene": "run", "condition": resolution, "priority": 1 + g % 3}
        for g in range(12)
        for resolution in ("1080 high", "1440 high", "2160 high")
    ]
    body = {"kind": "ladder", "question": "Which of thirty?", "factor": "Graphics card", "lanes": lanes, "tests": tests}
    found = call(page, "POST", "/api/studies", body)
    if "id" in found:
        path = f"/api/studies/{found['id']}/plan"
        plan = call(page, "GET", path, None)
        names = (
            "margin", "most_passes", "seed", "costs", "day_starts", "hours_a_day", "weekdays", "deadline", "quiet_from",
            "quiet_to", "control_test", "dates", "seen",
        )  # fmt: skip
        kept = {name: plan[name] for name in names}
        call(page, "PUT", path, {**kept, "starts_on": "2035-01-08", "order": "lane_by_lane"})
        page.open(f"/studies/{found['id']}/plan")
    page.see("3,240 passes to run")
    return page


def test_its_plan_is_read_moved_and_left_within_the_screen(ladder: Page) -> None:
    page = ladder
    page.see("1 difference is in the way of a fair answer")
    page.see("and 22 more")
    for width in (1280, 1920):
        set_size(page.driver, width, 900)
        over = page.driver.execute_script("return document.documentElement.scrollWidth - window.innerWidth")
        assert over <= 0, f"{over} px too wide at {width}"
    blocks = page.driver.find_elements("css selector", "[role=listbox] [role=option]")
    assert len(blocks) >= 360, "thirty lanes in twelve games"
    first = [one.get_attribute("aria-label") for one in blocks[:2]]
    timeline = page.element("[role=listbox]")
    page.driver.execute_script("arguments[0].scrollIntoView()", timeline)
    timeline.send_keys("]")
    path = "[role=listbox] [role=option]"
    page.wait(
        lambda: (
            [one.get_attribute("aria-label") for one in page.driver.find_elements("css selector", path)[:2]]
            == first[::-1]
        ),
        "the first two blocks in the other order",
    )
    page.see("by hand")
    page.element("input[type=radio][value=lane_by_lane]").click()
    page.wait(lambda: page.element("input[value=lane_by_lane]").is_selected(), "lane after lane again")
    page.click("Passes")
    page.see("Long game 00")
    page.click("Findings")
    page.see("No finding yet.")
    page.open("/")
    page.see("Which of thirty?")
    page.see("and 26 more")
    page.press("?")
    page.see("Keys and words")
    page.press(Keys.ESCAPE)
