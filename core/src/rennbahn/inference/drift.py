"""A slow drift that is allowed for: what is known of it before a pass ran, what passes showed of it (reading 34)."""

from __future__ import annotations

#: The allowance is a bound at 95%, as this many standard deviations (the reading has two decimals).
BOUND = 1.96
#: The passes show a drift where they tell so many times as much of it as the allowance does.
SHOWN = 3.0


def spread_of(allowance: float) -> float:
    """The variance of a drift of ln x an hour that an allowance (a share an hour) stands for."""
    return (allowance / BOUND) ** 2
