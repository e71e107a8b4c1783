"""Two studies of one question beside each other: do their answers part, over the tests that both ran?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rennbahn.comparing.cells import Floats, Sheet
from rennbahn.comparing.sentences import figure_words, tests_words
from rennbahn.comparing.words import interval_words
from rennbahn.display import signed_percent
from rennbahn.inference.parts import summed
from rennbahn.inference.reach import half_width
from rennbahn.kinds.fit import Estimates, Fit, Interval, Share, of_figure

AGREE, PART, OPEN = "agree", "part", "open"


@dataclass(frozen=True)
class Beside:
    """The margin of one study and of another over the `tests` that both have, as shares, and how far they part: the
    other's ratio over this one's less 1. `said` is `agree`, `part` or `open`; nothing is told where no test is common.
    """

    figure: str
    tests: int
    here: Share | None
    there: Share | None
    apart: Share | None
    said: str


def beside(
    here: Sheet,
    pair: tuple[str, str],
    there: Sheet,
    other: tuple[str, str],
    figure: str,
    same: Sequence[tuple[str, str]],
) -> Beside:
    """A pair of lanes in one study beside a pair in another. `same` are the ids of tests that are the same one."""
    own = Fit(here, figure, [here.lane_at[lane] for lane in pair])
    theirs = Fit(there, figure, [there.lane_at[lane] for lane in other])
    stands, also = own.common(), theirs.common()
    both = [(here.test_at[a], there.test_at[b]) for a, b in same]
    both = [(a, b) for a, b in both if stands[a] and also[b]]
    if not both:
        return Beside(of_figure(figure), 0, None, None, None, OPEN)
    first, second = _margin(own, [a for a, _ in both]), _margin(theirs, [b for _, b in both])
    # Of two levels the stricter: what is said of both must hold by either.
    apart = _difference(first, second, min(own.level, theirs.level))
    band = own.method.equal_band
    share = Share.of(apart, band)
    said = {"even": AGREE, "open": OPEN}.get(share.verdict, PART)
    return Beside(
        of_figure(figure), len(both), Share.of(first.one(own.level), band), Share.of(second.one(theirs.level), band),
        share, said,
    )  # fmt: skip


def _margin(fit: Fit, tests: Sequence[int]) -> Estimates:
    weights: Floats = np.zeros((1, *fit.there.shape))
    weights[0, 1, tests], weights[0, 0, tests] = 1.0 / len(tests), -1.0 / len(tests)
    return fit.weighed(weights)


def _difference(first: Estimates, second: Estimates, level: float) -> Interval:
    """The second less the first; degrees of freedom by Welch, since the studies have noise of their own."""
    middle = float(second.middle[0] - first.middle[0])
    whole, df = summed(*((float(one.error[0]) ** 2, float(one.df[0])) for one in (first, second)))
    # Each may be off by a drift of its own, and both ways at once.
    bias = float(first.bias[0] + second.bias[0])
    return Interval.of(middle, float(half_width(np.sqrt(whole), df, bias, level)))


def beside_words(found: Beside) -> str:
    """Do they agree, in a sentence."""
    what = figure_words(found.figure)
    if found.here is None or found.there is None or found.apart is None:
        return f"No test was run in both studies in {what}."
    over = f"Over the {tests_words(found.tests)} that both ran, {what}"
    told = f"{over}: here {_share(found.here)}, there {_share(found.there)}"
    ends = _ends(found.apart)
    if found.said == PART:
        return f"{told}. They part by {_percent(found.apart.margin)}{ends}."
    if found.said == AGREE:
        return f"{told}. They agree{ends}."
    return f"{told}. Whether they part is open{ends}."


def _share(share: Share) -> str:
    return f"{_percent(share.margin)}{_ends(share)}"


def _percent(value: float) -> str:
    return f"{signed_percent(value)}%".replace("-", "−")


def _ends(share: Share) -> str:
    return f" ({interval_words((share.low, share.high))})" if share.low is not None and share.high is not None else ""
