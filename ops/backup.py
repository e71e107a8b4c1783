"""Backups of one's own: `backup.py make`, `restore FILE`, `check FILE`, `upgrade`, `keep`.

An archive is a tar of a PostgreSQL dump in custom format, what the dump holds in numbers, and a list of hashes. The
secret key lies in a file of its own beside it, so that who gets the archive alone can sign nothing.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import tarfile
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from cluster import USER, Cluster, ClusterError, bin_dir
from held import differences, fewer
from paths import REPOSITORY, VENV, state_dir
from running import noted, write_whole

SERVER = REPOSITORY / "server"
PYTHON = VENV / "bin" / "python"
_NAME = re.compile(r"rennbahn-(\d{8}-\d{6})\.tar")
_WRITTEN = "%Y%m%d-%H%M%S"
#: Files of an archive.
_DUMP, _FACTS, _HASHES = "dump", "facts.json", "hashes.json"
#: Files that lie in a store beside the database, where there is one.
_FILES = "files.tar"
_STORE = "RENNBAHN_FILES"
#: So many of the newest are kept of each: one a day, one a week, one a month.
DAILY, WEEKLY, MONTHLY = 7, 5, 12
_LEFT_S = 86_400.0


class BackupError(Exception):
    """A backup cannot be made or brought back; the message says why, and what to do."""


def main(words: Sequence[str]) -> int:
    """Do what the command line says."""
    verb, file = (words[0] if words else ""), (words[1] if len(words) > 1 else "")
    os.environ["RENNBAHN_STATE"] = str(state_dir() / "own")
    try:
        _do(verb, file)
    except (BackupError, ClusterError) as error:
        print(f"rennbahn: {error}", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"rennbahn: {error.strerror}: {error.filename}. Nothing was brought back or replaced.", file=sys.stderr)
        return 1
    return 0


def _do(verb: str, file: str) -> None:
    if verb in ("restore", "check") and not file:
        raise BackupError(f"which file? FILE=… make {'restore' if verb == 'restore' else 'check-backup'}")
    if verb == "make":
        make(Path(file) if file else backups_dir())
    elif verb == "restore":
        restore(Path(file).resolve(), Cluster("own"))
    elif verb == "check":
        check(Path(file).resolve())
    elif verb == "upgrade":
        upgrade()
    elif verb == "keep":
        make(backups_dir())
        thin(backups_dir())
    else:
        raise BackupError("say make, restore FILE, check FILE, upgrade or keep")


def backups_dir() -> Path:
    """Where backups lie unless another place is named."""
    return state_dir() / "backups"


def make(place: Path) -> Path:
    """Write a backup of one's own into a directory, while it runs or not; the archive.

    It is made beside its place and moved there whole, so that one that is there is complete.
    """
    own = Cluster("own")
    if not (own.data / "PG_VERSION").exists():
        raise BackupError("there is nothing of one's own yet: `make serve` begins it.")
    started = own.start()
    try:
        place.mkdir(parents=True, exist_ok=True)
        now = dt.datetime.now(dt.UTC)
        for left in place.glob("making-*"):
            # What one that was killed left; one that is being made just now is younger.
            if now.timestamp() - left.stat().st_mtime > _LEFT_S:
                shutil.rmtree(left, ignore_errors=True)
        target = place / f"rennbahn-{now:{_WRITTEN}}.tar"
        with tempfile.TemporaryDirectory(dir=place, prefix="making-") as making:
            held = _dump(own, Path(making))
            names = [_DUMP, _FACTS]
            if os.environ.get(_STORE):
                say("reading the store of files")
                _manage(own, "files", "pack", str(Path(making) / _FILES))
                names.append(_FILES)
            files = {name: _digest(Path(making) / name) for name in names}
            (Path(making) / _HASHES).write_text(json.dumps(files))
            whole = Path(making) / "whole"
            with tarfile.open(whole, "w") as archive:
                for name in (_HASHES, *reversed(names)):
                    archive.add(Path(making) / name, arcname=name)
            whole.chmod(0o600)
            key = state_dir() / "secret-key"
            if key.exists():
                write_whole(_key_of(target), key.read_text())
            whole.rename(target)
        write_whole(state_dir() / "last-backup.json", json.dumps({"at": now.isoformat(), "file": str(target)}))
    finally:
        if started:
            own.stop()
    rows = sum(int(count) for count, _ in held["tables"].values())
    say(f"{target} ({target.stat().st_size / 1e6:.1f} MB, {rows} rows, {len(held['findings'])} finished studies)")
    say(f"the secret key lies apart: {_key_of(target).name}. Keep both, in different places.")
    return target


def _dump(own: Cluster, making: Path) -> dict[str, Any]:
    """Dump and facts of one moment."""
    say("reading the database")
    asking = subprocess.Popen(
        [PYTHON, "manage.py", "facts", "--snapshot"], cwd=SERVER, env=_environment(own), stdin=subprocess.PIPE,
        stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        if asking.stdout is None or asking.stdin is None:
            raise BackupError("the database was not read.")
        snapshot = asking.stdout.readline().strip()
        if not re.fullmatch(r"[\w-]+", snapshot):
            raise BackupError("the database was not read: see above.")
        _postgres(own, "pg_dump", "--format=custom", f"--snapshot={snapshot}", f"--file={making / _DUMP}", USER)
        told = asking.stdout.readline()
        asking.stdin.close()
        if asking.wait() or not told:
            raise BackupError("the database was not read: see above.")
    finally:
        asking.kill()
        asking.wait()
    (making / _FACTS).write_text(told)
    found: dict[str, Any] = json.loads(told)
    return found


def restore(file: Path, into: Cluster) -> None:
    """Bring a backup back into an empty cluster. Raises :class:`BackupError` where anything is there already."""
    _refuse_while_it_runs()
    if (into.data / "PG_VERSION").exists():
        raise BackupError(
            f"{into.home} is there already: a backup is brought back where nothing is. Move it away first, "
            "or name another place: RENNBAHN_STATE=… make restore FILE=…"
        )
    with tempfile.TemporaryDirectory(prefix="rennbahn-restore-") as place:
        held = _unpacked(file, Path(place))
        files = Path(place) / _FILES
        if files.exists() and not os.environ.get(_STORE):
            raise BackupError(
                f"{file.name} holds files of a store beside the database: name one by {_STORE}, as a directory."
            )
        _replace(into, Path(place) / _DUMP, files)
    key = _key_of(file)
    if key.exists() and not (state_dir() / "secret-key").exists():
        write_whole(state_dir() / "secret-key", key.read_text())
        say("the secret key was beside it: sessions go on")
    elif not key.exists():
        say("no secret key was beside it: everybody signs in again")
    say(f"brought back, {sum(int(count) for count, _ in held['tables'].values())} rows. `make serve` serves it.")


def _refuse_while_it_runs() -> None:
    if any(supervisor.runs() for supervisor in noted()[:1]):
        raise BackupError("it runs: stop it first, with Ctrl-C or `make stop`.")


def upgrade() -> None:
    """Bring the database of one's own up to date, and back to what it was where that fails or loses anything."""
    _refuse_while_it_runs()
    # What the version before told of finished studies: they change no more, so it holds for today.
    earlier = sorted(backups_dir().glob("rennbahn-*.tar")) if backups_dir().is_dir() else []
    file = make(backups_dir())
    own = Cluster("own")
    with tempfile.TemporaryDirectory(prefix="rennbahn-upgrade-") as place:
        held = _unpacked(file, Path(place))
        if earlier and not held["findings"]:
            held["findings"] = _held_in(earlier[-1])["findings"]
        own.start()
        try:
            say("bringing the database up to date")
            _migrate(own)
            _nothing_lost(held, _facts_of(own))
        except (BackupError, ClusterError, OSError, KeyboardInterrupt, subprocess.CalledProcessError) as error:
            say("it failed: bringing back what was there before")
            _replace(own, Path(place) / _DUMP, migrate=False)
            why = str(error) or "it was broken off"
            raise BackupError(f"{why}. All is as it was before; go back to the commit that you came from.") from None
        finally:
            own.stop()
    say("up to date. `make serve` serves it.")


