"""Deciding on passes, changing the method, finishing: each as a tester or a lead does it."""

from __future__ import annotations

import re

import pytest
from browser import Page
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from ways import open_door

FANS = "Does the quiet fan profile cost frames?"
STICKS = "One memory stick or two?"
DRIVER = "Does driver 42.0 change anything in the living room?"


@pytest.fixture
def desk(page: Page) -> Page:
    page.sign_in("mara", PASSWORD)
    page.see(STICKS)
    return page


def chosen(page: Page) -> str:
    return page.element("aside button[aria-pressed=true]").text


def open_test(page: Page, study: str, game: str) -> None:
    page.click(study)
    page.click("Passes")
    page.click(game)
    page.see("Distribution")


def test_a_doubtful_pass_is_chosen_at_once_and_decided_by_key(desk: Page) -> None:
    open_test(desk, STICKS, "Ember Allotment")
    desk.wait(lambda: "to decide" in chosen(desk), "the pass that waits, chosen")
    desk.press("a")
    desk.see("Accept it anyway")
    desk.see("How the findings would move".upper())
    desk.press("it was cold outside", Keys.ENTER)
    desk.wait(lambda: "accepted" in chosen(desk), "an accepted pass")
    # What would be taken back is told beside the key, once the page knows of it.
    desk.see("accepted 1 pass (mara")
    desk.press("u")
    desk.wait(lambda: "to decide" in chosen(desk), "the decision taken back")
    desk.press(Keys.ARROW_UP)
    desk.wait(lambda: chosen(desk).startswith("pass 1"), "the pass above")
    desk.press("]")
    desk.see("Orchard of Kites")
    desk.press("[")
    desk.see("Ember Allotment")


def test_a_reason_is_asked_for_and_kept(desk: Page) -> None:
    open_test(desk, STICKS, "Brass Meridian")
    desk.press("r")
    desk.see("Reject this pass")
    button = desk.wait(
        lambda: next(
            (b for b in desk.driver.find_elements("css selector", "[role=dialog] button") if b.text == "Reject"), None
        ),
        "the dialog's button",
    )
    assert not button.is_enabled(), "not without a reason"
    desk.press(Keys.ESCAPE)
    desk.not_see("Reject this pass")
    desk.wait(lambda: "to decide" in chosen(desk), "nothing decided")
    desk.press("r")
    desk.fill("Reason", "the route was missed")
    desk.press(Keys.ENTER)
    desk.wait(lambda: "pass 2" in chosen(desk), "the next pass that waits")
    desk.press(Keys.ARROW_UP)
    desk.see("Rejected: the route was missed")
    desk.click("Findings")
    open_door(desk, "out")
    desk.see("rejected: the route was missed")
    desk.click("Record")
    desk.see("rejected the pass")


def test_trimming_changes_the_figures_and_can_be_undone(desk: Page) -> None:
    open_test(desk, STICKS, "Moss Republic")
    desk.see("32.0 s,")
    desk.click("Trim")
    desk.fill("From, s", "5")
    desk.fill("To, s", "25")
    desk.press(Keys.ENTER)
    desk.see("trimmed to 5.0 to 25.0 s")
    desk.wait(lambda: re.search(r"(19|20)\.\d s,", desk.text()), "twenty seconds")
    desk.click("Trim")
    desk.fill("From, s", "30")
    desk.fill("To, s", "10")
    desk.press(Keys.ENTER)
    desk.see("A window needs a beginning before its end.")
    desk.click("Whole capture")
    desk.see("32.0 s,")


def test_a_pass_that_did_not_run_says_why(desk: Page) -> None:
    desk.click(STICKS)
    desk.click("Passes")
    desk.click("Lanternfish Bay")
    desk.see("No capture yet.")
    desk.click("Did not run")
    desk.fill("Reason", "did not start, three tries")
    desk.press(Keys.ENTER)
    desk.see("did not launch: did not start, three tries")
    desk.click("Plan again")
    desk.not_see("did not start, three tries")
    desk.click("One more pass")
    desk.see("pass 4")


def test_another_method_gives_other_figures_and_leaves_a_line(desk: Page) -> None:
    desk.click(STICKS)
    desk.click("Findings")
    desk.see("even within 1.0%")
    desk.click("change")
    desk.choose("How lows are taken", "mean of slowest frames")
    desk.choose("Leading figure", "1% low")
    desk.fill("Even within, %", "2.5")
    desk.click("Declare")
    desk.see("mean of slowest frames lows · even within 2.5%")
    desk.wait(lambda: "in 1% low" in desk.element("h1").text, "the low leading the answer")
    desk.click("Record")
    desk.see("low_school: percentile → slowest_frames")


def test_finishing_waits_for_decisions_and_can_be_opened_again(desk: Page) -> None:
    desk.click(STICKS)
    desk.click("Findings")
    desk.click("Finish study")
    desk.see("accepted passes in the tests that are looked at")
    desk.click("Finish it as it stands")
    desk.see("neither accepted nor rejected")
    desk.see("Decide on them in Passes, then finish.")
    desk.open("/")
    desk.click(FANS)
    desk.click("Open again")
    desk.see("in progress")
    desk.click("Finish study")
    desk.see("Finish it as it stands?")
    desk.click("Finish it as it stands")
    desk.see("factor: Fan profile · finished")
    desk.see("Open again")


def test_every_margin_leads_to_its_passes(desk: Page) -> None:
    desk.click(FANS)
    desk.element("nav[aria-label='Parts of the findings']")
    links = desk.driver.find_elements("css selector", "tbody td a")
    assert len(links) == 27, "14 tests, two figures each, one average left out"
    links[0].click()
    desk.see("Distribution")
    desk.driver.back()
    desk.element("nav[aria-label='Parts of the findings']")


def test_lists_are_filtered_by_typing(desk: Page) -> None:
    desk.fill("Filter studies", "stick")
    desk.not_see(FANS)
    desk.see(STICKS)
    desk.fill("Filter studies", "nothing like it")
    desk.see("No study matches “nothing like it”.")
    desk.click("Bench")
    desk.fill("Filter setups", "one stick")
    desk.not_see("Hollin Neun, quiet profile")
    desk.click("Parts")
    desk.fill("Filter parts", "tellur")
    desk.not_see("Ostrane V3")
    desk.see("Tellur 80 Lang")
    desk.click("Scenes")
    desk.fill("Filter scenes", "tram")
    desk.not_see("Glass Caravan")
    desk.see("The Unlit Tram")


def test_files_are_taken_by_dropping_them(page: Page, tmp_path_factory: pytest.TempPathFactory) -> None:
    folder = tmp_path_factory.mktemp("dropped")
    files = []
    for number in range(1, 31):
        file = folder / f"driver 41.2 glass caravan {number}.csv"
        frames = "".join(f"{9 + number / 50 + (i * number) % 7 / 3:.3f}\n" for i in range(600))
        file.write_text(f"frame_time_ms\n{frames}")
        files.append(file)
    page.sign_in("tomke", PASSWORD)
    page.study(DRIVER)
    page.click("Hand in")
    page.drop("section[aria-label='Hand in captures']", files)
    page.see("30 files of one kind")
    page.see("Confirm and take in 30 files")
    page.click("Confirm and take in 30 files")
    page.see("30 passes recorded.")
