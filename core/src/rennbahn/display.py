"""Figures as they are shown (docs/measures.md, section 8).

Rounding works on the shortest decimal that reads back as the double, half away from zero, so that 47.25 shows as 47.3
and 47.35 as 47.4, whatever their binary digits say.
"""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal


def fixed(value: Decimal | float, places: int) -> str:
    """`value` with `places` decimals, without a sign where it rounds to zero."""
    exact = value if isinstance(value, Decimal) else Decimal(repr(float(value)))
    rounded = exact.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP)
    return str(abs(rounded)) if rounded == 0 else str(rounded)


def fps(value: float) -> str:
    """A rate: one decimal, none from 100 on (99.96 shows as 100)."""
    text = fixed(value, 1)
    return fixed(value, 0) if Decimal(text) >= 100 else text


def percent(share: float) -> str:
    """A margin given as a share, in percent with one decimal and a minus sign where it has one."""
    return fixed(Decimal(repr(float(share))) * 100, 1)


def signed_percent(share: float) -> str:
    """A margin with its sign, plus too; none on what rounds to zero."""
    text = percent(share)
    return text if text.startswith("-") or Decimal(text) == 0 else f"+{text}"


def ms(value: float) -> str:
    """A time in ms with two decimals."""
    return fixed(value, 2)
