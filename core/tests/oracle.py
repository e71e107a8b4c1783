"""The measures once more, in plain loops straight from their definitions: slow, and written apart from the core.

Nothing here is used by the product. Where the core and this file part, one of them has misread docs/measures.md.
"""

from __future__ import annotations

import itertools
import math
import statistics
from collections.abc import Sequence
from typing import Any

STUTTER_FACTOR = 1.75
JOIN_MS = 250.0


def percentile(times: Sequence[float], q: float) -> float:
    """Type 7: linear between order statistics."""
    ordered = sorted(times)
    place = (len(ordered) - 1) * q / 100
    below = math.floor(place)
    above = min(below + 1, len(ordered) - 1)
    return ordered[below] + (place - below) * (ordered[above] - ordered[below])


def low(times: Sequence[float], per_mille: int, school: str) -> tuple[float, int]:
    """fps and support of a low figure."""
    longest = sorted(times, reverse=True)
    k = max(1, -(-len(times) * per_mille // 1000))
    if school == "percentile":
        return 1000 / percentile(times, 100 - per_mille / 10), k
    if school == "slowest_frames":
        return 1000 / (math.fsum(longest[:k]) / k), k
    wanted, spent = math.fsum(times) * per_mille / 1000, 0.0
    for count, time in enumerate(longest, start=1):
        spent += time
        if spent >= wanted:
            return 1000 / time, count
    raise AssertionError("the whole is more than its part")


def last(times: Sequence[float], i: int, size: int) -> Sequence[float]:
    """The last `size` frames up to i, fewer at the beginning."""
    return times[max(0, i + 1 - size) : i + 1]


def moving(values: Sequence[float]) -> list[float]:
    """Moving median over 31 values, fewer at the ends."""
    return [statistics.median(values[max(0, i - 15) : i + 16]) for i in range(len(values))]


def local_ms(times: Sequence[float]) -> list[float]:
    """Moving median of the means of the last frames: as many as a group has."""
    size = alternation(times)["period"] or 2
    return moving([statistics.fmean(last(times, i, size)) for i in range(len(times))])


def stutters(times: Sequence[float], target_hz: float) -> dict[str, Any]:
    """Stutter frames joined where they follow within a quarter of a second."""
    budget, local, size = 1000 / target_hz, local_ms(times), alternation(times)["period"]
    long = moving([max(last(times, i, size)) for i in range(len(times))]) if size else [0.0] * len(times)
    starts: list[float] = []
    frames, lost, longest, last_end, clock = 0, 0.0, None, None, 0.0
    for time, usual, grouped in zip(times, local, long, strict=True):
        begin, clock = clock, clock + time
        if not (time > STUTTER_FACTOR * usual and time - usual > budget / 2 and time > 1.25 * grouped):
            continue
        frames, lost = frames + 1, lost + time - usual
        longest = time if longest is None else max(longest, time)
        if last_end is None or begin - last_end > JOIN_MS:
            starts.append(begin / 1000)
        last_end = clock
    return {
        "count": len(starts),
        "frames": frames,
        "per_minute": len(starts) / (math.fsum(times) / 60_000),
        "longest_ms": longest,
        "time_lost_ms": lost,
        "starts_s": starts,
    }


def smooth_shares(times: Sequence[float], target_hz: float) -> dict[str, float]:
    """Steps, jolts, budget and spells."""
    budget = 1000 / target_hz
    steps = [abs(b - a) for a, b in itertools.pairwise(times)]
    over = [time > 1.025 * budget for time in times]
    spell, best = 0.0, 0.0
    for time, is_over in zip(times, over, strict=True):
        spell = spell + time if is_over else 0.0
        best = max(best, spell)
    return {
        "step_mean_ms": math.fsum(steps) / len(steps),
        "step_p99_ms": percentile(steps, 99),
        "jolt_share": sum(step > budget / 2 for step in steps) / len(steps),
        "over_budget_share": sum(over) / len(times),
        "over_budget_time_share": math.fsum(t for t, o in zip(times, over, strict=True) if o) / math.fsum(times),
        "longest_spell_s": best / 1000,
    }


def alternation(times: Sequence[float]) -> dict[str, Any]:
    """Share of flips and amplitude, and the size of the groups in which frames come."""
    changes = [b - a for a, b in itertools.pairwise(times)]
    flips = [a * b < 0 for a, b in itertools.pairwise(changes)]
    most = percentile([abs(x) for x in changes], 75)
    clipped = [max(-most, min(most, x)) for x in changes]
    power = math.fsum(x * x for x in clipped)
    like = {
        size: math.fsum(a * b for a, b in zip(clipped, clipped[size:], strict=False)) / power if power else 0.0
        for size in (2, 3, 4)
    }
    best = max(like.values())
    alternating = best >= 0.6 and statistics.fmean(map(abs, clipped)) / statistics.median(times) >= 0.1
    return {
        "flip_share": sum(flips) / len(flips),
        "amplitude": statistics.median(map(abs, changes)) / statistics.median(times),
        "alternating": alternating,
        "period": min(size for size, own in like.items() if own >= best - 0.1) if alternating else None,
    }


def pauses(times: Sequence[float]) -> dict[str, Any]:
    """Frames of a second or more."""
    clock, starts, long = 0.0, [], []
    for time in times:
        if time >= 1000:
            starts.append(clock / 1000)
            long.append(time)
        clock += time
    return {"count": len(long), "starts_s": starts, "longest_ms": max(long, default=None), "total_ms": math.fsum(long)}


def heartbeat(starts: Sequence[float]) -> dict[str, Any]:
    """The best line of beats through the stutters, by trying all."""
    best: tuple[int, int, float, float] | None = None
    for i, origin in enumerate(starts):
        for j in range(i + 1, min(i + 7, len(starts))):
            for m in (1, 2, 3):
                period = (starts[j] - origin) / m
                if period < 0.5:
                    continue
                on = {}
                for s in starts:
                    k = math.floor((s - origin) / period + 0.5)
                    if abs((s - origin) / period - k) <= 0.06:
                        on.setdefault(k, []).append(s)
                met, beats = len(on), max(on) - min(on) + 1
                stands = met >= 6 and 4 * met >= 3 * beats and 2 * met >= len(starts)
                if stands and (best is None or met * met * best[1] > best[0] * best[0] * beats):
                    best = (met, beats, origin, period)
    if best is None:
        return {"found": False}
    met, beats, origin, period = best
    points = [
        (math.floor((s - origin) / period + 0.5), s)
        for s in starts
        if abs((s - origin) / period - math.floor((s - origin) / period + 0.5)) <= 0.06
    ]
    mean_k = math.fsum(k for k, _ in points) / len(points)
    mean_s = math.fsum(s for _, s in points) / len(points)
    slope = math.fsum((k - mean_k) * (s - mean_s) for k, s in points) / math.fsum((k - mean_k) ** 2 for k, _ in points)
    return {"found": True, "period_s": slope, "beats": beats, "met": met, "stutters": len(starts)}


def half_seconds(times: Sequence[float]) -> list[float]:
    """Rates of bins that take frames until they hold half a second."""
    rates, held, count = [], 0.0, 0
    for time in times:
        held, count = held + time, count + 1
        if held >= 499.95:
            rates.append(count / held * 1000)
            held, count = 0.0, 0
    return rates


def largest_group(values: Sequence[float], *, fastest: Any) -> tuple[int, float]:
    """Size and median of the largest group within 0.4001% of one value; of equals that of the fastest."""
    best: tuple[int, float, float] | None = None
    for value in values:
        group = [other for other in values if abs(other / value - 1) <= 0.004001]
        key = fastest(value)
        if best is None or len(group) > best[0] or (len(group) == best[0] and key > best[2]):
            best = (len(group), statistics.median(group), key)
    if best is None:
        raise AssertionError("no value, no group")
    return best[0], best[1]


def cap(times: Sequence[float], *, bound_by_hardware: bool, named: bool = False) -> dict[str, Any]:
    """State and rate of a cap, which may have a name."""
    bins = half_seconds(times)
    size, typical = largest_group(times, fastest=lambda time: -time)
    frame_share, frame_fps = (size, len(times)), 1000 / typical
    bin_share, bin_fps = None, None
    if len(bins) >= 30:
        size, bin_fps = largest_group(bins, fastest=lambda rate: rate)
        bin_share = (size, len(bins))
    by_bins = bin_share is not None and bin_share[0] * frame_share[1] >= frame_share[0] * bin_share[1]
    share, lock = (bin_share, bin_fps) if by_bins and bin_share else (frame_share, frame_fps)
    faster = sum(rate > 1.004 * (lock or 0) for rate in bins) if len(bins) >= 30 else None
    state = "none"
    outrun = faster is None or 100 * faster > len(bins)
    if 10 * share[0] >= 6 * share[1] and not bound_by_hardware and (named or not outrun):
        state = "capped"
    elif 10 * share[0] >= 3 * share[1] and not outrun:
        state = "partly"
    return {"state": state, "lock_fps": lock if state != "none" else None, "share": share[0] / share[1]}


def drift(times: Sequence[float]) -> dict[str, Any]:
    """Theil-Sen slope over whole five-second bins, with Sen's interval."""
    total = math.fsum(times) / 1000
    held: list[list[float]] = [[] for _ in range(math.floor(total / 5))]
    clock = 0.0
    for time in times:
        clock += time
        j = math.ceil(clock / 1000 / 5) - 1
        if 0 <= j < len(held):
            held[j].append(time)
    bins = [((j + 0.5) * 5 / 60, len(own) / math.fsum(own) * 1000) for j, own in enumerate(held) if own]
    if len(bins) < 3:
        return {"bins": len(bins), "percent_per_minute": None, "low": None, "high": None}
    middle = statistics.median(rate for _, rate in bins)
    slopes = sorted((b[1] - a[1]) / (b[0] - a[0]) for i, a in enumerate(bins) for b in bins[i + 1 :])
    found = {
        "bins": len(bins),
        "percent_per_minute": statistics.median(slopes) / middle * 100,
        "low": None,
        "high": None,
    }
    n = len(bins)
    reach = statistics.NormalDist().inv_cdf(0.975) * math.sqrt(n * (n - 1) * (2 * n + 5) / 18)
    k = math.floor((len(slopes) - reach) / 2)
    if n >= 6 and k >= 1:
        found |= {"low": slopes[k - 1] / middle * 100, "high": slopes[len(slopes) - k] / middle * 100}
    return found


def bound_by(times: Sequence[float], gpu: Sequence[float], cpu: Sequence[float] | None) -> str:
    """The label from busy times without gaps."""
    labels = []
    for i, time in enumerate(times):
        if gpu[i] >= 0.9 * time or gpu[i] >= time - 0.3:
            labels.append("gpu")
        elif cpu is None:
            labels.append("not_gpu")
        else:
            labels.append("cpu" if cpu[i] >= 0.9 * time or cpu[i] >= time - 0.3 else "waiting")
    label = max(set(labels), key=labels.count)
    return label if 10 * labels.count(label) >= 6 * len(labels) else "mixed"
