"""The command line as a user calls it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from helpers import REFERENCE, differences, load
from rennbahn.cli import main


def written(path: Path, data: object) -> str:
    path.write_text(json.dumps(data), encoding="utf-8")
    return str(path)


def test_figures_as_json_with_a_window(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    case = load("expected.json")["files"]["01-plain.csv"]
    name = str(REFERENCE / "01-plain.csv")
    columns = written(tmp_path / "columns.json", {"columns": case["columns"]})  # alone or named: both are read
    settings = written(tmp_path / "settings.json", case["settings"])
    call = ["figures", name, "--columns", columns, "--settings", settings, "--json"]
    assert main(call) == 0
    assert main([*call, "--window", "5", "25"]) == 0
    whole, window = (json.loads(line) for line in capsys.readouterr().out.splitlines())
    assert whole["file"] == name
    assert differences(whole["figures"], case["figures"][0]) == []
    assert differences(window["figures"], case["figures"][1]) == []


def test_a_bad_file_is_one_line_on_stderr_and_the_others_are_done(capsys: pytest.CaptureFixture[str]) -> None:
    bad, good = str(REFERENCE / "malformed/negative.csv"), str(REFERENCE / "08-bom-crlf.csv")
    assert main(["figures", bad, "missing.csv", good]) == 2
    out, err = capsys.readouterr()
    assert err.splitlines() == [
        f"{bad}: row 233 (line 234): frame time must be above 0 ms (got '-9.8120')",
        "missing.csv: cannot be opened: No such file or directory",
    ]
    assert "120" in out
    assert "“gpu_ms” is taken for gpu_busy_ms, in ms, by its name." in out
    assert main(["figures", bad, good, "--json"]) == 2
    first, second = (json.loads(line) for line in capsys.readouterr().out.splitlines())
    assert first["error"]["reason"] == "negative"
    assert (first["error"]["row"], first["error"]["line"]) == (233, 234)
    assert second["figures"]["frames"] == 3600


@pytest.mark.parametrize("case", load("study.json")["cases"], ids=lambda case: case["name"])
def test_study(case: dict[str, object], tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = written(tmp_path / "study.json", case["input"])
    assert main(["study", file, "--json"]) == 0
    assert differences(json.loads(capsys.readouterr().out), case["expected"]) == []
    assert main(["study", file]) == 0
    assert "(baseline)" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["study", "{bad}"], "is no JSON"),
        (["study", "nowhere.json"], "cannot be opened"),
        (["figures", "x.csv", "--columns", "{bad}"], "is no JSON"),
        (["figures", "x.csv", "--window", "9", "3"], "FROM must lie before TO"),
    ],
)
def test_wrong_calls(arguments: list[str], said: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    bad = tmp_path / "bad.json"
    bad.write_text("{", encoding="utf-8")
    assert main([a.replace("{bad}", str(bad)) for a in arguments]) == 2
    assert said in capsys.readouterr().err


def test_it_runs_as_a_module() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "rennbahn.cli", "figures", str(REFERENCE / "13-short.csv")],
        capture_output=True,
        text=True,
        check=True,
    )
    assert "too_short" in done.stdout
