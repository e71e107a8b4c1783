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
