"""What a plan says in words."""

from __future__ import annotations

from rennbahn.display import percent
from rennbahn.planning.order_tells import Telling


def untold_words(told: Telling, allowance: float) -> str:
    """By how much a drift could move the answer where the order cannot tell it from lanes; empty where it can."""
    if not told.untold:
        return ""
    return (
        f"This order cannot tell drift from lanes: a drift of {percent(allowance)}% an hour, as the study allows for, "
        f"could move the answer by up to {percent(told.drift)}% either way."
    )
