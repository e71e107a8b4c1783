"""What the columns of a log are, from their names and from what their values do.

Names say what a column is about (a time, a rate, a sensor), whose it is (the card's, the processor's, the memory's) and
what kind of value it holds (an average, a limit, a waiting time). Values say whether that can be. What stays unsure is
asked, never guessed in silence.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture.columns import BUSY_CHANNELS, CLOCK_CHANNELS, SAMPLED_CHANNELS, ColumnUse
from rennbahn.capture.sensors import PLAUSIBLE, sampled_channel
from rennbahn.capture.vocabulary import (
    BUSY,
    CARD,
    ENERGY,
    FRAME,
    HOT,
    INDEX,
    MADE,
    MEMORY,
    MHZ,
    OTHER_TIMES,
    PERCENT,
    POWER,
    PROCESSOR,
    RPM,
    SECONDS,
    STAMP,
    STRANGE,
    TEMPERATURE,
    TICKS,
    TIME_SUFFIX,
    TIMES_OF_FRAMES,
    UTIL,
    WALL,
    in_ms,
    is_rate,
    named_units,
    words_of,
)

Floats = NDArray[np.float64]

#: Shortest and longest plausible median frame time, ms: 2,000 fps and 4 fps; without a unit in the name, from 500 fps.
_FRAME_MS = (0.5, 250.0)
#: What a unit in the name of frame times is believed over: 10,000 fps and a frame in two seconds.
_NAMED_MS = (0.1, 2000.0)
_UNNAMED_MS = {"s": (1.5, 60.0), "ms": (1.5, 30.0), "us": (1.5, 30.0), "ns": (1.5, 30.0)}
#: Share of values that must fit; a file with a bad row is still understood, and refused with that row when read.
_MOSTLY = 0.95
#: Falls that a column may show among its first rows and still be a clock.
_LAPSES = 1
#: How far the sum of frame times may lie off the clock in the same file.
_CLOCK_AGREES = 0.03
#: A rate column whose rows would all last no longer than this as frames is asked about, s.
_SHORT_S = 5.0
#: From so many rates on they are of frames: nobody logs seconds for so long without a clock.
_ENOUGH_RATES = 300
#: Rows this far apart are no frames but seconds, s.
ROW_A_SECOND_S = (0.2, 5.0)


@dataclass(frozen=True)
class Meant:
    """What the columns of a log are taken for: the uses with a reason each, and what should be asked first."""

    uses: tuple[ColumnUse, ...] = ()
    reasons: tuple[str, ...] = ()
    questions: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Unsure:
    """What would have to be asked of a column; `of_rows` where it throws doubt on the rows themselves."""

    question: str
    of_rows: bool = False


@dataclass(frozen=True)
class _Time:
    """A column that may say how long frames took: how well it fits, and its median frame time in ms."""

    use: ColumnUse
    score: float
    reason: str
    question: str
    median_ms: float


def meaning_of(values: Mapping[str, Floats], rows: int) -> Meant:
    """What columns are, from their names and the numbers of their first rows; of `rows` rows in all that were read."""
    times, stamps, asked = _times(values)
    clock, question = _chosen(times, stamps, values, rows)
    if clock is None:
        return Meant(questions=tuple(dict.fromkeys(one.question for one in asked)))
    # A clock whose steps are no frames says that the rows are none, whatever else stands in them.
    questions = [question] if question else [one.question for one in asked if one.of_rows]
    uses, reasons = [clock.use], [clock.reason]
    taken = {clock.use.channel}
    for column, channel, unit in _others(values, clock):
        if channel in taken:
            continue
        taken.add(channel)
        uses.append(ColumnUse(column, channel, unit))
        reasons.append(f"“{column}” is taken for {channel}, in {unit}, by its name.")
    order = {name: at for at, name in enumerate(values)}
    rest = sorted(zip(uses[1:], reasons[1:], strict=True), key=lambda pair: order[pair[0].column])
    return Meant(
        (uses[0], *(use for use, _ in rest)),
        (reasons[0], *(reason for _, reason in rest)),
        tuple(dict.fromkeys(questions)),
    )


# --- how long frames took ---------------------------------------------------------------------------------


def _unit(name: str, median: float) -> tuple[str | None, bool]:
    """Unit of a time column, and whether its name gives it; None where no unit makes sense of the values."""
    named = [unit for unit in named_units(name) if _FRAME_MS[0] <= in_ms(unit, median) <= _FRAME_MS[1]]
    if named:
        return named[0], True
    if named_units(name):
        return None, True
    if words_of(name) & TIMES_OF_FRAMES:
        # Units lie a thousand apart: of a time between frames at most one can be meant.
        fits = [unit for unit in _UNNAMED_MS if _FRAME_MS[0] <= in_ms(unit, median) <= _FRAME_MS[1]]
        return (fits[0], False) if len(fits) == 1 else (None, False)
    fits = [unit for unit, (low, high) in _UNNAMED_MS.items() if low <= in_ms(unit, median) <= high]
    return (fits[0], False) if fits else (None, False)


def _times(values: Mapping[str, Floats]) -> tuple[list[_Time], list[_Time], list[_Unsure]]:
    """Columns that may be frame times or rates, those that may be clocks, and what would have to be asked of others."""
    times: list[_Time] = []
    stamps: list[_Time] = []
    asked: list[_Unsure] = []
    for name, column in values.items():
        words = words_of(name)
        steps = np.diff(column)
        if len(steps) > 3 and np.count_nonzero(~(steps > 0)) <= _LAPSES:
            found = _stamp(name, words, column, steps)
            if isinstance(found, _Unsure):
                asked.append(found)
            elif found is not None:
                stamps.append(found)
            continue
        named = words & (FRAME | set(TIME_SUFFIX)) or is_rate(name)
        if np.mean(column > 0) < _MOSTLY or (np.ptp(column) == 0 and not named):
            continue  # frames scatter: a value that never changes is a setting, unless its name says otherwise
        found = _time(name, words, column)
        if isinstance(found, _Unsure):
            asked.append(found)
        elif found is not None:
            times.append(found)
    return times, stamps, asked


def _stamp(name: str, words: frozenset[str], column: Floats, steps: Floats) -> _Time | _Unsure | None:
    """A column that only grows: a clock, a counter of rows, or ticks of nobody knows what."""
    even = (steps == steps[0]).all() and steps[0] == np.rint(steps[0]) and not named_units(name)
    if even and steps[0] == 1 and words & SECONDS:
        return _Unsure(f"By “{name}” the rows are 1 s apart, so a row is no frame.", of_rows=True)
    counts = even and (words & INDEX or column[0] in (0, 1))
    measures = UTIL | POWER | ENERGY | TEMPERATURE | (MHZ - {"clock"}) | RPM | MEMORY | MADE
    owned = words & (CARD | PROCESSOR) and not words & (FRAME | STAMP)
    if counts or is_rate(name) or words & measures or owned:
        return None
    median = float(np.median(steps))
    if words & TICKS and not named_units(name):
        return _Unsure(f"“{name}” counts ticks, and nothing says how long one is: choose its unit.")
    unit, by_name = _unit(name, median)
    if unit is None:
        clock = bool(words & (STAMP - {"clock", "at", "t", "since", "start"}) or named_units(name))
        return _Unsure(_strange_steps(name, median), of_rows=clock)
    score = 2.0 + 2.0 * bool(words & (STAMP | FRAME)) + by_name
    question = "" if by_name or words & (STAMP | FRAME) else f"“{name}” only grows: is it a clock in {unit}?"
    reason = f"“{name}” only grows: a timestamp in {unit}."
    return _Time(ColumnUse(name, CLOCK_CHANNELS[1], unit), score, reason, question, in_ms(unit, median))


def _strange_steps(name: str, median: float) -> str:
    """What is asked of a column that grows by steps that are no frames."""
    low, high = ROW_A_SECOND_S
    for unit in named_units(name) or ["s", "ms"]:
        if low <= in_ms(unit, median) / 1e3 <= high:
            return f"By “{name}” the rows are about {in_ms(unit, median) / 1e3:.2g} s apart, so a row is no frame."
    return f"“{name}” only grows, but in no unit of time are its steps as long as frames: choose its unit."


def _rate(name: str, words: frozenset[str], median: float) -> _Time | _Unsure | None:
    """A column that bears the name of a rate."""
    if words & MADE:
        return _Unsure(f"“{name}” is no rate of single frames but made of many: lows cannot be taken from it.")
    other = MEMORY | (MHZ - {"clock"}) | {"sample", "polling", "bit", "sampling", "abtastrate"}
    if words & other or not 4 <= median <= 2000:
        return None
    use = ColumnUse(name, CLOCK_CHANNELS[2], "fps")
    score = 1.0 if words & (CARD | PROCESSOR) else 3.0
    return _Time(use, score, f"“{name}” is a rate by its name: {median:.0f} fps in the middle.", "", 1e3 / median)


def _time(name: str, words: frozenset[str], column: Floats) -> _Time | _Unsure | None:
    """A column of values that go up and down: frame times, a rate, or something else."""
    median = float(np.median(column))
    if is_rate(name):
        return _rate(name, words, median)
    sensor = UTIL | (POWER - {"draw"}) | TEMPERATURE | HOT | RPM | PERCENT | MEMORY | STRANGE
    owned, other, made = words & (CARD | PROCESSOR), words & OTHER_TIMES, words & MADE
    framed = bool(words & FRAME)
    if words & sensor or (not framed and (owned or words & MHZ)):
        return None
    unit, by_name = _unit(name, median)
    if unit is None and framed and len(set(named_units(name))) == 1:
        # What the name says is believed over what the values look like.
        said = named_units(name)[0]
        unit = said if _NAMED_MS[0] <= in_ms(said, median) <= _NAMED_MS[1] else None
    if unit is None:
        unsure = framed and not (owned or other or made) and not named_units(name)
        which = f"“{name}” may be frame times in ms or a rate in fps ({median:g} in the middle): choose which."
        return _Unsure(which) if unsure else None
    score = 1.0 + 3.0 * framed + 1.5 * by_name + 0.5 * (unit == "ms")
    question = ""
    if owned or other or made:
        sort = "one side's time" if owned else "another time than that between frames" if other else "made of many"
        score, question = score - 10.0, f"“{name}” may be {sort}: is it how long frames took?"
    elif not framed and not by_name:
        score, question = score - 5.0, f"Nothing but its size says that “{name}” holds frame times."
    reason = f"“{name}” holds frame times in {unit}: {median:g} in the middle."
    return _Time(ColumnUse(name, CLOCK_CHANNELS[0], unit), score, reason, question, in_ms(unit, median))


def _chosen(
    times: list[_Time], stamps: list[_Time], values: Mapping[str, Floats], rows: int
) -> tuple[_Time | None, str]:
    """The most likely column for how long frames took, and what should be asked before it is believed."""
    both = [*times, *stamps]
    if not both:
        return None, ""
    best = max(both, key=lambda one: one.score)
    question = best.question
    clock = max(stamps, key=lambda one: one.score, default=None)
    if best.use.channel != CLOCK_CHANNELS[1] and clock is not None:
        column = values[best.use.column]
        frames = 1000.0 / column if best.use.channel == CLOCK_CHANNELS[2] else column
        ms = frames if best.use.channel == CLOCK_CHANNELS[2] else np.array([in_ms(best.use.unit, x) for x in frames])
        apart = in_ms(clock.use.unit, float(np.ptp(values[clock.use.column]))) / max(float(ms[1:].sum()), 1e-9)
        if abs(apart - 1.0) <= _CLOCK_AGREES:
            return best, best.question if best.score <= 0 else ""
        if best.score <= 0 or clock.score >= best.score:
            return clock, clock.question
        return best, (
            f"By the clock “{clock.use.column}” the rows take {apart:.3g} times as long as “{best.use.column}” says: "
            "one of them is something else, or in another unit."
        )
    if best.use.channel == CLOCK_CHANNELS[2]:
        question = _asked_of_rates(best, values, rows) or question
    return best, question


def _asked_of_rates(best: _Time, values: Mapping[str, Floats], rows: int) -> str:
    """What is asked of rates without any clock beside them: are they of frames, or of seconds?"""
    name, column = best.use.column, values[best.use.column]
    if rows >= _ENOUGH_RATES:
        return ""
    if (column == np.rint(column)).all():
        return f"“{name}” holds {rows} whole numbers: is each the rate of a frame, or of a second?"
    lasts_s = float((1.0 / column[column > 0]).sum())
    of_frames = any(_busy(other, words_of(other), own, best) for other, own in values.items() if other != name)
    if lasts_s >= _SHORT_S or of_frames:
        return ""
    return (
        f"“{name}” holds {rows} rates, which as frames would last {lasts_s:.2g} s in all: is each the rate of a frame, "
        "or of a second?"
    )


# --- what else there is -----------------------------------------------------------------------------------


def _others(values: Mapping[str, Floats], clock: _Time) -> list[tuple[str, str, str]]:
    """Busy times and sensors: column, channel and unit, the most likely of each channel first."""
    found: list[tuple[float, str, str, str]] = []
    for name, column in values.items():
        if name == clock.use.column or not len(column):
            continue
        words = words_of(name)
        busy = _busy(name, words, column, clock)
        if busy is not None:
            found.append((busy[0], name, busy[1], busy[2]))
            continue
        channel = sampled_channel(name, words)
        if channel is None:
            continue
        low, high = PLAUSIBLE[channel]
        if not low <= float(np.max(column)) <= high:
            continue
        owned = bool(words & (CARD | WALL | PROCESSOR))
        found.append((1.0 + owned - 0.5 * bool(words & MADE), name, channel, SAMPLED_CHANNELS[channel]))
    found.sort(key=lambda one: -one[0])
    return [(name, channel, unit) for _, name, channel, unit in found]


def _busy(name: str, words: frozenset[str], column: Floats, clock: _Time) -> tuple[float, str, str] | None:
    """Is it how long one side worked on a frame?"""
    owner = BUSY_CHANNELS[0] if words & CARD else BUSY_CHANNELS[1] if words & (PROCESSOR | {"core"}) else None
    sensors = UTIL | POWER | TEMPERATURE | HOT | RPM | PERCENT | MEMORY | (MHZ - {"clock"}) | STRANGE | TICKS
    if owner is None or words & (sensors | OTHER_TIMES - {"draw"} | MADE) or is_rate(name) or column.min() < 0:
        return None
    bare = not words & (BUSY | set(TIME_SUFFIX))
    if bare and len(words) > 1:
        return None
    median = float(np.median(column))
    if median <= 0:
        return None
    named = named_units(name)
    same = clock.use.unit if clock.use.channel != CLOCK_CHANNELS[2] else "ms"
    unit = named[0] if named else same
    ms = in_ms(unit, median)
    # No side works longer on a frame than the frame takes, but for what overlaps.
    if not 0.01 * clock.median_ms <= ms <= 1.6 * clock.median_ms:
        return None
    return 3.0 + bool(words & {"busy", "active", "beschäftigt", "aktiv"}), owner, unit
