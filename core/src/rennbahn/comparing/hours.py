"""The hours of the bench: in which session, and when in it, each pass ran (readings 34 and 40)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

#: A bench that rested longer than this began a new session, s: it was off, or has cooled down.
REST_S = 7200.0
#: Files say to a second or two when they were written; passes that overlap by more were not run at these times, s.
SLACK_S = 5.0


@dataclass(frozen=True)
class Run:
    """When a pass began, in seconds on any clock, and how long it took. None where nobody knows.

    `session_s` is when its session began, where that was noted.
    """

    began_s: float | None
    length_s: float
    session_s: float | None = None


@dataclass(frozen=True)
class Hours:
    """Hours of each pass, in the order given, None where they are not known; and what is wrong with them.

    `trouble` is `unknown` where some pass does not say when it ran, `overlap` where passes would have run at once: such
    times are those of copied files, and none of them counts. `sessions` names each pass's session by when it began:
    where nobody noted that, a bench that rested begins a new one; None where neither is known.
    """

    of: tuple[float | None, ...]
    sessions: tuple[str | None, ...] = ()
    trouble: Literal["", "unknown", "overlap"] = ""
    #: How many passes do not say when they ran.
    unknown: int = 0


def bench_hours(runs: Sequence[Run]) -> Hours:
    """Hours from where each pass's session began to the middle of the pass.

    >>> found = bench_hours([Run(0.0, 60.0), Run(600.0, 60.0), Run(90_000.0, 60.0)])
    >>> found.sessions
    ('0', '0', '90000')
    """
    known = sorted((run.began_s, at) for at, run in enumerate(runs) if run.began_s is not None)
    found: list[float | None] = [None] * len(runs)
    sessions = [None if run.session_s is None else f"{run.session_s:.0f}" for run in runs]
    noted = tuple(sessions)
    session_s = before_s = float("-inf")
    for began_s, at in known:
        if began_s < before_s - SLACK_S:
            return Hours((None,) * len(runs), noted, "overlap")
        noted_s = runs[at].session_s
        if noted_s is not None:
            session_s = min(noted_s, began_s)
        elif began_s > before_s + REST_S:
            session_s = began_s
        before_s = began_s + runs[at].length_s
        if noted_s is None:
            sessions[at] = f"{session_s:.0f}"
        found[at] = (began_s + runs[at].length_s / 2.0 - session_s) / 3600.0
    unknown = len(runs) - len(known)
    return Hours(tuple(found), tuple(sessions), "unknown" if unknown else "", unknown)
