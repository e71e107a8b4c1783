"""A tuning log in sentences, as people copy them: each is true of incomplete logs too, and says of what it is."""

from __future__ import annotations

import math
from collections.abc import Sequence

from rennbahn.display import fixed, fps, percent, signed_percent
from rennbahn.tuning.answer import Tuning, last_watts_of
from rennbahn.tuning.log import PASSED, PROVEN, UNSTABLE, Step, TuningLog
from rennbahn.tuning.power import LastWatts
from rennbahn.tuning.samples import Samples

#: Why something is proposed, or nothing is.
WHY_WORDS = {
    "again": "the last step went well: the same again",
    "half_way": "half way to what failed",
    "up_to_limit": "the maker's stated limit, and no farther",
    "no_steps": "no step yet",
    "nothing_moved": "the last step moved no setting away from stock",
    "several_moved": "the last step moved several settings at once: nobody knows which one did it",
    "no_known_limit": "the maker's limit on that side is not known",
    "at_limit": "it stands at the maker's stated limit",
    "past_limit": "it stands past the maker's stated limit",
    "at_failure": "it stands at a failure, or past one",
    "under_resolution": "between what runs and what failed lies no value that can be set",
}
_ENDED = {
    "crashed": "crashed",
    "errors": "gave errors",
    "artefacts": "showed artefacts",
    "hang": "hung",
    PASSED: "passed",
}


def amount(value: float, unit: str) -> str:
    """A value with its unit."""
    return f"{value:.12g} {unit}".rstrip()


def set_words(log: TuningLog, step: Step) -> str:
    """What a step set, in the order of the log's settings; what it left alone is at stock."""
    told = [f"{name} {amount(step.set[name], log.settings[name].unit)}" for name in log.settings if name in step.set]
    return ", ".join(told) or "stock"


def failed_words(step: Step) -> str:
    """How a step failed: its first run that did not pass; empty where all did."""
    run = next((one for one in step.stability if one.outcome != PASSED), None)
    return "" if run is None else f"{_ENDED[run.outcome]} after {minutes(run.minutes)} of {run.program}"


def minutes(value: float) -> str:
    """Minutes, in words."""
    return f"{value:g} minute{'' if value == 1 else 's'}"


def sentences_of(log: TuningLog, found: Tuning, part: str, rival: str = "the rival") -> tuple[str, ...]:
    """What is known of a part by its log: what is proven, what failed, where watts stop paying, what it is worth.

    All is of the sample of the last step, which is named where there are several.
    """
    if not log.steps:
        return (f"Nothing was set on {part} yet.",)
    last = log.steps[-1].sample
    several = len({one.sample for one in log.steps}) > 1
    subject = f"{part}, sample {last}," if several and last else part
    own = [one for one in log.steps if one.sample == last]
    told = {one.id: one for one in found.steps}
    parts = [_proven(log, own, found, subject), _failures(log, own)]
    over = [one for one in own if told[one.id].over_limit]
    if over:
        names = list(dict.fromkeys(name for one in over for name in told[one.id].over_limit))
        parts.append(f"{_steps(over)} went past the maker's stated limit of {' and '.join(names)}.")
    if found.knee is not None:
        knee, step = found.knee, next(one for one in own if one.id == found.knee.step)
        watts = [fixed(one, 0) for one in (knee.level, knee.low, knee.high)]
        also = f"; {watts[1]} to {watts[2]} W fit as well" if len(set(watts)) > 1 else ""
        parts.append(f"Past {set_words(log, step)} ({watts[0]} W{also}) a watt brings clearly less.")
    if found.equal_power is not None:
        equal = found.equal_power
        verdict = {"ahead": "is faster", "behind": "is slower", "even": "is even with it"}.get(equal.verdict)
        ends = f"95% interval {signed_percent(equal.low)} to {signed_percent(equal.high)}%"
        parts.append(
            f"At the watts that {rival} draws {subject} {verdict}: {signed_percent(equal.margin)}% ({ends})."
            if verdict
            else f"At the watts that {rival} draws, whether {subject} is faster is open: "
            f"{signed_percent(equal.margin)}% ({ends})."
        )
    bought = last_watts_of(log)
    if bought is not None:
        parts.append(_last_watts(log, own, bought))
    return tuple(filter(None, parts))


