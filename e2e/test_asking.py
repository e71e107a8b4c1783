"""Asking: what is pasted is understood, what is said once is carried along, and lengths are nobody's guess."""

from __future__ import annotations

import pytest
from browser import Page
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from ways import call, open_door, to_findings

PASTE = """
const pasted = new DataTransfer();
pasted.setData("text", arguments[1]);
arguments[0].dispatchEvent(new ClipboardEvent("paste", {clipboardData: pasted, bubbles: true, cancelable: true}));
"""


def paste(page: Page, label: str, text: str) -> None:
    """Paste into a field, as from a list that stands elsewhere."""
    page.driver.execute_script(PASTE, page.labelled(label), text)


@pytest.fixture
def lead(page: Page) -> Page:
    page.sign_in("mara", PASSWORD)
    return page


def test_a_ladder_out_of_pasted_lists(lead: Page) -> None:
    lead.open("/studies/new?kind=ladder")
    lead.fill("Question", "Which card this winter?")
    lead.fill("Base setup", "Marl Turm, Ostrane V7")
    lead.see("On the bench, version 1.")
    paste(lead, "Graphics card 1", "Corv 20; 299 EUR\nCorv 30\t1.349,50 €\nOstrane V7")
    lead.see("Corv 30")
    lead.click("One more setup")
    paste(lead, "Setup 1 of its own", "Fennik Reise 14; 1299 EUR\nHollin Neun, as delivered")
    lead.see("On the bench, version 1.")
    lead.click("Paste a list")
    lead.element("textarea").send_keys("Copper Heron\nGlass Caravan, dune crossing\nPale Signal\n")
    lead.see("1 of 3 lines are understood.")
    lead.fill("One scene for all of them: name it", "built-in benchmark")
    lead.see("3 of 3 lines are understood.")
    lead.click("Add them")
    lead.fill("Condition", "1440 high" + Keys.ENTER)
    lead.see("45 passes")
    lead.click("Create the study")
    lead.see("Fennik Reise 14")
    lead.see("Marl Turm, Corv 20 version 1")
    parts = {part["name"]: part for part in call(lead, "GET", "/api/parts")}
    assert (parts["Corv 20"]["price"], parts["Corv 20"]["currency"]) == (299, "EUR")
    assert (parts["Corv 30"]["price"], parts["Fennik Reise 14"]["kind"]) == (1349.5, "machine")
    scenes = {(one["game"], one["name"]): one["length_s"] for one in call(lead, "GET", "/api/scenes")}
    assert scenes["Copper Heron", "built-in benchmark"] is None
    lead.see("2 scenes have no length yet")


def test_a_pair_is_one_machine_with_one_thing_changed(lead: Page) -> None:
    lead.open("/studies/new?kind=a_b")
    lead.fill("Question", "Does the fan profile matter here?")
    lead.fill("Factor: the one thing that differs", "Fan profile")
    lead.fill("Fan profile of lane A", "standard")
    lead.fill("Setup of lane A", "Hollin Neun, as delivered")
    lead.fill("Fan profile of lane B", "off below 50 °C")
    lead.see("Lane B is lane A with this one thing changed.")
    lead.click("Describe it by itself")
    lead.see("Copy lane A, then change one thing")
    lead.see("Fan profile: standard / off below 50 °C")
    lead.fill("Game", "Ninth Ferry" + Keys.TAB + "harbour at dusk" + Keys.ENTER)
    lead.fill("Condition", "1440 high" + Keys.ENTER)
    lead.see("6 passes")
    lead.click("Create the study")
    lead.see("The lanes differ in the factor alone.")
    lead.see("Hollin Neun, fan profile off below 50 °C version 1")


def test_a_card_is_put_right_and_measured_lengths_are_offered_to_all(lead: Page) -> None:
    scenes = [one for one in call(lead, "GET", "/api/scenes") if one["used"] and one["kind"] != "route"]
    names = ("game", "name", "kind", "start", "route", "end", "warm_up_runs", "warm_up", "leans_on", "seen")
    for scene in scenes[:2]:
        body = {name: scene[name] for name in names} | {"length_s": None, "run_otherwise": False}
        call(lead, "PUT", f"/api/scenes/{scene['id']}", body)
    lead.open("/scenes")
    lead.see("2 scenes have no length on their cards, though their passes agree on one.")
    lead.click("Look at what was measured")
    lead.click("Write 2 down")
    lead.not_see("no length on their cards")
    lead.click(f"Edit {scenes[0]['game']}, {scenes[0]['name']}")
    lead.choose("Kind", "Walked route")
    lead.see("the studies that ran it follow, and their records say so.")
    lead.click("Keep")
    lead.see("Walked route, 32 s")
    lead.not_see("version 2")


def test_older_results_join_a_pair(lead: Page) -> None:
    to_findings(lead, "Does the quiet fan profile cost frames?")
    open_door(lead, "beside")
    lead.choose("Older results to join", "One memory stick or two?")
    lead.see("one stick, from “One memory stick or two?”")
    lead.choose("Lane", "one stick (older)")
    lead.see("One stick (older): ")
    lead.click("Leave the older results out")
    lead.not_see("(older)")


def test_several_passes_did_not_run_and_are_moved_at_once(lead: Page) -> None:
    lead.click("One memory stick or two?")
    lead.click("Passes")
    grid = lead.element("[role=grid]")
    grid.click()
    lead.press(Keys.END)
    lead.press("X")
    lead.see("6 passes picked")
    lead.click("6 did not run")
    lead.see("These 6 passes did not run")
    lead.press("the game was not delivered yet", Keys.ENTER)
    lead.see("noted as not run 6 passes: did not launch: the game was not delivered yet")
    lead.at_the_page()
    lead.press("u")
    lead.see("6 did not run")
    lead.press(Keys.ESCAPE, Keys.HOME, "X")
    lead.see("6 passes picked")
    lead.click("Move")
    lead.see("Move these 6 captures")
    lead.choose("Test", "Glass Caravan, dune crossing, 1440 high")
    lead.click("Cancel")
    lead.press("c")
    lead.see("Trim these 6 passes")
    lead.press("1", Keys.TAB, "30", Keys.ENTER)
    lead.see("trimmed 6 passes: to 1 s to 30 s")
    lead.at_the_page()
    lead.press("u")
    lead.not_see("trimmed 6 passes")
