"""How many passes a planned study needs, test by test, and what that many can tell.

A plan leans on the leading figure. Lows scatter more than averages and may need dozens of passes for a percent; instead
of asking for the absurd, the plan says what the other figures can resolve at the number it asks for.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from rennbahn.planning.noise import FEWEST_FREEDOM, Pooled
from rennbahn.planning.passes import FEWEST_PASSES, passes_for_even, passes_needed, quantiles, resolvable

Source = Literal["scene", "all_scenes", "guess"]

#: More passes than this are never proposed for one test; the plan then says what they can tell.
SENSIBLE_PASSES = 12

#: Noise of the average by kind of scene, as a standard deviation of ln fps, until passes teach better: a built-in
#: benchmark repeats within half a percent, live play within two or three.
GUESSED_NOISE = {"benchmark": 0.004, "replay": 0.005, "scripted": 0.007, "route": 0.010, "live": 0.025}
#: How much more than the average the lows scatter, as a guess.
GUESSED_FACTOR = {"average_fps": 1.0, "low_1": 2.5, "low_0.1": 6.0}


@dataclass(frozen=True)
class Estimate:
    """Noise to plan with: `s` as a standard deviation of ln fps.

    `source` says whose: the scene's own passes', all scenes' because it was run too seldom, or guessed because it was
    never run twice.
    """

    s: float
    source: Source

    @property
    def percent(self) -> float:
        """The noise floor: one standard deviation as percent."""
        return math.expm1(self.s) * 100.0


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


def learned(own: Pooled | None, everything: Pooled, kind: str, figure: str) -> Estimate:
    """Noise to plan a scene with: its own from 8 degrees of freedom on, else that of all scenes, else the guess.

    The same threshold decides in findings whose noise a scene is judged by.
    """
    if own is None or own.s is None:
        return guessed(kind, figure)
    if own.df >= FEWEST_FREEDOM:
        return Estimate(own.s, "scene")
    return guessed(kind, figure) if everything.s is None else Estimate(everything.s, "all_scenes")


def guessed(kind: str, figure: str) -> Estimate:
    """The stated guess for a scene of a kind that has not been run twice yet."""
    return Estimate(GUESSED_NOISE.get(kind, GUESSED_NOISE["route"]) * GUESSED_FACTOR[figure], "guess")


@dataclass(frozen=True)
class Asked:
    """A test to be planned: its scene, the noise of each figure there, and its passes in each lane."""

    scene: str
    estimates: Mapping[str, Estimate]
    passes: int


@dataclass(frozen=True)
class Needs:
    """What each test needs, in order, and the margin that all of them together can tell of the leading figure."""

    tests: tuple[Need, ...]
    suite_resolvable: float | None


def needs_of(asked: Sequence[Asked], lanes: int, leading: str, margin: float, band: float) -> Needs:
    """What a study of `lanes` lanes needs to show `margin` in its leading figure.

    A scene whose cells are too few to be judged by themselves is planned with the cells of the whole study, as findings
    will judge it.
    """
    of_scene = Counter(one.scene for one in asked)
    found = []
    for one in asked:
        own = lanes * of_scene[one.scene]
        cells = own if (FEWEST_PASSES - 1) * own >= FEWEST_FREEDOM else lanes * len(asked)
        found.append(need_of(one.estimates, leading, margin, band, cells, one.passes))
    freedom = sum((one.passes - 1) * lanes for one in asked)
    suite = suite_resolvable([(one.estimates[leading].s, one.passes) for one in asked], freedom)
    return Needs(tuple(found), suite)


def need_of(estimates: Mapping[str, Estimate], leading: str, margin: float, band: float, cells: int, n: int) -> Need:
    """What a test needs to show `margin` in its leading figure.

    `estimates` by figure; `cells` is how many cells of the study will pool their noise with this test's; `n` passes are
    planned in each of its cells.
    """
    own = estimates[leading]
    needed = passes_needed(own.s, margin, cells)
    return Need(
        estimate=own,
        needed=needed,
        for_even=passes_for_even(own.s, band, cells),
        proposed=min(needed or SENSIBLE_PASSES, SENSIBLE_PASSES),
        resolvable={figure: resolvable(one.s, n, cells) for figure, one in estimates.items()},
        enough=needed is not None and n >= needed,
    )


def suite_resolvable(tests: Sequence[tuple[float, int]], freedom: int) -> float | None:
    """The margin (a share) that the geometric mean over all tests shows with probability 0.9.

    `tests` gives noise and passes of each test; `freedom` is the degrees of freedom behind their noise. None without
    tests, passes or freedom.
    """
    if not tests or freedom < 1 or any(n < 1 for _, n in tests):
        return None
    error = math.sqrt(math.fsum(s * s * 2.0 / n for s, n in tests)) / len(tests)
    return math.expm1(quantiles(freedom) * error)
