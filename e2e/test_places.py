"""Every place: what each role sees, keyboard, accessibility, small screens."""

from __future__ import annotations

from pathlib import Path

import pytest
from browser import Page, set_size
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from ways import DOORS, open_door

AXE = (Path(__file__).parent.parent / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text(encoding="utf-8")
FANS = "Does the quiet fan profile cost frames?"
STICKS = "One memory stick or two?"
LADDER = "Which card does a dorm room need?"

PLACE = "Hollin Neun, 9 litres, Bent riser, Ostrane V3: crashes"

#: How one gets to each place from the desk, and what shows that it is there.
PLACES = {
    "desk": ([], FANS),
    "new study": (["New study"], "What are its lanes to each other?"),
    "new study of two": (["New study", "A against B"], "What will be run".upper()),
    "new grid": (["New study", "Grid"], "What will be run".upper()),
    "plan of a ladder": ([LADDER], "Left out of all lanes to keep the dates"),
    "plan of two": ([FANS, "Plan"], "Nothing is left to run."),
    "intake": ([STICKS, "Hand in"], "Where each file belongs"),
    "passes": ([STICKS, "Passes"], "passes wait"),
    "checks": ([STICKS, "Passes", "Checks"], "Each asks one question"),
    "passes of a test": ([FANS, "Passes", "Moss Republic"], "Distribution"),
    "passes of a doubted test": ([STICKS, "Passes", "Moss Republic"], "where its siblings ran"),
    "findings": ([FANS], "Beside another study"),
    **{f"findings: {door}": ([FANS, f"door {door}"], "Beside another study") for door in DOORS if DOORS[door] > "2"},
    "a ladder's answer": (
        ["Which of five cards suits a shared flat?", "Findings", "door numbers"],
        "A frame more".upper(),
    ),
    "a sweep's answer": (["Where does more power stop paying?", "Findings", "door pair"], "Every lane over"),
    "a grid's answer": (["Does a second stick matter more with more power?", "Findings", "door numbers"], "All tests"),
    "a scaling's answer": (
        ["What does each preset cost a living-room computer?", "Findings", "door numbers"],
        "back".upper(),
    ),
    "a budget's answer": (["Which preset holds a headset at 90?", "Findings"], "Beside another study"),
    "several cards' answer": (["Is a second card worth its slot?", "Findings"], "Beside another study"),
    "a proxy check's answer": (
        ["Do the built-in benchmarks keep the ratios of play?", "Findings"],
        "Beside another study",
    ),
    "for a reader": ([FANS, "door readers", "A family on the couch"], "A family on the couch: it does not matter"),
    "readers": (["Readers"], "Quick hands"),
    "new study of several cards": (["New study", "Several cards"], "How many of the setup"),
    "record": ([FANS, "Record"], "Setups as used"),
    "bench": (["Bench"], "Copy, one thing changed"),
    "setup sheet": (["Bench", "Sheet"], "read each back from a second place".upper()),
    "rigs": (["Bench", "Rigs"], "Marl Turm"),
    "parts": (["Bench", "Parts"], "Take out as CSV"),
    "scenes": (["Scenes"], "Conditions"),
    "scene card": (["Scenes", "Scene card of Moss Republic, council square"], "Warm-up".upper()),
    "noise book": (["Scenes", "Noise book"], "By kind of scene".upper()),
    "tuning logs": (["Tuning"], "How far do the Kettle sticks go"),
    "a tuning log": (["Tuning", "How little power does the living-room card need?"], "Limits that the maker states"),
    "what fits": (["Tuning", "What fits"], "Which card runs in nine litres?"),
    "a matrix": (
        ["Tuning", "What fits", "Which card runs in nine litres?", PLACE],
        "with the power off, unless their maker says otherwise",
    ),
    "sums": (["Tuning", "Sums"], "Work it out"),
    "people": (["People"], "After five wrong passwords"),
    "reports": (["Reports"], "Five cards for a shared flat"),
    "a report": (["Reports", "Five cards for a shared flat"], "The same in numbers"),
    "a draft that says what is no longer so": (["Reports", "What a frame costs this autumn"], "Take over all"),
    "your account": (["mara · lead"], "Where you are signed in"),
    "test machines": (["Bench", "Test machines"], "No test machine is linked yet"),
    "run": ([FANS, "Run"], "Nobody sits at the bench"),
    "run of a ladder": ([LADDER, "Run"], "to run"),
}


def violations(page: Page, *only: str) -> list[str]:
    """What axe finds on screen, by all of its rules or by some only."""
    page.driver.execute_script(AXE)
    # What passes is neither gathered nor handed over: on a large page that takes longer than the rules.
    how = {"resultTypes": ["violations"]} | ({"runOnly": list(only)} if only else {})
    found = page.driver.execute_async_script(
        "axe.run(document, arguments[0]).then(found => arguments[1](found.violations))", how
    )
    return [f"{v['id']}: {n['html'][:160]} {n['failureSummary'][:160]}" for v in found for n in v["nodes"]]


def too_wide(page: Page) -> int:
    """How many pixels the page is wider than the window."""
    return int(page.driver.execute_script("return document.documentElement.scrollWidth - window.innerWidth"))


#: Between them these show everything that has a colour of its own.
IN_THE_DARK = {
    "desk", "findings", "a ladder's answer", "passes of a test", "plan of a ladder", "run", "setup sheet",
    "noise book", "a dialog", "a draft that says what is no longer so",
}  # fmt: skip


def at_rest(page: Page, what: str) -> None:
    """Nothing is amiss by axe in the scheme of the desk, no contrast in that of the bench, and nothing is cut off."""
    assert too_wide(page) <= 0, f"{what} is {too_wide(page)} px too wide"
    assert violations(page) == [], what
    if what not in IN_THE_DARK:
        return
    # Both schemes have one structure: what differs is colour.
    page.driver.execute_script("document.documentElement.dataset.scheme = 'bench'")
    assert violations(page, "color-contrast") == [], f"{what}, in the dark"
    page.driver.execute_script("document.documentElement.dataset.scheme = 'desk'")


def _in_a_menu(page: Page) -> bool:
    """Do the places of the header stand in a menu, as on a phone?"""
    places = "nav[aria-label=Places]"
    (nav,) = page.wait(lambda: page.driver.find_elements("css selector", places), "the header")
    return not nav.is_displayed()


#: On a phone these are in a menu.
IN_THE_HEADER = ("Bench", "Scenes", "Tuning", "Readers", "Reports", "People")


def go(page: Page, name: str) -> None:
    """To a place, from the desk."""
    way, sign = PLACES[name]
    page.open("/")
    for step in way:
        if step.startswith("door "):
            open_door(page, step.removeprefix("door "))
        elif step in IN_THE_HEADER and _in_a_menu(page):
            page.take_from("Places", step)
        elif step.endswith("?") and way[0] != "Tuning":
            page.study(step)
        else:
            page.click(step)
    page.see(sign)


@pytest.mark.parametrize("part", range(3))
def test_axe_finds_nothing_and_nothing_needs_sideways_scrolling(page: Page, part: int) -> None:
    page.sign_in("mara", PASSWORD)
    for name in list(PLACES)[part::3]:
        go(page, name)
        at_rest(page, name)


def test_axe_finds_nothing_at_the_door_in_a_dialog_and_in_the_dark(page: Page) -> None:
    page.open("/sign-in")
    page.see("Sign in")
    at_rest(page, "sign in")
    page.sign_in("mara", PASSWORD)
    page.click("Scenes")
    page.click("New condition")
    page.see("What the game is told, as a set under one name.")
    at_rest(page, "a dialog")
    page.press(Keys.ESCAPE)
    page.click("Bench")
    page.click("Parts")
    page.click("Ostrane V5 Kompakt")
    page.see("facts that matter".upper())
    at_rest(page, "facts")
    page.press(Keys.ESCAPE)
    page.click("Dark scheme for the bench")
    go(page, "a ladder's answer")
    assert violations(page) == [], "what is drawn for the dark"


def test_nothing_needs_sideways_scrolling_on_a_phone(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    set_size(page.driver, 390, 800)
    for name in (
        "desk", "people", "findings", "for a reader", "a ladder's answer", "readers", "passes of a test", "scene card",
    ):  # fmt: skip
        go(page, name)
        assert too_wide(page) <= 0, f"{name} is {too_wide(page)} px too wide"


def test_a_viewer_reads_and_is_offered_nothing_else(page: Page) -> None:
    page.sign_in("ilse", PASSWORD)
    page.see(FANS)
    assert "New study" not in page.text()
    page.study(STICKS)
    page.see("Passes")
    page.click("Hand in")
    page.see("Only testers and leads hand in captures.")
    page.click("Passes")
    page.click("Moss Republic")
    page.see("SHA-256")
    assert "Reject" not in page.text()
    page.click("Findings")
    page.see("behind")
    assert "Finish study" not in page.text()


def test_keys_are_told_and_work(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.see(FANS)
    page.press("?")
    page.see("Lanes are what is compared.")
    page.see("new study")
    page.press(Keys.ESCAPE)
    page.not_see("Lanes are what is compared.")
    page.press("B")
    page.see("A setup is everything that must be known")
    page.press("n")
    page.see("New setup")
    page.press(Keys.ESCAPE)
    page.press("D")
    page.see("Each study is a question.")


def test_addresses_are_stable_and_back_works(page: Page) -> None:
    page.open("/scenes")
    page.see("Sign in")
    page.fill("Name", "mara")
    page.fill("Password", PASSWORD + Keys.ENTER)
    page.see("A scene is a repeatable stretch of a game")
    page.click("Bench")
    page.see("A setup is everything")
    page.driver.back()
    page.see("A scene is a repeatable stretch of a game")
    page.open("/nowhere/at/all")
    page.see("There is nothing at this address.")


def test_the_other_baseline_and_another_school(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.study(FANS)
    page.see("Quiet profile:")
    page.click("quiet profile")
    page.see("Standard profile:")
    page.see("ahead of quiet profile in average fps")


def test_a_used_setup_is_edited_into_its_next_version(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.click("Bench")
    page.click("Hollin Neun, one stick")
    page.wait(lambda: page.element("article h2").text == "Hollin Neun, one stick", "the setup")
    page.click("Edit")
    page.see("what you change here becomes the next one")
    page.fill("Value of Room", "24 °C")
    page.click("Keep")
    page.see("version 2, not used yet")
    page.open("/")
    page.study(STICKS)
    page.click("Record")
    page.see("Hollin Neun, one stick, version 1")


def test_what_was_typed_is_still_there_after_a_refusal(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.click("Scenes")
    page.click("New scene")
    page.fill("Game", "Moss Republic")
    page.fill("Scene", "council square")
    page.click("Keep")
    page.see("already has a scene “council square”")
    page.holds("Scene", "council square")
    page.fill("Scene", "river bank")
    page.click("Keep")
    page.see("river bank")


def test_a_wrong_password_says_so(page: Page) -> None:
    page.open("/sign-in")
    page.fill("Name", "mara")
    page.fill("Password", "not this" + Keys.ENTER)
    page.see("Name and password do not belong together.")


#: Wrong passwords for a name, until it is shut; the answer's status.
GUESSED = """
const done = arguments[1];
(async () => {
  const { csrf_token } = await (await fetch("/api/session")).json();
  const headers = { "Content-Type": "application/json", "X-CSRFToken": csrf_token };
  for (let n = 0; ; n++) {
    const body = JSON.stringify({ name: arguments[0], password: `guess ${n}` });
    const { status } = await fetch("/api/session", { method: "POST", headers, body });
    if (status !== 422 && status !== 400) return done(status);
  }
})();
"""


def test_a_name_that_wrong_passwords_shut_is_opened_by_a_lead(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.driver.set_script_timeout(20)
    assert page.driver.execute_async_script(GUESSED, "ilse") == 429
    page.click("People")
    page.see("shut for")
    page.click("Open ilse now")
    page.not_see("shut for")
    page.click("Sign out")
    page.see("Sign in")
    page.sign_in_by_form("ilse", PASSWORD)
    page.not_see("People")
