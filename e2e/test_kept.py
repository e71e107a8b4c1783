"""What is kept and shown of it: the worker's work, results without frames, groups of tests, lanes that come later."""

from __future__ import annotations

from pathlib import Path

from browser import Page
from scratch import PASSWORD
from ways import call

STICKS = "One memory stick or two?"


def over_budget(page: Page) -> str:
    """The first share over the budget on screen; empty while it is being loaded again."""
    _, found, after = page.text().partition("Over budget")
    return after.split("\n")[1] if found else ""


def test_a_method_is_changed_and_the_figures_follow_by_themselves(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.study(STICKS)
    page.click("Passes")
    page.click("Ember Allotment")
    page.see("Over budget")
    before = over_budget(page)
    page.press("f")
    page.click("change")
    page.fill("Rate to be reached, Hz", "hundred")
    page.see("Write a number, such as 2.5 or 2,5.")
    page.fill("Rate to be reached, Hz", "143,5")
    page.click("Declare")
    page.not_see("Rate to be reached, Hz")
    page.at_the_page()
    page.press("p")
    page.not_see("being measured again")
    page.click("Ember Allotment")
    page.see("Over budget")
    page.wait(lambda: over_budget(page) not in ("", before), "another share over budget")
    page.see("Before")
    page.press("f")
    page.click("change")
    page.fill("Rate to be reached, Hz", "60")
    page.click("Declare")
    page.not_see("Rate to be reached, Hz")


def test_results_without_frames_are_typed_and_brought_in(page: Page, tmp_path: Path) -> None:
    page.sign_in("mara", PASSWORD)
    lanes = [
        {"name": name, "setup": {"name": f"Told {name}", "parts": [{"kind": "cooler", "name": name}], "settings": []}}
        for name in ("small fins", "large fins")
    ]
    tests = [{"game": "Told Game", "scene": "hall", "condition": "1440 high"}]
    body = {"question": "Do told results count?", "factor": "Cooler", "lanes": lanes, "tests": tests}
    study = call(page, "POST", "/api/studies", body)["id"]
    page.open(f"/studies/{study}/passes")
    page.click("Told Game")
    page.click("Only numbers")
    page.see("A result without frames")
    page.fill("Average, fps", "61,5")
    page.fill("1% low, fps", "48")
    page.fill("Read from", "result page")
    page.click("Record it")
    page.see("Reported, not measured")
    table = tmp_path / "told.csv"
    rows = [f"{lane};Told Game;{rate}" for lane, rate in (("small fins", "62,0"), ("large fins", "70"))]
    table.write_text("\n".join(["lane;game;average_fps", *rows, *rows[1:]]))
    page.open(f"/studies/{study}/passes")
    page.click("Results without frames")
    page.see("one row a pass")
    page.hand_in(table)
    page.see("3 passes recorded out of “told.csv”, in 1 test.")
    page.see("large fins: 2 passes")
    page.click("Close")
    page.click("Accept all 4")
    page.see("No pass waits for a decision")
    page.press("f")
    page.see("Large fins: 13.4% ahead of small fins in average fps")
    table.write_text("lane;game;average_fps\nnobody;Told Game;60\n")
    page.press("p")
    page.click("Results without frames")
    page.hand_in(table)
    page.see("Row 1 (line 2): lane: no lane is called “nobody”.")


def test_groups_and_lanes_are_chosen_by_what_is_in_the_address(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.study("Which card does a dorm room need?")
    page.click("Findings")
    page.see("No finding yet.")
    page.choose("Group of tests", "2560 × 1440, high, 14 games")
    page.wait(lambda: "group=" in page.driver.current_url, "the group in the address")
    page.driver.back()
    page.wait(lambda: "group=" not in page.driver.current_url, "Back undoes the choice")


def test_a_grid_names_the_lanes_it_lacks_and_takes_them(page: Page) -> None:
    page.sign_in("mara", PASSWORD)

    def lane(card: str, link: str) -> dict[str, object]:
        parts = [{"kind": "card", "name": card}]
        setup = {"name": f"Grid {card} {link}", "parts": parts, "settings": [{"name": "Link", "value": link}]}
        return {"name": f"{card} {link}", "levels": {"Card": card, "Link": link}, "setup": setup}

    call(page, "POST", "/api/setups", lane("Ostrane V5", "x4")["setup"])
    tests = [{"game": "Grid Game", "scene": "hall", "condition": "1440 high"}]
    lanes = [lane("Ostrane V5", "x8"), lane("Ostrane V7", "x4"), lane("Ostrane V7", "x8")]
    body = {"kind": "grid", "question": "Does the link matter more?", "factor": "Card", "second_factor": "Link",
            "lanes": lanes, "tests": tests}  # fmt: skip
    study = call(page, "POST", "/api/studies", body)["id"]
    page.open(f"/studies/{study}/plan")
    page.see("Ostrane V5 × x4")
    page.click("Add this lane")
    page.fill("Setup", "Grid Ostrane V5 x4")
    page.click("Add it")
    page.not_see("cannot be told without these lanes")
    page.see("12 passes to run")


def test_titles_say_what_is_shown(page: Page) -> None:
    page.sign_in("ilse", PASSWORD)
    page.wait(lambda: page.driver.title == "Desk · Rennbahn", "the desk's title")
    page.study(STICKS)
    page.click("Findings")
    page.wait(lambda: page.driver.title == f"Findings · {STICKS} · Rennbahn", "the findings' title")
