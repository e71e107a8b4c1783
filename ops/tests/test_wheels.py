"""The core and bench_link from their wheels, beside nothing of the repository."""

from __future__ import annotations

import os
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
import wheels
from paths import REPOSITORY, VENV

CAPTURE = REPOSITORY / "core" / "tests" / "reference" / "01-plain.csv"


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Both wheels, installed into a directory."""
    made = wheels.make(tmp_path_factory.mktemp("wheels"))
    assert [wheel.name.split("-")[0] for wheel in made] == ["rennbahn", "rennbahn_bench_link"]
    place = tmp_path_factory.mktemp("installed")
    command = [str(VENV / "bin" / "pip"), "install", "--quiet", "--disable-pip-version-check", "--no-deps", "--target"]
    subprocess.run([*command, str(place), *map(str, made)], check=True)
    for wheel in made:
        names = zipfile.ZipFile(wheel).namelist()
        assert not any("tests" in name for name in names)
    return place


def run(place: Path, *words: object, path: bool = True) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONPATH": str(place) if path else ""}
    command = [sys.executable, *map(str, words)]
    return subprocess.run(command, env=environment, cwd=place, capture_output=True, text=True, check=False)


def test_the_command_line_says_the_same_from_its_wheel(installed: Path) -> None:
    where = run(installed, "-c", "import rennbahn; print(rennbahn.__file__)").stdout.strip()
    assert Path(where).is_relative_to(installed)
    asked = ("-c", "from rennbahn.cli import main; raise SystemExit(main())", "figures", CAPTURE)
    ours, source = run(installed, *asked), run(installed, *asked, path=False)
    assert ours.returncode == 0, ours.stderr
    assert (ours.stdout, len(ours.stdout) > 200) == (source.stdout, True)
    assert (installed / "bin" / "rennbahn").exists()
    assert (installed / "rennbahn" / "py.typed").exists()


def test_its_types_are_found_from_outside(installed: Path, tmp_path: Path) -> None:
    script = tmp_path / "uses.py"
    script.write_text("from rennbahn.capture import read_capture\nreveal_type(read_capture)\n")
    # Packages without types of their own are left out of it, as they are where ours is installed.
    command = [str(VENV / "bin" / "mypy"), "--strict", "--ignore-missing-imports", str(script)]
    environment = {**os.environ, "MYPYPATH": str(installed)}
    done = subprocess.run(command, env=environment, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout
    assert "-> rennbahn.capture" in done.stdout


def test_bench_link_runs_from_its_wheel(installed: Path) -> None:
    done = run(installed, installed / "bin" / "rennbahn-bench-link", "--help")
    assert done.returncode == 0, done.stderr
    assert "FOLDER" in done.stdout or "folder" in done.stdout
