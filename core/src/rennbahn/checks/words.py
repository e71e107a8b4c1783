"""What the checks say of a pass, in one line."""

from __future__ import annotations

from collections.abc import Sequence


def verdict_line(weak: Sequence[bool]) -> str:
    """The verdict of all checks on a pass; `weak` says of each doubt whether its check is known to be unsure."""
    firm = sum(not one for one in weak)
    if firm:
        return "One check doubts it." if firm == 1 else f"{firm} checks doubt it."
    return "A check is unsure of it." if weak else "No check doubts it."