def next_words(log: TuningLog, found: Tuning) -> str:
    """What is proposed as the next value, and why; or why nothing is."""
    following = found.next
    if following.setting is None or following.value is None:
        return f"Nothing is proposed: {WHY_WORDS[following.why]}."
    unit = log.settings[following.setting].unit
    return f"Next: {following.setting} {amount(following.value, unit)} ({WHY_WORDS[following.why]})."


def samples_words(found: Samples, part: str) -> str:
    """How far samples of one part lie apart."""
    if found.tried > 1 and found.sd is None:
        return (
            f"{found.tried} samples of {part} were tried, but no two of them have figures at the same settings: "
            "nothing is known of how far they lie apart."
        )
    if found.sd is None:
        return f"One sample of {part} was tried: one sample is one sample."
    names = ", ".join(f"{one.sample or 'unnamed'} {fps(one.fps)}" for one in found.samples)
    said = f"{len(found.samples)} samples of {part} at the same settings give {names} fps"
    if found.low is None or found.high is None:
        return f"{said}: two samples tell of no spread."
    return (
        f"{said}: they lie {percent(found.sd)}% apart (standard deviation; 95% interval {percent(found.low)} to "
        f"{percent(found.high)}%)."
    )


def _proven(log: TuningLog, own: Sequence[Step], found: Tuning, subject: str) -> str:
    """The proven steps that no other proven one reaches: how far it is known to go."""
    told = {one.id: one for one in found.steps}
    proven = [one for one in own if told[one.id].state == PROVEN and not told[one.id].beyond_a_failure]
    if not proven:
        return f"Nothing that was set on {subject} is proven stable yet."
    farthest = [
        one for one in proven
        if not any(log.reaches(other, one) and not log.reaches(one, other) for other in proven if other is not one)
    ]  # fmt: skip
    one = farthest[-1]
    programs = len({run.program for run in one.stability})
    whole = minutes(sum(run.minutes for run in one.stability))
    others = [f"{set_words(log, other)} (step {other.id})" for other in farthest[:-1]]
    more = f"; so is {' and '.join(others[-2:])}" if others else ""
    said = set_words(log, one)
    where = "at stock" if said == "stock" else f"at {said}"
    return (
        f"{subject} is proven stable {where} (step {one.id}: {whole} in {programs} "
        f"program{'' if programs == 1 else 's'}){more}."
    )


def _failures(log: TuningLog, own: Sequence[Step]) -> str:
    failed = [one for one in own if one.state(log.stability_min) == UNSTABLE]
    if not failed:
        return ""
    told = "; ".join(f"{set_words(log, one)} {failed_words(one)} (step {one.id})" for one in failed[:3])
    more = f"; and {len(failed) - 3} more" if len(failed) > 3 else ""
    return f"Failed: {told}{more}."


def _steps(steps: Sequence[Step]) -> str:
    names = [one.id for one in steps]
    if len(names) == 1:
        return f"Step {names[0]}"
    return f"Steps {', '.join(names[:-1])} and {names[-1]}"


def _last_watts(log: TuningLog, own: Sequence[Step], found: LastWatts) -> str:
    low, high = (next(one for one in own if one.id == name) for name in (found.from_step, found.to_step))
    what = f"From {set_words(log, low)} to {set_words(log, high)} the last {fixed(found.more_w, 0)} W"
    ends = f"95% interval {fixed(found.low, 1)} to {fixed(found.high, 1)}"
    if found.low <= 0.0 <= found.high or math.isnan(found.low):
        return f"{what} bring nothing that is shown: {fixed(found.more_fps, 1)} fps ({ends})."
    return f"{what} bring {fixed(found.more_fps, 1)} fps ({ends}), {fixed(found.more_fps / found.more_w, 2)} a watt."
