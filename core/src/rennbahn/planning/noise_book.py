"""What passes taught about repeating: which scenes do, what the first pass costs, replay beside play, part by part."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from scipy.special import chdtri, ndtri, stdtr

from rennbahn.display import percent
from rennbahn.planning.noise import Squares, sample_sd

#: Kinds of scene that a machine repeats, and those that a person plays.
REPLAYED = ("benchmark", "replay", "scripted")
PLAYED = ("route", "live")
#: A difference is told where chance gives it less often than this.
_TOLD = 0.05
_FEWEST_DF = 4
#: Kinds are compared from so many scenes of each on.
_FEWEST_SCENES = 3


@dataclass(frozen=True)
class Firsts:
    """Sums over cells of what first passes were off the others of their cell, in ln. Two such sums add up to both's.

    A first pass beside k others weighs k / (k + 1), so that noise alone is `v / weight` of the mean.
    """

    count: int
    weight: float
    weighted: float

    def __add__(self, other: Firsts) -> Firsts:
        return Firsts(self.count + other.count, self.weight + other.weight, self.weighted + other.weighted)


def firsts_of(cells: Iterable[tuple[float, Sequence[float]]]) -> Firsts:
    """What first passes were off: of each cell the first pass's figure and those of the others."""
    count, weight, weighted = 0, 0.0, 0.0
    for first, others in cells:
        if others:
            own = len(others) / (len(others) + 1.0)
            count += 1
            weight += own
            weighted += own * (math.log(first) - math.fsum(map(math.log, others)) / len(others))
    return Firsts(count, weight, weighted)


@dataclass(frozen=True)
class Penalty:
    """What the first pass is off the others, as a share (-0.03 is 3% slower), with its 95% interval."""

    share: float
    low: float
    high: float
    count: int

    @property
    def told(self) -> bool:
        """Whether the first pass is slower for sure."""
        return self.high < 0


def penalty(firsts: Firsts, s: float | None) -> Penalty | None:
    """The penalty of the first pass of a scene whose noise is `s` in ln; None without a first pass or without noise."""
    if not firsts.count or not s:
        return None
    mean, error = firsts.weighted / firsts.weight, s / math.sqrt(firsts.weight)
    reach = float(ndtri(0.975)) * error
    return Penalty(math.expm1(mean), math.expm1(mean - reach), math.expm1(mean + reach), firsts.count)


def penalty_words(found: Penalty) -> str:
    """That in a sentence, with what to do about it."""
    if found.told:
        return (
            f"The first pass runs {percent(-found.share)}% slower than the others "
            f"({found.count} {'cell' if found.count == 1 else 'cells'}): give the scene a warm-up run."
        )
    return f"The first pass is not told from the others ({found.count} {'cell' if found.count == 1 else 'cells'})."


@dataclass(frozen=True)
class KindNoise:
    """How scenes of a kind repeat: one standard deviation as percent, with what it stands on."""

    kind: str
    percent: float
    df: int
    scenes: int


def by_kind(scenes: Iterable[tuple[str, Squares]]) -> list[KindNoise]:
    """Noise of each kind of scene, from the kind and the squares of every scene, the quietest kind first."""
    sums: dict[str, tuple[float, int, int]] = {}
    for kind, one in scenes:
        if one.df:
            total, df, count = sums.get(kind, (0.0, 0, 0))
            sums[kind] = (total + one.total, df + one.df, count + 1)
    found = [KindNoise(kind, _percent(total / df), df, count) for kind, (total, df, count) in sums.items()]
    return sorted(found, key=lambda one: (one.percent, one.kind))


def replay_words(scenes: Sequence[tuple[str, Squares]]) -> str:
    """Whether what a machine repeats repeats better than what is played; empty where one of both was never run.

    Scenes of a kind differ among themselves by more than passes scatter, so scenes are compared with scenes: a t test
    after Welch of ln of their noise.
    """
    sides = [[one for kind, one in scenes if kind in side and one.df and one.total > 0] for side in (REPLAYED, PLAYED)]
    if not sides[0] or not sides[1]:
        return ""
    logs = [[math.log(one.total / one.df) / 2.0 for one in side] for side in sides]
    means = [math.fsum(own) / len(own) for own in logs]
    shown = [percent(math.expm1(math.exp(mean))) for mean in means]
    told = f"Benchmarks and replays repeat within {shown[0]}%, what is played within {shown[1]}%"
    if min(map(len, logs)) < _FEWEST_SCENES:
        return f"{told}; too few scenes to say more."
    errors = [sample_sd(own) ** 2 / len(own) for own in logs]
    total = math.fsum(errors)
    if not total:
        return f"{told}."
    df = total**2 / math.fsum(error**2 / (len(own) - 1) for error, own in zip(errors, logs, strict=True))
    apart = means[1] - means[0]
    if 2.0 * float(stdtr(df, -abs(apart) / math.sqrt(total))) >= _TOLD:
        return f"{told}: no difference that chance would not give."
    better = "a replay repeats better than play" if apart > 0 else "play repeats better than replays here"
    return f"{told}: {better}, by a factor of {math.exp(abs(apart)):.1f}."


@dataclass(frozen=True)
class PartNoise:
    """How a part scatters beside what its scenes are wont to: 1 is as usual, 2 twice as far, with a 95% interval."""

    factor: float
    low: float
    high: float
    df: int
    scenes: int

    @property
    def unlike(self) -> bool:
        """Whether it scatters otherwise than usual for sure."""
        return self.low > 1.0 or self.high < 1.0


def part_noise(own: Mapping[int, Squares], usual: Mapping[int, float]) -> PartNoise | None:
    """How a part scatters, from its squares in each scene and the usual noise (in ln) of these scenes.

    None where it has fewer than four degrees of freedom.
    """
    known = [(one, usual[scene]) for scene, one in own.items() if one.df and usual.get(scene)]
    df = sum(one.df for one, _ in known)
    if df < _FEWEST_DF:
        return None
    total = math.fsum(one.total / s**2 for one, s in known)
    low, high = (math.sqrt(total / float(chdtri(df, tail))) for tail in (0.025, 0.975))
    return PartNoise(math.sqrt(total / df), low, high, df, len(known))


def _percent(variance: float) -> float:
    return math.expm1(math.sqrt(variance)) * 100.0
