"""What the columns of a capture itself say of a setting under test: the one witness that nobody has to ask."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rennbahn.checks.profile import Profile
from rennbahn.planning.amounts import Amount, amounts_of
from rennbahn.planning.settings import Kind, Named, is_off, named

#: The level at which a limit is met: all but a twentieth of the time lies below it.
_LIMIT_SHARE = 95.0
#: What is as far off as this is the same: sensors are read twice a second and round.
_POWER, _CLOCK, _FAN, _RATE = 0.04, 0.02, 0.06, 0.01
#: So many half seconds tell a level.
_FEWEST = 10


@dataclass(frozen=True)
class ToldByFile:
    """A setting under test as it was to be, and what the capture reads, in words. `holds` whether that is the same."""

    setting: str
    wanted: str
    reads: str
    holds: bool


def told_by_file(profile: Profile, setting: str, wanted: str) -> ToldByFile | None:
    """What a capture says of a setting; None where it says nothing.

    A limit that is not reached says nothing; one that is gone beyond is another. What may be the processor's as well
    as the card's, whose sensors these are, can be borne out and never denied.
    """
    meant, amount = named(setting), _amount(wanted)
    if meant is None or amount is None or is_off(wanted):
        return None
    found = _reading(profile, meant, amount)
    if found is None:
        return None
    reads, holds = found
    if not holds and meant.kind in _OF_A_PART and meant.owner != "card":
        return None
    return ToldByFile(setting, wanted, reads, holds)


_OF_A_PART: frozenset[Kind] = frozenset({"power_limit", "clock", "fan"})
_UNITS: dict[Kind, tuple[str, ...]] = {
    "power_limit": ("W",), "clock": ("MHz",), "fan": ("rpm",), "frame_limit": ("fps", "Hz", ""),
}  # fmt: skip


def _amount(wanted: str) -> Amount | None:
    """The one absolute amount that a value says."""
    amounts = amounts_of(wanted)
    return amounts[0] if len(amounts) == 1 and not amounts[0].relative and amounts[0].number > 0.0 else None


def _reading(profile: Profile, meant: Named, amount: Amount) -> tuple[str, bool] | None:
    wanted = amount.number
    if amount.unit not in _UNITS.get(meant.kind, ()) or meant.owner in ("processor", "memory"):
        return None
    if meant.kind == "frame_limit":
        # Frames of a limited game lie on the limit; one rate above it is enough to know that there was none.
        if profile.average_fps > wanted * (1.0 + 2.0 * _RATE):
            return f"{profile.average_fps:.1f} fps on average", False
        held = profile.lock_fps and abs(profile.lock_fps / wanted - 1.0) <= _RATE
        return (f"{profile.lock_fps:.1f} fps held", True) if held else None
    if meant.kind == "fan":
        level = _level(profile, "fan_rpm", 50.0)
        return None if level is None else (f"{level:.0f} rpm", abs(level / wanted - 1.0) <= _FAN)
    channel, unit, off, share = (
        ("gpu_power_w", "W", _POWER, _LIMIT_SHARE)
        if meant.kind == "power_limit"
        else ("gpu_clock_mhz", "MHz", _CLOCK, 50.0)
    )
    level = _level(profile, channel, share)
    # Below its limit a card is held by something else, and the limit may be any.
    if level is None or level < wanted * (1.0 - off):
        return None
    return f"{level:.0f} {unit}", level <= wanted * (1.0 + off)


def _level(profile: Profile, channel: str, share: float) -> float | None:
    """The level of a sampled channel below which a share of the time lies, in percent; None where it has too little."""
    values = [value for value in profile.courses.get(channel, ()) if value is not None]
    return float(np.percentile(values, share)) if len(values) >= _FEWEST else None
