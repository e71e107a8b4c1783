"""The next value to try: never past a stated limit, never at or past a failure, none where a limit is not known."""

from __future__ import annotations

import math
from dataclasses import dataclass

from rennbahn.tuning.log import LIMITED, PROVEN, UNSTABLE, Setting, Step, TuningLog

#: A value is at a limit or wall from so many resolutions short of it on: what is written in decimals is not exact.
_AT = 1e-9


@dataclass(frozen=True)
class Proposal:
    """What to set next, or why nothing is proposed.

    `why`: again, half_way, up_to_limit; without a value no_steps, nothing_moved, several_moved, no_known_limit,
    at_limit, past_limit, at_failure, under_resolution.
    """

    setting: str | None
    value: float | None
    why: str


@dataclass(frozen=True)
class _Moved:
    """The one setting that the last step moved: from where, to where, which way is hard, what limits it there."""

    name: str
    before: float
    value: float
    way: int
    base: float
    wall: float | None
    #: The limit on the hard way, and the one on the other.
    limit: float | None
    other: float | None


def next_of(log: TuningLog) -> Proposal:
    """What to try after the last step, in the one setting that it moved.

    The last increment again, as long as nothing failed; else half way from what runs to the nearest failure, in whole
    resolutions. In both cases up to the maker's limit at most.
    """
    moved = _moved(log)
    if isinstance(moved, str):
        return Proposal(None, None, moved)
    resolution = log.settings[moved.name].resolution
    at, way = _AT * resolution, moved.way
    why = _stands_at(moved, at)
    if moved.wall is None:
        step, how = abs(moved.value - moved.before), "again"
    else:
        count = math.floor(abs(moved.wall - moved.base) / (2.0 * resolution) + _AT)
        step, how = count * resolution, "half_way"
        why = why or ("" if count else "under_resolution")
    found = _written(moved.base + way * step)
    if moved.limit is not None and way * (found - moved.limit) > at:
        found, how = moved.limit, "up_to_limit"
    if moved.other is not None and way * (moved.other - found) > at:
        why = why or "past_limit"
    return Proposal(None, None, why) if why else Proposal(moved.name, found, how)


def _moved(log: TuningLog) -> _Moved | str:
    """What the last step moved; why nothing follows where it is not one thing, or has no limit that is known."""
    if not log.steps:
        return "no_steps"
    last = log.steps[-1]
    own = [one for one in log.steps if one.sample == last.sample]
    before = own[-2] if len(own) > 1 else None
    names = [name for name in log.settings if log.value(last, name) != log.value(before, name)]
    if len(names) > 1:
        return "several_moved"
    name = names[0] if names else ""
    way = log.settings[name].way_of(log.value(last, name)) if names else 0
    if way == 0:
        # Also where it came back to stock, and no way is named that would be hard.
        return "nothing_moved"
    setting, value = log.settings[name], log.value(last, name)
    limit, other = (setting.limit_high, setting.limit_low)[::way]
    if limit is None and setting.kind in LIMITED:
        return "no_known_limit"
    wall = _wall(log, last, name, setting, way)
    failed = last.state(log.stability_min) == UNSTABLE
    base = _base(log, own[:-1], name, wall, way) if failed else value
    return _Moved(name, log.value(before, name), value, way, base, wall, limit, other)


def _stands_at(moved: _Moved, at: float) -> str:
    """What one stands at or past already; empty where there is a way to go."""
    if moved.limit is not None and moved.way * (moved.base - moved.limit) > at:
        return "past_limit"
    if moved.limit is not None and moved.way * (moved.limit - moved.base) <= at:
        return "at_limit"
    if moved.wall is not None and moved.way * (moved.wall - moved.base) <= at:
        return "at_failure"
    return ""


def _wall(log: TuningLog, last: Step, name: str, setting: Setting, way: int) -> float | None:
    """The least hard value that failed, of steps that the last one reaches in all other settings.

    Where no way is named, what failed on the other side of stock is no wall to this one.
    """
    values = [
        log.value(one, name)
        for one in log.unstable(last.sample)
        if log.reaches(last, one, but=name)
        and (setting.harder is not None or way * (log.value(one, name) - setting.stock) >= 0)
    ]
    return min(values, key=lambda one: way * one) if values else None


def _base(log: TuningLog, before: list[Step], name: str, wall: float | None, way: int) -> float:
    """From where one goes on after a failure: the last proven value short of the wall, stock without one."""
    for one in reversed(before):
        value = log.value(one, name)
        if one.state(log.stability_min) == PROVEN and (wall is None or way * (wall - value) > 0):
            return value
    return log.settings[name].stock


def _written(value: float) -> float:
    """As one would write it: sums of decimals leave a trace in the last digits."""
    return float(f"{value:.12g}")
