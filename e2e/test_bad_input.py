"""What a new user drops by mistake: each thing is explained, nothing is lost."""

from __future__ import annotations

import gzip
from pathlib import Path

import pytest
from browser import Page
from scratch import PASSWORD

STUDY = "Does driver 42.0 change anything in the living room?"
REFERENCE = Path(__file__).parent.parent / "core" / "tests" / "reference"


@pytest.fixture
def intake(page: Page) -> Page:
    page.sign_in("tomke", PASSWORD)
    page.study(STUDY)
    page.click("Hand in")
    page.see("Drop the capture files here")
    return page


def written(folder: Path, name: str, content: bytes) -> Path:
    file = folder / name
    file.write_bytes(content)
    return file


def test_things_that_are_no_captures(intake: Page, tmp_path: Path) -> None:
    intake.hand_in(
        written(tmp_path, "results.xlsx", b"PK\x03\x04" + bytes(range(200)) * 3),
        written(tmp_path, "picture.csv", b"\x89PNG\r\n\x1a\n" + bytes(range(200)) * 3),
        written(tmp_path, "empty.csv", b""),
        written(tmp_path, "cut.csv.gz", gzip.compress((REFERENCE / "01-plain.csv").read_bytes())[:4000]),
    )
    intake.see("4 files are no captures")
    intake.see("a zip archive or a spreadsheet")
    intake.see("whatever its name says")
    intake.see("the file is empty")
    intake.see("cut off")
    for name in ("results.xlsx", "picture.csv", "empty.csv", "cut.csv.gz"):
        intake.click(f"Set aside {name}")
        intake.not_see(name)


def test_a_file_that_is_far_too_large(intake: Page, tmp_path: Path) -> None:
    large = tmp_path / "evening.csv"
    with large.open("wb") as file:
        file.truncate(300 * 1024 * 1024)
    intake.hand_in(large)
    intake.see("“evening.csv” has 300 MB; up to 64 MB are taken, so it was not sent.")
    intake.click("Understood")
    intake.not_see("evening.csv")


def test_a_bad_row_a_wrong_map_and_the_same_file_twice(intake: Page, tmp_path: Path) -> None:
    good = (REFERENCE / "02-busy-channels.csv").read_bytes()
    lines = good.decode().splitlines(keepends=True)
    lines[500] = "oops,1,1\n"
    intake.hand_in(
        written(tmp_path, "driver 41.2 Ninth Ferry 1.csv", good),
        written(tmp_path, "driver 42.0 Ninth Ferry 1.csv", "".join(lines).encode()),
    )
    intake.see("2 files of one kind")
    intake.see("105 fps")

    # The wrong unit shows before anything is confirmed.
    column = "What the column frame_time_ms is"
    intake.choose(column, "frame time, us")
    intake.see("That is hardly a game")
    intake.choose(column, "not used")
    intake.see("Choose the column that says how long frames took")
    intake.choose(column, "frame time, ms")
    intake.see("105 fps")

    intake.click("Confirm and take in 2 files")
    intake.see("1 pass recorded.")
    intake.see("Row 500 (line 501): the value of “frame_time_ms” is not a number (got 'oops')")

    intake.hand_in(written(tmp_path, "renamed.csv", good))
    intake.see("1 file was here already.")
    intake.click("Set aside driver 42.0 Ninth Ferry 1.csv")
    intake.not_see("Row 500")
