"""Many unlike lanes at once, and budgets, against plain Python (readings 41 and 42)."""

from __future__ import annotations

import math
import statistics

import numpy as np
import pytest
from comparing_oracle import Pool, half, pool_of
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE
from rennbahn.kinds.budget import inside_of
from rennbahn.kinds.fit import Fit
from scipy.stats import chi2

SEEDS = range(6)


def drawn(seed: int) -> tuple[Study, dict[tuple[int, int], list[float]]]:
    """Four or five lanes of unlike noise over three to eight tests, ln of the rate by lane and test."""
    rng = np.random.default_rng(seed)
    lanes, tests = int(rng.integers(4, 6)), int(rng.integers(3, 9))
    uneven = seed % 2 == 0
    noise = rng.uniform(0.003, 0.02, lanes) if seed % 3 else np.full(lanes, 0.008)
    cells = {
        (i, t): rng.normal(4.5, noise[i], int(rng.integers(1, 6)) if uneven else 4).tolist()
        for i in range(lanes)
        for t in range(tests)
    }
    passes = tuple(
        Pass(f"{i}-{t}-{k}", str(i), str(t), "accepted", figures={AVERAGE: math.exp(x)})
        for (i, t), own in cells.items()
        for k, x in enumerate(own)
    )
    named = tuple(Scene(str(t), f"Game {t}", "run") for t in range(tests))
    study = Study(
        "s", Method(), tuple(Lane(str(i), str(i)) for i in range(lanes)), named,
        tuple(Test(str(t), str(t)) for t in range(tests)), passes, (),
    )  # fmt: skip
    return study, cells


def squares(own: list[float]) -> float:
    middle = statistics.fmean(own)
    return math.fsum((x - middle) ** 2 for x in own)


class Known:
    """The sizes of the lanes' scatter and the noise of the scenes, step by step."""

    def __init__(self, cells: dict[tuple[int, int], list[float]]) -> None:
        self.cells = cells
        self.lanes, self.tests = (sorted({place[side] for place in cells}) for side in (0, 1))
        self.h = dict.fromkeys(self.lanes, 1.0)
        self.pools = self._pools()
        sums, self.d = self._sums()
        self.asked = [i for i in self.lanes if self.d[i] >= 1 and sums[i] > 0]
        whole = sum(self.d[i] for i in self.asked)
        pooled = sum(sums[i] for i in self.asked) / whole
        spread = whole * math.log(pooled) - sum(self.d[i] * math.log(sums[i] / self.d[i]) for i in self.asked)
        scale = 1 + (sum(1 / self.d[i] for i in self.asked) - 1 / whole) / (3 * (len(self.asked) - 1))
        self.p = float(chi2.sf(spread / scale, len(self.asked) - 1))
        uneven = any(len({len(cells[i, t]) for i in self.lanes}) > 1 for t in self.tests)
        self.in_use = uneven or self.p < 0.05
        for _ in range(5 if self.in_use else 0):
            sums, self.d = self._sums()
            q = {i: math.log(sums[i] / self.d[i]) for i in self.asked}
            middle = sum(self.d[i] * q[i] for i in self.asked) / sum(self.d[i] for i in self.asked)
            self.h = {i: math.exp(q[i] - middle) if i in q else 1.0 for i in self.lanes}
            self.pools = self._pools()

    def _pools(self) -> dict[int, Pool]:
        freedom = {str(t): sum(len(self.cells[i, t]) - 1 for i in self.lanes) for t in self.tests}
        sums = {str(t): sum(squares(self.cells[i, t]) / self.h[i] for i in self.lanes) for t in self.tests}
        return {t: pool_of(str(t), freedom, sums) for t in self.tests}

    def _sums(self) -> tuple[dict[int, float], dict[int, int]]:
        sums, d = dict.fromkeys(self.lanes, 0.0), dict.fromkeys(self.lanes, 0)
        for (i, t), own in self.cells.items():
            v = self.pools[t].v
            if v and len(own) > 1:
                sums[i] += squares(own) / v
                d[i] += len(own) - 1
        return sums, d

    def reach(self, a: int, b: int, t: int) -> float:
        """Half the interval of lane b over lane a in a test."""
        parts = {i: self.h[i] / len(self.cells[i, t]) for i in (a, b)}
        total = sum(parts.values())
        loss = 0.0
        if self.in_use:
            each = sum((parts[i] / total) ** 2 / self.d[i] for i in parts if i in self.asked)
            loss = max(each - 1 / sum(self.d[i] for i in self.asked), 0.0)
        pool = self.pools[t]
        return half(math.sqrt((pool.v or 0.0) * total), 1 / (1 / pool.df + loss), 0.0, 0.05)


@pytest.mark.parametrize("seed", SEEDS)
def test_lanes_of_unlike_scatter_have_sizes_of_their_own(seed: int) -> None:
    study, cells = drawn(seed)
    known, fit = Known(cells), Fit(Sheet(study), AVERAGE, range(len(study.lanes)))
    assert fit.noise.p[0, 0] == pytest.approx(known.p, rel=1e-8)
    assert bool(fit.noise.in_use[0, 0]) == known.in_use
    assert fit.noise.h[0, 0].tolist() == pytest.approx([known.h[i] for i in known.lanes], rel=1e-8)
    for a, b, t in [(0, 1, 0), (1, 3, 1), (2, 0, 2)]:
        weights = np.zeros((1, *fit.there.shape))
        weights[0, b, t], weights[0, a, t] = 1.0, -1.0
        assert fit.weighed(weights).reach(0.05)[0] == pytest.approx(known.reach(a, b, t), rel=1e-8)


@pytest.mark.parametrize("seed", SEEDS)
def test_shares_inside_a_budget(seed: int) -> None:
    rng = np.random.default_rng(100 + seed)
    over = [
        [0.0] * 3 if rng.random() < 0.4 else (rng.uniform(0.001, 0.03) * rng.uniform(0.5, 1.5, 3)).tolist()
        for _ in range(int(rng.integers(3, 12)))
    ]
    angles = [[math.asin(math.sqrt(x)) for x in own] for own in over]
    late = [any(own) for own in over]
    freedom = {str(c): len(own) - 1 if late[c] else 0 for c, own in enumerate(angles)}
    sums = {str(c): squares(own) if late[c] else 0.0 for c, own in enumerate(angles)}
    for c, found in enumerate(inside_of(over)):
        pool = pool_of(str(c), freedom, sums)
        assert found.inside == pytest.approx(1 - statistics.fmean(over[c]))
        if pool.v is None or pool.df < 1:
            assert (found.low, found.high) == ((None, None) if late[c] else (1.0, 1.0))
            continue
        reach = half(math.sqrt(pool.v / len(angles[c])), pool.df, 0.0, 0.05)
        ends = [min(max(statistics.fmean(angles[c]) + way * reach, 0.0), math.pi / 2) for way in (1, -1)]
        assert [found.low, found.high] == pytest.approx([1 - math.sin(end) ** 2 for end in ends], rel=1e-9)
        low, high = (1 - math.sin(end) ** 2 for end in ends)
        assert found.holds is (True if low >= 0.99 else False if high < 0.99 else None)
