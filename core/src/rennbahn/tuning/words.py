"""A tuning log as text to read."""

from __future__ import annotations

from rennbahn.display import fixed, fps, signed_percent
from rennbahn.tables import aligned
from rennbahn.tuning.answer import Tuning
from rennbahn.tuning.log import TuningLog

_WHY = {
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
_HEADS = ["Step", "Set", "State", "fps", "W", "fps a W", "What is to be known"]


def tuning_text(log: TuningLog, found: Tuning) -> str:
    """Steps in a table, then sentences."""
    rows = []
    for step, told in zip(log.steps, found.steps, strict=True):
        known = [
            "past a limit: " + ", ".join(told.over_limit) if told.over_limit else "",
            "beyond a failure" if told.beyond_a_failure else "",
            "another gives more and draws less" if told.on_front is False else "",
        ]
        rows.append(
            [
                f"{step.id} ({step.sample})" if step.sample else step.id,
                ", ".join(f"{name} {value:g} {log.settings[name].unit}".rstrip() for name, value in step.set.items())
                or "stock",
                told.state,
                "–" if told.fps is None else fps(told.fps),
                "–" if told.w is None else fixed(told.w, 1),
                "–" if told.fps_per_w is None else fixed(told.fps_per_w, 3),
                "; ".join(filter(None, known)),
            ]
        )
    parts = [aligned(_HEADS, rows)] if rows else []
    if found.knee is not None:
        knee = found.knee
        parts.append(
            f"Past {knee.step} ({fixed(knee.level, 1)} W; {fixed(knee.low, 1)} to {fixed(knee.high, 1)} W fit as "
            "well) a watt brings clearly less."
        )
    if found.equal_power is not None:
        equal = found.equal_power
        ends = f"{signed_percent(equal.low)} to {signed_percent(equal.high)}%"
        parts.append(f"At the rival's watts: {signed_percent(equal.margin)}% ({ends}), {equal.verdict}.")
    following = found.next
    if following.setting is None or following.value is None:
        parts.append(f"Nothing is proposed: {_WHY[following.why]}.")
    else:
        unit = log.settings[following.setting].unit
        value = f"{following.setting} {following.value:g} {unit}".rstrip()
        parts.append(f"Next: {value} ({_WHY[following.why]}).")
    return "\n\n".join(parts)
