"""What the sentences of a tuning log stand on: numbers and steps, so that a reader can do the sum again."""

from __future__ import annotations

from rennbahn.display import fixed, fps
from rennbahn.tuning.answer import Tuning, last_watts_of, proven_of
from rennbahn.tuning.log import Step, TuningLog
from rennbahn.tuning.power import Noise, Noises, around
from rennbahn.tuning.sentences import minutes


def why_of(log: TuningLog, found: Tuning) -> tuple[str, ...]:
    """Why a log says what it says, in the order of its sentences."""
    noises = Noises.of(log.steps, log.rival)
    return (
        f"A step is proven where every stability run passed and they lasted {minutes(log.stability_min)} together.",
        _noise(noises),
        *_last(log, noises.fps),
        *_knee(log, found),
        *_equal(log, found),
    )


def _noise(noises: Noises) -> str:
    if noises.fps is None:
        return "No step has two passes, so nothing tells how passes scatter: knees, fronts and intervals need that."
    told = f"Passes of one step scatter by {_percent(noises.fps)} in fps ({_freedom(noises.fps)})"
    if noises.w is None:
        return f"{told}; no step has two readings of W, so nothing tells how those scatter."
    return f"{told} and by {_percent(noises.w)} in W ({_freedom(noises.w)}), over all steps and the rival."


def _last(log: TuningLog, noise: Noise | None) -> list[str]:
    last = last_watts_of(log)
    if last is None or noise is None:
        return []
    low, high = (next(one for one in log.steps if one.id == step) for step in (last.from_step, last.to_step))
    return [
        f"The last watts: {_point(high)} less {_point(low)}; the interval reaches {fixed(noise.t(0.975), 2)} standard "
        "errors (t at 95%) either way."
    ]


def _knee(log: TuningLog, found: Tuning) -> list[str]:
    knee = found.knee
    if knee is None:
        return []
    many = len(proven_of(log))
    where = f"{fixed(knee.level, 0)} W"
    if knee.low < knee.high:
        where += f" (bends from {fixed(knee.low, 0)} to {fixed(knee.high, 0)} W fit as well)"
    return [f"Two straight lines through {many} proven steps fit best where they meet at {where}."]


def _equal(log: TuningLog, found: Tuning) -> list[str]:
    rival = log.rival
    beside = around(proven_of(log), rival.w) if rival is not None and found.equal_power is not None else None
    if rival is None or rival.w is None or rival.fps is None or beside is None:
        return []
    passes = "1 pass" if len(rival.passes) == 1 else f"{len(rival.passes)} passes"
    low, high = beside
    return [
        f"At the rival's {fixed(rival.w, 1)} W ({fps(rival.fps)} fps, {passes}) the part is read off the straight line "
        f"between {_point(low)} and {_point(high)}."
    ]


def _point(step: Step) -> str:
    many = len(step.passes)
    rate, watts = fps(step.fps or 0.0), fixed(step.w or 0.0, 1)
    return f"step {step.id} ({rate} fps at {watts} W, {many} pass{'' if many == 1 else 'es'})"


def _percent(noise: Noise) -> str:
    return f"{fixed(100.0 * noise.v**0.5, 2)}%"


def _freedom(noise: Noise) -> str:
    return f"{noise.df} degree{'' if noise.df == 1 else 's'} of freedom"
