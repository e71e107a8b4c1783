"""Which run a file belongs to: the one whose time it covers, never the one that happens to be next.

A logger writes the last frame when it is stopped, so a capture covers the stretch that ends when its writing ended and
is as long as its frames. What a machine, a disk and two hands add is a shift: the file may have been flushed later than
the run ended, or a little before it was noted that it did. A shift costs what it moves, so that the nearest explanation
wins; what has none, or two, is for a person to say.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

#: A file belongs to a run of whose time (or of its own, where it is shorter) it covers at least this share.
LEAST_SHARE = 0.6
#: Another run that explains the file this nearly as well makes it a question.
NEAR = 0.7
#: A file may be flushed so long after its run ended, or written so long before it was noted that it did, s.
LATEST_S, EARLIEST_S = 10.0, 1.5
#: What a shift by a second costs, in seconds of cover.
_SHIFT_COST = 0.35

Why = Literal["covers", "no_run", "too_little", "two_runs", "has_one"]


@dataclass(frozen=True)
class RunSpan:
    """A run at the bench, in seconds on one clock: when it began and when it ended.

    `ended_s` is None while it is under way. `has_file` says that its frames came already.
    """

    id: int
    began_s: float
    ended_s: float | None = None
    has_file: bool = False


@dataclass(frozen=True)
class FileSpan:
    """A file of frames or samples on the same clock: when its writing ended and how many seconds it holds."""

    ended_s: float
    length_s: float


@dataclass(frozen=True)
class Belonging:
    """What was found: the run a file belongs to, or the likeliest one as a proposal, and why.

    `run` is set where it is sure. `share` is the share that is covered, 0 to 1.
    """

    run: int | None
    proposed: int | None
    share: float
    why: Why


def belonging(file: FileSpan, runs: Sequence[RunSpan]) -> Belonging:
    """The run whose time a file covers.

    Sure where the file covers at least :data:`LEAST_SHARE` of the run (or the run as much of the file, whichever is
    shorter), no other run comes near, and the run has no frames yet.
    """
    told = sorted(((_cover(file, run), run) for run in runs), key=lambda each: -each[0])
    best, run = told[0] if told else (0.0, None)
    if run is None or best <= 0.0:
        return Belonging(None, None, 0.0, "no_run")
    share = min(1.0, best / _whole(file, run))
    if share < LEAST_SHARE:
        return Belonging(None, run.id, share, "too_little")
    near = [
        other for cover, other in told if cover >= NEAR * best and cover >= LEAST_SHARE * _whole(file, other)
    ]  # fmt: skip
    if len(near) > 1:
        # Of two that explain it as well, the later one is proposed.
        return Belonging(None, max(near, key=lambda one: one.began_s).id, share, "two_runs")
    if run.has_file:
        return Belonging(None, None, share, "has_one")
    return Belonging(run.id, run.id, share, "covers")


def _whole(file: FileSpan, run: RunSpan) -> float:
    """What a full cover would be, s: of a run under way all of the file, since what it holds ended already."""
    length = file.length_s if run.ended_s is None else min(file.length_s, run.ended_s - run.began_s)
    return max(length, 1e-3)


def _cover(file: FileSpan, run: RunSpan) -> float:
    """How many seconds of a run a file explains, at the shift that explains most; what the shift costs is taken off."""
    whole = [file.ended_s - (run.ended_s if run.ended_s is not None else file.ended_s), 0.0]
    # Most is explained where the ends meet, or where the beginnings do: between them nothing bends.
    whole.append(file.ended_s - file.length_s - run.began_s)
    shifts = [min(LATEST_S, max(-EARLIEST_S, by)) for by in whole]
    return max(
        _overlap(file.ended_s - by - file.length_s, file.ended_s - by, run) - _SHIFT_COST * abs(by) for by in shifts
    )


def _overlap(began_s: float, ended_s: float, run: RunSpan) -> float:
    until = ended_s if run.ended_s is None else min(ended_s, run.ended_s)
    return max(0.0, until - max(began_s, run.began_s))
