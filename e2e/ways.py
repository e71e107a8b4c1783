"""Ways that several tests go."""

from __future__ import annotations

from browser import Page


def to_findings(page: Page, study: str) -> None:
    """From the desk to the findings of a study, finished or not."""
    page.open("/")
    page.click(study)
    page.wait(lambda: "/studies/" in page.driver.current_url, "the study")
    if "/findings" not in page.driver.current_url:
        page.click("Findings")
    page.see("For whom?")
