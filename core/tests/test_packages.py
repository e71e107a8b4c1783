"""Data packages: what is written verifies, and whatever is changed in one is found by its hash and by its effect."""

from __future__ import annotations

import io
import json
import subprocess
import sys
import tracemalloc
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from rennbahn.capture import ColumnMap, read_capture
from rennbahn.cli import main
from rennbahn.comparing import Study
from rennbahn.comparing.facts import LaneFacts
from rennbahn.comparing.measured import facts_told, flags_told, rates_told
from rennbahn.comparing.model import Lane, Method, Pass, Scene, Test
from rennbahn.errors import RennbahnError
from rennbahn.measures import Settings, figures_of
from rennbahn.measures.shape import corners_of
from rennbahn.packages import CaptureFile, LaneMore, PassMore, tables_of, verify, write_package
from rennbahn.simulation import Rig, run_pass, write_log
from rennbahn.simulation import Scene as Demand

COLUMNS = {"map": {"frame_time": "frame_time_ms"}, "time_unit": "ms", "delimiter": ",", "decimal": "."}
SETTINGS = {"target_hz": 90.0, "limited_to_fps": None, "known_caps": []}
REFERENCE = Path(__file__).parent / "reference"


def log(lane: int, test: int, number: int) -> bytes:
    seed = np.random.default_rng([lane, test, number])
    return write_log(run_pass(Demand(5.0 + test, 9.0, seconds=12.0), Rig(gpu_speed=1.0 + 0.06 * lane), seed))


def columns_of(content: bytes) -> dict[str, Any]:
    from rennbahn.capture import propose_columns  # noqa: PLC0415

    found = propose_columns(content).columns
    assert found is not None
    return found.as_json()


def made() -> tuple[Study, dict[str, CaptureFile], dict[str, bytes]]:
    """A study of two lanes and two tests with captures, one of them seen through two windows."""
    captures: dict[str, CaptureFile] = {}
    files: dict[str, bytes] = {}
    passes = []
    for lane in (0, 1):
        for test in (0, 1):
            for number in (1, 2, 3):
                name, content = f"p{lane}{test}{number}", log(lane, test, number)
                windows = ((0.5, 5.0), (6.0, 11.5)) if number == 3 else ()
                columns = columns_of(content)
                frames = read_capture(content, ColumnMap.from_json(columns)).within(windows)
                settings = Settings.from_json(SETTINGS)
                figures = figures_of(frames, settings)
                captures[name] = CaptureFile(f"captures/{name}.csv", columns, SETTINGS, windows)
                files[f"captures/{name}.csv"] = content
                facts = facts_told(figures, corners_of(frames, 90.0))
                figures_, flags = rates_told(figures), flags_told(figures)
                passes.append(
                    Pass(name, f"L{lane}", f"T{test}", "accepted", flags=flags, figures=figures_, facts=facts)
                )
    passes.append(Pass("out", "L0", "T0", "crashed"))
    study = Study(
        "Do tall fins help?", Method(target_hz=90.0),
        (
            Lane("L0", "plain, “fins”", LaneFacts(price=39.9)),
            Lane("L1", "tall fins", LaneFacts(price=59.9, power_w=120.5)),
        ),
        (Scene("s0", "Moss Republic", "square"), Scene("s1", "Ninth Ferry", "harbour")),
        (Test("T0", "s0", "1440, high", "a"), Test("T1", "s1", "1440, high", "a")),
        tuple(passes), (("L0", "L1"),), kind="ladder",
    )  # fmt: skip
    return study, captures, files


@pytest.fixture(scope="module")
def package() -> bytes:
    study, captures, files = made()
    tables = tables_of(study, captures, {"out": PassMore(4, "the game ended")}, {"L0": LaneMore("EUR")})
    out = io.BytesIO()
    write_package(out, study, tables, files.items())
    return out.getvalue()


@pytest.fixture
def kept(tmp_path: Path) -> Callable[[bytes], str]:
    def keep(content: bytes) -> str:
        path = tmp_path / "package.zip"
        path.write_bytes(content)
        return str(path)

    return keep


def frictionless(path: str) -> dict[str, Any]:
    """What the reference program of the format says of a package, in a process of its own: it is slow to load."""
    asked = [sys.executable, "-m", "frictionless", "validate", path, "--json"]
    told = subprocess.run(asked, capture_output=True, text=True, check=False)
    found: dict[str, Any] = json.loads(told.stdout)
    return found


def test_those_who_read_packages_of_this_form_read_ours(package: bytes, kept: Callable[[bytes], str]) -> None:
    report = frictionless(kept(package))
    assert report["valid"], report
    assert report["stats"]["tasks"] == 7 + 12, "every table, and every capture"
    broken = changed(
        package,
        lambda name, content: content.replace(b"accepted", b"accepted,more", 1) if name == "passes.csv" else content,
    )
    assert not frictionless(kept(broken))["valid"]


