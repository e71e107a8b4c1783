"""What users met and should not meet again: lost typing, pages that overwrite, files in the wrong lane."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import pytest
from browser import Page
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from ways import call

PASSWORD = "neun-liter-demo"
STICKS = "One memory stick or two?"


def log(folder: Path, name: str, seed: int) -> Path:
    file = folder / f"{name}.csv"
    file.write_bytes(write_log(run_pass(Scene(5.0, 9.0, seconds=8.0), Rig(), np.random.default_rng(seed))))
    return file


@pytest.fixture
def lead(page: Page) -> Page:
    page.sign_in("mara", PASSWORD)
    page.driver.set_script_timeout(20)
    return page


def asked(page: Page, path: str) -> object:
    script = "const done = arguments[1]; fetch(arguments[0]).then(r => r.text()).then(done)"
    found: object = json.loads(page.driver.execute_async_script(script, path))
    return found


def study_of_drivers(page: Page, question: str, tests: int = 2) -> int:
    """A study by the API: what it is about is tried below, not how it is made."""
    setups = [{"name": f"{question} {n}", "parts": [{"kind": "driver", "name": n}]} for n in ("12.4", "13.1")]
    games = [("Verge 2", "ring road"), ("Moss Flats", "square")][:tests]
    body = {
        "question": question, "factor": "Driver",
        "lanes": [{"name": f"driver {s['parts'][0]['name']}", "setup": s} for s in setups],
        "tests": [{"game": g, "scene": s, "condition": "1440 high"} for g, s in games],
    }  # fmt: skip
    return int(call(page, "POST", "/api/studies", body)["id"])


def test_what_is_typed_of_a_study_outlives_a_reload_and_two_presses_make_one(lead: Page) -> None:
    lead.open("/studies/new?kind=a_b")
    lead.see("New study: A against B")
    lead.fill("Question", "Does a draft come back?")
    lead.fill("Game", "Verge 2")
    lead.press(Keys.TAB, "ring road", Keys.ENTER)
    lead.see("ring road")
    lead.driver.refresh()
    lead.see("What you had typed is here again.")
    lead.see("ring road")
    lead.holds("Question", "Does a draft come back?")
    lead.fill("Condition", "1440 high" + Keys.ENTER)
    lead.fill("Factor: the one thing that differs", "Fan profile")
    names = lead.driver.find_elements(By.XPATH, "//input[@id=(//label[normalize-space()='Name in charts']/@for)]")
    for field, text in zip(names, ("one", "two"), strict=True):
        field.send_keys(text)
    lead.fill("Setup of lane A", "Hollin Neun, as delivered")
    lead.fill("Setup of lane B", "Hollin Neun, power limit 160 W")
    lead.see("6 passes")
    # Twice, as a nervous hand does, out of a field.
    lead.labelled("Question").click()
    lead.chord(Keys.CONTROL, Keys.ENTER)
    lead.chord(Keys.CONTROL, Keys.ENTER)
    lead.see("to run")
    made = asked(lead, "/api/studies?words=draft")
    assert isinstance(made, list)
    assert len(made) == 1
    lead.open("/studies/new?kind=a_b")
    lead.see("New study: A against B")
    lead.holds("Question", "")
    # Empty, it goes for good.
    lead.open(f"/studies/{made[0]['id']}/plan")
    lead.see("Does a draft come back?".upper())
    lead.take_from("More", "Remove this empty study")
    lead.see("goes with its lanes, its tests and its plan")
    lead.click("Remove it")
    lead.see("Each study is a question.")
    lead.not_see("Does a draft come back?")


def test_a_study_is_put_away_and_taken_out_again(lead: Page) -> None:
    study_of_drivers(lead, "Put away?")
    lead.open("/")
    lead.click("Put away?")
    lead.see("PUT AWAY?")
    lead.take_from("More", "Put it away")
    lead.see("Each study is a question.")
    lead.not_see("Put away?")
    lead.labelled("those put away").click()
    lead.click("Put away?")
    lead.click("Take it out again")
    lead.not_see("Take it out again")
    lead.click("Desk")
    lead.see("Put away?")


def test_files_are_assigned_in_bulk_asked_about_and_kept(lead: Page, tmp_path: Path) -> None:
    study = study_of_drivers(lead, "Which files go where?")
    lead.open(f"/studies/{study}/intake")
    lead.see("Drop the capture files here")
    names = [
        "driver 13.1 verge 2 run 1", "driver 12.4 verge 2 run 1", "old driver run 1", "driver 12.4 flats 2",
        "session A driver 12-4 verge", "session B driver 13-1 verge", "notes",
    ]  # fmt: skip
    files = [log(tmp_path, name, seed) for seed, name in enumerate(names)]
    lead.hand_in(*files)
    lead.see("7 files of one kind")

    def lane(name: str) -> str:
        return lead.labelled(f"Lane of {name}.csv").text

    assert lane("driver 13.1 verge 2 run 1") == "driver 13.1"
    assert lane("old driver run 1") == "which lane?", "the number of the run is no part of a lane"
    lead.see("A guess: the name says it in part only.")
    lead.see("named in part only")
    lead.click("The guess for driver 12.4 flats 2.csv is right")
    lead.click("2 guesses are right")
    lead.not_see("A guess: the name says it in part only.")

    # By a pattern, whose effect shows before it is used.
    lead.click("By a pattern of the names")
    lead.fill("Names are built as", "session {any} {lane} {any}")
    lead.see("It fits 2 of 7 names.")
    lead.click("Assign 2 files")
    lead.wait(lambda: lane("session B driver 13-1 verge") == "driver 13.1", "assigned by the pattern")

    # Several at once, ticked.
    lead.fill("Filter files", "session")
    lead.not_see("notes.csv")
    lead.labelled("All files shown").click()
    lead.see("2 files ticked:")
    lead.labelled("Test of all files ticked").send_keys(Keys.ENTER)
    option = "//*[@role='option'][normalize-space()='Verge 2, ring road, 1440 high']"
    lead.wait(lambda: lead.driver.find_elements(By.XPATH, option), "the tests to choose from")[0].click()
    lead.wait(lambda: "Verge 2" in lead.labelled("Test of session A driver 12-4 verge.csv").text, "both into the test")
    lead.fill("Filter files", "nothing like it")
    lead.see("No file matches")
    lead.fill("Filter files", Keys.DELETE)

    # What does not belong here goes out of the way, and everything stays over a reload.
    lead.click("Set aside notes.csv")
    lead.see("6 files of one kind")
    lead.driver.refresh()
    lead.see("6 files of one kind")
    assert lane("session B driver 13-1 verge") == "driver 13.1"
    lead.see("1 file was set aside")
    lead.click("Confirm and take in 5 files")
    lead.see("5 passes recorded.")
    lead.driver.find_element(By.CSS_SELECTOR, "details summary").click()
    lead.click("Bring back notes.csv")
    lead.see("2 files of one kind")
    lead.hand_in(files[0])
    lead.see("1 file was here already.")


def test_a_page_that_was_overtaken_says_by_whom_and_keeps_what_was_typed(lead: Page) -> None:
    study = study_of_drivers(lead, "Who was quicker?", tests=1)
    lead.open(f"/studies/{study}/plan")
    lead.click("Change the question or factor")
    lead.fill("Question", "Mine?")
    found = asked(lead, f"/api/studies/{study}")
    assert isinstance(found, dict)
    theirs = {"question": "Theirs?", "factor": "Driver", "second_factor": "", "seen": found["seen"]["question"]}
    call(lead, "PUT", f"/api/studies/{study}/question", theirs)
    lead.click("Keep")
    lead.see("“mara” changed the question at")
    lead.see("What you typed is still here: save it over theirs, or keep theirs.")
    lead.holds("Question", "Mine?")
    lead.click("Save mine over it")
    lead.not_see("What does the study ask?")
    lead.see("MINE?")


def test_the_middle_of_a_pass_is_left_out(lead: Page) -> None:
    lead.click(STICKS)
    lead.see("ONE MEMORY STICK OR TWO?")
    lead.click("Passes")
    lead.click("Moss Republic")
    lead.see("SHA-256")
    lead.see("Length")
    before = lead.text()
    lead.click("Trim")
    lead.fill("From, s", "2,5")
    lead.fill("To, s", "abc")
    lead.see("Write a number, such as 2.5 or 2,5.")
    lead.fill("To, s", "10")
    lead.click("One more window")
    lead.fill("Window 2 from, s", "15,5")
    lead.fill("Window 2 to, s", "20")
    lead.driver.find_element(By.CSS_SELECTOR, "[role=dialog] button[type=submit]").click()
    lead.see("trimmed to 2.5 to 10.0 s and 15.5 to 20.0 s")
    lead.wait(lambda: len(lead.driver.find_elements(By.CSS_SELECTOR, "[data-veil]")) == 3, "three veils")
    lead.click("Trim")
    lead.holds("Window 2 from, s", "15.5")
    lead.click("Whole capture")
    lead.not_see("trimmed to")
    length = re.findall(r"Length\s+(\S+) s", before)
    lead.wait(lambda: re.findall(r"Length\s+(\S+) s", lead.text()) == length, "the whole length again")


def test_ticks_on_a_setup_sheet_are_kept_with_who_and_when(lead: Page) -> None:
    setups = asked(lead, "/api/setups")
    assert isinstance(setups, list)
    one = next(setup for setup in setups if setup["name"] == "Hollin Neun, as delivered")
    lead.open(f"/bench/sheet/{one['version_id']}")
    lead.see("SETUP SHEET")
    lead.labelled("Sync checked").click()
    lead.see("1 of")
    lead.driver.refresh()
    lead.see("1 of")
    lead.see("mara, ")
    lead.labelled("Sync checked").click()
    lead.see("0 of")


def test_scenes_and_a_list_of_games_are_brought_in(lead: Page, tmp_path: Path) -> None:
    table = tmp_path / "scenes.csv"
    table.write_text("game;name;length_s;start\nVelvet Quarry;floor;45;at the lift\nVelvet Quarry;rim;30;\n")
    lead.click("Scenes")
    lead.see("Bring in scenes")
    lead.driver.find_element(By.CSS_SELECTOR, "input[aria-label='Table of scenes']").send_keys(str(table))
    lead.see("2 scenes added, 0 changed, 0 as before.")
    lead.see("at the lift")
    table.write_text("game;name;length_s\nVelvet Quarry;floor;long\n")
    lead.driver.find_element(By.CSS_SELECTOR, "input[aria-label='Table of scenes']").send_keys(str(table))
    lead.see("Row 1 (line 2): length_s: “long” is no whole number.")
    lead.open("/studies/new?kind=ladder")
    lead.click("Paste a list")
    lead.element("textarea").send_keys("Velvet Quarry, rim\nNo Scene Known\nVelvet Quarry; floor\n")
    lead.see("2 of 3 lines are understood.")
    lead.see("Without a scene: No Scene Known")
    lead.click("Add them")
    lead.see("Now name the condition they are run under.")
