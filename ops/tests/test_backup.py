"""Backups: which are kept, when one is due, and what is said of one that is none."""

from __future__ import annotations

import datetime as dt
import json
import os
import subprocess
import tarfile
import time
from pathlib import Path
from typing import Any

import backup
import pytest
import upkeep
from backup import BackupError, thin
from held import differences, fewer


def made(place: Path, day: dt.datetime) -> Path:
    file = place / f"rennbahn-{day:%Y%m%d-%H%M%S}.tar"
    file.touch()
    file.with_suffix(".key").touch()
    return file


def test_seven_days_five_weeks_and_twelve_months_are_kept(tmp_path: Path) -> None:
    first = dt.datetime(2025, 1, 1, 3, tzinfo=dt.UTC)
    days = [first + dt.timedelta(days=day) for day in range(500)]
    for day in days:
        made(tmp_path, day)
        made(tmp_path, day + dt.timedelta(hours=2))
    other = tmp_path / "notes.txt"
    other.touch()
    gone = thin(tmp_path)
    kept = sorted(file.name for file in tmp_path.glob("*.tar"))
    assert len(kept) + len(gone) == 1000
    newest = [f"rennbahn-{day + dt.timedelta(hours=2):%Y%m%d-%H%M%S}.tar" for day in days[-7:]]
    assert kept[-7:] == newest, "the newest of each of the last days"
    months = {name[9:15] for name in kept}
    assert len(months) == 12
    assert 12 + 7 <= len(kept) <= 7 + 5 + 12
    assert {file.stem for file in tmp_path.glob("*.key")} == {Path(name).stem for name in kept}, "keys go with them"
    assert other.exists()
    assert thin(tmp_path) == []


def test_a_backup_is_due_at_night_and_where_the_last_is_old(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    noon = time.mktime((2026, 3, 4, 12, 0, 0, 0, 0, -1))
    night = time.mktime((2026, 3, 5, 3, 0, 0, 0, 0, -1))
    nightly = upkeep.Nightly(began=noon)
    assert not nightly.due(noon), "there is nothing worth keeping yet"
    assert nightly.due(noon + 8 * 3600.0), "none was ever made"
    nightly.told.touch()
    os.utime(nightly.told, (noon, noon))
    assert not nightly.due(night), "the last is of noon"
    assert nightly.due(noon + 27 * 3600.0)
    os.utime(nightly.told, (night - 86_000, night - 86_000))
    assert nightly.due(night)


def test_one_that_fails_is_told_once_and_tried_again_the_next_night(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path / "own"))
    (tmp_path / "own").mkdir()
    nightly = upkeep.Nightly(began=0.0)
    nightly.look()
    assert nightly.child is not None
    nightly.child.wait(60)
    nightly.look()
    assert "the nightly backup failed" in capsys.readouterr().err
    nightly.look()
    assert nightly.child is None


def told(**changes: Any) -> dict[str, Any]:
    return {"tables": {"a": ["3", "7"], "b": ["0", "0"]}, "findings": {"1": "x"}, **changes}


def test_what_is_otherwise_is_named() -> None:
    assert differences(told(), told()) == []
    assert differences(told(), told(tables={"a": ["2", "5"], "b": ["0", "0"]})) == ["a: 3 rows, now 2 rows"]
    assert differences(told(), told(tables={"a": ["3", "8"], "b": ["0", "0"]})) == ["a: 3 rows, of other content"]
    assert differences(told(), told(findings={"1": "y", "2": "z"})) == [
        "the findings of study 1 are others", "the findings of study 2 are others",
    ]  # fmt: skip


def test_an_upgrade_may_add_and_never_takes_away() -> None:
    more = {"a": ["4", "9"], "b": ["0", "0"], "new": ["5", "1"]}
    assert fewer(told(), told(tables=more)) == []
    assert fewer(told(), told(tables={"b": ["0", "0"]})) == [], "a table may have gone into another"
    assert fewer(told(), told(tables={"a": ["2", "7"]})) == ["a: 3 rows, now 2 rows"]
    assert fewer(told(), told(findings={})) == [], "a study may have been opened again"
    assert fewer(told(), told(findings={"1": "y"})) == ["the findings of study 1 are others"]


def archive(place: Path, parts: dict[str, bytes]) -> Path:
    for name, content in parts.items():
        (place / name).write_bytes(content)
    file = place / "rennbahn-20260101-030000.tar"
    with tarfile.open(file, "w") as whole:
        for name in parts:
            whole.add(place / name, arcname=name)
    return file


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        ({"hashes.json": b"{}", "facts.json": b"{}"}, "is no backup of Rennbahn"),
        ({"hashes.json": b"no json", "facts.json": b"{}", "dump": b"x"}, "is damaged"),
        ({"hashes.json": json.dumps({"dump": "0", "facts.json": "0"}).encode(), "facts.json": b"{}", "dump": b"x"},
         "is not what was written"),
    ],
)  # fmt: skip
def test_what_is_no_whole_backup_is_told_before_anything_is_brought_back(
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
    parts: dict[str, bytes],
    words: str,
) -> None:
    state = tmp_path / "state"
    state.mkdir()
    monkeypatch.setenv("RENNBAHN_STATE", str(state))
    file = archive(tmp_path, parts)
    assert backup.main(["restore", str(file)]) == 1
    assert words in capsys.readouterr().err
    assert not (state / "own" / "postgres-own" / "data").exists()


@pytest.mark.parametrize("words", [[], ["restore"], ["check"], ["restore", "/nowhere.tar"], ["make"]])
def test_what_cannot_be_done_is_said_in_a_line(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], words: list[str]
) -> None:
    monkeypatch.setenv("RENNBAHN_STATE", str(tmp_path))
    assert backup.main(words) == 1
    assert capsys.readouterr().err.startswith("rennbahn: ")


def test_a_name_in_an_archive_writes_nowhere_else(tmp_path: Path) -> None:
    file = tmp_path / "rennbahn-20260101-030000.tar"
    (tmp_path / "evil").write_text("x")
    with tarfile.open(file, "w") as whole:
        whole.add(tmp_path / "evil", arcname="../../evil")
    with pytest.raises(BackupError):
        backup._unpacked(file, tmp_path)


def test_a_worker_that_nobody_heard_of_is_ended_and_so_begun_again(monkeypatch: pytest.MonkeyPatch) -> None:
    worker = subprocess.Popen(["sleep", "60"], start_new_session=True)
    web = subprocess.Popen(["sleep", "60"], start_new_session=True)
    commands = [["python", "-m", "web_server"], ["python", "manage.py", "work"]]
    probe = upkeep.Probe("127.0.0.1", 1, asked_at=-1e9)
    answers = iter([{"ok": True, "worker": True}, *[{"ok": True, "worker": False}] * upkeep._UNHEARD])
    monkeypatch.setattr(upkeep, "asked", lambda *_: next(answers))
    for _ in range(upkeep._UNHEARD):
        probe.asked_at = -1e9
        probe.look(commands, [web, worker])
        assert worker.poll() is None
    probe.asked_at = -1e9
    probe.look(commands, [web, worker])
    assert worker.poll() is not None
    assert web.poll() is None
    web.kill()
    web.wait()
