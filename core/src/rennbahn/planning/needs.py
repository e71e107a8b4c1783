"""How many passes a planned study needs, test by test, and what that many can tell.

A plan leans on the leading figure. Lows scatter more than averages and may need dozens of passes for a percent; instead
of asking for the absurd, the plan says what the other figures can resolve at the number it asks for.

Findings draw the noise of each scene towards the others', so what an interval will be depends on how all scenes happen
to scatter. A plan therefore runs the rule of the findings on some hundred studies that might come of it, drawn evenly
and always the same, and asks what holds over them. What was learned of a scene is believed as far as it was learned.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtri, ndtr, stdtrit

from rennbahn.inference.moderation import STUDY, moderated
from rennbahn.inference.power import FEWEST_PASSES, MOST_PASSES
from rennbahn.planning.noise import Estimate

Floats = NDArray[np.float64]

#: More passes than this are never proposed for one test; the plan then says what they can tell.
SENSIBLE_PASSES = 12
#: Every finding is of two lanes.
_LANES = 2
#: Studies that might come of a plan. Each scene's scatter takes every one of so many equally likely values once.
_STUDIES = 400
_MIDDLES = (np.arange(_STUDIES) + 0.5) / _STUDIES
_SIGNIFICANCE = 0.975
_POWER = 0.9
#: Passes a lane at which it is worked out what a margin must reach; between them it is read off in 1 / n.
_GRID = (3, 4, 5, 6, 8, 11, 16, 25, 60, 1000)
#: Halvings that find a reach to ten digits.
_HALVINGS = 40


@dataclass(frozen=True)
class Need:
    """What one test needs. `needed` and `for_even` are None over 1,000 passes.

    `proposed` is `needed` within what is sensible. `resolvable` gives, by figure, the margin (a share) that the planned
    passes show with probability 0.9.
    """

    estimate: Estimate
    needed: int | None
    for_even: int | None
    proposed: int
    resolvable: Mapping[str, float | None]
    enough: bool


@dataclass(frozen=True)
class Asked:
    """A test to be planned: its scene, the noise of each figure there, and its passes in each lane."""

    scene: str
    estimates: Mapping[str, Estimate]
    passes: int


@dataclass(frozen=True)
class Judged:
    """How scenes would be judged in studies that might come of a plan, arrays of shape (studies, scenes).

    `edge` is what a margin must exceed, in true standard errors; `doubt` what true standard errors are of those planned
    with. `v`, `df`, `on_study` (scenes,) are what is typical: noise variance, its freedom, whether it is the study's.
    """

    edge: Floats
    doubt: Floats
    v: Floats
    df: Floats
    on_study: NDArray[np.bool_]

    def reach_to_show(self) -> Floats:
        """Planned standard errors that a margin must lie from 0 to be shown with probability 0.9, by scene."""
        return self._reach(lambda lies: ndtr(lies - self.edge))

    def reach_for_even(self) -> Floats:
        """Planned standard errors that the band must span for equal lanes to be shown even with probability 0.9."""
        return self._reach(lambda lies: np.maximum(2.0 * ndtr(lies - self.edge) - 1.0, 0.0))

    def _reach(self, chance: Callable[[Floats], Floats]) -> Floats:
        low = np.zeros(self.edge.shape[1])
        high: Floats = (self.edge.max(axis=0, initial=0.0) + 6.0) / self.doubt.min(axis=0, initial=1.0)
        for _ in range(_HALVINGS):
            middle = (low + high) / 2.0
            enough = chance(middle * self.doubt).mean(axis=0) >= _POWER
            low, high = np.where(enough, low, middle), np.where(enough, middle, high)
        return high


class Expected:
    """What findings of a pair of lanes will make of the noise of planned tests, for one figure (reading 13)."""

    def __init__(self, asked: Sequence[Asked], figure: str) -> None:
        self.tests = tuple(asked)
        estimates = {one.scene: one.estimates[figure] for one in asked}
        self.scenes = tuple(estimates)
        self.at = {scene: at for at, scene in enumerate(self.scenes)}
        #: Standard deviations to plan with, by scene.
        self.s = np.array([one.s for one in estimates.values()])
        self._known = [one.df for one in estimates.values()]
        self._tests_of = np.bincount([self.at[one.scene] for one in asked], minlength=len(estimates))
        own = np.zeros(len(estimates))
        for one in asked:
            own[self.at[one.scene]] += _LANES * max(one.passes - 1, 0)
        #: Degrees of freedom of each scene's own cells in a pair of lanes, as planned.
        self.freedom = own
        self._at_passes: dict[int, Judged] = {}

    @cached_property
    def planned(self) -> Judged:
        """How scenes would be judged with the passes planned."""
        return self._judged(self.freedom)

    def at_passes(self, n: int) -> Judged:
        """How scenes would be judged if every test were run n times a lane."""
        if n not in self._at_passes:
            self._at_passes[n] = self._judged(np.asarray(_LANES * self._tests_of * (n - 1.0), dtype=np.float64))
        return self._at_passes[n]

    def _judged(self, freedom: Floats) -> Judged:
        rng = np.random.default_rng(0)
        count = len(self.scenes)
        chi = np.stack([rng.permutation(_chi_squares(int(df))) for df in freedom], axis=1)
        doubt = np.stack(
            [
                rng.permutation(np.sqrt(_chi_squares(max(1, round(df))) / max(1, round(df))))
                if df is not None
                else np.ones(_STUDIES)
                for df in self._known
            ],
            axis=1,
        )
        found = moderated(chi * self.s**2, np.broadcast_to(freedom, chi.shape))
        some, back = np.unique(found.df, return_inverse=True)
        with np.errstate(invalid="ignore"):
            quantile = np.where(some >= 1, stdtrit(np.maximum(some, 1.0), _SIGNIFICANCE), np.inf)
        spread = np.where(found.v > 0, np.sqrt(found.v), 0.0) / self.s
        edge = np.where(np.isnan(found.v), np.inf, quantile[back].reshape(-1, count) * spread)
        return Judged(
            edge=edge,
            doubt=doubt,
            v=np.nan_to_num(found.v).mean(axis=0),
            df=np.median(found.df, axis=0),
            on_study=(found.pool == STUDY).mean(axis=0) > 1 / 2,
        )


@lru_cache(maxsize=256)
def _chi_squares(df: int) -> Floats:
    """Equally likely values of chi square."""
    if df < 1:
        return np.zeros(_STUDIES)
    found: Floats = chdtri(df, 1.0 - _MIDDLES)
    return found


def needs_of(asked: Sequence[Asked], leading: str, margin: float, band: float) -> list[Need]:
    """What each test of a study needs to show `margin` (a share) in its leading figure, in order.

    Passes needed are those at which every test of the study were run as often.
    """
    if not asked:
        return []
    expected = {figure: Expected(asked, figure) for figure in asked[0].estimates}
    own = expected[leading]
    needed = _smallest(own, np.log1p(margin), Judged.reach_to_show)
    for_even = _smallest(own, np.log1p(band), Judged.reach_for_even)
    reach = {figure: found.planned.reach_to_show() for figure, found in expected.items()}
    return [
        _need(
            one,
            leading,
            needed[own.at[one.scene]],
            for_even[own.at[one.scene]],
            {
                figure: _resolvable(one, reach[figure][found.at[one.scene]] * found.s[found.at[one.scene]])
                for figure, found in expected.items()
            },
        )
        for one in asked
    ]


def _need(
    one: Asked, leading: str, needed: int | None, for_even: int | None, resolvable: Mapping[str, float | None]
) -> Need:
    return Need(
        estimate=one.estimates[leading],
        needed=needed,
        for_even=for_even,
        proposed=min(needed or SENSIBLE_PASSES, SENSIBLE_PASSES),
        resolvable=resolvable,
        enough=needed is not None and one.passes >= needed,
    )


def _resolvable(one: Asked, reach: float) -> float | None:
    if not np.isfinite(reach) or one.passes < _LANES:
        return None
    return float(np.expm1(reach * np.sqrt(2.0 / one.passes)))


def _smallest(expected: Expected, edge: float, reach: Callable[[Judged], Floats]) -> list[int | None]:
    """The smallest number of passes at which a scene's margin reaches far enough, by scene; None over the most."""
    most = np.arange(FEWEST_PASSES, MOST_PASSES + 1)
    answer: list[int | None] = [None] * len(expected.scenes)
    missing = np.ones(len(answer), dtype=np.bool_)
    before = reach(expected.at_passes(_GRID[0]))
    for low, high in pairwise(_GRID):
        after = reach(expected.at_passes(high)) if missing.any() else before
        n = most[(most >= low) & (most <= high)]
        part = (1.0 / n - 1.0 / low) / (1.0 / high - 1.0 / low)
        for g in np.flatnonzero(missing).tolist():
            wanted = (before[g] + part * (after[g] - before[g])) * expected.s[g] * np.sqrt(2.0 / n)
            enough = np.flatnonzero(wanted <= edge)
            if len(enough):
                answer[g], missing[g] = int(n[enough[0]]), False
        if not missing.any():
            break
        before = after
    return answer
