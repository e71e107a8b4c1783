"""From raw columns to a capture: the one place where frame times are checked."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture import numbers
from rennbahn.capture.bounds import FARTHEST_CLOCK_MS, LARGEST_VALUE, LONGEST_HOURS
from rennbahn.capture.capture import Capture, Samples
from rennbahn.capture.columns import BUSY_CHANNELS, SAMPLED_CHANNELS, ColumnMap
from rennbahn.errors import CaptureRefused

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Steps:
    """Timestamps, already subtracted exactly.

    `steps` has one value fewer than there are rows; `bad_row` is the index of the first timestamp that is no
    finite number, with `bad_value` as NaN or infinity. Where the steps end early, they end before it. `first` is the
    first timestamp as a double, for clocks that are laid beside another.
    """

    steps: Floats
    rows: int
    bad_row: int | None = None
    bad_value: float = math.nan
    first: float = 0.0

    @classmethod
    def of(cls, values: Sequence[Decimal | float | int]) -> Steps:
        """Steps of exact values."""
        steps, bad = numbers.exact_steps(values)
        first = float(values[0]) if len(values) and bad != 0 else 0.0
        return cls(steps, len(values), bad, float(values[bad]) if bad is not None else math.nan, first)


@dataclass(frozen=True)
class Table:
    """The mapped columns of a file, before any check of frame times.

    `clock` holds the raw values of the clock column (NaN for no number), or :class:`Steps` for timestamps.
    `line_of` gives the file line of a data row (both from 1), `shown` the clock column's text in a row.
    `broken` is a fault of the row structure: nothing after its row was read.
    """

    clock: Floats | Steps
    others: Mapping[str, Floats]
    line_of: Callable[[int], int | None]
    shown: Callable[[int], str]
    broken: CaptureRefused | None = None
    flags: tuple[str, ...] = ()
    #: What to do about a fault in a file line, where more is known than what such a fault always needs.
    hint_at: Callable[[int | None], str] = lambda _: ""

    def capture(self, columns: ColumnMap) -> Capture:
        """The capture, or :class:`CaptureRefused` naming the first bad row, whatever its fault."""
        if isinstance(self.clock, Steps):
            frame_ms, skip = self._frames_of_steps(self.clock, columns), 1
        else:
            frame_ms, skip = self._frames_of_values(self.clock, columns), 0
        if self.broken is not None:
            raise self.broken
        if not len(frame_ms):
            raise CaptureRefused("no_frames", "the file holds no frame")
        hours = float(frame_ms.sum()) / 3_600_000.0
        if hours > LONGEST_HOURS:
            message = f"the capture is {hours:,.1f} hours long; up to {LONGEST_HOURS:g} are taken"
            raise CaptureRefused("too_long", message)
        channels = {}
        for use in columns.others:
            values = self.others[use.column]
            finite = self._measured(use.column)
            values = (values if finite.all() else np.where(finite, values, np.nan))[skip:]
            channels[use.channel] = numbers.to_ms(values, use.unit) if use.channel in BUSY_CHANNELS else values
        return Capture(frame_ms, channels, self.flags)

    def samples(self, columns: ColumnMap) -> Samples:
        """The rows as samples on a clock of their own, or :class:`CaptureRefused` naming the first bad row."""
        if not isinstance(self.clock, Steps):
            raise CaptureRefused("missing_column", "samples need a clock: a column of timestamps")
        steps_ms = self._frames_of_steps(self.clock, columns)
        if self.broken is not None:
            raise self.broken
        first_ms = numbers.to_ms(np.array([self.clock.first]), columns.clock.unit)
        if not abs(float(first_ms[0])) <= FARTHEST_CLOCK_MS:
            message = f"the clock begins out of every range (got {self.shown(1)!r})"
            raise CaptureRefused("out_of_range", message, row=1, line=self.line_of(1))
        clock_s = (first_ms + np.concatenate(([0.0], np.cumsum(steps_ms)))) / 1000.0
        values = {use.channel: self.others[use.column] for use in columns.others if use.channel in SAMPLED_CHANNELS}
        if not values:
            raise CaptureRefused("missing_column", "no column holds samples of power, temperature, clock or fan")
        for use in columns.others:
            self._measured(use.column)
        return Samples(clock_s, {name: np.where(np.isfinite(v), v, np.nan) for name, v in values.items()})

    def _measured(self, column: str) -> NDArray[np.bool_]:
        """Where a column has a value; elsewhere is a gap. Raises :class:`CaptureRefused` on one beyond all sense."""
        values = self.others[column]
        finite = np.isfinite(values)
        beyond = finite & (np.abs(values) > LARGEST_VALUE)
        if beyond.any():
            row = int(np.argmax(beyond)) + 1
            message = f"the value of “{column}” is out of every range (got {values[row - 1]:g})"
            raise CaptureRefused("out_of_range", message, row=row, line=self.line_of(row))
        return finite

    def _frames_of_values(self, raw: Floats, columns: ColumnMap) -> Floats:
        frame_ms = numbers.frame_ms_from(raw, columns.clock.unit)
        fault = numbers.first_fault(frame_ms, raw)
        if fault is not None:
            raise self._refusal(fault[0] + 1, fault[1], columns)
        return frame_ms

    def _frames_of_steps(self, clock: Steps, columns: ColumnMap) -> Floats:
        frame_ms = numbers.to_ms(clock.steps, columns.clock.unit)
        fault = numbers.first_fault(frame_ms, clock.steps)
        if fault is not None:
            index, reason = fault
            raise self._refusal(index + 2, "timestamps_backwards" if reason == "negative" else reason, columns)
        if clock.bad_row is not None:
            reason = "not_a_number" if math.isnan(clock.bad_value) else "not_finite"
            raise self._refusal(clock.bad_row + 1, reason, columns)
        return frame_ms

    def _refusal(self, row: int, reason: str, columns: ColumnMap) -> CaptureRefused:
        line = self.line_of(row)
        refused = numbers.refuse(reason, row=row, line=line, got=self.shown(row), column=columns.clock.column)
        refused.hint = self.hint_at(line) or refused.hint
        return refused


def require_columns(names: Sequence[str], columns: ColumnMap) -> None:
    """Refuse a file that lacks a mapped column, or has it twice. `names` are those of the file's header."""
    for use in columns.uses:
        count = names.count(use.column)
        if count == 0:
            has = ", ".join(f"“{name}”" for name in names[:12]) + (", …" if len(names) > 12 else "")
            raise CaptureRefused("missing_column", f"there is no column “{use.column}”; the file has {has}")
        if count > 1:
            raise CaptureRefused("ambiguous_column", f"the column “{use.column}” stands {count} times in the header")
