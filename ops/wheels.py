"""`wheels.py DIRECTORY`: the core with its command line, and bench_link, as wheels that install anywhere."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from paths import REPOSITORY, VENV

#: What is made into a wheel each.
SOURCES = ("core", "bench_link")


def make(into: Path) -> list[Path]:
    """Build them from copies of their sources, so that nothing is left behind there; the wheels."""
    into.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="rennbahn-wheels-") as place:
        for name in SOURCES:
            left_out = shutil.ignore_patterns("tests", "fuzz", "build", "*.egg-info", "__pycache__")
            shutil.copytree(REPOSITORY / name, Path(place) / name, ignore=left_out)
            command = [str(VENV / "bin" / "pip"), "wheel", "--quiet", "--disable-pip-version-check", "--no-deps"]
            where = ["--no-build-isolation", "--wheel-dir", str(into), str(Path(place) / name)]
            subprocess.run([*command, *where], check=True)
    return sorted(into.glob("*.whl"))


if __name__ == "__main__":
    for wheel in make(Path(sys.argv[1])):
        print(f"rennbahn: {wheel}")
