"""Numbers in text, to the letter of reading 26 of docs/measures.md, and the check that every frame time must pass."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from decimal import Context, Decimal
from fractions import Fraction
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture.bounds import LONGEST_NUMBER
from rennbahn.capture.columns import TIME_UNITS
from rennbahn.errors import CaptureRefused

#: A frame longer than a minute is a pause, not a frame.
LONGEST_FRAME_MS = 60_000.0
#: A frame shorter than a nanosecond is none either: its rate, and sums of such rates, leave what doubles hold.
SHORTEST_FRAME_MS = 1e-6

_NUMBER = re.compile(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_SPECIAL = re.compile(r"[+-]?(?:nan|inf|infinity)", re.IGNORECASE)
#: What most fields hold: a number that is certainly finite, told at a glance.
_SHORT = re.compile(r"[+-]?[0-9]{1,60}(?:\.[0-9]{0,60})?")
_ALL_SHORT = re.compile(rf"{_SHORT.pattern}(?:\n{_SHORT.pattern})*")
#: Exponents beyond this make exact decimals of unbounded size; doubles end at 308.
_LARGEST_EXPONENT = 400
#: Digits enough that no difference of two such timestamps is ever rounded.
EXACT = Context(prec=4 * _LARGEST_EXPONENT)


def as_number(text: str, decimal: str = ".") -> float:
    """The double that `text` says; NaN where it says none."""
    text = text.strip()
    if len(text) > LONGEST_NUMBER:
        return math.nan
    if decimal != ".":
        if "." in text:
            return math.nan
        text = text.replace(decimal, ".", 1)
    if _NUMBER.fullmatch(text) or _SPECIAL.fullmatch(text):
        return float(text)
    return math.nan


def count_numbers(texts: Sequence[str], decimal: str = ".") -> int:
    """How many of `texts` say a finite number, as :func:`as_number` says of each."""
    if decimal == "." and _all_short(texts):
        return len(texts)
    odd = texts if decimal != "." else [text for text in texts if _SHORT.fullmatch(text) is None]
    return len(texts) - len(odd) + sum(math.isfinite(as_number(text, decimal)) for text in odd if text)


def numbers_in(texts: Sequence[str], decimal: str = ".") -> list[float]:
    """The finite numbers among `texts`."""
    if decimal == "." and _all_short(texts):
        return list(map(float, texts))
    short = _SHORT.fullmatch if decimal == "." else None
    found = [float(text) if short and short(text) else as_number(text, decimal) for text in texts]
    return [number for number in found if math.isfinite(number)]


def _all_short(texts: Sequence[str]) -> bool:
    """Does each of `texts` say a finite number at a glance? They are looked at together."""
    together = "\n".join(texts)
    return _ALL_SHORT.fullmatch(together) is not None and together.count("\n") == len(texts) - 1


def as_exact(text: str, decimal: str = ".") -> Decimal | float:
    """The exact decimal that `text` says; a float NaN or infinity where it says none that is finite."""
    number = as_number(text, decimal)
    if not math.isfinite(number):
        return number
    exact = Decimal(text.strip().replace(decimal, "."))
    exponent = exact.adjusted()
    return exact if abs(exponent) <= _LARGEST_EXPONENT or not exact else number


def fault_of(frame_ms: float, raw: float) -> str | None:
    """Reason code of a frame time that cannot be counted, or None. `raw` is the value as the file has it."""
    if math.isnan(raw):
        return "not_a_number"
    if math.isinf(raw):
        return "not_finite"
    if frame_ms == 0:
        return "zero"
    if frame_ms < 0:
        return "negative"
    if frame_ms < SHORTEST_FRAME_MS:
        return "under_limit"
    return "over_limit" if frame_ms > LONGEST_FRAME_MS else None


def to_ms(values: NDArray[np.float64], unit: str) -> NDArray[np.float64]:
    """Times in `unit` as milliseconds. Whole factors are divided by, since 0.001 has no exact double."""
    times, by = TIME_UNITS[unit]
    if times != 1.0:
        return values * times
    return values / by if by != 1.0 else values


def frame_ms_from(values: NDArray[np.float64], unit: str) -> NDArray[np.float64]:
    """Frame times in milliseconds from frame times or rates, unchecked."""
    if unit == "fps":
        with np.errstate(divide="ignore", over="ignore"):
            return 1000.0 / values
    with np.errstate(over="ignore"):
        return to_ms(values, unit)


def countable(value: float, unit: str) -> bool:
    """Does one value of the clock column make a frame time that counts? Fault or not only; the reason comes later."""
    if unit == "fps":
        return value > 0 and SHORTEST_FRAME_MS <= 1000.0 / value <= LONGEST_FRAME_MS
    times, by = TIME_UNITS[unit]
    return SHORTEST_FRAME_MS <= value * times / by <= LONGEST_FRAME_MS


def first_fault(frame_ms: NDArray[np.float64], raw: NDArray[np.float64]) -> tuple[int, str] | None:
    """Index and reason code of the first frame that cannot be counted."""
    good = (frame_ms >= SHORTEST_FRAME_MS) & (frame_ms <= LONGEST_FRAME_MS)
    if good.all():
        return None
    index = int(np.argmin(good))
    reason = fault_of(float(frame_ms[index]), float(raw[index]))
    if reason is None or (np.isinf(frame_ms[index]) and raw[index] == 0):
        reason = "not_finite"
    return index, reason


def exact_steps(values: Sequence[Decimal | float | int | Fraction]) -> tuple[NDArray[np.float64], int | None]:
    """Differences of timestamps, subtracted exactly before they become doubles.

    Returns the steps (shape N - 1) up to the first value that is NaN or infinite, and the index of that value.
    """
    bad = next((i for i, v in enumerate(values) if isinstance(v, float) and not math.isfinite(v)), None)
    exact = [Fraction(v) for v in values[:bad]]
    steps = [_as_double(b - a) for a, b in pairwise(exact)]
    return np.asarray(steps, dtype=np.float64), bad


def _as_double(step: Fraction) -> float:
    try:
        return float(step)
    except OverflowError:
        return math.inf if step > 0 else -math.inf


def refuse(reason: str, *, row: int | None, line: int | None, got: str = "", column: str = "") -> CaptureRefused:
    """The error for a frame that cannot be counted, in words."""
    what = f"the value of “{column}”" if column else "the value"
    shown = f" (got {got!r})" if got else ""
    words = {
        "not_a_number": f"{what} is not a number{shown}",
        "not_finite": f"{what} gives no finite frame time{shown}",
        "zero": f"frame time must be above 0 ms{shown}",
        "negative": f"frame time must be above 0 ms{shown}",
        "over_limit": f"frame time must be at most 60,000 ms{shown}",
        "under_limit": f"frame time must be at least 0.000001 ms{shown}",
        "timestamps_backwards": f"the timestamp lies before the one above it{shown}",
    }
    return CaptureRefused(reason, words[reason], row=row, line=line)
