"""A study of latency answered: its clips, its devices, any two of them, and how well its readers agree."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from rennbahn.latency.devices import DeviceFigures, Devices, Pair
from rennbahn.latency.model import LatencyStudy
from rennbahn.latency.rate import Rate, rate_of


@dataclass(frozen=True)
class ReaderError:
    """A further reader against the first, over the presses that both counted.

    `reading_sd_ms` is the standard deviation of one reading, `bias_ms` how much later he reads, with its interval.
    """

    reader: str
    against: str
    presses: int
    reading_sd_ms: float | None
    bias_ms: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Latency:
    """All that is told of a study of latency, with the band of evenness that was used, ms."""

    clips: tuple[Rate, ...]
    devices: tuple[DeviceFigures, ...]
    pairs: tuple[Pair, ...]
    readers: tuple[ReaderError, ...]
    equal_ms: float
    wanted_ms: float


def latency_of(study: LatencyStudy) -> Latency:
    """Answer a study (measures.md 9)."""
    rates = {one.id: rate_of(one) for one in study.clips}
    devices = Devices(study, rates)
    return Latency(
        tuple(rates.values()), devices.figures(), devices.pairs, _readers(study, rates), devices.equal_ms,
        devices.wanted_ms,
    )  # fmt: skip


def _readers(study: LatencyStudy, rates: Mapping[str, Rate]) -> tuple[ReaderError, ...]:
    by_reader = study.by_reader()
    first, *further = by_reader or [""]
    found = []
    for reader in further:
        own, theirs = by_reader[reader], by_reader[first]
        d = np.array(
            [
                (one.frames - theirs[key].frames) * rates[one.clip].frame_ms
                for key, one in own.items()
                if key in theirs and not rates[one.clip].withheld
            ]
        )
        n = len(d)
        if n < 2:
            found.append(ReaderError(reader, first, n, None, None, None, None))
            continue
        bias, sd = float(d.mean()), float(d.std(ddof=1))
        reach = float(stdtrit(n - 1, 0.975)) * sd / math.sqrt(n)
        found.append(ReaderError(reader, first, n, sd / math.sqrt(2.0), bias, bias - reach, bias + reach))
    return tuple(found)
