"""A pass that was doubted and run again: did it repeat, and if not, which of the two is to be doubted?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from rennbahn.checks.base import Looked, percent
from rennbahn.checks.lanes import sessions_of
from rennbahn.checks.model import CheckedPass, Context
from rennbahn.checks.scatter import Scatter, two_sided

#: Two runs of the same agree unless either figure says otherwise at this level; both figures together keep to 2%.
DISAGREE = 0.01
#: One of the two is doubted where it lies off the other passes at this level and the other does not.
_OFF = 0.01
_USUAL_DF = 30.0


@dataclass(frozen=True)
class Repeated:
    """What a repeat says of the pass it repeats.

    `off` is the repeat over the first, less 1, in the figure that tells most against their agreeing; `noise` one
    standard deviation of that figure as a share. `suspect` is the pass to be doubted where the other passes of the
    cell side with one of the two.
    """

    repeat: str
    of: str
    agrees: bool
    figure: str
    off: float
    noise: float
    p: float
    other_session: bool
    suspect: str | None
    words: str

    def as_json(self) -> dict[str, Any]:
        """Plain data."""
        return {
            "repeat": self.repeat, "of": self.of, "agrees": self.agrees, "figure": self.figure, "off": self.off,
            "noise": self.noise, "p": self.p, "other_session": self.other_session, "suspect": self.suspect,
            "words": self.words,
        }  # fmt: skip


def repeats_of(context: Context) -> list[Repeated]:
    """What each pass that repeats another says of it, in the order of the passes; both must be there."""
    looked = Looked(context)
    by_id = {one.id: one for one in context.passes}
    session = sessions_of(context)
    found = []
    for repeat in context.passes:
        first = by_id.get(repeat.repeats or "")
        if first is None or (first.lane, first.test) != (repeat.lane, repeat.test) or first.id == repeat.id:
            continue
        apart = session.get(first.id) != session.get(repeat.id)
        one = _repeated(looked, first, repeat, other_session=apart)
        if one is not None:
            found.append(one)
    return found


def _repeated(looked: Looked, first: CheckedPass, repeat: CheckedPass, *, other_session: bool) -> Repeated | None:
    compared = [
        (words, scatter, *_apart(scatter, first, repeat))
        for words, scatter in (("average", looked.averages), ("1% low", looked.lows))
        if scatter.has(first) and scatter.has(repeat)
    ]
    if not compared:
        return None
    # Of figures that agree the average is told, of those that do not the one farthest beyond noise.
    worst = min(compared, key=lambda one: one[4])
    agrees = worst[4] >= DISAGREE
    words, scatter, off, noise, p = compared[0] if agrees else worst
    suspect = None if agrees else _suspect(scatter, first, repeat)
    told = _words(first, repeat, words, off, noise, suspect, agrees=agrees, other_session=other_session)
    return Repeated(
        repeat.id, first.id, agrees, words, math.expm1(off), math.expm1(noise), p, other_session,
        suspect.id if suspect else None, told,
    )  # fmt: skip


def _apart(scatter: Scatter, first: CheckedPass, repeat: CheckedPass) -> tuple[float, float, float]:
    """How far the repeat lies off the first in ln, the noise of one pass, and the p of nothing but noise.

    Neither of the two has a say in what noise is.
    """
    noise = scatter.noise_without(first, repeat)
    off = scatter.log(repeat) - scatter.log(first)
    return off, noise.s, two_sided(off / (noise.s * math.sqrt(2.0)), noise.df or _USUAL_DF)


def _suspect(scatter: Scatter, first: CheckedPass, repeat: CheckedPass) -> CheckedPass | None:
    """The one of two that the other passes of the cell speak against; None where they cannot tell."""
    others = [scatter.log(one) for one in scatter.cell_of(first) if one.id not in (first.id, repeat.id)]
    if not others:
        return None
    noise = scatter.noise_without(first, repeat)
    middle = math.fsum(others) / len(others)
    spread = noise.s * math.sqrt(1.0 + 1.0 / len(others))

    def is_off(one: CheckedPass) -> bool:
        return two_sided((scatter.log(one) - middle) / spread, noise.df or _USUAL_DF) < _OFF

    off = [one for one in (first, repeat) if is_off(one)]
    return off[0] if len(off) == 1 else None


def _words(
    first: CheckedPass,
    repeat: CheckedPass,
    figure: str,
    off: float,
    noise: float,
    suspect: CheckedPass | None,
    *,
    agrees: bool,
    other_session: bool,
) -> str:
    numbers = f"{percent(math.expm1(off))} apart in {figure}, noise is {percent(math.expm1(noise))}"
    if agrees:
        worth = (
            "It was run in another session, so nothing that was particular to that day explains it: that is worth more "
            "than a repeat at once."
            if other_session
            else "Both are of one session, so whatever was particular to it would repeat as well."
        )
        return f"Reproduced: pass {repeat.number} agrees with pass {first.number} ({numbers}). {worth}"
    which = (
        f"The other passes side against pass {suspect.number}: doubt that one."
        if suspect is not None
        else "The other passes cannot tell which of the two is off: run a third."
    )
    return f"Not reproduced: pass {repeat.number} and pass {first.number} lie {numbers}. {which}"
