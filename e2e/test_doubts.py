"""Bad passes among good ones: found, understood and settled by keys alone, each in a way of its own."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from browser import Page
from client import Client
from rennbahn.simulation import Rig, Scene, Upset, run_pass, write_log
from scratch import PASSWORD
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from ways import open_door

STUDY = "Does the attic make it slower?"
LANES = ("ground floor", "attic")
GAMES = ("Glass Caravan", "Ninth Ferry", "Paper Comets", "Moss Republic")
DEMAND = Scene(5.0, 9.0, seconds=20.0)
#: What is wrong with which pass: game, lane, number.
PLANTED = {
    **{("Glass Caravan", "attic", number): Upset(lock_fps=60.0) for number in (1, 2, 3)},
    ("Ninth Ferry", "ground floor", 1): Upset(loading_s=4.0),
    ("Paper Comets", "attic", 3): Upset(slower=0.08),
    ("Moss Republic", "ground floor", 2): Upset(hiccups=14),
}


def plant(address: str, name: str) -> int:
    """A study of a test's own, with every pass recorded."""
    client = Client(address)
    for game in GAMES:
        scene = {"game": game, "name": name, "kind": "replay", "length_s": 20}
        client.post("/scenes", scene)
    setups = [{"name": f"Box of the {name}, {lane}", "parts": [{"kind": "case", "name": lane}]} for lane in LANES]
    study = client.post(
        "/studies",
        {
            "question": f"{STUDY} ({name})",
            "factor": "Case",
            "lanes": [{"name": lane, "setup": setup} for lane, setup in zip(LANES, setups, strict=True)],
            "tests": [{"game": game, "scene": name, "condition": "1440 high"} for game in GAMES],
        },
    )
    columns: Any = None
    places = []
    for t, test in enumerate(study["tests_full"]):
        for at, lane in enumerate(study["lanes_full"]):
            for number in (1, 2, 3):
                rng = np.random.default_rng([t, at, number])
                upset = PLANTED.get((test["game"], lane["name"], number))
                log = write_log(run_pass(DEMAND, Rig(gpu_speed=1.0 - 0.06 * at), rng, upset))
                arrival = client.upload(f"/studies/{study['id']}/files", f"{t}-{at}-{number}.csv", log)
                columns = columns or arrival["columns"]
                places.append(
                    {"arrival_id": arrival["id"], "lane_id": lane["id"], "test_id": test["id"], "number": number}
                )
    client.post(f"/studies/{study['id']}/take", {"columns": columns, "assignments": places})
    return int(study["id"])


@pytest.fixture
def passes(page: Page, request: pytest.FixtureRequest) -> Page:
    number = plant(page.address, request.node.name.removeprefix("test_")[:12])
    page.sign_in("mara", PASSWORD)
    page.open(f"/studies/{number}/passes")
    page.see("24 passes wait for a decision. 6 passes are doubted.")
    return page


def question(page: Page) -> str:
    return page.element("aside[aria-label='The pass in question']").text


