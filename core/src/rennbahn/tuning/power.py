"""What steps give for their watts: who is not beaten in both, where more brings clearly less, and a rival's watts."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.special import fdtri, stdtrit

from rennbahn.comparing.verdicts import VERDICTS, verdicts_of_logs
from rennbahn.kinds.knee import Bend
from rennbahn.tuning.log import Rival, Step

Floats = NDArray[np.float64]

#: Margins within this count as even.
BAND = 0.01
#: Fewer proven steps show no knee.
FEWEST = 5
_LEVEL = 0.05


@dataclass(frozen=True)
class Noise:
    """Pooled variance of a logarithm within groups, with its degrees of freedom."""

    v: float
    df: int

    @classmethod
    def of(cls, groups: Iterable[Sequence[float]]) -> Noise | None:
        """That of groups of values above 0; None where no group has two."""
        squares, df = 0.0, 0
        for group in groups:
            if len(group) > 1:
                logs = np.log(np.asarray(group, dtype=np.float64))
                squares += float(((logs - logs.mean()) ** 2).sum())
                df += len(group) - 1
        return cls(squares / df, df) if df else None

    def t(self, share: float) -> float:
        """The quantile of Student's t."""
        return float(stdtrit(self.df, share))


@dataclass(frozen=True)
class Noises:
    """The noise of ln fps and of ln W in a log."""

    fps: Noise | None
    w: Noise | None

    @classmethod
    def of(cls, steps: Sequence[Step], rival: Rival | None) -> Noises:
        """That within all steps and the rival."""
        groups = [*(step.passes for step in steps), rival.passes if rival else ()]
        return cls(
            Noise.of([one.fps for one in group] for group in groups),
            Noise.of([one.w for one in group if one.w is not None] for group in groups),
        )


@dataclass(frozen=True)
class KneeFound:
    """The step at whose watts two lines meet, the second clearly flatter, with the lowest and highest such place, W."""

    step: str
    level: float
    low: float
    high: float


@dataclass(frozen=True)
class EqualPower:
    """The part over a rival at the rival's watts, as a margin with its interval."""

    margin: float
    low: float
    high: float
    verdict: str


@dataclass(frozen=True)
class LastWatts:
    """What the last watts bought: from the second to the most drawing step, in W and fps with its interval."""

    from_step: str
    to_step: str
    more_w: float
    more_fps: float
    low: float
    high: float


def last_watts(proven: Sequence[Step], noises: Noises) -> LastWatts | None:
    """Between the two proven steps, each with both figures, that draw most; None where no passes scatter.

    The interval is of the difference of fps: v is of ln fps, so that a mean f of n passes has the variance v f^2 / n.
    """
    noise = noises.fps
    if len(proven) < 2 or noise is None:
        return None
    low, high = sorted(proven, key=_watts)[-2:]
    (w_1, f_1), (w_2, f_2) = _point(low), _point(high)
    if not w_2 > w_1:
        return None
    reach = noise.t(1.0 - _LEVEL / 2.0) * math.sqrt(noise.v * (f_1**2 / len(low.passes) + f_2**2 / len(high.passes)))
    more = f_2 - f_1
    return LastWatts(low.id, high.id, w_2 - w_1, more, more - reach, more + reach)


def off_front(samples: Iterable[Sequence[Step]], noises: Noises) -> set[str]:
    """Ids of steps of which another of the same sample is shown to give more and to draw less.

    `samples` are those of each that did not fail and have both figures. All pairs of a log are compared at once.
    """
    if noises.fps is None or noises.w is None:
        return set()
    pairs = [pair for steps in samples for pair in combinations(steps, 2)]
    if not pairs:
        return set()
    share = 1.0 - _LEVEL / 2.0 / len(pairs)
    reach_fps, reach_w = noises.fps.t(share), noises.w.t(share)
    found = set()
    for one, other in pairs:
        more = _ln(one.fps) - _ln(other.fps)
        less = _ln(other.w) - _ln(one.w)
        far = reach_fps * math.sqrt(noises.fps.v * (1 / len(one.passes) + 1 / len(other.passes)))
        near = reach_w * math.sqrt(noises.w.v * (1 / len(one.watts) + 1 / len(other.watts)))
        if more > far and less > near:
            found.add(other.id)
        elif -more > far and -less > near:
            found.add(one.id)
    return found


