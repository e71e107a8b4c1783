"""Studies of other kinds than A against B, from creation to finding; and how a plan follows what happens."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from browser import Page
from rennbahn.simulation import Rig, run_pass, write_log
from rennbahn.simulation import Scene as Demand
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from ways import open_door

STICKS = "One memory stick or two?"


@pytest.fixture
def lead(page: Page) -> Page:
    page.sign_in("mara", PASSWORD)
    return page


def begin(page: Page, kind: str, question: str) -> None:
    page.open(f"/studies/new?kind={kind}")
    page.see("what will be run".upper())
    page.fill("Question", question)


def one_test(page: Page, game: str, scene: str) -> None:
    page.fill("Game", game)
    page.press(Keys.TAB, scene, Keys.ENTER)
    page.see(scene)


def power_sweep(page: Page, question: str, limits: tuple[str, str], test: tuple[str, str]) -> None:
    """Fill in a sweep over two power limits with one test in it, up to the sum of its passes."""
    begin(page, "sweep", question)
    page.fill("Factor", "Power limit")
    page.fill("Base setup", "Hollin Neun, as delivered")
    page.fill("Power limit 1", limits[0])
    page.press(Keys.ENTER, limits[1])
    one_test(page, *test)
    page.fill("Condition", "1440 high")
    page.press(Keys.ENTER)
    page.see("6 passes")


def log(folder: Path, name: str, gpu_ms: float, seed: int) -> Path:
    file = folder / f"{name}.csv"
    file.write_bytes(write_log(run_pass(Demand(4.0, gpu_ms, seconds=7.0), Rig(), np.random.default_rng(seed))))
    return file


def test_a_scaling_study_from_its_conditions_to_its_finding(lead: Page, tmp_path: Path) -> None:
    begin(lead, "scaling", "What does the large picture cost?")
    lead.fill("Factor", "Resolution")
    lead.fill("Base setup", "Hollin Neun, as delivered")
    lead.fill("Condition 1", "1080 high")
    lead.press(Keys.ENTER, "2160 high")
    one_test(lead, "Ninth Ferry", "harbour at dusk")
    lead.see("as the lane says".upper())
    lead.see("Condition: 1080 high / 2160 high")
    lead.see("6 passes")
    lead.click("Create the study")
    lead.see("The lanes differ in the factor alone.")
    lead.press("y")
    lead.see("called ready")
    lead.press("h")
    lead.see("Drop the capture files here")
    files = [
        log(tmp_path, f"{lane} ninth ferry {number}", gpu_ms, 10 * number + lane)
        for lane, gpu_ms in ((1080, 8.0), (2160, 16.0))
        for number in (1, 2, 3)
    ]
    lead.hand_in(*files)
    lead.see("6 files of one kind")
    lead.click("Confirm and take in 6 files")
    lead.see("6 passes recorded.")
    lead.click("Passes")
    lead.click("Accept all 6")
    lead.see("No pass waits for a decision")
    lead.press("f")
    open_door(lead, "pair")
    lead.see("behind 1080 high in average fps")
    said = lead.element("h1").text
    assert re.search(r"1080 high to 2160 high costs [78]\.\d\d ms a frame: (49|50)\.\d% less in average fps", said)


def test_a_grid_crosses_two_factors(lead: Page) -> None:
    begin(lead, "grid", "Does sync matter more with quiet fans?")
    lead.fill("Factor", "Fan profile")
    lead.fill("Second factor", "Sync")
    lead.fill("Base setup", "Hollin Neun, as delivered")
    lead.fill("Fan profile 1", "standard")
    lead.press(Keys.TAB, "quiet")
    lead.fill("Sync 1", "off")
    lead.press(Keys.TAB, "on")
    lead.see("quiet, on")
    one_test(lead, "Moss Republic", "council square")
    lead.fill("Condition", "1440 high")
    lead.press(Keys.ENTER)
    lead.see("12 passes")
    lead.see("Fan profile: standard / quiet")
    lead.see("Sync: off / on")
    lead.choose("Baseline", "quiet, off")
    lead.click("Create the study")
    lead.see("The lanes differ in the factor alone.")
    lead.see("grid, factor: Fan profile × Sync")
    baseline = lead.element("tbody tr").text
    assert "quiet, off" in baseline
    assert "the baseline" in baseline


def test_a_factor_that_no_lane_differs_in_is_named_otherwise(lead: Page) -> None:
    begin(lead, "a_b", "Do the sticks matter?")
    lead.fill("Factor: the one thing that differs", "Memory speed")
    for lane, name, setup in (("A", "two", "as delivered"), ("B", "one", "one stick")):
        fieldset = next(e for e in lead.driver.find_elements("css selector", "fieldset") if f"Lane {lane}" in e.text)
        fieldset.find_elements("css selector", "input")[1].send_keys(name)
        lead.fill(f"Setup of lane {lane}", f"Hollin Neun, {setup}")
    lead.see("The factor is the same")
    one_test(lead, "Moss Republic", "council square")
    lead.fill("Condition", "1440 high")
    lead.press(Keys.ENTER)
    lead.see("6 passes")
    lead.click("Create the study")
    lead.see("in the way of a fair answer")
    lead.see("The factor is the same")
    lead.see("another number of sticks or channels changes bandwidth")
    lead.click("Change the question or factor")
    lead.fill("Factor", "Memory kit")
    lead.click("Keep")
    lead.not_see("The factor is the same")
    lead.see("Factor: Memory kit".upper())


def test_the_fields_of_a_study_that_is_none(lead: Page) -> None:
    power_sweep(lead, "How low?", ("150 W", "150 W"), ("Moss Republic", "council square"))
    lead.click("Create the study")
    lead.see("Lanes need names of their own.")
    lead.holds("Power limit 2", "150 W")


def test_a_scene_with_passes_stays_in_the_study(lead: Page) -> None:
    lead.click(STICKS)
    lead.click("Plan")
    lead.see("Tests and passes")
    cell = lead.element("[role=gridcell][aria-label^='Moss Republic']")
    lead.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", cell)
    cell.click()
    lead.see("has passes that were run, so it stays.")
    label = "[role=gridcell][aria-label^='Moss Republic']"
    lead.wait(
        lambda: "not run" not in (lead.element(label).get_attribute("aria-label") or ""), "the test as it is kept"
    )


def test_the_proposal_is_taken_and_the_margin_changes_what_is_needed(lead: Page) -> None:
    power_sweep(lead, "And how low with patience?", ("160 W", "130 W"), ("Quiet Lighthouse", "stairs"))
    lead.click("Create the study")
    lead.see("cannot show 2% in average fps with the passes planned")
    lead.click("Take the proposed passes")
    lead.see("Every test can show 2% in average fps")
    lead.fill("Smallest margin that matters, %", "0,5")
    lead.press(Keys.ENTER)
    lead.see("cannot show 0.5% in average fps")
    lead.see("proposed: 12")
    lead.fill("Smallest margin that matters, %", "20")
    lead.press(Keys.ENTER)
    lead.see("Every test can show 20% in average fps")


def test_a_lane_moves_on_and_the_change_is_shown(lead: Page) -> None:
    lead.open("/bench")
    lead.click("Hollin Neun, as delivered")
    lead.wait(lambda: lead.element("article h2").text == "Hollin Neun, as delivered", "the setup")
    lead.click("Edit")
    lead.see("what you change here becomes the next one")
    lead.click("Swap a part")
    lead.choose("Kind of part", "Driver")
    lead.fill("Name of the driver", "Ostrane 42.0")
    lead.click("Keep")
    lead.see("version 2, not used yet")
    lead.open("/")
    lead.click(STICKS)
    lead.click("Plan")
    lead.see("A newer version is on the bench.")
    lead.click("Use it from now on")
    lead.see("Hollin Neun, as delivered version 2")
    lead.see("Ostrane 42.0 / Ostrane 41.2")
    lead.see("another driver, 98 days apart: more than a release apart")
    lead.see("not called ready")


def test_a_viewer_sees_the_plan_and_changes_nothing(page: Page) -> None:
    page.sign_in("ilse", PASSWORD)
    page.study("How low can the power limit go before anyone notices?")
    page.see("Order and time")
    for offer in (
        "Fair and ready to run",
        "Take the proposed passes",
        "Add the scene",
        "Days, hours",
        "Earlier",
        "Later",
    ):
        assert offer not in page.text()
    assert not any(one.is_enabled() for one in page.driver.find_elements("css selector", "input[type=radio]"))
    cell = page.element("[role=gridcell]")
    before = cell.get_attribute("aria-label")
    cell.send_keys(Keys.SPACE)
    cell.send_keys("+")
    assert page.element("[role=gridcell]").get_attribute("aria-label") == before
    orders = page.text().count("by hand")
    page.element("[role=listbox]").send_keys("]")
    page.see("lanes in turn within each game")
    assert page.text().count("by hand") == orders
