"""What holds the frame rate back (measures, section 4)."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from rennbahn.capture import Capture

Floats = NDArray[np.float64]

#: A frame is bound by a side that was busy for this share of it, or for all but this many ms: what is lost between two
#: frames is a larger share of a short one.
BUSY_SHARE = 0.9
BUSY_BUT_MS = 0.3
#: Mean utilisation from which a run counts as bound by the card, %.
BUSY_PCT = 95.0
#: A hair under a half second keeps a beat that fills it exactly from needing a frame more in some bins.
HALF_SECOND_MS = 499.95
#: Rates this close count as held together; the hair keeps times in whole microseconds off the edge.
CLOSE = 0.004001
#: A half second counts as faster than the lock beyond this.
FASTER = 1.004
#: From this many half seconds on: fewer agree by chance.
FEWEST_BINS = 30
#: A known cap names a lock within this ratio.
NAMED_WITHIN = 0.01
#: A display of variable refresh is kept a little under its rate: a lock from the first to the second share of it.
JUST_UNDER = (0.93, 0.995)
UNEXPLAINED = "unexplained"
DRIFT_BIN_S = 5.0
FEWEST_DRIFT_BINS = 3
FEWEST_INTERVAL_BINS = 6
#: Slopes of all pairs grow with the square of the bins: of more than an hour of them only every m-th is paired.
MOST_DRIFT_BINS = 720
_MANY_VALUES = 500
_GRID_PER_GROUP = 8


@dataclass(frozen=True)
class KnownCap:
    """A cap one knows of, in fps. A display `refresh` also stands for its half, third and quarter.

    One of `variable` refresh also names a lock just under its rate.
    """

    name: str
    fps: float
    refresh: bool = False
    variable: bool = False


@dataclass(frozen=True)
class BoundBy:
    """Which side the frames waited for: `gpu`, `cpu`, `waiting`, `not_gpu` or `mixed`; None where nobody can tell."""

    label: str | None
    source: str | None
    shares: dict[str, float] | None


@dataclass(frozen=True)
class Cap:
    """Is the rate held by something other than the hardware? States `none`, `partly`, `capped`."""

    state: str
    lock_fps: float | None
    name: str | None
    share: float
    bin_share: float | None
    bin_fps: float | None
    frame_share: float
    frame_fps: float
    faster_share: float | None


@dataclass(frozen=True)
class Drift:
    """Theil-Sen slope of the rate of whole 5 s bins, as percent of the median bin per minute, with Sen's interval."""

    bins: int
    bin_fps: tuple[float, ...]
    percent_per_minute: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Limits:
    """What held the rate back. The limits are the rates each side could reach alone."""

    bound_by: BoundBy
    gpu_limit_fps: float | None
    cpu_limit_fps: float | None
    cap: Cap
    drift: Drift


def limits(capture: Capture, ordered_ms: Floats, known_caps: Sequence[KnownCap]) -> Limits:
    """Limits of a capture with at least one frame, and its frame times in order of size."""
    bound = bound_by(capture)
    held = bound.source == "busy_times" and bound.label in ("gpu", "cpu")
    return Limits(
        bound_by=bound,
        gpu_limit_fps=_limit_fps(capture.channels.get("gpu_busy_ms")),
        cpu_limit_fps=_limit_fps(capture.channels.get("cpu_busy_ms")),
        cap=cap(capture, ordered_ms, known_caps, bound_by_hardware=held),
        drift=drift(capture),
    )


def _limit_fps(busy_ms: Floats | None) -> float | None:
    """The mean, not the median: it sits a steady 2% above the average of a run bound by that side."""
    mean = mean_of(busy_ms)
    return 1000.0 / mean if mean else None


def mean_of(values: Floats | None) -> float | None:
    """Mean of the values that are there (NaN is a gap), None without one."""
    if values is None:
        return None
    mean = float(values.mean()) if len(values) else math.nan
    if not math.isnan(mean):
        return mean
    there = values[~np.isnan(values)]
    return float(there.mean()) if len(there) else None


def bound_by(capture: Capture) -> BoundBy:
    """The side that frames waited for, from busy times, else from utilisation."""
    gpu, cpu = (_if_any(capture.channels.get(name)) for name in ("gpu_busy_ms", "cpu_busy_ms"))
    if gpu is not None:
        gaps = np.isnan(gpu) if cpu is None else np.isnan(gpu) | np.isnan(cpu)
        if not gaps.any():
            return _bound_by_busy(capture.frame_ms, gpu, cpu)
        if not gaps.all():
            return _bound_by_busy(capture.frame_ms[~gaps], gpu[~gaps], None if cpu is None else cpu[~gaps])
    utilisation = mean_of(capture.channels.get("gpu_util_pct"))
    if utilisation is None:
        return BoundBy(None, None, None)
    return BoundBy("gpu" if utilisation >= BUSY_PCT else "not_gpu", "utilisation", None)


