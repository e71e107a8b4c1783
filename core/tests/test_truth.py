"""The verdicts on trial, on a smaller run: every rate lies where docs/measures.md says, but for chance."""

from __future__ import annotations

import math

import numpy as np
import pytest
from trials.verdicts import CASES

#: `make bench` runs a thousand.
STUDIES = 40


@pytest.mark.parametrize("case", CASES)
def test_rates_are_those_that_are_stated(case: str) -> None:
    for row in CASES[case](np.random.default_rng(7), STUDIES):
        low, high = row.stated
        # Three standard deviations of a rate over so many studies.
        chance = 3.0 * math.sqrt(max(row.ours * (1.0 - row.ours), 0.02) / STUDIES) if row.ours <= 1.0 else 0.05
        assert low - chance <= row.ours <= high + chance, row
        if row.hand is not None and "claim" in row.case and row.hand > 0.1:
            assert row.ours < row.hand, "a hand errs more often on the same draws"
