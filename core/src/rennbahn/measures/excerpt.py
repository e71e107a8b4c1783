"""A stretch of a trace as it is printed: what is drawn of it, and what its frames that count come to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rennbahn.capture import Capture
from rennbahn.capture.envelope import Envelope, envelope


@dataclass(frozen=True)
class Excerpt:
    """The frames of a capture whose end clock lies in (from_s, to_s]: drawn all, told of only where they count.

    Rates are in fps, times in ms; both None where no frame of the stretch counts.
    """

    from_s: float
    to_s: float
    drawn: Envelope
    frames: int
    average_fps: float | None
    longest_ms: float | None
    #: So many of its frames took longer than the budget.
    over_budget: int


def excerpt_of(
    whole: Capture,
    windows: Sequence[tuple[float, float]],
    budget_ms: float,
    from_s: float = 0.0,
    to_s: float | None = None,
    stretches: int = 480,
) -> Excerpt:
    """A stretch of a capture (all of it without `to_s`), seen through its windows (none for all of it).

    Clocks are the whole capture's, s. The average is frames by the sum of their times, as of a pass (measures.md 2).
    Raises ValueError where the stretch ends before it begins.
    """
    to_s = whole.duration_s if to_s is None else to_s
    if to_s <= from_s:
        raise ValueError("a stretch ends after it begins")
    clock, frames = whole.end_clock_s, whole.frame_ms
    inside = (clock > from_s) & (clock <= to_s)
    if windows:
        inside &= np.any([(clock > start) & (clock <= stop) for start, stop in windows], axis=0)
    seen = frames[inside]
    return Excerpt(
        from_s=from_s,
        to_s=to_s,
        drawn=envelope(whole, stretches, from_s, to_s),
        frames=len(seen),
        average_fps=float(1000.0 * len(seen) / seen.sum()) if len(seen) else None,
        longest_ms=float(seen.max()) if len(seen) else None,
        over_budget=int((seen > budget_ms).sum()),
    )
