"""Ways that several tests go."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from typing import Any

from browser import Page
from selenium.webdriver.common.keys import Keys

_CALL = """
const [method, path, body, done] = arguments;
fetch('/api/session').then(r => r.json()).then(s => fetch(path, {
  method, body: method === 'GET' ? undefined : JSON.stringify(body),
  headers: {'Content-Type': 'application/json', 'X-CSRFToken': s.csrf_token},
})).then(r => r.text()).then(done);
"""

#: The doors of findings with the keys that open them.
DOORS = {
    "numbers": "1", "pair": "2", "readers": "3", "parts": "4", "limits": "5", "method": "6", "levels": "7",
    "beside": "8", "out": "9",
}  # fmt: skip


def call(page: Page, method: str, path: str, body: Any = None) -> Any:
    """Call the API as the page itself does, for what would take an hour of typing."""
    answer = json.loads(page.driver.execute_async_script(_CALL, method, path, body))
    assert isinstance(answer, list) or "code" not in answer, answer
    return answer


def to_findings(page: Page, study: str, door: str = "") -> None:
    """From the desk to the findings of a study, finished or not, and through one of their doors."""
    page.open("/")
    page.click(study)
    page.wait(lambda: "/studies/" in page.driver.current_url, "the study")
    if "/findings" not in page.driver.current_url:
        page.click("Findings")
    page.element("nav[aria-label='Parts of the findings']")
    if door:
        open_door(page, door)


def open_door(page: Page, door: str) -> None:
    """Open a part of the findings by its key."""
    page.element("nav[aria-label='Parts of the findings']")
    if not page.driver.find_elements("css selector", f"#door-{door}"):
        page.press(DOORS[door])
    page.element(f"#door-{door}")


def enter(at: Page, done: Callable[[], object], what: str) -> None:
    """Press the one key to go on until that is done: one that follows another too soon is that one still."""
    pressed = 0.0

    def found() -> object:
        nonlocal pressed
        if done():
            return True
        if time.monotonic() - pressed > 0.5:
            pressed = time.monotonic()
            at.press(Keys.ENTER)
        return False

    at.wait(found, what)