def changed(
    package: bytes, change: Callable[[str, bytes], bytes | None], more: dict[str, bytes] | None = None
) -> bytes:
    """The package with its files as `change` gives them; None takes one out."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(package)) as before, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as after:
        for one in before.infolist():
            content = change(one.filename, before.read(one))
            if content is not None:
                after.writestr(one.filename, content)
        for name, content in (more or {}).items():
            after.writestr(name, content)
    return out.getvalue()


def test_what_was_written_holds_and_is_the_same_bytes_again(package: bytes, kept: Callable[[bytes], str]) -> None:
    found = verify(kept(package))
    assert found.holds, found.numbers[:5]
    assert found.counted_numbers > 100
    assert found.counted_files == 7 + 12
    study, captures, files = made()
    again = io.BytesIO()
    tables = tables_of(study, captures, {"out": PassMore(4, "the game ended")}, {"L0": LaneMore("EUR")})
    write_package(again, study, tables, files.items())
    assert again.getvalue() == package
    with zipfile.ZipFile(io.BytesIO(package)) as packed:
        told = json.loads(packed.read("datapackage.json"))
        rows = packed.read("passes.csv").decode().splitlines()
    assert told["rennbahn"]["kind"] == "ladder"
    assert {one["path"] for one in told["resources"]} == set(packed.namelist()) - {"datapackage.json"}
    assert rows[-1].startswith("out,L0,T0,4,crashed,frames,the game ended,")


def test_an_altered_frame_is_found_by_hash_and_by_its_effect(package: bytes, kept: Callable[[bytes], str]) -> None:
    def alter(name: str, content: bytes) -> bytes:
        if name != "captures/p001.csv":
            return content
        lines = content.split(b"\n")
        at = len(lines) // 2
        lines[at] = b",".join([b"45.0", *lines[at].split(b",")[1:]])
        return b"\n".join(lines)

    found = verify(kept(changed(package, alter)))
    assert [(one.file, one.fault) for one in found.files] == [("captures/p001.csv", "changed")]
    assert any(one.what.endswith(".value") and one.computed is not None for one in found.numbers)


def test_altered_windows_are_found_by_their_effect(package: bytes, kept: Callable[[bytes], str]) -> None:
    def alter(name: str, content: bytes) -> bytes:
        shorter = content.replace(b"[6.0, 11.5]]", b"[6.0, 8.0]]")
        return shorter if name == "passes.csv" else content

    found = verify(kept(changed(package, alter)))
    assert [one.file for one in found.files] == ["passes.csv"]
    assert found.numbers


def test_a_window_of_two_ends_stands_in_its_two_cells_and_settings_may_be_the_studys(
    kept: Callable[[bytes], str],
) -> None:
    """Only what docs/formats.md names first: a package that somebody else wrote has no columns of ours."""
    study, captures, files = made()
    seen = {name: replace(one, windows=((0.5, 11.0),), settings={}) for name, one in captures.items()}
    table = tables_of(study, seen, {}, {})["passes.csv"].text()
    assert table.count(",0.5,11.0,") == len(captures)
    assert "windows" in table.splitlines()[0]
    assert "[[" not in table
    out = io.BytesIO()
    measured = {name: _measured_again(files[one.path], one) for name, one in seen.items()}
    passes = tuple(replace(one, **measured.get(one.id, {})) for one in study.passes)
    write_package(out, replace(study, passes=passes), tables_of(study, seen, {}, {}), files.items())
    found = verify(kept(out.getvalue()))
    assert not found.numbers


def _measured_again(content: bytes, file: CaptureFile) -> dict[str, Any]:
    frames = read_capture(content, ColumnMap.from_json(file.columns)).within(file.windows)
    figures = figures_of(frames, Settings(target_hz=90.0))
    facts = facts_told(figures, corners_of(frames, 90.0))
    return {"figures": rates_told(figures), "flags": flags_told(figures), "facts": facts}


def test_an_altered_price_is_found_in_what_rests_on_it(package: bytes, kept: Callable[[bytes], str]) -> None:
    cheaper = changed(package, lambda name, c: c.replace(b"39.9", b"19.9") if name == "lanes.csv" else c)
    found = verify(kept(cheaper))
    assert [one.file for one in found.files] == ["lanes.csv"]
    assert found.numbers, "frames a price are among the numbers"


def test_a_removed_file_and_one_that_nobody_lists(package: bytes, kept: Callable[[bytes], str]) -> None:
    gone = changed(package, lambda name, content: None if name == "captures/p112.csv" else content, {"more.txt": b"x"})
    found = verify(kept(gone))
    assert {(one.file, one.fault) for one in found.files} == {
        ("captures/p112.csv", "missing"),
        ("more.txt", "unlisted"),
    }
    assert found.numbers
    assert {one.computed for one in found.numbers} == {None}, "nobody can say what they would be"


def test_a_published_number_that_was_bent(
    package: bytes, kept: Callable[[bytes], str], capsys: pytest.CaptureFixture[str]
) -> None:
    def bend(name: str, content: bytes) -> bytes:
        if name != "findings.csv":
            return content
        head, first, *rest = content.decode().split("\n")
        assert first.startswith("f1,")
        parts = first.rsplit(",", 4)
        parts[1] = repr(float(parts[1]) * (1 + 1e-7))
        return "\n".join([head, ",".join(parts), *rest]).encode()

    path = kept(changed(package, bend))
    (one,) = verify(path).numbers
    assert one.what == "f1.value"
    assert isinstance(one.published, float)
    assert isinstance(one.computed, float)
    assert main(["verify", path]) == 1
    told = capsys.readouterr().out
    assert "f1.value" in told
    assert "findings.csv" in told
    assert main(["verify", path, "--json"]) == 1
    document = json.loads(capsys.readouterr().out)
    assert document["counts"]["numbers_differ"] == 1
    assert document["files"] == [{"file": "findings.csv", "fault": "changed"}]


def studies() -> Iterator[tuple[str, dict[str, Any]]]:
    for case in json.loads((REFERENCE / "study.json").read_text())["cases"]:
        yield case["name"], case["input"]


@pytest.mark.parametrize("told", [pytest.param(told, id=name) for name, told in studies()])
def test_studies_of_numbers_alone_hold(told: dict[str, Any], kept: Callable[[bytes], str]) -> None:
    study = Study.from_json(told)
    out = io.BytesIO()
    write_package(out, study, tables_of(study, {}, {}, {}), ())
    found = verify(kept(out.getvalue()))
    assert found.holds, found.numbers[:5]
    assert found.counted_numbers


HOSTILE: dict[str, Callable[[bytes], bytes]] = {
    "no zip": lambda package: b"PK" + package[:400],
    "cut": lambda package: package[: len(package) // 2],
    "a name that leads out": lambda package: changed(package, lambda _, c: c, {"../x.csv": b""}),
    "no descriptor": lambda package: changed(package, lambda n, c: None if n == "datapackage.json" else c),
    "a descriptor that is no JSON": lambda p: changed(p, lambda n, c: b"{" if n == "datapackage.json" else c),
    "a deep descriptor": lambda p: changed(p, lambda n, c: b"[" * 200_000 if n == "datapackage.json" else c),
    "no table of passes": lambda package: changed(package, lambda n, c: None if n == "passes.csv" else c),
    "a row that is short": lambda p: changed(p, lambda n, c: c + b"x,y\n" if n == "lanes.csv" else c),
    "a number that is none": lambda p: changed(p, lambda n, c: c.replace(b"39.9", b"much") if n == "lanes.csv" else c),
    "a lane that is not there": lambda p: changed(p, lambda _, c: c.replace(b"L1,T0", b"L9,T0")),
    "no text": lambda p: changed(p, lambda n, c: b"\xff\xfe\x00" if n == "tests.csv" else c),
    "another form": lambda p: changed(p, lambda _, c: c.replace(b'"version": 1', b'"version": 9')),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_what_is_no_package_is_refused_in_a_line(
    name: str, package: bytes, kept: Callable[[bytes], str], capsys: pytest.CaptureFixture[str]
) -> None:
    path = kept(HOSTILE[name](package))
    assert main(["verify", path]) == 2
    told = capsys.readouterr().err
    assert told.startswith(path)
    assert told.count("\n") == 1


def test_a_bomb_is_not_unpacked(package: bytes, kept: Callable[[bytes], str]) -> None:
    out = io.BytesIO(package)
    with zipfile.ZipFile(out, "a", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("captures/bomb.csv", b"\0" * 2**30)
    tracemalloc.start()
    found = verify(kept(out.getvalue()))
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert ("captures/bomb.csv", "unlisted") in {(one.file, one.fault) for one in found.files}
    assert peak < 200 * 2**20


def test_other_ways_to_pack_are_not_read(package: bytes, kept: Callable[[bytes], str]) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(package)) as before, zipfile.ZipFile(out, "w") as after:
        for one in before.infolist():
            way = zipfile.ZIP_BZIP2 if one.filename == "captures/p001.csv" else zipfile.ZIP_DEFLATED
            after.writestr(one.filename, before.read(one), way)
    found = verify(kept(out.getvalue()))
    assert [(one.file, one.fault) for one in found.files] == [("captures/p001.csv", "changed")]


def test_a_field_that_no_study_has_is_refused() -> None:
    study, _, _ = made()
    with pytest.raises(RennbahnError):
        replace(study, kind="unheard_of")
