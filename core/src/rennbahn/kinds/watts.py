"""What lanes draw: power as it was read beside passes, else as it is said of the lane."""

from __future__ import annotations

import numpy as np

from rennbahn.comparing.cells import Bools, Floats
from rennbahn.comparing.model import ACCEPTED
from rennbahn.kinds.fit import Fit


def watts_over(fit: Fit, tests: Bools) -> Floats:
    """Mean power in W of each lane over some tests, shape (L,); NaN where a test has none."""
    lanes = {fit.name(i): i for i in range(len(fit.lanes))}
    where = {fit.study.tests[t].id: i for i, t in enumerate(fit.tests.tolist())}
    told: dict[tuple[int, int], list[float]] = {}
    for one in fit.study.passes:
        if one.status == ACCEPTED and one.facts.power_w is not None and one.lane in lanes and one.test in where:
            told.setdefault((lanes[one.lane], where[one.test]), []).append(one.facts.power_w)
    said = [fit.study.lanes[lane].facts.power_w for lane in fit.lanes]
    found = np.array([[np.nan if power is None else power] * len(fit.tests) for power in said]).reshape(fit.there.shape)
    for cell, values in told.items():
        found[cell] = sum(values) / len(values)
    mean: Floats = found[:, tests].mean(axis=1)
    return mean
