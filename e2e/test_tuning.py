"""An undervolt that crashes, goes back, becomes a lane and meets a rival at its power; a matrix of what fits."""

from __future__ import annotations

import pytest
from browser import SIZE, Page, set_size
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from test_places import violations
from ways import call

#: Its card stops running at -147 mV.
SEED = 7
RANKED = "Which of five cards suits a shared flat?"


def id_of(at: Page, name: str) -> int:
    """The id of what the bench calls so."""
    kind, called = name.split("/")
    return int(next(one["id"] for one in call(at, "GET", f"/api/{kind}") if one["name"] == called))


@pytest.fixture
def lead(page: Page) -> Page:
    page.sign_in("mara", PASSWORD)
    return page


def log_of(at: Page, lane: int, test: int) -> int:
    """A log of the simulated bench, with a rival."""
    setting = {
        "name": "Core voltage", "unit": "mV", "kind": "voltage", "stock": 0, "resolution": 5, "harder": "down",
        "limit_low": -200, "limit_high": 0, "limit_source": "maker’s manual, page 14", "limit_day": "2026-07-03",
    }  # fmt: skip
    body = {
        "title": "How far down?", "part_id": id_of(at, "parts/Ostrane V5 Kompakt"),
        "setup_id": id_of(at, "setups/Hollin Neun, as delivered"), "settings": [setting], "seed": SEED,
        "rival_lane_id": lane, "rival_test_id": test,
    }  # fmt: skip
    return int(call(at, "POST", "/api/tuning", body)["id"])


def take(at: Page, number: int, value: str | None = None) -> None:
    """Take a step by keys: as it is proposed, or another value; then run it on the simulated bench."""
    at.press("n")
    at.see(f"Step {number}")
    if value is not None:
        at.fill("Core voltage, mV", value)
    at.press(Keys.ENTER)
    at.at_the_page()
    at.see(f"Run step {number} on the simulated bench")
    at.press("p")
    at.not_see(f"Run step {number} on the simulated bench")


def tick(at: Page, axis: str, name: str) -> None:
    """Tick a part on an axis."""
    path = f"//fieldset[legend[normalize-space()='{axis}']]//label[normalize-space()='{name}']"
    at.wait(lambda: at.driver.find_elements("xpath", path), f"{name} among {axis}")[0].click()


def test_an_undervolt_crashes_goes_back_is_proven_and_meets_a_rival_at_its_power(lead: Page) -> None:
    at = lead
    found = call(at, "GET", "/api/studies?words=" + RANKED.replace(" ", "%20"), None)
    study = call(at, "GET", f"/api/studies/{found[0]['id']}", None)
    lane = next(one["id"] for one in study["lanes_full"] if one["name"] == "Ostrane V5 Kompakt")
    log = log_of(at, lane, study["tests_full"][0]["id"])
    at.open(f"/tuning/{log}")
    at.see("Simulated bench: nothing here is a result")
    at.see("Take the first small step")
    take(at, 1, "0")
    take(at, 2, "-25")
    for number in range(3, 11):
        take(at, number)
    told = call(at, "GET", f"/api/tuning/{log}", None)
    states = [one["state"] for one in told["steps"]]
    assert len(states) == 10
    first = states.index("unstable")
    assert first == 6, states
    assert "proven" in states[first + 1 :], "it went back and was proven"
    at.see("crashed after")
    values = {one["set"]["Core voltage"]: one["state"] for one in told["steps"]}
    proven = min(value for value, state in values.items() if state == "proven")
    assert proven > max(value for value, state in values.items() if state == "unstable")
    assert f"Core voltage {proven:g} mV" in at.element("main").text
    # Crossing what the maker states is asked twice.
    at.press("n")
    at.see("Step 11")
    at.fill("Core voltage, mV", "-210")
    at.press(Keys.ENTER)
    at.see("void its warranty")
    at.see("Cross the maker’s limit all the same")
    at.click("Leave it")
    at.at_the_page()
    assert len(call(at, "GET", f"/api/tuning/{log}", None)["steps"]) == 10
    # The end against the start, as a study.
    at.press("b")
    at.see("Two steps become setups")
    at.choose("With the tests of", RANKED)
    at.click("Make the study")
    at.wait(lambda: "/plan" in at.driver.current_url, "the plan of the study")
    at.see("Core voltage")
    at.open(f"/tuning/{log}")
    at.see("is the setup")
    at.see("At the watts that Ostrane V5 Kompakt draws")
    equal = call(at, "GET", f"/api/tuning/{log}", None)["equal_power"]
    assert equal["low"] < equal["margin"] < equal["high"]


