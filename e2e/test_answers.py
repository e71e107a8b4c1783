"""Answers of each kind of study as a reader meets them: the sentence, the picture, the numbers, what one can ask."""

from __future__ import annotations

import csv
import io
import re
import struct
from pathlib import Path

import pytest
from browser import Page
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from ways import to_findings

LADDER = "Which of five cards suits a shared flat?"
SWEEP = "Where does more power stop paying?"
GRID = "Does a second stick matter more with more power?"
SCALING = "What does each preset cost a living-room computer?"
BUDGET = "Which preset holds a headset at 90?"
SEVERAL = "Is a second card worth its slot?"
PROXY = "Do the built-in benchmarks keep the ratios of play?"


@pytest.fixture
def desk(page: Page) -> Page:
    page.sign_in("ilse", PASSWORD)
    page.see(LADDER)
    return page


def answer(page: Page, study: str) -> str:
    """Go to the findings of a study, its numbers open, and read the answer."""
    to_findings(page, study, "numbers")
    page.see("Export the answer")
    return page.element("h1").text


def test_a_ladder_ranks_prices_and_says_what_one_needs(desk: Page) -> None:
    said = answer(desk, LADDER)
    first = said.split(":")[0]
    rows = desk.driver.find_elements("css selector", "table tbody tr")[:5]
    assert rows[0].text.startswith(first), "the table begins with whom the sentence names"
    assert re.search(r"first of 5 lanes in average fps, \d+\.\d% ahead of", said)
    desk.see("outclassed by")
    desk.see("For an average of 60 fps in every test:")
    desk.fill("What do I need for, in fps", "90, 400")
    desk.press(Keys.ENTER)
    desk.see("For an average of 90 fps in every test:")
    desk.see("For an average of 400 fps in every test: no lane holds it.")
    assert "targets=90%2C400" in desk.driver.current_url
    desk.fill("What do I need for, in fps", "many")
    desk.press(Keys.ENTER)
    desk.see("Write up to 8 rates")
    desk.see("For an average of 400 fps")


def test_any_two_lanes_of_a_ladder_are_held_against_each_other(desk: Page) -> None:
    answer(desk, LADDER)
    rows = desk.driver.find_elements("css selector", "table tbody tr")[:5]
    there = re.search(r"−(\d+\.\d)%", rows[4].text)
    assert there, "the last is behind the first"
    rows[4].find_element("css selector", "button[title^='Hold all']").click()
    desk.wait(lambda: "held against" in desk.driver.find_elements("css selector", "table tbody tr")[4].text, "the last")
    back = re.search(r"\+(\d+\.\d)%", desk.driver.find_elements("css selector", "table tbody tr")[0].text)
    assert back
    assert float(back[1]) > float(there[1]), "ahead of the slower is more than behind the faster"
    desk.driver.refresh()
    desk.see("held against")
    desk.see_in("table tbody tr:nth-child(5)", "held against")


def test_a_sweep_shows_where_more_stops_paying(desk: Page) -> None:
    said = answer(desk, SWEEP)
    found = re.search(r"Beyond about (\d+) W a step brings clearly less in average fps", said)
    assert found
    assert 140 <= int(found[1]) <= 180
    desk.see("beyond, a step brings clearly less")
    desk.see("Most for its power: 100 W")
    desk.click("1% low")
    desk.wait(lambda: "in 1% low" in desk.element("h1").text, "the lows leading")
    assert "figure=low_1" in desk.driver.current_url


def test_a_grid_says_whether_one_factor_depends_on_the_other(desk: Page) -> None:
    assert "The effect of Memory kit depends on Power limit" in answer(desk, GRID)
    desk.see("equal gains are equal distances")
    row = desk.element("table tbody tr").text
    assert "All tests" in row
    assert row.count("ahead") == 2


def test_a_scaling_study_words_costs_both_ways(desk: Page) -> None:
    said = answer(desk, SCALING)
    cost = re.search(
        r"High to ultra costs (\d+\.\d\d) ms a frame: (\d+\.\d)% less .* (\d+\.\d)% more the way back", said
    )
    assert cost
    assert float(cost[3]) > float(cost[2])
    desk.see(f"−{cost[2]}% there, +{cost[3]}% back")
    desk.see_in("table tbody", re.escape(f"{cost[1]} ms"))


@pytest.mark.parametrize("study", [LADDER, SWEEP, GRID, SCALING, BUDGET, SEVERAL, PROXY])
def test_pictures_carry_the_numbers_on_screen(desk: Page, downloads: Path, study: str) -> None:
    said = answer(desk, study)
    svg = desk.saved(downloads, "*.svg", lambda: desk.take_from("Export the answer", "Picture as SVG")).decode()
    words = re.sub(r"<[^>]+>", " ", svg)
    words = re.sub(r"\s+", " ", words).replace("&#x27;", "'")
    for part in said.split("\n")[0].split()[:4]:
        assert part in words
    assert "font-face" in svg
    shown = desk.driver.find_elements("css selector", "table tbody tr .figure")[:4]
    if study in (BUDGET, SEVERAL, PROXY):
        # Their first number with a sign or a percent stands in the table as it does at its track.
        rows = desk.driver.find_elements("css selector", "section[aria-label='Numbers'] table tbody tr")[:3]
        numbers = [re.search(r"[+−]?\d+\.\d%", row.text) for row in rows]
        assert all(number and number[0] in words for number in numbers)
    elif study != GRID:
        assert shown
    for one in shown:
        if re.fullmatch(r"[\d.]+( ms)?", one.text):
            assert one.text in words, "the picture's numbers are those on screen"
    dark = desk.saved(
        downloads, "*3840x2160.png", lambda: desk.take_from("Export the answer", "Picture as PNG, 3840 × 2160, dark")
    )
    assert struct.unpack(">II", dark[16:24]) == (3840, 2160)


def test_the_numbers_come_along_as_a_table(desk: Page, downloads: Path) -> None:
    answer(desk, LADDER)
    table = desk.saved(downloads, "*.csv", lambda: desk.take_from("Export the answer", "Table as CSV")).decode()
    rows = list(csv.DictReader(io.StringIO(table)))
    first = desk.element("table tbody tr").text
    assert rows[0]["lane"] in first
    assert f"{float(rows[0]['fps']):.1f}" in first