def _if_any(values: Floats | None) -> Floats | None:
    """A channel that is all gaps is no channel."""
    if values is None or not len(values):
        return None
    return None if np.isnan(values[0]) and np.isnan(values).all() else values


def _bound_by_busy(frame_ms: Floats, gpu: Floats, cpu: Floats | None) -> BoundBy:
    total = len(frame_ms)
    on_gpu = _at_work(gpu, frame_ms)
    counts = {"gpu": int(np.count_nonzero(on_gpu))}
    if cpu is None:
        counts["not_gpu"] = total - counts["gpu"]
    else:
        counts["cpu"] = int(np.count_nonzero(~on_gpu & _at_work(cpu, frame_ms)))
        counts["waiting"] = total - counts["gpu"] - counts["cpu"]
    label = next((name for name, count in counts.items() if 10 * count >= 6 * total), "mixed")
    return BoundBy(label, "busy_times", {name: count / total for name, count in counts.items()})


def _at_work(busy: Floats, frame_ms: Floats) -> NDArray[np.bool_]:
    found: NDArray[np.bool_] = (busy >= BUSY_SHARE * frame_ms) | (busy >= frame_ms - BUSY_BUT_MS)
    return found


def cap(capture: Capture, ordered_ms: Floats, known_caps: Sequence[KnownCap], *, bound_by_hardware: bool) -> Cap:
    """Look for a lock in half seconds and in frames (reading 8)."""
    frame_count, frame_total, frame_ms = _largest_group(ordered_ms, fastest_is_smallest=True)
    frame_fps = 1000.0 / frame_ms
    bins = half_second_fps(capture)
    bin_count, bin_total, bin_fps = 0, 1, None
    if len(bins) >= FEWEST_BINS:
        bin_count, bin_total, bin_fps = _largest_group(np.sort(bins), fastest_is_smallest=False)
    if bin_fps is not None and bin_count * frame_total >= frame_count * bin_total:
        count, total, lock_fps = bin_count, bin_total, bin_fps
    else:
        count, total, lock_fps = frame_count, frame_total, frame_fps
    faster = int(np.count_nonzero(bins > FASTER * lock_fps)) if len(bins) >= FEWEST_BINS else None
    # Nothing outruns a cap; but a limiter that sleeps a little too short at times has its name.
    outrun = faster is None or 100 * faster > len(bins)
    name = _cap_name([f for f in (bin_fps, frame_fps) if f], lock_fps, known_caps)
    if 10 * count >= 6 * total and not bound_by_hardware and not (outrun and name == UNEXPLAINED):
        state = "capped"
    elif 10 * count >= 3 * total and not outrun:
        state = "partly"
    else:
        state = "none"
    return Cap(
        state=state,
        lock_fps=None if state == "none" else lock_fps,
        name=None if state == "none" else name,
        share=count / total,
        bin_share=None if bin_fps is None else bin_count / bin_total,
        bin_fps=bin_fps,
        frame_share=frame_count / frame_total,
        frame_fps=frame_fps,
        faster_share=None if faster is None else faster / len(bins),
    )


def half_second_fps(capture: Capture) -> Floats:
    """Rates of half seconds: a bin takes frames until it holds 499.95 ms; an unfinished last one is left out."""
    clock_ms = capture.end_clock_ms
    # Through its buffer an array gives plain floats, several times quicker than by its own indexing.
    clock, count = clock_ms.data, len(clock_ms)
    ends, end, start_ms, reach = [0], 0, 0.0, 64
    while True:
        # A bin holds about as many frames as the one before, so there it is looked for first.
        near = min(count, end + reach)
        at = bisect_left(clock, start_ms + HALF_SECOND_MS, end, near)
        if at == near:
            at = bisect_left(clock, start_ms + HALF_SECOND_MS, near, count)
        if at == count:
            break
        reach, end = 2 * (at + 1 - end), at + 1
        ends.append(end)
        start_ms = clock[at]
    if len(ends) == 1:
        return np.empty(0)
    edges = np.array(ends)
    spent = np.diff(np.concatenate(([0.0], clock_ms))[edges])
    fps: Floats = np.diff(edges) * 1000.0 / spent
    return fps


def _largest_group(ordered: Floats, *, fastest_is_smallest: bool) -> tuple[int, int, float]:
    """Size of the largest group of values close to one of them, the number of values, and that group's median."""
    # Loggers write whole microseconds, so a long capture has few different frame times: only those are asked.
    begins = np.concatenate(([0], np.flatnonzero(ordered[1:] != ordered[:-1]) + 1))
    asked = ordered[begins]
    if len(asked) > _MANY_VALUES:
        asked = _in_dense_places(ordered, asked, np.diff(begins, append=len(ordered)))
    low, high = _group_ends(ordered, asked)
    sizes = high - low
    at = int(np.argmax(sizes)) if fastest_is_smallest else len(sizes) - 1 - int(np.argmax(sizes[::-1]))
    return int(sizes[at]), len(ordered), _middle(ordered[low[at] : high[at]])