def test_a_matrix_is_filled_with_a_failure_an_attempt_and_a_success(lead: Page) -> None:
    at = lead
    at.open("/tuning/fit")
    at.see("Which card runs in nine litres?")
    at.press("n")
    at.see("New matrix")
    at.fill("What is asked", "Which card in which case?")
    hosts = ("Hollin Neun, 9 litres", "Marl Turm, 38 litres", "Fennik Mini 3", "Fennik Lang 5")
    for axis, names in (
        ("Hosts", hosts),
        ("Adapters", ("Quaybox 4",)),
        ("Cards", ("Ostrane V3", "Tellur 40", "Tellur 60")),
    ):
        for name in names:
            tick(at, axis, name)
    at.click("Lay it out")
    at.see("Nothing of 12 combinations was tried yet.")
    place = "Hollin Neun, 9 litres, Quaybox 4, Tellur 60"
    at.click(f"{place}: not tried facts speak against it")
    at.see("with the power off, unless their maker says otherwise")
    at.see("Tellur 60 draws up to 180 W; Quaybox 4 passes on at most 100 W")
    for outcome, changed in (("not detected", ""), ("works with limits", "supply of its own")):
        at.press("a")
        at.see("An attempt")
        at.choose("How it ended", outcome)
        if changed:
            at.fill("What was changed for it; several with a semicolon between", changed)
        at.click("Note it")
        at.at_the_page()
        at.see(outcome)
    at.see("Of 12 combinations 1 was tried; 0 work, 1 more with limits.")
    at.click("Begin a study with it")
    at.see("What are its lanes to each other?")
    at.press("1")
    at.holds("Setup of lane A", "Hollin Neun, 9 litres + Quaybox 4 + Tellur 60")


def test_sums_say_how_they_come_to_what_they_come_to(lead: Page) -> None:
    at = lead
    at.open("/tuning/sums")
    at.see("rate from a frame time")
    field = at.labelled("frame time, ms")
    field.send_keys("16,667" + Keys.ENTER)
    at.see("60.00 fps")
    at.see("1000 / 16.667")


def test_what_stands_beside_the_studies_is_kept_for_a_report_and_read(lead: Page) -> None:
    at = lead
    log = "How little power does the living-room card need?"
    for place, there, further in [("Bench", "Copy, one thing changed", ""), ("Tuning", "Logs", log)]:
        at.click(place)
        at.see(there)
        if further:
            at.click(further)
            at.see("Limits that the maker states")
            at.choose("What is drawn", "W")
            at.see("W (the axis does not begin at 0)")
            at.see("Why?")
        at.press("k")
        at.see("ON THE SHELF OF")
        at.click("Keep")
        at.see("Kept for")
    at.click("Tuning")
    at.click("Sums")
    box = at.element("section[aria-label='the memory bandwidth of a card']")
    box.find_elements("css selector", "input")[0].send_keys("128")
    box.find_elements("css selector", "input")[1].send_keys("18")
    box.find_element("css selector", "[type=submit]").click()
    at.see("288.00 GB/s")
    box.find_element("css selector", "button[aria-label^='For a report']").click()
    at.see("ON THE SHELF OF")
    at.click("Keep")
    at.see("Kept for")
    at.click("Reports")
    at.click("Hollin Neun, 110 W, fans standard")
    at.see("Tuning log: How little power")
    for name in ("Sum: ", "Tuning log: ", "Setup: "):
        at.element(f"button[aria-label^='Put in {name}']").click()
        at.see(f"Put in {name}")
    at.see("128 / 8 × 18")
    at.see("is proven stable at Power limit 95 W")
    at.see("Setup Hollin Neun, 110 W, fans standard, version 1")
    assert violations(at) == []


def test_nothing_of_tuning_needs_sideways_scrolling_on_a_phone(lead: Page) -> None:
    set_size(lead.driver, 390, 844)
    try:
        for way in (
            ["How little power does the living-room card need?"],
            ["What fits", "Which card runs in nine litres?"],
        ):
            lead.open("/tuning")
            for step in way:
                lead.click(step)
            lead.see(way[-1])
            lead.wait(lambda: lead.driver.find_elements("css selector", "main table"), "its table")
            assert lead.driver.execute_script("return document.documentElement.scrollWidth <= innerWidth")
    finally:
        set_size(lead.driver, *SIZE)
