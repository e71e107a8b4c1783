"""Sentences as they are said aloud."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest
from rennbahn.comparing import Study
from rennbahn.quoting import quotes_of, spoken

REFERENCE = json.loads((Path(__file__).parent / "reference" / "study.json").read_text())["cases"]


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ("1% lows", "one-percent lows"),
        ("1% lower", "1 percent lower"),
        ("0.1% low of 31.0 fps", "point-one-percent low of 31 frames per second"),
        ("1.0 fps", "1 frame per second"),
        ("16.67 ms, 1.00 ms", "16.67 milliseconds, 1.00 milliseconds"),
        ("−0.8% of it", "minus 0.8 percent of it"),
        ("+5.3% to +6.0%", "plus 5.3 percent to plus 6 percent"),
        ("1,299 EUR", "1,299 euros"),
        ("0.52 fps/W", "0.52 frames per second a watt"),
        ("ranks 3-4, on 2026-12-01", "ranks 3-4, on 2026-12-01"),
        ("Ostrane V7 W, Tellur 60", "Ostrane V7 W, Tellur 60"),
        ("in 2 h, 3 min and 1 s", "in 2 hours, 3 minutes and 1 second"),
        ("12 heads, 3 Watts", "12 heads, 3 Watts"),
        ("", ""),
    ],
)
def test_signs_and_units_are_said(written: str, said: str) -> None:
    assert spoken(written) == said


@pytest.mark.parametrize("case", [pytest.param(one, id=one["name"]) for one in REFERENCE])
def test_no_number_of_a_study_keeps_a_sign_or_a_short_unit(case: dict[str, object]) -> None:
    for one in quotes_of(Study.from_json(case["input"]), "EUR"):  # type: ignore[arg-type]
        said = spoken(one.text)
        assert not re.search(r"[%+−]|\bfps\b|\bEUR\b", said), (one.text, said)
        assert re.findall(r"\d+", said.replace(".0 ", " "))[:1] == re.findall(r"\d+", one.text)[:1]
