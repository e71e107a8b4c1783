"""Where a run lies in samples on a clock of their own: between the moments at which the load begins and ends."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from rennbahn.capture.capture import Capture, Floats, Samples
from rennbahn.capture.words import CHANNEL_WORDS
from rennbahn.display import fixed

#: What tells load from idle, the surest first.
TELLING = ("wall_power_w", "gpu_power_w", "gpu_util_pct", "gpu_clock_mhz")
#: Below this share of the variance that a run of that length explains, nothing is found. Of a straight ramp, as of what
#: only grows warm, two levels explain three quarters.
CLEAR = 0.78
#: Fewer samples on either side tell nothing.
_FEWEST = 4


@dataclass(frozen=True)
class LoadFound:
    """`offset_s` is added to the samples' clock to lay the run on the capture's; `share` is how much of the variance of
    `channel` a run that lies there explains, 0 to 1; `load` and `idle` are its means within and without.
    """

    channel: str
    offset_s: float
    share: float
    load: float
    idle: float


@dataclass(frozen=True)
class Drawn:
    """What a pass drew by samples laid on it: W on average within the pass alone, J a frame, and both without idle."""

    channel: str
    watts: float
    joules_a_frame: float
    watts_above_idle: float | None
    joules_a_frame_above_idle: float | None


def load_in(samples: Samples, duration_s: float) -> LoadFound | None:
    """Where a run of that length lies in samples; None where no channel shows it clearly.

    Of every moment at which the run could begin the one is taken at which samples within it and without differ most
    (least squares of two levels): an idle stretch before or after is needed, of four samples at least.
    """
    if not duration_s > 0.0:
        return None
    found = [_found(name, samples, duration_s) for name in TELLING if name in samples.values]
    clear = [one for one in found if one is not None and one.share >= CLEAR]
    return clear[0] if clear else None


def load_words(found: LoadFound | None) -> str:
    """Where the run was found, in words, and how clearly."""
    if found is None:
        return "No channel shows clearly where load begins and ends."
    channel = CHANNEL_WORDS.get(found.channel, found.channel)
    levels = f"{fixed(found.idle, 0)} without load, {fixed(found.load, 0)} with it"
    return (
        f"By the {channel} the run begins {fixed(-found.offset_s, 1)} s into the samples: {levels}; the two tell "
        f"{fixed(100 * found.share, 0)}% of what varies."
    )


def drawn_by(capture: Capture, samples: Samples, idle: Mapping[str, float] | None = None) -> tuple[Drawn, ...]:
    """What a pass drew, by each channel of power in samples that are laid on its clock. `idle` is W by channel.

    The mean is over time: each sample stands until the next.
    """
    told = []
    for name in ("wall_power_w", "gpu_power_w"):
        watts = _mean_within(samples, name, capture.duration_s)
        if watts is None or not len(capture):
            continue
        a_frame = watts * capture.duration_s / len(capture)
        rest = (idle or {}).get(name)
        above = None if rest is None else watts - rest
        told.append(
            Drawn(name, watts, a_frame, above, None if above is None else above * capture.duration_s / len(capture))
        )
    return tuple(told)


def _found(name: str, samples: Samples, duration_s: float) -> LoadFound | None:
    clock, values = _known(samples, name)
    if len(clock) < 2 * _FEWEST:
        return None
    whole = values - values.mean()
    spread = float((whole**2).sum())
    if spread <= 0.0:
        return None
    sums = np.concatenate(([0.0], np.cumsum(whole)))
    first = np.arange(len(clock))
    last = np.searchsorted(clock, clock + duration_s, side="right")
    inside = last - first
    outside = len(clock) - inside
    sum_in = sums[last] - sums[first]
    with np.errstate(divide="ignore", invalid="ignore"):
        # Between two levels whose deviations sum to 0: s^2 / n + s^2 / m.
        explained = sum_in**2 / inside + sum_in**2 / outside
    # A run that is cut off by the end of the samples is none of that length.
    whole_run = clock + duration_s <= clock[-1] + _step(clock)
    allowed = (inside >= _FEWEST) & (outside >= _FEWEST) & (sum_in > 0.0) & whole_run
    if not allowed.any():
        return None
    best = int(np.argmax(np.where(allowed, explained, -1.0)))
    mean = float(values.mean())
    return LoadFound(
        name,
        -float(clock[best]),
        float(explained[best]) / spread,
        mean + float(sum_in[best] / inside[best]),
        mean - float(sum_in[best] / outside[best]),
    )


def _known(samples: Samples, name: str) -> tuple[Floats, Floats]:
    values = samples.values[name]
    there = np.isfinite(values)
    return samples.clock_s[there], values[there]


def _step(clock: Floats) -> float:
    return float(np.median(np.diff(clock)))


def _mean_within(samples: Samples, name: str, duration_s: float) -> float | None:
    """Mean over time of a channel within a capture; None where less than half of it is covered."""
    if name not in samples.values:
        return None
    clock, values = _known(samples, name)
    if not len(clock):
        return None
    ends = np.append(clock[1:], clock[-1] + (_step(clock) if len(clock) > 1 else 0.0))
    time = np.clip(ends, 0.0, duration_s) - np.clip(clock, 0.0, duration_s)
    covered = float(time.sum())
    return float((values * time).sum() / covered) if covered > 0.5 * duration_s else None
