"""A folder of captures, as somebody has it after a day at the bench: the worker takes it in, and tells of each file."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
from browser import Page
from client import Client
from rennbahn.simulation import Rig, Scene, run_pass, write_log
from scratch import PASSWORD

STUDY = "Is it any warmer in the cellar?"
LANES = ("lower vents", "upper vents")
GAMES = ("Glass Caravan", "Ninth Ferry")


def make_study(address: str) -> None:
    """A study of this test's own."""
    setups = [{"name": f"Cellar box, {lane}", "parts": [{"kind": "cooler", "name": lane}]} for lane in LANES]
    Client(address).post(
        "/studies",
        {
            "question": STUDY,
            "factor": "Cooler",
            "lanes": [{"name": lane, "setup": setup} for lane, setup in zip(LANES, setups, strict=True)],
            "tests": [{"game": game, "scene": "cellar", "condition": "1440 high"} for game in GAMES],
        },
    )


def day(folder: Path) -> dict[str, bytes]:
    """Captures whose names say where they belong, one that says nothing, and one that is none."""
    made = {
        f"{lane} {game}.csv": write_log(run_pass(Scene(5.0, 9.0, seconds=8.0), Rig(), np.random.default_rng([a, b])))
        for a, lane in enumerate(LANES)
        for b, game in enumerate(GAMES)
    }
    made["untitled.csv"] = write_log(run_pass(Scene(5.0, 9.0, seconds=8.0), Rig(), np.random.default_rng(9)))
    made["shopping.csv"] = b"milk\n"
    (folder / "cellar").mkdir(parents=True)
    for name, content in made.items():
        (folder / "cellar" / name).write_bytes(content)
    return made


def test_a_folder_and_then_a_zip_of_the_same(page: Page, tmp_path: Path) -> None:
    made = day(tmp_path / "tuesday")
    make_study(page.address)
    page.sign_in("tomke", PASSWORD)
    page.study(STUDY)
    page.click("Hand in")
    page.see("Drop the capture files here")
    page.hand_in_folder(tmp_path / "tuesday")
    page.see("4 passes recorded, 1 waits below, 1 refused")
    page.click("File by file")
    page.see("its name does not say where it belongs")
    page.see("tuesday/cellar/shopping.csv")
    page.click("Close")
    page.not_see("tuesday/cellar")
    page.see("By this map the file holds")
    with zipfile.ZipFile(tmp_path / "tuesday.zip", "w") as packed:
        for name, content in made.items():
            packed.writestr(name, content)
    page.hand_in(tmp_path / "tuesday.zip")
    page.see("6 there already")
    page.hand_in_folder(tmp_path / "tuesday")
    page.see("6 files were here already.")
    page.click("Passes")
    page.see("4 passes wait for a decision. No check doubts any.")
