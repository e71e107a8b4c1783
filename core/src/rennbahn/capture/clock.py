"""The clock column of a text, value by value: in little memory, and up to the first value at fault."""

from __future__ import annotations

from array import array
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture.columns import ColumnMap
from rennbahn.capture.numbers import EXACT, as_exact, as_number, countable
from rennbahn.capture.table import Steps


class ClockColumn:
    """Collects the clock column and tells when a value is at fault."""

    def __init__(self, columns: ColumnMap, decimal: str) -> None:
        self.decimal, self.unit = decimal, columns.clock.unit
        self.stamps = columns.clock.channel == "timestamp"
        self.values = array("d")
        self.rows = 0
        self.before: Decimal | None = None
        self.first = 0.0
        self.bad: float | None = None

    def takes(self, text: str) -> bool:
        """Take one value; False where no further row need be read."""
        self.rows += 1
        if not self.stamps:
            value = as_number(text, self.decimal)
            self.values.append(value)
            return countable(value, self.unit)
        stamp = as_exact(text, self.decimal)
        if not isinstance(stamp, Decimal):
            self.bad = stamp
            return False
        before, self.before = self.before, stamp
        if before is None:
            self.first = float(stamp)
            return True
        step = float(EXACT.subtract(stamp, before))
        self.values.append(step)
        return countable(step, self.unit)

    def column(self) -> NDArray[np.float64] | Steps:
        """What was collected, for the one place where frame times are checked."""
        values = np.array(self.values, dtype=np.float64)
        if not self.stamps:
            return values
        if self.bad is None:
            return Steps(values, self.rows, first=self.first)
        return Steps(values, self.rows, self.rows - 1, self.bad, self.first)
