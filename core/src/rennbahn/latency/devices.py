"""Figures of devices, and how any two of them differ (measures.md 9)."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from rennbahn.inference.moderation import POOLS, STUDY, moderated
from rennbahn.latency.model import Device, LatencyStudy, Press, of_device
from rennbahn.latency.rate import Rate

Floats = NDArray[np.float64]

EVEN, QUICKER, SLOWER, OPEN, NOT_COMPARABLE = "even", "quicker", "slower", "open", "not_comparable"
_LEVEL = 0.05
#: Nobody presses more often than that for one answer.
MOST_PRESSES = 1000
#: No band of evenness is narrower, ms.
_LEAST_EQUAL_MS = 1.0
#: Presses that are no further apart took as many frames.
_ALIKE_MS = 1e-9


@dataclass(frozen=True)
class DisplayAdds:
    """What the display's refresh adds, ms."""

    low: float
    mean: float
    high: float


@dataclass(frozen=True)
class DeviceFigures:
    """A device, ms; nothing but its name where all its clips are withheld or nobody pressed.

    `ranks` are the best and the worst it can be, `presses_needed` for an interval as narrow as is wanted.
    """

    device: str
    n: int
    mean_ms: float | None = None
    median_ms: float | None = None
    sd_ms: float | None = None
    low: float | None = None
    high: float | None = None
    display_ms: DisplayAdds | None = None
    ranks: tuple[int, int] | None = None
    presses_needed: int | None = None


@dataclass(frozen=True)
class Pair:
    """B against A: `difference_ms` is B's mean less A's.

    `low` and `high` are of this pair alone, `low_all` and `high_all` hold together over all pairs; the verdict, of B,
    is by those. `presses_needed`, of each of the two, of an open one.
    """

    a: str
    b: str
    difference_ms: float | None
    low: float | None
    high: float | None
    low_all: float | None
    high_all: float | None
    verdict: str
    presses_needed: int | None


@dataclass(frozen=True)
class _Counted:
    """A device with its presses: variance of one with its freedom, and what each clip has of the mean, ms."""

    device: Device
    ms: Floats
    v: float
    df: float
    pool: str
    by_clip: Mapping[str, float]

    @property
    def n(self) -> int:
        return len(self.ms)


class Devices:
    """The devices of a study over clips whose numbers are not withheld."""

    def __init__(self, study: LatencyStudy, rates: Mapping[str, Rate]) -> None:
        self.study, self.rates = study, rates
        presses = [one for one in study.counted if not rates[one.clip].withheld]
        seen = {one.clip for one in presses}
        longest = max((rates[clip].frame_ms for clip in seen), default=0.0)
        self.equal_ms = study.equal_ms if study.equal_ms is not None else max(longest, _LEAST_EQUAL_MS)
        self.wanted_ms = study.wanted_ms if study.wanted_ms is not None else self.equal_ms
        #: Degrees of freedom of the whole study.
        self.freedom = 0.0
        self.all = [self._counted(one, of_device(presses, one.id)) for one in study.devices]
        self._moderate()
        self.pairs = self._pairs()

    def _counted(self, device: Device, presses: Sequence[Press]) -> _Counted:
        ms = np.array([one.frames * self.rates[one.clip].frame_ms for one in presses])
        by_clip: dict[str, float] = {}
        for one, value in zip(presses, ms, strict=True):
            by_clip[one.clip] = by_clip.get(one.clip, 0.0) + float(value) / len(ms)
        # Reading whole frames at both ends alone scatters by this much.
        least = float(np.mean([self.rates[one.clip].frame_ms ** 2 / 6.0 for one in presses])) if len(ms) else 0.0
        return _Counted(device, ms, least, 0.0, POOLS[STUDY], by_clip)

    def _moderate(self) -> None:
        squares = np.array([_squares(one.ms) for one in self.all])
        freedom = np.array([max(one.n - 1, 0) for one in self.all], dtype=np.float64)
        if not freedom.any():
            return
        found = moderated(squares, freedom)
        self.all = [
            _Counted(
                one.device, one.ms, max(float(found.v[i]), one.v), float(found.df[i]), POOLS[found.pool[i]], one.by_clip
            )
            for i, one in enumerate(self.all)
        ]
        self.freedom = float(freedom.sum())

    def figures(self) -> tuple[DeviceFigures, ...]:
        """What is told of each device."""
        return tuple(self._figures(one) for one in self.all)

    def _figures(self, one: _Counted) -> DeviceFigures:
        device = one.device
        adds = None
        if device.refresh_hz is not None:
            turn = 1000.0 / device.refresh_hz
            adds = DisplayAdds(0.0, turn / 2.0, turn)
        if not one.n:
            return DeviceFigures(device.id, 0, display_ms=adds)
        mean = float(one.ms.mean())
        low = high = None
        if one.df >= 1:
            reach = _t(one.df, _LEVEL) * math.sqrt(one.v / one.n + self.rate_part(one.by_clip))
            low, high = mean - reach, mean + reach
        return DeviceFigures(
            device.id, one.n, mean, float(np.median(one.ms)), float(one.ms.std(ddof=1)) if one.n > 1 else None,
            low, high, adds, self._ranks(device), self._needed(one),
        )  # fmt: skip

    def rate_part(self, by_clip: Mapping[str, float]) -> float:
        """What the uncertain rates of clips add to the variance of a mean, by what each clip has of it, ms^2."""
        return sum((share * self.rates[clip].u) ** 2 for clip, share in by_clip.items())

    def _needed(self, one: _Counted) -> int | None:
        if one.df < 1:
            return None
        n = np.arange(2, MOST_PRESSES + 1)
        df = np.maximum(one.df - (one.n - 1) + n - 1, 1.0)
        return _first(n, stdtrit(df, 1.0 - _LEVEL / 2.0) * np.sqrt(one.v / n) <= self.wanted_ms)

    def _ranks(self, device: Device) -> tuple[int, int]:
        quicker = slower = among = 0
        for one in self.all:
            if not one.n or not self.study.may_be_compared(one.device, device):
                continue
            among += 1
            verdict = self.verdict(device.id, one.device.id)
            quicker += verdict == QUICKER
            slower += verdict == SLOWER
        return 1 + quicker, among - slower

    def verdict(self, a: str, b: str) -> str | None:
        """The verdict of B against A, in whichever order the pair stands; None of a device against itself."""
        found = self.by_pair.get((a, b))
        if found is not None:
            return found.verdict
        turned = self.by_pair.get((b, a))
        return None if turned is None else {QUICKER: SLOWER, SLOWER: QUICKER}.get(turned.verdict, turned.verdict)

    def _pairs(self) -> tuple[Pair, ...]:
        beside = [_Beside.of(self, a, b) for a, b in combinations(self.all, 2)]
        many = sum(one.df >= 1 for one in beside)
        pairs = tuple(self._pair(one, many) for one in beside)
        self.by_pair = {(one.a, one.b): one for one in pairs}
        return pairs

    def _pair(self, one: _Beside, many: int) -> Pair:
        a, b = one.a.device, one.b.device
        comparable = self.study.may_be_compared(a, b)
        if one.df < 1 or one.difference is None:
            verdict = OPEN if comparable else NOT_COMPARABLE
            return Pair(a.id, b.id, one.difference, None, None, None, None, verdict, None)
        alone = _t(one.df, _LEVEL) * one.se
        together = _t(one.df, _LEVEL / many) * one.se
        low, high = one.difference - together, one.difference + together
        verdict = self._said(low, high) if comparable else NOT_COMPARABLE
        needed = one.needed(self.equal_ms, many) if verdict == OPEN else None
        return Pair(
            a.id, b.id, one.difference, one.difference - alone, one.difference + alone, low, high, verdict, needed
        )  # fmt: skip

    def _said(self, low: float, high: float) -> str:
        if low >= -self.equal_ms and high <= self.equal_ms:
            return EVEN
        return QUICKER if high < 0 else SLOWER if low > 0 else OPEN


