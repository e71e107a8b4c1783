"""Stretches of traces in a sentence."""

from __future__ import annotations

from collections.abc import Sequence

from rennbahn import display
from rennbahn.measures.excerpt import Excerpt


def excerpts_words(test: str, stretch: tuple[float, float] | None, parts: Sequence[tuple[str, Excerpt]]) -> str:
    """What stretches of a test's passes come to, each by the name of its lane and pass; `stretch` where it is not all.

    >>> from rennbahn.capture import Capture
    >>> import numpy as np
    >>> from rennbahn.measures.excerpt import excerpt_of
    >>> one = excerpt_of(Capture(np.full(120, 10.0)), [], 1000 / 60)
    >>> excerpts_words("Reed Harbour, ultra", (0.0, 1.2), [("Tellur 40, pass 1", one)])
    'Reed Harbour, ultra, from 0.0 to 1.2 s: Tellur 40, pass 1, with 100 fps and a longest frame of 10.00 ms'
    """
    where = "" if stretch is None else f", from {display.fixed(stretch[0], 1)} to {display.fixed(stretch[1], 1)} s"
    return f"{test}{where}: {'; '.join(f'{name}, {_of(one)}' for name, one in parts)}"


def _of(one: Excerpt) -> str:
    if one.average_fps is None or one.longest_ms is None:
        return "without a frame that counts"
    return f"with {display.fps(one.average_fps)} fps and a longest frame of {display.ms(one.longest_ms)} ms"
