"""From when on a file of a run is late: learned from what the files of this bench took."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median

#: A file is late from so many seconds after its run's end, where nothing was learned of its bench yet.
USUAL_WAIT_S = 12.0
SHORTEST_WAIT_S, LONGEST_WAIT_S = 4.0, 60.0
#: How long files take is learned from so many, of the last ones.
LEARNED_FROM, LAST_FILES = 3, 20


def late_after_s(took: Sequence[float], speed: float = 1.0) -> float:
    """Seconds of true time after a run's end; `took` are those after which the last files of its bench came.

    Twice the middle, and half more than the longest but one: a slow one is no reason to run a pass again. `speed` is
    that of a simulated bench, which writes so many times faster.

    >>> late_after_s([]), late_after_s([2.0, 2.2, 2.4, 30.0]), late_after_s([20.0, 40.0, 55.0, 50.0])
    (16.0, 4.6, 60.0)
    """
    if len(took) < LEARNED_FROM:
        return USUAL_WAIT_S / speed + SHORTEST_WAIT_S
    usual = sorted(took)[: -1 if len(took) > LEARNED_FROM else None]
    return min(LONGEST_WAIT_S, max(SHORTEST_WAIT_S, 2.0 * median(took), 1.5 * usual[-1]))