def _replace(own: Cluster, dump: Path, files: Path | None = None, *, migrate: bool = True) -> None:
    """Bring a dump back beside a cluster's place and move it there whole, whatever ends this in the middle.

    What was there is thrown away only once that stands.
    """
    making, aside = Cluster(f"{own.name}-restoring"), own.home.with_name(f"{own.home.name}-before")
    making.remove()
    try:
        _bring_back(making, dump, migrate=migrate)
        if files is not None and files.exists():
            _manage(making, "files", "unpack", str(files))
        making.stop()
        own.stop()
        shutil.rmtree(aside, ignore_errors=True)
        own.home.rename(aside)
        making.home.rename(own.home)
        shutil.rmtree(aside, ignore_errors=True)
    finally:
        making.remove()


def _nothing_lost(held: dict[str, Any], found: dict[str, Any]) -> None:
    lost = fewer(held, found)
    if lost:
        raise BackupError(f"it would have lost something: {'; '.join(lost)}")


def check(file: Path) -> None:
    """Bring a backup back into a cluster of its own, compare what it holds with what it held, and throw that away."""
    scratch = Cluster(f"check-{os.getpid()}")
    with tempfile.TemporaryDirectory(prefix="rennbahn-check-") as place:
        held = _unpacked(file, Path(place))
        try:
            _bring_back(scratch, Path(place) / _DUMP)
            files = Path(place) / _FILES
            if files.exists():
                os.environ[_STORE] = str(Path(place) / "store")
                _manage(scratch, "files", "unpack", str(files))
                _manage(scratch, "files", "check")
            say("comparing")
            unlike = differences(held, _facts_of(scratch))
        finally:
            scratch.remove()
    if unlike:
        raise BackupError(f"{file.name} does not hold what it held: {'; '.join(unlike)}.")
    say(f"{file.name} is whole: every row, and the findings of {len(held['findings'])} finished studies, are the same.")


