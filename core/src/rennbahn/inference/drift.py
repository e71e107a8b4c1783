"""A slow drift that is allowed for: what is known of it before a pass ran, what passes showed of it (reading 34)."""

from __future__ import annotations

#: The allowance is a bound at 95%, as this many standard deviations (the reading has two decimals).
BOUND = 1.96
#: Passes that leave over this share of the allowance open showed little of the drift.
_LITTLE = 0.5


def tightness(allowance: float) -> float:
    """How tightly a drift of ln x an hour is held towards 0 by its allowance (a share an hour): 1 over its variance."""
    return (BOUND / allowance) ** 2


def untold(slope_var: float, allowance: float) -> bool:
    """Did the passes show little of a drift, whose variance they left at `slope_var`?"""
    return slope_var * tightness(allowance) > _LITTLE**2
