"""The whole lap as a user does it: from a question to a chart one can publish."""

from __future__ import annotations

import csv
import io
import re
import struct
from pathlib import Path

import numpy as np
from browser import Page
from rennbahn.capture import ColumnMap, ColumnUse, read_capture
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.words import suite_sentence
from rennbahn.display import signed_percent
from rennbahn.measures import Figures, figures_of
from rennbahn.simulation import Dialect, Rig, run_pass, write_log
from rennbahn.simulation import Scene as Demand
from scratch import PASSWORD
from selenium.webdriver.common.keys import Keys
from ways import open_door

GAMES = [("Tin Lighthouse", "gallery"), ("Reed Harbour", "causeway"), ("Opal Ledger", "vault")]
LANES = ["narrow duct", "wide duct"]
#: One lane's logger writes commas, the other's semicolons with decimal commas.
DIALECTS = [
    Dialect(names={"frame_time": "frame_time_ms", "gpu_busy_ms": "gpu_busy_ms"}),
    Dialect(delimiter=";", decimal=",", newline="\r\n", encoding="utf-8-sig", names={"frame_time": "Bildzeit (ms)"}),
]
MAPS = [
    ColumnMap((ColumnUse("frame_time_ms", "frame_time", "ms"),)),
    ColumnMap((ColumnUse("Bildzeit (ms)", "frame_time", "ms"),), delimiter=";", decimal=",", encoding="utf-8-sig"),
]
ODD = (1, 2, 2)  # lane, game, pass: recorded slow, to be rejected


def rates_of(figures: Figures) -> dict[str, float]:
    """The rates of a capture that lanes are compared by."""
    assert figures.rates is not None
    assert figures.lows is not None
    lows = {f"low_{name}.{school}": low.fps for name, own in figures.lows.items() for school, low in own.items()}
    return {"average_fps": figures.rates.average_fps} | lows


def make_files(folder: Path) -> dict[tuple[int, int, int], Path]:
    """Captures of 2 lanes, 3 games, 3 passes; one file bears the name of the wrong game."""
    files = {}
    for lane, name in enumerate(LANES):
        for game, (title, _) in enumerate(GAMES):
            for number in (1, 2, 3):
                key = (lane, game, number)
                rig = Rig(gpu_speed=(1.0, 1.045)[lane] * (0.7 if key == ODD else 1.0))
                frames = run_pass(Demand(5.0, 8.0 + game, seconds=8.0), rig, np.random.default_rng([*key, 5]))
                said = GAMES[1][0] if key == (0, 0, 1) else title
                said_number = 4 if key == (0, 0, 1) else number
                file = folder / f"{name} {said} {said_number}.csv".replace(" ", "_")
                file.write_bytes(write_log(frames, DIALECTS[lane]))
                files[key] = file
    return files


def expected(files: dict[tuple[int, int, int], Path]) -> Study:
    """The study as the core sees it, with the odd pass rejected."""
    passes = []
    for (lane, game, number), file in files.items():
        figures = rates_of(figures_of(read_capture(file.read_bytes(), MAPS[lane])))
        status = "rejected" if (lane, game, number) == ODD else "accepted"
        passes.append(Pass(f"{lane}{game}{number}", str(lane), str(game), status, figures=figures))
    return Study(
        "",
        Method(),
        tuple(Lane(str(i), name) for i, name in enumerate(LANES)),
        tuple(Scene(str(i), *names) for i, names in enumerate(GAMES)),
        tuple(Test(str(i), str(i)) for i in range(len(GAMES))),
        tuple(passes),
        (("0", "1"),),
    )


def create_study_by_keyboard(page: Page, question: str = "Does the wide duct gain frames?") -> None:
    """From the desk to a study that is ready, without the mouse but for what nobody wrote down of the machine."""
    page.press("n")
    page.see("What are its lanes to each other?")
    page.press("1")
    page.see("New study: A against B")
    page.press(question, Keys.TAB, "Duct", Keys.TAB, "narrow", Keys.TAB, "narrow duct", Keys.TAB)
    page.press(f"{question}, narrow duct")
    for label, text in (
        ("Name of the card", "Ostrane V5"), ("Name of the processor", "Tessel S6"),
        ("Duct of lane B", "wide"), ("Name in charts", "wide duct"),
    ):  # fmt: skip
        page.tab_to(label)
        page.press(text)
    page.see("Lane B is lane A with this one thing changed.")
    page.see("Duct: narrow / wide")
    page.fill("Game", "")
    for game, scene in GAMES:
        page.press(game, Keys.TAB, scene, Keys.ENTER)
        page.see(game)
    page.see("Now name the condition they are run under.")
    page.fill("Condition", "1440 high")
    page.press(Keys.ENTER)
    page.see("18 passes")
    page.chord(Keys.CONTROL, Keys.ENTER)
    page.see("not recorded in any lane: Driver, Power plan or mode")
    page.accept("Not recorded", "one machine, not touched between the lanes")
    page.press("y")
    page.see("called ready")
    page.press("h")
    page.see("Drop the capture files here")


