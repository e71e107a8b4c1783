"""Planning: from an empty bench to a timeline by keys alone, and what a lead does with a plan that is not fair yet."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from browser import Page
from scratch import PASSWORD
from selenium import webdriver
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from serving import serving

LADDER = "Which card does a dorm room need?"
SWEEP = "How low can the power limit go before anyone notices?"
DRIVER = "Does driver 42.0 change anything in the living room?"
STICKS = "One memory stick or two?"


@pytest.fixture(scope="module")
def empty_address(worker: str) -> Iterator[str]:
    with serving(f"rennbahn_empty_{worker}", demo=False) as found:
        yield found.address


@pytest.fixture
def empty(driver: webdriver.Chrome, empty_address: str) -> Page:
    """A page on a Rennbahn where nothing was ever written down."""
    driver.get(empty_address + "/icon.svg")
    driver.delete_all_cookies()
    page = Page(driver, empty_address)
    page.sign_in("mara", PASSWORD)
    return page


def fill_bench(page: Page) -> None:
    """A part with facts, a rig, a setup on it, and its copy with one thing changed."""
    page.press("B")
    page.see("No setup yet.")
    page.press("3")
    page.see("No part yet.")
    page.press("n")
    page.see("New part")
    page.press("Ostrane V5")
    page.tab_to("Memory, GB")
    page.press("8")
    page.tab_to("Bus width, bit")
    page.press("12", Keys.ENTER)
    page.see("Bus width: must be 32 to 8192 bit (got 12).")
    page.tab_to("Bus width, bit")
    page.chord(Keys.CONTROL, "a")
    page.press("128")
    page.tab_to("Memory rate a pin")
    page.press("18", Keys.ENTER)
    page.see("Memory bandwidth 288 GB/s")
    page.at_the_page()
    page.press("2")
    page.see("No rig yet.")
    page.press("n")
    page.see("New rig")
    page.press("Box")
    for kind, name in (("card", "Ostrane V5"), ("processor", "Tessel S6"), ("driver", "Ostrane 41.2")):
        page.tab_to(f"Name of the {kind}")
        page.press(name)
    page.press(Keys.ENTER)
    page.see("3 parts, 0 setups on it")
    page.at_the_page()
    page.press("1")
    page.see("No setup yet.")
    page.press("n")
    page.see("New setup")
    page.press("Box, standard")
    page.take("Rig", "Box")
    page.tab_to("Name of the setting")
    page.press("Fan profile", Keys.TAB, "standard", Keys.ENTER)
    page.see("on the rig Box")
    page.at_the_page()
    # Two keys lead to the one thing that changes.
    page.press("c")
    page.see("Which thing? Press its key.")
    page.press("1")
    page.see("Fan profile: standard →")
    page.press("quiet", Keys.ENTER)
    page.see("Box, fan profile quiet")


def test_from_an_empty_bench_to_a_timeline_by_keys_alone(empty: Page) -> None:
    page = empty
    page.see("No study yet.")
    fill_bench(page)
    page.press("D")
    page.see("No study yet.")
    page.press("n")
    page.see("What are its lanes to each other?")
    page.press("1")
    page.see("New study: A against B")
    page.press("Does the quiet fan profile cost frames?", Keys.TAB, "Fan profile", Keys.TAB, "standard")
    page.tab_to("Setup of lane A")
    page.press("box, standard")
    page.see("On the bench, version 1.")
    page.tab_to("Fan profile of lane B")
    page.press("quiet")
    page.see("Lane B is lane A with this one thing changed.")
    page.see("Fan profile: standard / quiet")
    page.tab_to("Game")
    for game, scene in (("Moss Republic", "square"), ("Ninth Ferry", "pier"), ("Paper Comets", "stage 6")):
        page.press(game, Keys.TAB, scene, Keys.ENTER)
        page.see(game)
    page.tab_to("Condition")
    page.press("1440 high", Keys.ENTER)
    page.see("18 passes")
    # A column of its own, and one cell of it taken out again.
    page.press("1080 low", Keys.ENTER)
    page.see("36 passes")
    page.tab_to("Question")
    page.tab_to("Moss Republic, square, 1440 high")
    page.press(Keys.ARROW_RIGHT, Keys.ARROW_DOWN, Keys.SPACE)
    page.see("30 passes")
    page.press("c", "c")
    page.see("18 passes")
    page.chord(Keys.CONTROL, Keys.ENTER)

    # Fair on paper: ready by one key. One test gets a pass more and may be given up first.
    page.see("Not recorded in any lane".upper())
    page.accept("Not recorded", "one machine, not touched between the lanes")
    page.see("The lanes differ in the factor and in what was accepted.")
    page.press("y")
    page.see("called ready")
    page.see("18 passes to run")
    page.tab_to("Moss Republic, square, 1440 high")
    page.press("+")
    page.see("20 passes to run")
    page.press(Keys.ARROW_DOWN, "3")
    page.wait(lambda: "if time allows" in focused(page), "a test that may be dropped")
    page.take("Adding passes", "add passes, up to 6")
    page.see("every interval is at 97.8%")
    page.see("a guess")

    # The timeline is rearranged by keys and laid out anew at once.
    page.tab_to("Timeline: blocks of passes")
    before = blocks(page)
    page.press("]")
    page.wait(lambda: blocks(page)[:2] == before[1::-1], "the first two blocks in the other order")
    page.see("by hand")
    page.press(Keys.END, Keys.HOME, Keys.ARROW_RIGHT)
    page.wait(lambda: focused(page, "aria-activedescendant") == "block-1", "the second block chosen")


def focused(page: Page, attribute: str = "aria-label") -> str:
    return str(page.driver.execute_script(f"return document.activeElement.getAttribute('{attribute}') || ''"))


def blocks(page: Page) -> list[str]:
    found = page.driver.find_elements("css selector", "[role=listbox] [role=option]")
    return [one.get_attribute("aria-label") or "" for one in found]


def test_a_difference_is_in_the_way_until_it_is_accepted_with_a_reason(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.open("/bench")
    page.click("Hollin Neun, driver 42.0")
    page.wait(lambda: "Driver Ostrane 42.0" in page.text(), "the setup")
    page.click("Edit")
    page.fill("Value of Room", "31 °C")
    page.click("Keep")
    page.wait(lambda: "Room 31 °C" in page.text(), "the changed setup")
    page.open("/")
    page.study(DRIVER)
    page.click("Plan")
    page.see("1 difference is in the way of a fair answer")
    page.see("a warmer room means lower clocks where heat is the limit")
    page.click("Findings")
    page.see("Hand in captures")
    page.click("Plan")
    page.click("Accept Room")
    page.see("This prints with every finding of the study.")
    page.fill("Why it may stand", "the heating was stuck")
    page.press(Keys.ENTER)
    page.see("Accepted: the heating was stuck")
    # It was called ready for other lanes than these.
    page.see("not called ready")
    page.press("y")
    page.see("fair, with a caveat")
    page.click("Withdraw Room")
    page.see("1 difference is in the way of a fair answer")
    page.press("y")
    page.see("Mend the setups, or accept each difference")
    page.click("Record")
    page.see("no longer accepts a difference")


def test_the_desk_says_what_will_be_late_and_the_plan_what_is_left_out(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.see("tests too many for Wed")
    page.study(LADDER)
    page.see("must be left out to keep the dates")
    page.see("Left out of all lanes to keep the dates")
    page.click("Days, hours, deadline, costs")
    page.fill("Hours a day", "9")
    page.fill("Swapping a part", "15")
    page.click("Keep")
    page.not_see("must be left out to keep the dates")
    page.see("9 hours a day")
    page.click("Days, hours, deadline, costs")
    page.fill("Hours a day", "30")
    page.click("Keep")
    page.see("Hours a day: must be at most 24 h.")


def test_days_off_and_a_part_that_goes_back_are_kept(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.study(LADDER)
    page.click("Days, hours, deadline, costs")
    page.click("One more day")
    page.labelled("Day 1").send_keys("12082026")
    page.click("One more day")
    page.labelled("Day 2").send_keys("12072026")
    page.click("What day 2 is")
    page.click("a part goes back")
    page.click("Keep")
    page.see("Besides: nobody at the bench on 8 Dec 2026; a part of Ostrane V3 goes back on 7 Dec 2026.")
    page.see("Ostrane V3: a part has gone back, and what is left of it is run no more.")
    page.not_see("Tue 8 Dec")
    page.click("Days, hours, deadline, costs")
    page.click("Strike day 2")
    page.click("Keep")
    page.not_see("a part has gone back")


def test_another_order_and_a_block_moved_by_dragging(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.study(SWEEP)
    page.see("Leaves open, at 0.5% drift an hour".upper())
    page.element("input[type=radio][value=lane_by_lane]").click()
    page.wait(lambda: page.element("input[value=lane_by_lane]").is_selected(), "lane after lane chosen")
    page.wait(lambda: len(blocks(page)) == 30, "five lanes in six games")
    before = blocks(page)
    marks = page.driver.find_elements("css selector", "[role=listbox] [role=option]")
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", marks[0])
    ActionChains(page.driver).drag_and_drop(marks[0], marks[3]).perform()
    page.wait(lambda: blocks(page)[0] == before[1], "the first block moved")
    assert sorted(blocks(page)) == sorted(before)
    page.see("by hand")


def test_the_plan_goes_along(page: Page, downloads: Path) -> None:
    page.sign_in("ilse", PASSWORD)
    page.study(SWEEP)
    for name, pattern, said in (("Every pass as CSV", "*.csv", "160 W"), ("Sessions as iCalendar", "*.ics", "VEVENT")):
        content = page.saved(downloads, pattern, lambda name=name: page.take_from("Take along", name))
        assert said in content.decode()
    assert "Fair and ready to run" not in page.text()


def test_a_ladder_is_made_from_one_setup_and_names_of_cards(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.open("/studies/new?kind=ladder")
    page.fill("Question", "Which of three?")
    page.fill("Base setup", "Hollin Neun, as delivered")
    page.fill("Graphics card 1", "Ostrane V5 Kompakt")
    page.press(Keys.ENTER, "Ostrane V7", Keys.ENTER, "Tellur 60")
    page.fill("Condition", "1440 high")
    page.press(Keys.ENTER)
    page.click("All known scenes")
    page.wait(lambda: re.search(r"\b1\d\d passes", page.text()), "more than a hundred passes")
    page.see("Graphics card: Ostrane V5 Kompakt / Ostrane V7 / Tellur 60")
    page.click("Create the study")
    # A card of another maker takes the driver of its maker, which the check tells of.
    page.see("Ostrane 41.2 / Tellur 7.10 (Tellur 60)")
    page.see("Hollin Neun, Tellur 60 version 1")
    page.click("Findings")
    page.see("No finding yet.")
    page.choose("Lane", "Tellur 60")


def test_a_table_of_parts_comes_in_whole_or_not_at_all(page: Page, tmp_path: Path) -> None:
    page.sign_in("mara", PASSWORD)
    page.open("/bench/parts")
    page.see("Bring in a CSV")
    table = tmp_path / "parts.csv"
    table.write_text("kind;name;size_gb\nmemory;Kettle 2 × 8 GB;16\nmemory;Kettle huge;9999999\n", encoding="utf-8")
    page.driver.find_element("css selector", "input[type=file]").send_keys(str(table))
    page.see("Row 2 (line 3): Size in all: must be 1 to 4096 GB (got 9999999.0).")
    assert "Kettle 2 × 8 GB" not in page.text()
    table.write_text("kind;name;size_gb\nmemory;Kettle 2 × 8 GB;16\n", encoding="utf-8")
    page.driver.find_element("css selector", "input[type=file]").send_keys(str(table))
    page.see("1 part added, 0 changed, 0 as before.")
    page.see("Kettle 2 × 8 GB")


def test_a_sheet_is_ticked_off_and_a_rig_takes_its_setups_along(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.open("/bench/rigs")
    page.click("Rebuild Marl Turm")
    page.wait(lambda: re.search(r"\d setups on it will follow\.", page.text()), "what follows")
    page.fill("Name of the cooler", "Loftair 120")
    page.click("Keep")
    page.wait(lambda: "Loftair 120" in page.text() and "Rebuild Marl Turm" not in page.text(), "the rebuilt rig")
    page.at_the_page()
    page.press("1")
    page.click("Marl Turm, Ostrane V7")
    page.wait(lambda: "Cooler Loftair 120" in page.text(), "a setup that followed")
    page.press("s")
    page.see("Stated limits: never beyond")
    page.see("Ostrane V7: stated highest power limit 240 W")
    boxes = page.driver.find_elements("css selector", "[role=checkbox]")
    for box in boxes:
        box.click()
    page.see("All checked.")


def test_games_and_scenes_say_what_matters(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.click("Scenes")
    page.see("a preset needs a restart")
    before = page.text().count("a preset needs a restart")
    page.click("Ninth Ferry")
    page.labelled("a changed preset needs a restart").click()
    page.click("Keep")
    page.wait(lambda: page.text().count("a preset needs a restart") > before, "another game that needs a restart")
    page.click("Scene card of Hush Parliament, great hall")
    page.see("Its guard against cheating stops overlays: log from outside.")
    page.see("1 run after loading, recorded and not counted.")
    page.see("from pass to pass (5 passes)")
