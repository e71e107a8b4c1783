"""What holding a rate means in a study: on average over its tests, in every test, or in all of them but some.

It is chosen once and is the same in the sentence, in the table and to a reader.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from rennbahn.comparing.cells import Bools
from rennbahn.comparing.sentences import tests_words
from rennbahn.kinds.fit import Fit, Interval

ABOVE, BELOW, EDGE = "above", "below", "edge"


def side_of(level: Interval | None, rate: float) -> str | None:
    """On which side of a rate in fps a level (ln) surely lies; on its edge where not shown, None without it."""
    if level is None:
        return None
    bound = math.log(rate)
    if level.low is not None and level.high is not None:
        return ABOVE if level.low >= bound else BELOW if level.high < bound else EDGE
    return EDGE


def held(fit: Fit, target: float, may_miss: int | None) -> tuple[Bools, Bools]:
    """Which lanes surely hold a rate in fps, and which surely do not, shape (L,) each.

    On average over the common tests where `may_miss` is None, else in all planned tests but so many.
    """
    return _on_average(fit, target) if may_miss is None else _in_tests(fit, target, may_miss)


def _on_average(fit: Fit, target: float) -> tuple[Bools, Bools]:
    common = fit.common()
    if not common.any():
        nothing = np.zeros(len(fit.lanes), dtype=np.bool_)
        return nothing, nothing
    levels = fit.weighed(fit.lane_weights(common))
    reach, bound = levels.reach(fit.level), math.log(target)
    with np.errstate(invalid="ignore"):
        return levels.middle - reach >= bound, levels.middle + reach < bound


def _in_tests(fit: Fit, target: float, may_miss: int) -> tuple[Bools, Bools]:
    """Which lanes surely hold a rate in all planned tests but so many, and which surely do not, shape (L,) each.

    That at least so many of m hold is shown by the least of them at a level divided by how many could be spared (a
    partial conjunction: Benjamini & Heller, "Screening for partial conjunction hypotheses", Biometrics 64, 2008). A
    test that a lane lacks shows neither.
    """
    count = len(fit.tests)
    spare = min(may_miss, count - 1)
    bound = math.log(target)
    sure = _counted(fit.cells(fit.level / (spare + 1)), lambda one: one.low is not None and one.low >= bound)
    below = _counted(fit.cells(fit.level / (count - spare)), lambda one: one.high is not None and one.high < bound)
    return sure >= count - spare, below > spare


def _counted(cells: Sequence[Sequence[Interval | None]], of: Callable[[Interval], bool]) -> NDArray[np.int64]:
    return np.array([sum(one is not None and of(one) for one in lane) for lane in cells], dtype=np.int64)


def holding_words(may_miss: int | None, planned: int) -> str:
    """What holding a rate means in a study: `on average over the tests`, `in every test`, `in 10 of 12 tests`."""
    if may_miss is None:
        return "on average over the tests"
    least = planned - min(may_miss, planned - 1)
    return f"in {least} of {tests_words(planned)}" if least < planned else "in every test"
