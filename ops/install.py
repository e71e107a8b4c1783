"""Installs what is missing, and nothing that is there: `install.py demo`, `install.py test`, or `install.py container`,
which leaves Debian's packages alone.

Standard library only, Python 3.11. Each step leaves a stamp with what it was done for, so that a second run is quick.
"""

from __future__ import annotations

import ctypes.util
import hashlib
import os
import shutil
import subprocess
import sys
import venv
from collections.abc import Iterable
from pathlib import Path

from cluster import bin_dir
from paths import IS_ROOT, REPOSITORY, VENV, WEB

STAMPS = VENV / "stamps"
CHROMIUM = ("/usr/bin/chromium", "/usr/bin/chromedriver")
#: What sets articles as PDF.
PANGO = {"pangoft2-1.0": "libpangoft2-1.0-0", "harfbuzz-subset": "libharfbuzz-subset0"}
#: A real proxy with TLS and a real pool of connections, which the browser tests put before the server and the database.
BEFORE = ("/usr/sbin/nginx", "/usr/bin/openssl", "/usr/sbin/pgbouncer")


class InstallError(Exception):
    """Something is missing that cannot be installed; the message says what to do."""


def main() -> int:
    """Install for the purpose named on the command line."""
    purpose = sys.argv[1] if len(sys.argv) > 1 else "demo"
    try:
        tests = purpose == "test"
        if purpose != "container":
            debian(tests)
        python("tools" if tests else "runtime")
        node()
        build()
    except InstallError as error:
        print(f"rennbahn: {error}", file=sys.stderr)
        return 1
    except subprocess.CalledProcessError as error:
        print(f"rennbahn: `{' '.join(map(str, error.cmd))}` failed with {error.returncode}", file=sys.stderr)
        return 1
    return 0


def debian(tests: bool) -> None:
    """PostgreSQL, and what sets PDF; and Chromium with its driver, a proxy and a pool, where tests need them."""
    wanted = [] if bin_dir() else ["postgresql"]
    if tests and not all(Path(program).exists() for program in CHROMIUM):
        wanted += ["chromium", "chromium-driver"]
    if tests and not all(Path(program).exists() for program in BEFORE):
        wanted += ["nginx-light", "openssl", "pgbouncer"]
    wanted += [package for library, package in PANGO.items() if ctypes.util.find_library(library) is None]
    if not can_make_venv():
        wanted.append("python3-venv")
    if not wanted:
        return
    for program in ("node", "npm"):
        if shutil.which(program) is None:
            raise InstallError(f"{program} is missing: install Node 20 with npm.")
    ask = [] if IS_ROOT else ["sudo", "-n"]
    if not IS_ROOT and (shutil.which("sudo") is None or run([*ask, "true"], check=False) != 0):
        names = " ".join(wanted)
        raise InstallError(f"these Debian packages are missing: {names}. Run `sudo apt-get install {names}` first.")
    say(f"installing Debian packages: {', '.join(wanted)}")
    environment = ["env", "DEBIAN_FRONTEND=noninteractive"]
    run([*ask, *environment, "apt-get", "update", "-qq"])
    run([*ask, *environment, "apt-get", "install", "-y", "-qq", "--no-install-recommends", *wanted], quiet=True)


def can_make_venv() -> bool:
    """Debian's Python comes without what a virtual environment needs."""
    return (VENV / "bin" / "pip").exists() or run([sys.executable, "-c", "import ensurepip"], check=False) == 0


def python(lock: str) -> None:
    """A virtual environment from the hash-locked requirements, with the core in it."""
    if not (VENV / "bin" / "pip").exists():
        say("making a virtual environment")
        venv.create(VENV, with_pip=True, clear=True)
    file = REPOSITORY / "requirements" / f"{lock}.txt"
    core = REPOSITORY / "core" / "pyproject.toml"
    mark = fingerprint([file, core])
    # The tools hold all that the runtime does.
    if mark in (read_stamp(lock), read_stamp("python")) or (
        lock == "runtime" and read_stamp("tools") == fingerprint([file.with_name("tools.txt"), core])
    ):
        return
    say("installing Python packages")
    pip = [VENV / "bin" / "pip", "install", "--quiet", "--disable-pip-version-check"]
    run([*pip, "--require-hashes", "-r", file])
    run([*pip, "--no-deps", "--no-build-isolation", "-e", REPOSITORY / "core"])
    write_stamp(lock, mark)


def node() -> None:
    """The front end's packages, as locked."""
    mark = fingerprint([WEB / "package-lock.json"])
    if read_stamp("node") == mark and (WEB / "node_modules").is_dir():
        return
    say("installing Node packages")
    run(["npm", "ci", "--no-audit", "--no-fund", "--silent"], cwd=WEB)
    write_stamp("node", mark)


def build() -> None:
    """The front end, built, with every file compressed beside it."""
    sources = [p for p in sorted((WEB / "src").rglob("*")) if p.is_file()]
    settings = ("index.html", "vite.config.ts", "vite.page.config.ts", "package-lock.json")
    mark = fingerprint([*sources, *(WEB / name for name in settings)])
    built = all((WEB / name).exists() for name in ("dist/index.html", "dist-page/draw.js", "dist-page/film.js"))
    if read_stamp("web") == mark and built:
        return
    say("building the interface")
    run(["npm", "run", "--silent", "build"], cwd=WEB, quiet=True)
    run([VENV / "bin" / "python", "-m", "whitenoise.compress", "--quiet", WEB / "dist"])
    write_stamp("web", mark)


def run(command: Iterable[object], *, cwd: Path | None = None, check: bool = True, quiet: bool = False) -> int:
    """Run a program; its output is shown unless `quiet` and it succeeds."""
    words = [str(word) for word in command]
    hide = quiet or not check
    done = subprocess.run(
        words, cwd=cwd, check=False, text=True, stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE if hide else None, stderr=subprocess.STDOUT if hide else None,
    )  # fmt: skip
    if check and done.returncode:
        if hide:
            print(done.stdout, file=sys.stderr)
        raise subprocess.CalledProcessError(done.returncode, words)
    return done.returncode


def fingerprint(files: Iterable[Path]) -> str:
    """A hash of the names and contents of files."""
    digest = hashlib.sha256()
    for file in files:
        digest.update(str(file.relative_to(REPOSITORY)).encode() + b"\0" + file.read_bytes())
    return digest.hexdigest()


def read_stamp(name: str) -> str:
    """What a step was last done for."""
    stamp = STAMPS / name
    return stamp.read_text() if stamp.exists() else ""


def write_stamp(name: str, mark: str) -> None:
    """Note what a step was done for."""
    STAMPS.mkdir(parents=True, exist_ok=True)
    (STAMPS / name).write_text(mark)


def say(text: str) -> None:
    """Tell what is being done."""
    print(f"rennbahn: {text} …", flush=True)


if __name__ == "__main__":
    os.chdir(REPOSITORY)
    sys.exit(main())