def test_bad_passes_are_settled_by_keys_alone_each_in_its_way(passes: Page) -> None:
    page = passes
    # All that nobody doubts at once; what is doubted is left standing.
    page.press("A")
    page.see("6 passes wait for a decision. 6 passes are doubted.")
    # The first doubt is in question. A cap that is known from now on is none any more, for all three that are held.
    page.wait(lambda: "Glass Caravan, pass 1" in question(page), "the first doubted pass")
    assert "held at 60.0 fps" in question(page)
    page.press("k")
    page.see("The cap is known")
    page.press("the menu says so", Keys.ENTER)
    page.see("3 passes are doubted.")
    # A loading screen: what is proposed is taken.
    page.at_the_page()
    page.press("n")
    page.wait(lambda: "Ninth Ferry, pass 1" in question(page), "the pass with the loading screen")
    assert "Trim it to 4." in question(page)
    page.press("t")
    page.see("2 passes are doubted.")
    # One that is merely off: rejecting it says before what that does, and to whom.
    page.press("n")
    page.wait(lambda: "Paper Comets, pass 3" in question(page), "the pass that is off")
    assert "under the other 2 passes" in question(page)
    page.press(Keys.ENTER)
    page.see("The shaded band is where its siblings ran")
    page.driver.back()
    page.wait(lambda: "Paper Comets, pass 3" in question(page), "the same place of the matrix")
    page.press("r")
    page.see("so the findings stay as they are")
    page.see("Were it accepted: attic over ground floor in average fps goes from")
    page.see("What was left out happens to favour attic")
    page.press("an update ran in the background", Keys.ENTER)
    page.see("1 pass is doubted.")
    page.see("1 pass rejected: attic 1 (1 below what counts).")
    # Stutters that are known of the scene: accepted anyway, with the reason beside the doubt.
    page.press("n")
    page.wait(lambda: "Moss Republic, pass 2" in question(page), "the pass that stutters")
    page.press("a")
    page.see("Accept it anyway")
    page.press("the square loads its far half there", Keys.ENTER)
    page.wait(lambda: "Accepted anyway" in question(page), "how it was settled")
    # What is left at once; the decision is taken back as one, and made again.
    page.at_the_page()
    page.press("A")
    page.see("No pass waits for a decision, and none is doubted.")
    # What would be taken back is told beside the key, once the page knows of it.
    page.see("accepted 4 passes")
    page.press("u")
    page.see("4 passes wait for a decision. No check doubts any.")
    page.press("A")
    page.see("No pass waits for a decision, and none is doubted.")
    # The findings follow, and say what was left out and whom that favours.
    page.press("f")
    open_door(page, "out")
    page.see("2 of 3 planned passes accepted")
    page.see("an update ran in the background")
    page.see("What was left out happens to favour attic")
    page.see_in("h1", "behind")
    page.click("Record")
    for line in (
        "settled “lock”",
        "named a cap",
        "settled “loading”",
        "settled “stutters unlike its siblings”",
        "took back a decision",
    ):
        page.see(line)


def test_passes_are_found_by_typing_and_picked_by_keys(passes: Page) -> None:
    page = passes
    page.press("m")
    page.press("attic lock")
    page.wait(lambda: len(page.driver.find_elements("css selector", "[role=grid] tbody tr")) == 1, "one row")
    page.press(Keys.ESCAPE)
    page.fill("Filter passes", Keys.BACKSPACE)
    page.wait(lambda: len(page.driver.find_elements("css selector", "[role=grid] tbody tr")) == 4, "all rows")
    page.element("[role=grid]").click()
    page.press("d")
    page.wait(lambda: "order=doubt" in page.driver.current_url, "ordered by doubt, in the address")
    page.press(Keys.END)
    page.press("X")
    page.see("6 passes picked")
    page.press("a")
    page.see("5 passes accepted; 1 left as it was, since a check doubts it.")
    page.press(Keys.ESCAPE)
    page.not_see("6 passes picked")
    page.press("u")
    page.see("24 passes wait for a decision.")


def test_a_check_that_does_not_suit_a_study_is_switched_off_with_a_reason_that_prints(passes: Page) -> None:
    page = passes
    page.wait(lambda: "Glass Caravan, pass 1" in question(page), "the first doubted pass")
    page.click("lock")
    row = page.element("li#lock[aria-current]")
    height = page.driver.execute_script("return window.innerHeight")
    page.wait(lambda: 0 < page.driver.execute_script("return arguments[0].getBoundingClientRect().top", row) < height,
              "the check that doubts it, on screen")  # fmt: skip
    page.click("Switch off: lock")
    page.see("the findings say so with your reason")
    page.press(Keys.ENTER)
    page.see("the findings say so with your reason")
    page.press("it is held at 60 on purpose", Keys.ENTER)
    page.see("Not asked here: it is held at 60 on purpose")
    page.at_the_page()
    page.press("p")
    page.see("24 passes wait for a decision. 3 passes are doubted.")
    page.press("A")
    page.see("3 passes wait for a decision. 3 passes are doubted.")
    page.press("f")
    page.see("Check “lock” switched off")
    page.see("it is held at 60 on purpose")
    page.driver.back()
    page.click("Checks")
    page.click("Ask it again")
    page.press("p")
    page.see("3 passes wait for a decision. 6 passes are doubted.")


