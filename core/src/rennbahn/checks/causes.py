"""What may be the matter where something is off, how likely each is, and what to do about it.

Each cause says which value it would make (a normal density around it), or nothing about that (all of a wide range
alike); all are as likely before one looks, but for the few that say so.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from statistics import median

from rennbahn.checks.model import CheckedPass, Context
from rennbahn.checks.scatter import Outlier, Scatter

#: A lane or a pass is held where its frames stand at one rate for this share of the time.
HELD_SHARE = 0.55
#: Of causes that say nothing of how far something is off, each value in so wide a range (ln) is as likely as any other.
FLAT = 1.0 / 1.4
#: A cause is named from this likelihood on.
_NAMED = 0.1
#: No error is taken for less, in ln: a cause may be a little off what it would make.
_LEAST_ERROR = 0.004


#: What may always be the matter with a pass, and makes it off by any amount.
_USUAL = {
    "background": "a program in the background",
    "setting": "another setting",
    "route": "another way through the scene",
}


@dataclass(frozen=True)
class Cause:
    """What may be the matter, how likely that is among all that is thought of (0 to 1), and what to do about it."""

    id: str
    likelihood: float
    words: str


def near(off: float, expected: float, error: float) -> float:
    """How well a value in ln is explained by a cause that makes `expected`, give or take `error`."""
    error = max(error, _LEAST_ERROR)
    return math.exp(-0.5 * ((off - expected) / error) ** 2) / (error * math.sqrt(2.0 * math.pi))


def weighed(found: Sequence[tuple[str, float, str]]) -> list[Cause]:
    """Causes as (id, weight, words) with their likelihoods, the likeliest first."""
    whole = math.fsum(weight for _, weight, _ in found)
    causes = [Cause(name, weight / whole, words) for name, weight, words in found]
    return sorted(causes, key=lambda cause: -cause.likelihood)


def likeliest(causes: Iterable[Cause]) -> str:
    """The causes worth naming, as a sentence."""
    named = [cause for cause in causes if cause.likelihood >= _NAMED]
    return f"Likeliest: {'; '.join(f'{cause.words} ({cause.likelihood:.0%})' for cause in named)}."


def as_evidence(causes: Sequence[Cause]) -> dict[str, object]:
    """The same, to be kept with a doubt: their ids, and in the same order how likely each is."""
    return {
        "causes": [cause.id for cause in causes],
        "likelihoods": [round(cause.likelihood, 3) for cause in causes],
    }


def causes_of_pass(context: Context, scatter: Scatter, found: Outlier) -> list[Cause]:
    """What may be the matter with a pass whose average is off its siblings'."""
    one, off = found.one, found.off
    error = found.noise * math.sqrt(1.0 + 1.0 / len(found.others))
    slower = off < 0.0
    causes = [(name, FLAT, words) for name, words in _USUAL.items()]
    if one.after_load and slower:
        causes.append(("first", 4.0 * FLAT, "the first since its game was loaded: it began cold"))
    for way in (1.0, -1.0):
        which = "it runs at twice the rate" if way > 0.0 else "the others run at twice its rate"
        causes.append(("generated", near(off, way * math.log(2.0), error), f"{which}: generated frames?"))
    held = [o for o in found.others if o.profile.lock_share >= HELD_SHARE]
    if slower and one.profile.lock_share >= HELD_SHARE and not held:
        causes.append(("held", 10.0 * FLAT, f"it is held at {one.profile.lock_fps:.1f} fps: a limit, or sync"))
    own = scatter.log(one) - off
    for lane in context.lanes:
        level = _level(context.cells.get((lane.id, one.test), ()), scatter) if lane.id != one.lane else None
        if level is not None:
            words = f"it has the level of {lane.name}: if it was run there, move it"
            causes.append(("lane", near(off, level - own, error * math.sqrt(2.0)), words))
    return weighed(causes)


def why_of_pass(causes: Sequence[Cause]) -> str:
    """The causes as a sentence: with their likelihoods where one of them has something that speaks for it."""
    if causes[0].id in _USUAL:
        return f"Nothing tells why; usual are: {', '.join(_USUAL.values())}."
    return likeliest(cause for cause in causes if cause.id not in _USUAL)


def _level(cell: Sequence[CheckedPass], scatter: Scatter) -> float | None:
    """The middle of a cell in ln; None of an empty one."""
    logs = [scatter.log(one) for one in cell if scatter.has(one)]
    return median(logs) if logs else None
