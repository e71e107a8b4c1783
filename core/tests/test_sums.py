"""Sums with their formulas: what comes out is what the formula gives, and what cannot be summed is refused by name."""

from __future__ import annotations

import itertools
import json
import math
import re

import pytest
from rennbahn.cli import main
from rennbahn.errors import RennbahnError
from rennbahn.sums import SUMS, alternatives, lines_of, shown, sum_named

TOLD = {
    "memory": {"cl": 30, "rate": 6000}, "refresh": {"busy": 295, "every": 3900},
    "link": {"generation": 4, "lanes": 4, "asks": 22}, "card-memory": {"bits": 192, "gbit": 21},
    "budget": {"price": 389, "whole": 1500}, "energy": {"watts": 250, "hours": 3, "price": 0.35},
    "percent": {"a": 100, "b": 125}, "upscaling": {"upscaled": 91.3, "inside": 104.7}, "rate": {"ms": 16.67},
    "frame-time": {"fps": 60},
}  # fmt: skip


@pytest.mark.parametrize("name", [one.name for one in SUMS])
def test_what_comes_out_is_what_its_formula_gives(name: str) -> None:
    for line in lines_of(sum_named(name), TOLD[name]):
        formula = line.how.replace("×", "*").replace("−", "-").replace(" lanes", "")
        assert re.fullmatch(r"[\d.e+ */-]+", formula), line.how
        value = eval(formula)  # noqa: S307 - digits and signs alone
        scale = 100 if line.unit.startswith("%") else 1
        assert line.value == pytest.approx(scale * value, rel=1e-3)


def test_some_that_one_knows() -> None:
    def values(name: str, **told: float) -> list[float]:
        return [line.value for line in lines_of(sum_named(name), told)]

    assert values("memory", cl=30, rate=6000) == [10.0, 96.0]
    assert values("memory", cl=16, rate=3200, channels=4) == [10.0, 102.4]
    assert values("percent", a=100, b=125) == pytest.approx([25, -20])
    assert values("link", generation=3, lanes=16) == pytest.approx([15.754], rel=1e-4)
    assert values("card-memory", bits=256, gbit=16) == [512.0]
    assert values("frame-time", fps=50) == [20.0]


def test_they_are_told_on_the_command_line(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["sums"]) == 0
    assert "card-memory" in capsys.readouterr().out
    assert main(["sums", "memory", "cl=30", "rate=6000", "and", "cl=36", "rate=7200"]) == 0
    out = capsys.readouterr().out
    assert "first word after 10.00 ns  (2000 × 30 / 6000)" in out
    assert "115.20 GB/s" in out
    assert main(["sums", "rate", "ms=20", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["lines"][0]["value"] == 50


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["sums", "everything"], "there are memory, refresh"), (["sums", "memory", "cl=30"], "memory needs rate"),
        (["sums", "memory", "cl=0", "rate=1"], "whole number above 0"), (["sums", "rate", "ms=-1"], "above 0"),
        (["sums", "rate", "hz=1"], "asks for no hz, but for ms"), (["sums", "rate", "ms"], "name=number"),
        (["sums", "rate", "ms=nan"], "name=number"), (["sums", "rate", "ms=1", "ms=2"], "told twice"),
        (["sums", "link", "generation=9", "lanes=1"], "must be 1 to 5"),
        (["sums", "percent", "a=1e-300", "b=1"], "must lie between 1e-09 and 1e+08"),
        (["sums", "memory", "cl=2.5", "rate=1"], "whole"),
        (["sums", "rate", "ms=1e999"], "name=number"), (["sums", "rate", "ms=1", "and"], "rate needs ms"),
    ],
)  # fmt: skip
def test_what_is_no_sum_is_one_line_on_stderr(words: list[str], said: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(words) == 2
    out, err = capsys.readouterr()
    assert (out, len(err.splitlines())) == ("", 1)
    assert said in err


def test_what_is_typed_twice_is_refused() -> None:
    with pytest.raises(RennbahnError) as refused:
        alternatives(["a=1", "a=1"])

    assert refused.value.field == "a"


def test_whatever_is_asked_comes_out_as_a_number_or_is_refused() -> None:
    refused = 0
    rough = (1e-9, 0.5, 3.0, 16.0, 1e8, 1e308, math.inf, math.nan)
    for one in SUMS:
        for values in itertools.product(rough, repeat=len(one.of)):
            try:
                lines = lines_of(one, {asked.name: value for asked, value in zip(one.of, values, strict=True)})
            except RennbahnError:
                refused += 1
            else:
                assert all(math.isfinite(line.value) and shown(line) for line in lines), (one.name, values)
    assert refused > 0