def test_delivery_is_watched_in_slow_motion_and_saved(page: Page, downloads: Path) -> None:
    page.sign_in("ilse", PASSWORD)
    page.study("Does the quiet fan profile cost frames?")
    page.click("Passes")
    page.click("Orchard of Kites")
    page.see("Distribution")
    page.open(page.driver.current_url.removeprefix(page.address) + "?over=all&zoom=2.000-2.200")
    page.click("Slow motion")
    page.see("Delivery in slow motion")
    page.see("2.00 to 2.20 s of the passes")
    film = page.saved(downloads, "*.webm", lambda: page.click("Save as WebM (2 s)"))
    assert film[:4] == b"\x1a\x45\xdf\xa3"
    assert len(film) > 2_000
    page.press(Keys.ESCAPE)
    page.not_see("Delivery in slow motion")


def test_a_window_is_dragged_over_what_counts_and_passes_are_laid_by_marks(passes: Page) -> None:
    page = passes
    page.press(Keys.ENTER)
    page.see("The same test in the other lanes".upper())
    page.click("to trim")
    chart = page.element("[aria-label^='Frame times over time']")
    drag = ActionChains(page.driver).move_to_element_with_offset(chart, -100, 0)
    drag.click_and_hold().move_by_offset(200, 0).release().perform()
    page.see("Trim this pass")
    ends = [float(page.labelled(label).get_attribute("value") or "0") for label in ("From, s", "To, s")]
    assert 5.0 < ends[0] < ends[1] < 17.0
    page.press(Keys.ESCAPE)
    page.not_see("Trim this pass")
    # Frame by frame, then a mark: where it stands is in the address.
    chart.send_keys(".", ".")
    page.wait(lambda: re.search(r"at [\d.]+ s", page.text()), "the time of a frame")
    chart.send_keys("j")
    page.see("1 of 3 passes have a mark.")
    page.wait(lambda: "align=mark" in page.driver.current_url, "laid by marks, in the address")
    page.click("Where they agree best")
    page.see("(likeness ")


def test_a_film_strip_is_made_by_the_worker_and_taken_along(page: Page, downloads: Path) -> None:
    page.sign_in("tomke", PASSWORD)
    page.study("Does the quiet fan profile cost frames?")
    page.click("Passes")
    page.click("Orchard of Kites")
    page.see("Distribution")
    page.open(page.driver.current_url.removeprefix(page.address) + "?zoom=2.000-4.000")
    page.click("Film strip")
    page.see("What is looked at: 2.0 to 4.0 s.")
    page.choose("Beneath", "quiet profile 1")
    page.click("25")
    page.click("Make")
    page.see("2.0 to 4.0 s")
    page.see("Take it along, ")
    film = page.saved(downloads, "*.webm", lambda: page.element("a[download]").click())
    assert film[:4] == b"\x1a\x45\xdf\xa3"
    # The browser plays it, for as long as the stretch is.
    page.driver.execute_script("window.film = Object.assign(document.createElement('video'), {src: arguments[0]})",
                               page.element("a[download]").get_attribute("href"))  # fmt: skip
    page.wait(
        lambda: page.driver.execute_script("return window.film.duration === 2 && window.film.videoHeight"), "film"
    )
    page.click("Throw away")
    page.not_see("Take it along, ")
    page.press(Keys.ESCAPE)
    page.not_see("Pictures a second".upper())
