"""A tuning log answered: step by step, as a whole, and what comes next."""

from __future__ import annotations

from dataclasses import dataclass

from rennbahn.tuning.log import PROVEN, UNSTABLE, Step, TuningLog
from rennbahn.tuning.power import EqualPower, KneeFound, LastWatts, Noises, equal_power, knee_of, last_watts, off_front
from rennbahn.tuning.proposal import Proposal, next_of


@dataclass(frozen=True)
class TunedStep:
    """A step: `on_front` is whether no other step of its sample is shown to give more and draw less; None where it
    failed or lacks a figure.
    """

    id: str
    state: str
    beyond_a_failure: bool
    over_limit: tuple[str, ...]
    fps: float | None
    w: float | None
    fps_per_w: float | None
    on_front: bool | None


@dataclass(frozen=True)
class Tuning:
    """All that is told of a log."""

    steps: tuple[TunedStep, ...]
    knee: KneeFound | None
    equal_power: EqualPower | None
    next: Proposal


def tuning_of(log: TuningLog) -> Tuning:
    """Answer a log (measures.md 10). Knee and equal power are of the proven steps of the last step's sample."""
    states = {one.id: one.state(log.stability_min) for one in log.steps}
    noises = Noises.of(log.steps, log.rival)
    figured = [one for one in log.steps if one.fps is not None and one.w is not None]
    stands = [one for one in figured if states[one.id] != UNSTABLE]
    samples = [[one for one in stands if one.sample == sample] for sample in dict.fromkeys(x.sample for x in stands)]
    off, on = off_front(samples, noises), {one.id for one in stands}
    proven = proven_of(log)
    return Tuning(
        steps=tuple(
            TunedStep(
                one.id, states[one.id], log.beyond_a_failure(one), log.over_limit(one), one.fps, one.w,
                one.fps / one.w if one.fps is not None and one.w is not None else None,
                one.id not in off if one.id in on else None,
            )
            for one in log.steps
        ),
        knee=knee_of(proven, noises),
        equal_power=equal_power(proven, log.rival, noises),
        next=next_of(log),
    )  # fmt: skip


def last_watts_of(log: TuningLog) -> LastWatts | None:
    """What the last watts bought among the proven steps of the last step's sample."""
    return last_watts(proven_of(log), Noises.of(log.steps, log.rival))


def proven_of(log: TuningLog) -> list[Step]:
    """The proven steps of the last step's sample that have both figures."""
    last = log.steps[-1].sample if log.steps else ""
    return [
        one for one in log.steps
        if one.sample == last and one.fps is not None and one.w is not None
        and one.state(log.stability_min) == PROVEN
    ]  # fmt: skip
