"""How many further passes would settle an open verdict (reading 15)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, stdtrit

from rennbahn.comparing.cells import Floats, Ints, median_factor
from rennbahn.inference.looks import FALSE_CLAIMS
from rennbahn.inference.power import MOST_PASSES

#: Further passes are as many as settle a verdict with this chance.
SETTLES = 0.8
#: How many further passes are tried together before more are.
_TRIED = (1, 17, 129, MOST_PASSES + 1)


@dataclass(frozen=True)
class OpenMargins:
    """Open verdicts of M margins: ln r, its noise and what each lane adds to it, arrays of shape (M,)."""

    middle: Floats
    v: Floats
    df: Floats
    n_a: Ints
    n_b: Ints
    share_a: Floats
    share_b: Floats
    drift_var: Floats


def further_passes(
    ratio: float,
    s: float | None,
    df: float,
    n_a: int,
    n_b: int,
    band: float,
    school: str = "mean",
    level: float = FALSE_CLAIMS,
    h_a: float = 1.0,
    h_b: float = 1.0,
    drift_variance: float = 0.0,
) -> int | None:
    """Further passes a lane that would settle an open verdict with probability 0.8 (reading 15).

    None where 1,000 will not do, or without noise. `h_a` and `h_b` are the lanes' shares of the noise, `drift_variance`
    the part of the variance of ln r that is due to drift.
    """
    if s is None or df < 1:
        return None
    one = np.ones(1)
    found = settling_passes(
        OpenMargins(
            one * math.log(ratio), one * s * s, one * df, np.array([n_a]), np.array([n_b]), one * h_a, one * h_b,
            one * drift_variance,
        ),
        band, school, level,
    )  # fmt: skip
    return int(found[0]) or None


def settling_passes(margins: OpenMargins, band: float, school: str, level: float) -> NDArray[np.int64]:
    """Smallest settling k of many margins at once, shape (M,); 0 where none up to 1,000 will do."""
    edge = math.log1p(band)
    answer = np.zeros(len(margins.middle), dtype=np.int64)
    for low, high in pairwise(_TRIED):
        asked = np.flatnonzero(answer == 0)
        if not len(asked):
            break
        k = np.arange(low, high)
        one = OpenMargins(*(getattr(margins, name)[asked, None] for name in margins.__dataclass_fields__))
        more_a, more_b = one.n_a + k, one.n_b + k
        to_come = one.v * (one.share_a * k / (one.n_a * more_a) + one.share_b * k / (one.n_b * more_b))
        spread = np.sqrt(to_come)
        factor_a, factor_b = median_factor(more_a, school), median_factor(more_b, school)
        error = np.sqrt(
            one.v * (one.share_a * factor_a**2 / more_a + one.share_b * factor_b**2 / more_b) + one.drift_var
        )
        reach = np.stack([_quantiles_on(float(df), level)[k] for df in one.df[:, 0]]) * error
        inner = edge - reach
        with np.errstate(invalid="ignore", divide="ignore"):
            beyond = ndtr((one.middle - reach) / spread) + ndtr((-one.middle - reach) / spread)
            even = ndtr((inner - one.middle) / spread) - ndtr((-inner - one.middle) / spread)
        chance = np.where(inner >= 0, beyond + even, beyond)
        chance = np.where(reach <= inner, 1.0, chance)
        does = chance >= SETTLES
        answer[asked] = np.where(does.any(axis=1), low + does.argmax(axis=1), 0)
    return answer


@lru_cache(maxsize=512)
def _quantiles_on(df: float, level: float) -> Floats:
    """The t quantile at `df` + 2 k degrees of freedom for k from 0 to the most passes."""
    found: Floats = stdtrit(df + 2.0 * np.arange(MOST_PASSES + 1), 1.0 - level / 2.0)
    return found
