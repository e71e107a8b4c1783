"""What latency is counted from: clips with their camera's rate, devices, and presses as readers marked them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

#: How late a reading of the stopwatch may be, s: hundredths on a display of 60 Hz.
READING_ERROR_S = 0.027


@dataclass(frozen=True)
class Reading:
    """What a running stopwatch shows in a frame, s."""

    frame: int
    clock_s: float


@dataclass(frozen=True)
class Clip:
    """A film of presses: `nominal_fps` as the camera says, readings of a stopwatch in its picture.

    `declared_fps` is the rate that a person chose, with the reason. `file_uneven` is whether the file's own timestamps
    are uneven (:func:`rennbahn.latency.rate.uneven_times`).
    """

    id: str
    nominal_fps: float
    readings: tuple[Reading, ...] = ()
    reading_error_s: float = READING_ERROR_S
    declared_fps: float | None = None
    why: str = ""
    file_uneven: bool = False


@dataclass(frozen=True)
class Device:
    """A lane: a device or a setting, filmed with a test program under a rule of the press."""

    id: str
    name: str
    refresh_hz: float | None = None
    program: str = ""
    press_rule: str = ""


@dataclass(frozen=True)
class Press:
    """A press as a reader marked it: `number` names it within its clip, frames count from 0."""

    device: str
    clip: str
    number: int
    reader: str
    press_frame: int
    answer_frame: int

    @property
    def key(self) -> tuple[str, int]:
        """Which press it is, whoever read it."""
        return self.clip, self.number

    @property
    def frames(self) -> int:
        """Frames from the press to the answer."""
        return self.answer_frame - self.press_frame


@dataclass(frozen=True)
class LatencyStudy:
    """All that is counted.

    `equal_ms` is within what devices count as even and `wanted_ms` how wide an interval may be either way; None for
    what the cameras can tell. `comparable` is the reason why devices of unlike program or rule are compared all the
    same; empty where they are not.
    """

    clips: tuple[Clip, ...]
    devices: tuple[Device, ...]
    presses: tuple[Press, ...]
    equal_ms: float | None = None
    wanted_ms: float | None = None
    comparable: str = ""

    @cached_property
    def counted(self) -> tuple[Press, ...]:
        """Each press once, by the first reader; of those that he did not count by the one who stands first."""
        if not self.presses:
            return ()
        first = self.presses[0].reader
        found: dict[tuple[str, int], Press] = {}
        for one in self.presses:
            if one.key not in found or (one.reader == first and found[one.key].reader != first):
                found[one.key] = one
        return tuple(found.values())

    def by_reader(self) -> dict[str, dict[tuple[str, int], Press]]:
        """The presses of each reader, the first reader first."""
        found: dict[str, dict[tuple[str, int], Press]] = {}
        for one in self.presses:
            found.setdefault(one.reader, {})[one.key] = one
        return found

    def may_be_compared(self, a: Device, b: Device) -> bool:
        """Whether there may be a verdict between two devices."""
        return bool(self.comparable) or (a.program, a.press_rule) == (b.program, b.press_rule)


def of_device(presses: Sequence[Press], device: str) -> list[Press]:
    """The presses of a device, in their order."""
    return [one for one in presses if one.device == device]
