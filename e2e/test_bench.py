"""The bench and the scenes as a lead keeps them: parts, rigs, setups, games, conditions."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from browser import Page
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys


@pytest.fixture
def bench(page: Page) -> Page:
    page.sign_in("mara", PASSWORD)
    page.open("/bench")
    page.see("Copy, one thing changed")
    return page


def shown(page: Page) -> str:
    return page.element("article h2").text


def test_setups_are_walked_by_keys_and_keep_their_address(bench: Page) -> None:
    first = shown(bench)
    bench.press(Keys.ARROW_DOWN)
    bench.wait(lambda: shown(bench) != first, "the next setup")
    second, address = shown(bench), bench.driver.current_url
    bench.press(Keys.ARROW_UP)
    bench.wait(lambda: shown(bench) == first, "the setup before")
    bench.driver.get(address)
    bench.wait(lambda: shown(bench) == second, "the setup at its address")


def test_a_copy_differs_in_the_one_thing_and_bears_its_name(bench: Page) -> None:
    bench.click("Hollin Neun, one stick")
    bench.wait(lambda: shown(bench) == "Hollin Neun, one stick", "the setup")
    bench.press("c")
    bench.see("Which thing? Press its key.")
    bench.press("3")
    bench.see("Sync: off →")
    bench.press("on", Keys.ENTER)
    bench.wait(lambda: shown(bench) == "Hollin Neun, sync on", "the copy")
    rows = bench.element("article table").text
    assert "Sync on" in rows
    assert "Kettle 1 × 32 GB swapped" in rows, "what the original had swapped comes along"
    bench.press("c")
    bench.see("Which thing? Press its key.")
    bench.press("3")
    bench.press("on", Keys.ENTER)
    bench.see("There is already a setup “Hollin Neun, sync on”.")
    bench.press(Keys.ESCAPE)
    bench.not_see("There is already a setup")


def test_a_setup_leaves_its_rig_with_all_its_parts(bench: Page) -> None:
    bench.press("n")
    bench.see("New setup")
    bench.fill("Setup name", "Freed box")
    bench.choose("Rig", "Marl Turm")
    bench.see("swapped for this setup".upper())
    assert "Name of the processor" not in bench.text()
    bench.choose("Rig", "no rig: part by part")
    bench.holds("Name of the processor", "Tessel S8")
    bench.fill("Name of the processor", "Tessel S10")
    bench.choose("Rig", "Marl Turm")
    bench.holds("Name of the processor", "Tessel S10")
    bench.click("Keep")
    bench.wait(lambda: shown(bench) == "Freed box", "the setup")
    bench.see_in("article table", "Tessel S10 swapped")


def test_a_rig_begins_with_the_parts_of_a_setup(bench: Page) -> None:
    bench.press("2")
    bench.see("New rig")
    bench.press("n")
    bench.fill("Rig name", "Spare box")
    bench.labelled("Take the parts of a setup").send_keys(Keys.ENTER)
    option = "//*[@role='option'][normalize-space()='Hollin Neun, one stick']"
    bench.wait(lambda: bench.driver.find_elements("xpath", option), "the setup")[0].click()
    bench.wait(lambda: bench.labelled("Name of the memory").get_attribute("value") == "Kettle 1 × 32 GB", "its parts")
    bench.click("Keep")
    bench.see("Spare box")
    bench.see("14 parts, 0 setups on it")


def test_what_a_run_used_stays_and_what_is_missing_is_added(bench: Page) -> None:
    bench.press("3")
    bench.click("Loftair 47")
    bench.see("A run used it: what is written down stays, what is missing can be added.")
    bench.fill("Height, mm", "60")
    bench.click("Keep")
    bench.see("A run used “Loftair 47”: what is written down of it stays.")
    bench.fill("Height, mm", "47")
    bench.fill("Notes", "bought in spring")
    bench.click("Keep")
    bench.not_see("A run used it")
    bench.click("Loftair 47")
    bench.wait(lambda: bench.labelled("Notes").get_attribute("value") == "bought in spring", "the note")


def test_a_limit_is_not_crossed_and_a_price_needs_its_currency(bench: Page) -> None:
    bench.press("3")
    bench.see("Take out as CSV")
    bench.press("n")
    bench.fill("Name", "Ostrane V9")
    bench.fill("Power limit as delivered, W", "400")
    bench.fill("Stated highest power limit, W", "350")
    bench.fill("Price", "899,50")
    bench.fill("In", "")
    bench.press(Keys.BACKSPACE)
    bench.click("Add")
    bench.see("over the stated limit")
    bench.see("never go beyond a stated limit")
    bench.fill("Power limit as delivered, W", "340")
    bench.click("Add")
    bench.see("A price needs its currency.")
    bench.fill("In", "eur")
    bench.click("Add")
    bench.see("Ostrane V9")
    bench.see("899.5 EUR")


def test_a_setting_beyond_a_stated_limit_is_warned_of_wherever_it_is_shown(bench: Page) -> None:
    bench.click("Hollin Neun, as delivered")
    bench.wait(lambda: shown(bench) == "Hollin Neun, as delivered", "the setup")
    bench.press("c")
    bench.see("Which thing? Press its key.")
    bench.press("2")
    bench.see("Power limit: 160 W →")
    bench.press("190 W", Keys.ENTER)
    warning = (
        "Power limit 190 W is beyond the stated highest power limit of 170 W that is recorded for Ostrane V5 Kompakt"
    )
    bench.see(warning)
    bench.press("s")
    bench.see("read each back from a second place".upper())
    bench.see(warning)


def test_parts_are_shown_by_kind(bench: Page) -> None:
    bench.press("3")
    bench.see("Take out as CSV")
    bench.choose("Kind shown", "Memory kit")
    bench.not_see("Tessel S6")
    bench.see("First word 12.86 ns")
    bench.see("Peak bandwidth 44.8 GB/s")


def test_parts_go_out_as_a_table(bench: Page, downloads: Path) -> None:
    bench.press("3")
    table = bench.saved(downloads, "*.csv", lambda: bench.click("Take out as CSV")).decode()
    rows = list(csv.DictReader(io.StringIO(table)))
    card = next(row for row in rows if row["name"] == "Tellur 60")
    assert (card["kind"], card["bus_bits"], card["price"], card["currency"]) == ("card", "192", "379.00", "EUR")


def test_a_viewer_reads_the_bench_and_the_scenes(page: Page) -> None:
    page.sign_in("ilse", PASSWORD)
    for place, sign in (("/bench", "Sheet"), ("/bench/parts", "Take out as CSV"), ("/bench/rigs", "Marl Turm")):
        page.open(place)
        page.see(sign)
        for offer in ("New setup", "New part", "New rig", "Bring in a CSV", "Rebuild", "Edit"):
            assert offer not in page.text()
    page.open("/scenes")
    page.see("Conditions")
    for offer in ("New scene", "New condition", "New game", "Edit"):
        assert offer not in page.text()


def test_a_condition_says_what_it_tells_and_keeps_it_once_run(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.click("Scenes")
    page.see("to expose")
    page.click("Edit 1440 high")
    page.see("what it told the games stays, what is blank can be filled in.")
    page.fill("Preset", "ultra")
    page.click("Keep")
    page.see("Passes were run under “1440 high”: what it told the game stays.")
    page.fill("Preset", "high")
    page.fill("API", "neutral 2")
    page.click("Keep")
    page.see("API neutral 2")
    page.at_the_page()
    page.press("c")
    page.fill("Name", "720 low, capped")
    page.choose("Intent", "to expose one part")
    page.fill("Frame limit, fps", "90,5")
    page.click("Keep")
    page.see("limited to 90.5 fps")


def test_a_new_scene_says_how_it_warms_up_and_what_it_leans_on(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.click("Scenes")
    page.see("New scene")
    page.press("n")
    page.fill("Game", "Copper Heron")
    page.fill("Scene", "marsh at dawn")
    page.fill("Length, s", "45")
    page.fill("Start", "Save “marsh”.")
    page.fill("Runs not counted", "2")
    page.labelled("link").click()
    page.labelled("drive").click()
    page.click("Keep")
    page.click("Scene card of Copper Heron, marsh at dawn")
    page.see("2 runs after loading, recorded and not counted.")
    page.see("link, drive")
    page.see("Not learned yet")
    page.click("← all scenes")
    page.click("Copper Heron")
    page.fill("Engine cap, fps", "144")
    page.click("Keep")
    page.see("engine cap 144 fps")
    page.at_the_page()
    page.press("g")
    page.fill("Game", "copper heron")
    page.click("Keep")
    page.see("There is already a game “copper heron”.")
