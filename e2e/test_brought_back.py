"""A database that is brought back while browsers have its pages open: what they write is refused, and said."""

from __future__ import annotations

from browser import Page
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from serving import Serving


def test_a_page_of_before_writes_nothing_and_loses_nothing(page: Page, server: Serving) -> None:
    page.sign_in("mara", PASSWORD)
    page.click("Readers")
    page.click("New reader")
    page.fill("Who", "Somebody with a long name")
    server.begin_anew()
    page.press(Keys.ENTER)
    page.see("The database was brought back from another moment")
    page.holds("Who", "Somebody with a long name")