def equal_power(proven: Sequence[Step], rival: Rival | None, noises: Noises) -> EqualPower | None:
    """Proven steps, each with both figures, over a rival on the straight line between the two around its watts.

    None outside the steps, without a rival, or where nothing tells how passes scatter.
    """
    if rival is None or noises.fps is None or noises.w is None:
        return None
    w_r, f_r = rival.w, rival.fps
    beside = around(proven, w_r)
    if w_r is None or f_r is None or beside is None:
        return None
    low, high = beside
    (w_1, f_1), (w_2, f_2) = _point(low), _point(high)
    part = 0.0 if w_2 == w_1 else (w_r - w_1) / (w_2 - w_1)
    l_1, l_2 = 1.0 - part, part
    f, b = l_1 * f_1 + l_2 * f_2, 0.0 if w_2 == w_1 else (f_2 - f_1) / (w_2 - w_1)
    v, v_w = noises.fps.v, noises.w.v
    n_1, n_2, n_r = len(low.passes), len(high.passes), len(rival.passes)
    u_1, u_2, u_r = len(low.watts), len(high.watts), len(rival.watts)
    variance = v * ((l_1 * f_1 / f) ** 2 / n_1 + (l_2 * f_2 / f) ** 2 / n_2 + 1 / n_r) + v_w * (b / f) ** 2 * (
        (l_1 * w_1) ** 2 / u_1 + (l_2 * w_2) ** 2 / u_2 + w_r**2 / u_r
    )
    middle, reach = math.log(f / f_r), noises.fps.t(1.0 - _LEVEL / 2.0) * math.sqrt(variance)
    verdict = VERDICTS[int(verdicts_of_logs(middle - reach, middle + reach, BAND))]
    return EqualPower(math.expm1(middle), math.expm1(middle - reach), math.expm1(middle + reach), verdict)


def around(proven: Sequence[Step], watts: float | None) -> tuple[Step, Step] | None:
    """The two proven steps between whose watts these lie, the one that draws less first; None outside them."""
    steps = sorted(proven, key=_watts)
    if watts is None or len(steps) < 2 or not _watts(steps[0]) <= watts <= _watts(steps[-1]):
        return None
    at = next(i for i in range(1, len(steps)) if watts <= _watts(steps[i]))
    return steps[at - 1], steps[at]


def knee_of(proven: Sequence[Step], noises: Noises) -> KneeFound | None:
    """Where among proven steps, each with both figures, more watts bring clearly less than before.

    Two lines that meet at a step's watts, for each step but the two ends, by least squares with known weights; asked of
    all places at once (Bonferroni). Places whose sum is no worse by more than F fit as well (Hinkley, JASA 66:736,
    1971).
    """
    noise = noises.fps
    steps = sorted(proven, key=_watts)
    if len(steps) < FEWEST or noise is None or noise.v <= 0.0:
        return None
    x, y = (np.array(values) for values in zip(*map(_point, steps), strict=True))
    errors = y * np.sqrt([noise.v / len(one.passes) for one in steps])
    places = x[1:-1]
    bends = [Bend(x, errors, float(place)) for place in places]
    sums = np.array([bend.misfit(y) for bend in bends])
    best = int(sums.argmin())
    before, _ = bends[best].slopes(y)
    if not (before > 0.0 and bends[best].score(y) > noise.t(1.0 - _LEVEL / 2.0 / len(places))):
        return None
    within = np.flatnonzero(sums <= sums[best] + float(fdtri(1, noise.df, 1.0 - _LEVEL)))
    return KneeFound(
        steps[best + 1].id, float(places[best]), float(places[within[0]]), float(places[within[-1]])
    )  # fmt: skip


def _ln(value: float | None) -> float:
    assert value is not None
    return math.log(value)


def _watts(step: Step) -> float:
    return _point(step)[0]


def _point(step: Step) -> tuple[float, float]:
    """W and fps of a step that has both."""
    assert step.w is not None
    assert step.fps is not None
    return step.w, step.fps
