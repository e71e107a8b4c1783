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


def local_ms(times: Sequence[float]) -> list[float]:
    """Moving median of pair means over 31 frames, fewer at the ends."""
    pairs = [times[0]] + [(a + b) / 2 for a, b in itertools.pairwise(times)]
    return [statistics.median(pairs[max(0, i - 15) : i + 16]) for i in range(len(pairs))]


def stutters(times: Sequence[float], target_hz: float) -> dict[str, Any]:
    """Stutter frames joined where they follow within a quarter of a second."""
    budget, local = 1000 / target_hz, local_ms(times)
    starts: list[float] = []
    frames, lost, longest, last_end, clock = 0, 0.0, None, None, 0.0
    for time, usual in zip(times, local, strict=True):
        begin, clock = clock, clock + time
        if not (time > STUTTER_FACTOR * usual and time - usual > budget / 2):
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


def alternation(times: Sequence[float]) -> tuple[float, float]:
    """Share of flips, and amplitude."""
    changes = [b - a for a, b in itertools.pairwise(times)]
    flips = [a * b < 0 for a, b in itertools.pairwise(changes)]
    return sum(flips) / len(flips), statistics.median(map(abs, changes)) / statistics.median(times)


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
        if held >= 500:
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


def cap(times: Sequence[float], *, bound_by_hardware: bool) -> dict[str, Any]:
    """State and rate of a cap, without its name."""
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
    if 10 * share[0] >= 6 * share[1] and not bound_by_hardware:
        state = "capped"
    elif 10 * share[0] >= 3 * share[1] and faster is not None and 100 * faster <= len(bins):
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
        if gpu[i] >= 0.9 * time:
            labels.append("gpu")
        elif cpu is None:
            labels.append("not_gpu")
        else:
            labels.append("cpu" if cpu[i] >= 0.9 * time else "waiting")
    label = max(set(labels), key=labels.count)
    return label if 10 * labels.count(label) >= 6 * len(labels) else "mixed"
