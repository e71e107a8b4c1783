"""How unlike sessions of one setup are (measures.md 11), learned from all that was met twice."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from rennbahn.history.model import Cell, Noise

#: What is known before any cell returned: a standard deviation of ln x with so many degrees of freedom.
KNOWN_SD, KNOWN_DF = 0.006, 4


@dataclass(frozen=True)
class BetweenSessions:
    """The standard deviation of ln x between sessions, its degrees of freedom, and from how many cells it is."""

    sd: float
    df: float
    from_cells: int

    @property
    def v(self) -> float:
        """The variance."""
        return self.sd**2


def between_of(cells: Iterable[Cell], noises: Mapping[str, Noise]) -> BetweenSessions:
    """The variance between sessions of the same setup in the same test, as an analysis of variance has it.

    Unbalanced one-way random effects, pooled over setups: `Q` squares of session means about their setup's mean, `C`
    what one unit of the variance adds to them. What is known before stands for `KNOWN_DF` degrees of freedom.
    """
    by_setup: dict[tuple[str, ...], dict[str, list[Cell]]] = {}
    for one in cells:
        by_setup.setdefault(one.setup, {}).setdefault(one.session, []).append(one)
    q = c = within = 0.0
    d = met = 0
    for setup, sessions in by_setup.items():
        if len(sessions) < 2:
            continue
        counts = [sum(len(one.passes) for one in of) for of in sessions.values()]
        sums = [math.fsum(x for one in of for x in one.logs) for of in sessions.values()]
        whole = sum(counts)
        middle = math.fsum(sums) / whole
        q += math.fsum(n * (s / n - middle) ** 2 for n, s in zip(counts, sums, strict=True))
        c += whole - sum(n * n for n in counts) / whole
        noise = noises.get(setup[-1])
        within += (len(sessions) - 1) * (noise.v if noise is not None else 0.0)
        d += len(sessions) - 1
        met += 1
    seen = max(0.0, (q - within) / c) if c else 0.0
    df = KNOWN_DF + d
    return BetweenSessions(math.sqrt((KNOWN_DF * KNOWN_SD**2 + d * seen) / df), float(df), met)