@dataclass(frozen=True)
class _Beside:
    """Two devices: their difference, B less A, with its standard error and degrees of freedom (0 without any)."""

    a: _Counted
    b: _Counted
    difference: float | None
    rate_part: float
    df: float

    @classmethod
    def of(cls, devices: Devices, a: _Counted, b: _Counted) -> _Beside:
        """By Welch and Satterthwaite; where both draw on the whole study, by what that has."""
        if not a.n or not b.n:
            return cls(a, b, None, 0.0, 0.0)
        clips = {*a.by_clip, *b.by_clip}
        rate_part = devices.rate_part({clip: b.by_clip.get(clip, 0.0) - a.by_clip.get(clip, 0.0) for clip in clips})
        if a.df < 1 or b.df < 1:
            df = 0.0
        elif a.pool == b.pool == POOLS[STUDY]:
            df = devices.freedom
        else:
            x, y = a.v / a.n, b.v / b.n
            df = (x + y) ** 2 / (x * x / a.df + y * y / b.df)
        return cls(a, b, float(b.ms.mean() - a.ms.mean()), rate_part, df)

    @property
    def se(self) -> float:
        return math.sqrt(self.a.v / self.a.n + self.b.v / self.b.n + self.rate_part)

    def needed(self, equal_ms: float, many: int) -> int | None:
        """Presses of each of the two with which the pair would no longer be open."""
        n = np.arange(2, MOST_PRESSES + 1)
        df = np.maximum(self.df - (self.a.n - 1) - (self.b.n - 1) + 2 * (n - 1), 1.0)
        reach = stdtrit(df, 1.0 - _LEVEL / many / 2.0) * np.sqrt((self.a.v + self.b.v) / n + self.rate_part)
        apart = abs(self.difference or 0.0)
        return _first(n, reach <= max(apart, equal_ms - apart))


def _squares(ms: Floats) -> float:
    """Squares about the mean, ms^2; none of presses that are alike but for how rates were rounded."""
    if not len(ms) or float(np.ptp(ms)) < _ALIKE_MS:
        return 0.0
    return float(((ms - ms.mean()) ** 2).sum())


def _first(n: NDArray[np.int64], holds: NDArray[np.bool_]) -> int | None:
    return int(n[int(holds.argmax())]) if holds.any() else None


def _t(df: float, level: float) -> float:
    return float(stdtrit(df, 1.0 - level / 2.0))
