"""How many further passes would settle an open verdict (reading 15)."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtri, ndtr

from rennbahn.comparing.cells import Floats, Ints, median_factor
from rennbahn.inference.looks import FALSE_CLAIMS
from rennbahn.inference.power import MOST_PASSES
from rennbahn.inference.reach import half_width

#: Further passes are as many as settle a verdict with this chance.
SETTLES = 0.8
#: The chance changes slowly: numbers so far apart, as a share, are tried before all between two of them.
_STEP = 16
#: The noise is not known: the chance is the mean over these quantiles of what it may be.
_QUANTILES = np.arange(0.025, 1.0, 0.05)
#: From so many tests on, an extreme one is drawn towards the others.
FEWEST_TOGETHER = 5


@dataclass(frozen=True)
class OpenMargins:
    """Open verdicts of M margins: ln r, the noise v with the interval's df, what each lane adds to it (`h_a`, `h_b`),
    the parts of the variance that more passes do not lessen, and the bias; arrays of shape (M,)."""

    middle: Floats
    v: Floats
    df: Floats
    n_a: Ints
    n_b: Ints
    h_a: Floats
    h_b: Floats
    parts: Floats
    bias: Floats


def drawn_together(middle: Floats, by_chance: Floats) -> tuple[float, float | None]:
    """Mean of ln r over G tests, and how far they scatter beyond what their variances say; None of fewer than five."""
    if len(middle) < FEWEST_TOGETHER:
        return 0.0, None
    return float(middle.mean()), max(0.0, float(middle.var(ddof=1)) - float(by_chance.mean()))


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
    bias: float = 0.0,
    suite_mean: float = 0.0,
    suite_variance: float | None = None,
) -> int | None:
    """Further passes a lane that would settle an open verdict with probability 0.8 (reading 15).

    None where 1,000 will not do, or without noise. `h_a` and `h_b` are the sizes of the lanes' scatter,
    `drift_variance` the part of the variance of ln r that is due to drift and sessions, `bias` how far ln r may be off;
    with `suite_variance` the ratio is drawn towards `suite_mean`, the mean of ln r over the tests.
    """
    if s is None or df < 1:
        return None
    one = np.ones(1)
    found = settling_passes(
        OpenMargins(
            one * math.log(ratio), one * s * s, one * df, np.array([n_a]), np.array([n_b]), one * h_a, one * h_b,
            one * drift_variance, one * bias,
        ),
        band, school, level, suite_mean, suite_variance,
    )  # fmt: skip
    return int(found[0]) or None


def settling_passes(
    margins: OpenMargins,
    band: float,
    school: str,
    level: float,
    mean: float = 0.0,
    variance: float | None = None,
) -> NDArray[np.int64]:
    """Smallest settling k of many margins at once, shape (M,); 0 where none up to 1,000 will do."""
    answer = np.zeros(len(margins.middle), dtype=np.int64)
    low = 1
    for some in _coarse():
        asked = np.flatnonzero(answer == 0)
        if not len(asked):
            break
        one = _of(margins, asked)
        # The median of an odd number scatters more than that of the even one before: both are tried.
        does = np.maximum(*(_chance(one, some + odd, band, school, level, mean, variance) for odd in (0, 1))) >= SETTLES
        for at in np.flatnonzero(does.any(axis=1)).tolist():
            first = int(does[at].argmax())
            k = np.arange(some[first - 1] if first else low, min(some[first] + 1, MOST_PASSES) + 1)
            fine = _chance(_of(margins, asked[at : at + 1]), k, band, school, level, mean, variance)[0] >= SETTLES
            answer[asked[at]] = k[fine.argmax()] if fine.any() else 0
        low = int(some[-1])
    return answer


def chances_by_pass(
    margins: OpenMargins, most: int, band: float, school: str, level: float, mean: float = 0.0,
    variance: float | None = None,
) -> Floats:  # fmt: skip
    """The chance that 1, 2, .. `most` further passes a lane settle each margin, shape (M, most)."""
    everyone = np.arange(len(margins.middle))
    return _chance(_of(margins, everyone), np.arange(1, most + 1), band, school, level, mean, variance)


def _coarse() -> Iterator[NDArray[np.int64]]:
    """Numbers of passes up to the most, in parts that are tried together."""
    k, part = 1, list[int]()
    while k <= MOST_PASSES:
        part.append(k)
        if len(part) == _STEP:
            yield np.array(part)
            part = []
        k += max(1, k // _STEP)
    yield np.array([*part, MOST_PASSES])


def _of(margins: OpenMargins, asked: NDArray[np.intp]) -> OpenMargins:
    """Some margins, with axes for passes and for what the noise may be."""
    return OpenMargins(*(getattr(margins, name)[asked, None, None] for name in margins.__dataclass_fields__))


def _chance(
    one: OpenMargins, k: Ints, band: float, school: str, level: float, mean: float, variance: float | None
) -> Floats:
    """The chance that k further passes a lane settle each margin, shape (M, K): margins, passes, then what the noise
    may be are the axes of all that is computed."""
    edge, k = math.log1p(band), k[None, :, None]
    v = one.v * one.df / chdtri(one.df, 1.0 - _QUANTILES)
    more_a, more_b = one.n_a + k, one.n_b + k
    now = v * (one.h_a / one.n_a + one.h_b / one.n_b)
    then = v * (one.h_a / more_a + one.h_b / more_b)
    with np.errstate(invalid="ignore", divide="ignore"):
        gain = np.where(v > 0, 1.0 - then / now, 0.0)
        weight = np.where(now > 0, variance / (variance + now), 1.0) if variance is not None else np.ones_like(now)
    centre = one.middle - gain * (1.0 - weight) * (one.middle - mean)
    spread = np.sqrt(gain**2 * weight * now + gain * then)
    factor_a, factor_b = median_factor(more_a, school), median_factor(more_b, school)
    error = np.sqrt(v * (one.h_a * factor_a**2 / more_a + one.h_b * factor_b**2 / more_b) + one.parts)
    reach = half_width(error, one.df + 2.0 * k, one.bias, level)
    inner = edge - reach
    with np.errstate(invalid="ignore", divide="ignore"):
        beyond = ndtr((centre - reach) / spread) + ndtr((-centre - reach) / spread)
        even = ndtr((inner - centre) / spread) - ndtr((-inner - centre) / spread)
    chance = np.where(inner >= 0, beyond + even, beyond)
    found: Floats = np.where(reach <= inner, 1.0, chance).mean(axis=-1)
    return found
