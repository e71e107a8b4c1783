"""Several cards of a kind beside each other: how far samples of one part lie apart (measures.md 10)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, stdev

from scipy.special import chdtri

from rennbahn.tuning.log import Step, TuningLog

#: From so many samples on their spread has an interval.
FEWEST = 3
_LEVEL = 0.05


@dataclass(frozen=True)
class SampleAt:
    """A sample at the settings in which samples are compared: its steps there, fps and W over all their passes."""

    sample: str
    steps: tuple[str, ...]
    fps: float
    w: float | None


@dataclass(frozen=True)
class Samples:
    """Samples of one part at the same settings.

    `sd` is the standard deviation of ln fps over samples, noise of passes included; `low` and `high` are its interval,
    None under three samples. `tried` are all samples of the log, at whatever settings.
    """

    at: str
    samples: tuple[SampleAt, ...]
    sd: float | None
    low: float | None
    high: float | None
    tried: int


def samples_of(log: TuningLog) -> Samples | None:
    """Samples at the settings that most of them were tried at, the latest of those; None where no figure is told."""
    places: dict[tuple[float, ...], list[Step]] = {}
    for step in log.steps:
        if step.passes:
            places.setdefault(tuple(log.value(step, name) for name in log.settings), []).append(step)
    if not places:
        return None
    steps = max(reversed(places.values()), key=lambda own: len({one.sample for one in own}))
    told = [
        _told(name, [one for one in steps if one.sample == name]) for name in dict.fromkeys(x.sample for x in steps)
    ]
    logs = [math.log(one.fps) for one in told]
    sd, low, high = stdev(logs) if len(logs) > 1 else None, None, None
    if sd is not None and len(logs) >= FEWEST:
        df = len(logs) - 1
        # Of a variance of normal logs: df s^2 over the quantiles of chi square.
        low, high = (sd * math.sqrt(df / float(chdtri(df, share))) for share in (_LEVEL / 2.0, 1.0 - _LEVEL / 2.0))
    return Samples(steps[0].id, tuple(told), sd, low, high, len({one.sample for one in log.steps}))


def _told(sample: str, steps: Sequence[Step]) -> SampleAt:
    passes = [one for step in steps for one in step.passes]
    watts = [one.w for one in passes if one.w is not None]
    return SampleAt(
        sample, tuple(step.id for step in steps), fmean(one.fps for one in passes), fmean(watts) if watts else None
    )