def test_the_whole_lap(page: Page, tmp_path: Path, downloads: Path) -> None:
    files = make_files(tmp_path)
    page.sign_in("mara", PASSWORD)
    create_study_by_keyboard(page)

    # All files at once, two dialects: two groups, each confirmed once.
    page.hand_in(*files.values())
    page.see("Confirm and take in 9 files")
    page.wait(lambda: page.text().count("9 files of one kind") == 2, "two kinds of files")
    page.see("By this map the file holds")

    # A file that bears the wrong game's name is put right before it is taken.
    wrong = files[0, 0, 1].name
    page.choose(f"Test of {wrong}", "Tin Lighthouse, gallery, 1440 high")
    page.fill(f"Pass of {wrong}", "1")
    page.click("Confirm and take in 9 files")
    page.see("9 passes recorded.")
    page.click("Confirm and take in 9 files")
    page.see("18 passes recorded.")

    # Look at the passes of the odd one's test; reject it, with a reason, by key.
    page.click("Look at them and decide which count")
    page.click("Opal Ledger")
    page.see("Distribution")
    odd = page.element("section[aria-label='Distribution']")
    assert odd.is_displayed()
    choices = page.driver.find_elements("css selector", "aside button[aria-pressed]")
    choices[4].click()
    page.wait(lambda: choices[4].get_attribute("aria-pressed") == "true", "pass 2 of the second lane chosen")
    page.press("r")
    page.see("Reject this pass")
    page.fill("Reason", "another program was running")
    page.press(Keys.ENTER)
    page.see("another program was running")
    page.click("All passes")
    page.click("Accept all 17")
    page.see("No pass waits for a decision")

    # The finding says what the core says.
    page.press("f")
    study = expected(files)
    comparison = compare_study(study).compare[0]
    suite = comparison.suite[AVERAGE]
    sentence = suite_sentence(suite, study.method, AVERAGE, *LANES)
    assert "ahead of narrow duct" in sentence.claim
    page.see(sentence.claim)
    page.see(sentence.basis)
    rows = page.driver.find_elements("css selector", "tbody tr")
    for margin in comparison.tests[AVERAGE]:
        title = GAMES[int(margin.test)][0]
        (row,) = [row.text for row in rows if title in row.text]
        for share in (margin.b_over_a, margin.a_over_b):
            assert f"{signed_percent(share)}%".replace("-", "−") in row
    open_door(page, "out")
    page.see("another program was running")
    page.see("2 of 3 planned passes accepted")

    # Exports.
    for name, size in (("Picture as PNG, 1920 × 1080", (1920, 1080)), ("Picture as PNG, 3840 × 2160", (3840, 2160))):
        picture = download(page, downloads, name, f"*{size[0]}x{size[1]}.png")
        assert struct.unpack(">II", picture[16:24]) == size
        assert len(picture) > 20_000
    svg = download(page, downloads, "Picture as SVG", "*.svg").decode()
    assert sentence.claim in svg
    assert "font-face" in svg
    table = list(csv.DictReader(io.StringIO(download(page, downloads, "Table as CSV", "*.csv").decode())))
    by_game = {(row["game"], row["figure"]): row for row in table}
    for margin in comparison.tests[AVERAGE]:
        row = by_game[GAMES[int(margin.test)][0], "average fps"]
        assert float(row["wide duct over narrow duct %"]) == 100 * margin.b_over_a


def download(page: Page, folder: Path, action: str, pattern: str) -> bytes:
    """Choose an export and read what was saved."""
    return page.saved(folder, pattern, lambda: page.take_from("Export", action))


def test_the_trace_answers_keys_and_the_cursor_and_its_zoom_is_an_address(page: Page) -> None:
    page.sign_in("ilse", PASSWORD)
    page.study("Does the quiet fan profile cost frames?")
    page.click("Passes")
    page.click("Orchard of Kites")
    chart = page.element("[role=group][aria-label^='Frame times']")
    page.hover(chart)
    page.wait(lambda: re.search(r"at [\d.]+ s.*profile 3 [\d.]+ ms", page.text(), re.DOTALL), "exact values")
    chart.send_keys("+")
    page.wait(lambda: "zoom=" in page.driver.current_url, "a zoom in the address")
    zoomed = page.driver.current_url
    chart.send_keys(Keys.ARROW_RIGHT)
    page.wait(lambda: page.driver.current_url != zoomed, "another stretch in the address")
    page.driver.get(zoomed)
    page.see("seconds into the pass")
    assert page.driver.current_url == zoomed, "what was looked at can be shared"
    page.element("[role=group][aria-label^='Frame times']").send_keys("0")
    page.wait(lambda: "zoom=" not in page.driver.current_url, "all of it again")


def test_another_pass_stands_out_among_all_that_lie_over_each_other(page: Page) -> None:
    page.sign_in("ilse", PASSWORD)
    page.study("Does the quiet fan profile cost frames?")
    page.click("Passes")
    page.click("Orchard of Kites")
    page.see("The same test in the other lanes".upper())
    page.open(page.driver.current_url.removeprefix(page.address) + "?over=all")
    canvas = "[aria-label='Frame times'] canvas"
    drawn = "const c = document.querySelector(arguments[0]); return c && c.dataset.traces === '6' && c.width > 300 && "
    drawn += "new Uint32Array(c.getContext('2d').getImageData(0, 0, c.width, c.height).data.buffer).some(p => p)"
    page.wait(lambda: page.driver.execute_script(drawn, canvas), "six traces")
    before = page.element(canvas).get_attribute("data-focus")
    picture = page.driver.execute_script("return document.querySelector(arguments[0]).toDataURL()", canvas)
    page.press(Keys.ARROW_DOWN)
    page.wait(lambda: page.element(canvas).get_attribute("data-focus") != before, "the next trace to stand out")
    again = page.driver.execute_script("return document.querySelector(arguments[0]).toDataURL()", canvas)
    assert again != picture
