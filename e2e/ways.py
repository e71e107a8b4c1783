"""Ways that several tests go."""

from __future__ import annotations

from browser import Page

#: The doors of findings with the keys that open them.
DOORS = {
    "numbers": "1", "pair": "2", "readers": "3", "parts": "4", "limits": "5", "method": "6", "levels": "7",
    "beside": "8", "out": "9",
}  # fmt: skip


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