def thin(place: Path) -> list[Path]:
    """Throw away what the rule does not keep: the newest of each of 7 days, 5 weeks and 12 months; what went."""
    found = sorted((file for file in place.iterdir() if _NAME.fullmatch(file.name)), reverse=True)
    kept: set[Path] = set()
    for most, period in ((DAILY, "%Y-%j"), (WEEKLY, "%G-%V"), (MONTHLY, "%Y-%m")):
        newest: dict[str, Path] = {}
        for file in found:
            newest.setdefault(_made(file).strftime(period), file)
        kept |= set(list(newest.values())[:most])
    gone = [file for file in found if file not in kept]
    for file in gone:
        file.unlink()
        _key_of(file).unlink(missing_ok=True)
    return gone


def _held_in(file: Path) -> dict[str, Any]:
    """What an archive says that it holds."""
    with tarfile.open(file) as archive:
        part = archive.extractfile(_FACTS)
        found: dict[str, Any] = json.loads(part.read()) if part else {"findings": {}}
    return found


def _made(file: Path) -> dt.datetime:
    match = _NAME.fullmatch(file.name)
    return dt.datetime.strptime(match[1] if match else "", _WRITTEN).replace(tzinfo=dt.UTC)


def _key_of(file: Path) -> Path:
    return file.with_suffix(".key")


def _unpacked(file: Path, place: Path) -> dict[str, Any]:
    """The parts of an archive by their names, put down in a place; what it held. Raises on anything that is other."""
    say(f"reading {file.name}")
    if not file.is_file():
        raise BackupError(f"{file} is no file.")
    try:
        with tarfile.open(file) as archive:
            there = set(archive.getnames())
            for name in (_HASHES, _FACTS, _DUMP, *({_FILES} & there)):
                part = archive.extractfile(name)
                if part is None:
                    raise BackupError(f"{file.name} holds no {name}: it is no backup of Rennbahn.")
                with (place / name).open("wb") as out:
                    shutil.copyfileobj(part, out, 2**20)
    except (tarfile.TarError, KeyError, EOFError) as error:
        raise BackupError(f"{file.name} is no backup of Rennbahn, or was cut: {error}.") from None
    try:
        wanted = json.loads((place / _HASHES).read_text())
        for name in sorted({_FACTS, _DUMP, *wanted}):
            if name not in (_FACTS, _DUMP, _FILES) or _digest(place / name) != wanted[name]:
                raise BackupError(f"{file.name} is damaged: its {name} is not what was written. Take an older one.")
        held: dict[str, Any] = json.loads((place / _FACTS).read_text())
    except (ValueError, KeyError, TypeError):
        raise BackupError(f"{file.name} is damaged: its lists cannot be read. Take an older one.") from None
    return held


def _facts_of(cluster: Cluster) -> dict[str, Any]:
    """What a database holds now."""
    told = subprocess.run(
        [PYTHON, "manage.py", "facts"], cwd=SERVER, env=_environment(cluster), check=False, stdout=subprocess.PIPE,
        text=True,
    )  # fmt: skip
    if told.returncode:
        raise BackupError("the database cannot be read: see above.")
    found: dict[str, Any] = json.loads(told.stdout)
    return found


def _manage(cluster: Cluster, *words: str) -> None:
    """Run a command of the server's against a cluster."""
    done = subprocess.run(
        [PYTHON, "manage.py", *words], cwd=SERVER, env=_environment(cluster), check=False, stdout=subprocess.DEVNULL
    )
    if done.returncode:
        raise BackupError(f"`manage.py {words[0]} {words[1]}` failed: see above.")


def _migrate(cluster: Cluster) -> None:
    subprocess.run(
        [PYTHON, "manage.py", "migrate", "--verbosity", "0"], cwd=SERVER, env=_environment(cluster), check=True
    )


def _bring_back(into: Cluster, dump: Path, *, migrate: bool = True) -> None:
    say("bringing the database back")
    into.start()
    _postgres(
        into, "pg_restore", "--no-owner", "--exit-on-error", "--single-transaction", f"--dbname={USER}", str(dump)
    )
    if migrate:
        _migrate(into)


def _environment(cluster: Cluster) -> dict[str, str]:
    return {**os.environ, **cluster.environment(), "RENNBAHN_SECRET_KEY": "a key that signs nothing here"}


def _postgres(cluster: Cluster, program: str, *words: str) -> None:
    """Run one of PostgreSQL's programs against a cluster."""
    programs = bin_dir()
    if programs is None:
        raise BackupError("PostgreSQL is not installed: run `make install`.")
    facts = cluster.facts()
    address = ["--host=127.0.0.1", f"--port={facts['port']}", f"--username={USER}"]
    done = subprocess.run(
        [programs / program, *address, *words], env={**os.environ, "PGPASSWORD": facts["password"]},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    if done.returncode:
        raise BackupError(f"{program} failed: {(done.stderr or done.stdout).strip()[-600:]}")


def _digest(file: Path) -> str:
    with file.open("rb") as content:
        return hashlib.file_digest(content, "sha256").hexdigest()


def say(text: str) -> None:
    """Tell what is being done."""
    print(f"rennbahn: {text}", flush=True)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
