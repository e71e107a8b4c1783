"""What was read beside passes: power, else as it is said of the lane; temperatures, fans."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from rennbahn.comparing.cells import Bools, Floats
from rennbahn.comparing.model import ACCEPTED
from rennbahn.kinds.fit import Fit


def watts_over(fit: Fit, tests: Bools) -> Floats:
    """Mean power in W of each lane over some tests, shape (L,); NaN where a test has none."""
    return read_over(fit, tests, "power_w", [fit.study.lanes[lane].facts.power_w for lane in fit.lanes])


def read_over(fit: Fit, tests: Bools, fact: str, said: Sequence[float | None] = ()) -> Floats:
    """Mean of a fact of passes over some tests, shape (L,), else what is said of a lane; NaN where a test has none."""
    found = read_in(fit, fact, said)
    mean: Floats = found[:, tests].mean(axis=1)
    return mean


def read_in(fit: Fit, fact: str, said: Sequence[float | None] = ()) -> Floats:
    """Mean of a fact over the passes of each cell, shape (L, T), else what is said of the lane; NaN without any."""
    lanes = {fit.name(i): i for i in range(len(fit.lanes))}
    where = {fit.study.tests[t].id: i for i, t in enumerate(fit.tests.tolist())}
    told: dict[tuple[int, int], list[float]] = {}
    for one in fit.study.passes:
        value = getattr(one.facts, fact)
        if one.status == ACCEPTED and value is not None and one.lane in lanes and one.test in where:
            told.setdefault((lanes[one.lane], where[one.test]), []).append(value)
    found: Floats = np.full(fit.there.shape, np.nan)
    for lane, value in enumerate(said):
        found[lane] = np.nan if value is None else value
    for cell, values in told.items():
        found[cell] = sum(values) / len(values)
    return found
