"""A viewer takes a study along as a data package, and computes it again with the core alone."""

from __future__ import annotations

from pathlib import Path

from browser import Page
from rennbahn.packages import verify
from scratch import PASSWORD


def test_a_study_is_taken_along_and_computed_again(page: Page, downloads: Path, tmp_path: Path) -> None:
    page.sign_in("ilse", PASSWORD)
    page.study("Does the quiet fan profile cost frames?")
    page.click("Record")
    page.see("To be computed again")
    content = page.saved(downloads, "study-*.zip", lambda: page.click("Data package"))
    package = tmp_path / "study.zip"
    package.write_bytes(content)
    found = verify(str(package))
    assert found.holds, (found.numbers[:3], found.files[:3])
    assert found.counted_files > 80
    assert found.counted_numbers > 500


def test_a_package_becomes_a_study_again(page: Page, downloads: Path, tmp_path: Path) -> None:
    page.sign_in("mara", PASSWORD)
    page.study("Does the quiet fan profile cost frames?")
    page.see("Quiet profile:")
    said = page.element("h1").text
    page.click("Record")
    content = page.saved(downloads, "study-*.zip", lambda: page.click("Data package"))
    damaged, whole = tmp_path / "damaged.zip", tmp_path / "whole.zip"
    whole.write_bytes(content)
    damaged.write_bytes(content[: len(content) // 2])
    page.open("/studies/new")
    page.see("Or read a data package back")
    field = page.wait(lambda: page.driver.find_elements("css selector", "input[type=file]"), "the file field")[0]
    field.send_keys(str(damaged))
    page.see("It was not read back.")
    page.see("no whole zip")
    field.send_keys(str(whole))
    page.see("Read back: its findings are computed from its captures.")
    page.click("Does the quiet fan profile cost frames?")
    page.wait(lambda: page.element("h1").text == said, f"“{said}” once more")
    assert "is finished" not in page.text()