def _middle(ordered: Floats) -> float:
    """The median of values in order of size."""
    count = len(ordered)
    return float(ordered[(count - 1) // 2] + ordered[count // 2]) / 2.0


def _group_ends(ordered: Floats, middles: Floats) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """First and one past the last of the values that are close to each of `middles`."""
    return (
        np.searchsorted(ordered, middles * (1.0 - CLOSE), side="left"),
        np.searchsorted(ordered, middles * (1.0 + CLOSE), side="right"),
    )


def _in_dense_places(ordered: Floats, values: Floats, weights: NDArray[np.intp]) -> Floats:
    """Those of `values`, each there `weights` times, whose group may be the largest: a fine grid rules out the rest."""
    fine = math.log1p(CLOSE) / _GRID_PER_GROUP
    own = (np.log(values / ordered[0]) / fine).astype(np.intp)
    counts = np.bincount(own, weights=weights).astype(np.intp)
    # A value's group ends within this many cells of its own, to either side.
    reach = _GRID_PER_GROUP + 1
    upto = np.concatenate((np.zeros(reach + 1, dtype=np.intp), np.cumsum(counts)))
    upto = np.concatenate((upto, np.full(reach, upto[-1])))
    most = np.where(counts > 0, upto[2 * reach + 1 :] - upto[: len(counts)], 0)
    low, high = _group_ends(ordered, values[own == np.argmax(most)])
    dense: Floats = values[most[own] >= (high - low).max()]
    return dense


def _cap_name(rates: Sequence[float], lock_fps: float, known_caps: Sequence[KnownCap]) -> str:
    """The known cap that explains a lock: the one nearest to the rates, else a variable display a little over it."""
    under = [known for known in known_caps if known.variable and _within(lock_fps / known.fps, *JUST_UNDER)]
    best, found = NAMED_WITHIN, None
    for known in known_caps:
        for part in (1, 2, 3, 4) if known.refresh else (1,):
            off = min(abs(rate / (known.fps / part) - 1.0) for rate in rates)
            if off < best or (off == best and found is None):
                best, found = off, (known, part)
    if found is not None:
        known, part = found
        if part == 1 and known.variable and lock_fps / known.fps <= JUST_UNDER[1]:
            return f"{known.name}, just under"
        return known.name if part == 1 else f"{known.name} / {part}"
    if under:
        return f"{min(under, key=lambda known: abs(lock_fps / known.fps - 1.0)).name}, just under"
    return UNEXPLAINED


def _within(value: float, low: float, high: float) -> bool:
    return low <= value <= high


def drift(capture: Capture) -> Drift:
    """Slope of the rate over whole 5 s bins.

    Theil 1950; Sen, "Estimates of the Regression Coefficient Based on Kendall's Tau", JASA 1968 (the interval).
    """
    clock_s = capture.end_clock_s
    whole = int(np.floor(capture.duration_s / DRIFT_BIN_S))
    edges = np.searchsorted(clock_s, DRIFT_BIN_S * np.arange(whole + 1), side="right")
    frames = np.diff(edges)
    there = np.flatnonzero(frames)
    clock_from_0 = np.concatenate(([0.0], clock_s))
    spent = clock_from_0[edges[1:]] - clock_from_0[edges[:-1]] if whole else np.empty(0)
    fps = frames[there] / spent[there]
    n = len(fps)
    shown = tuple(fps.tolist())
    if n < FEWEST_DRIFT_BINS:
        return Drift(n, shown, None, None, None)
    minutes = (DRIFT_BIN_S * there + DRIFT_BIN_S / 2.0) / 60.0
    percent = 100.0 / _middle(np.sort(fps))
    apart = -(-n // MOST_DRIFT_BINS)
    fps, minutes = fps[::apart], minutes[::apart]
    n = len(fps)
    i, j = _pairs(n)
    slopes = np.sort((fps[j] - fps[i]) / (minutes[j] - minutes[i]))
    low = high = None
    if n >= FEWEST_INTERVAL_BINS:
        spread = float(ndtri(0.975)) * np.sqrt(n * (n - 1) * (2 * n + 5) / 18.0)
        rank = int(np.floor((len(slopes) - spread) / 2.0))
        if rank >= 1:
            low, high = float(slopes[rank - 1]) * percent, float(slopes[len(slopes) - rank]) * percent
    return Drift(len(shown), shown, _middle(slopes) * percent, low, high)


@lru_cache(maxsize=64)
def _pairs(count: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """All pairs i < j."""
    i, j = np.triu_indices(count, k=1)
    return i, j
