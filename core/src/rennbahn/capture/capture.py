"""A capture and its windows."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: Under either of these a capture is accepted but flagged `too_short`.
SHORT_SECONDS = 5.0
SHORT_FRAMES = 200
#: A frame of this length or more is a `pause`: a loading screen or a hang, ms.
PAUSE_MS = 1000.0


@dataclass(frozen=True)
class Samples:
    """Values on a clock of their own, as a power meter or a sensor writes them.

    Parameters
    ----------
    clock_s : float64 array of shape (M,), rising
        When each sample was taken, in seconds.
    values : mapping of channel name to float64 array of shape (M,)
        NaN is a gap.
    """

    clock_s: Floats
    values: Mapping[str, Floats]

    def shifted(self, by_s: float) -> Samples:
        """The same samples, later by so many seconds."""
        return Samples(self.clock_s + by_s, self.values) if by_s else self

    def trimmed(self, start_s: float, stop_s: float) -> Samples:
        """The samples in (start_s, stop_s], on a clock that starts at start_s."""
        first, last = np.searchsorted(self.clock_s, (start_s, stop_s), side="right")
        inside = slice(int(first), max(int(first), int(last)))
        return Samples(self.clock_s[inside] - start_s, {name: v[inside] for name, v in self.values.items()})


@dataclass(frozen=True)
class Capture:
    """N frames in order.

    Parameters
    ----------
    frame_ms : float64 array of shape (N,)
        Frame times in milliseconds: finite, above 0, at most 60,000.
    channels : mapping of channel name to float64 array of shape (N,)
        One value a frame; NaN is a gap. Busy times are in milliseconds.
    source_flags : tuple of str
        What the reader noticed (`unterminated_last_line`).
    window : (from, to) in seconds, or None for the whole capture; of several windows from the first to the last.
    samples : tuple of :class:`Samples`
        What was sampled beside the frames, on the capture's clock but with moments of its own.
    """

    frame_ms: Floats
    channels: Mapping[str, Floats] = field(default_factory=dict)
    source_flags: tuple[str, ...] = ()
    window: tuple[float, float] | None = None
    samples: tuple[Samples, ...] = ()

    def __len__(self) -> int:
        return len(self.frame_ms)

    @cached_property
    def end_clock_ms(self) -> Floats:
        """End clock of each frame in milliseconds: the running sum from the left."""
        clock: Floats = np.cumsum(self.frame_ms)
        return clock

    @cached_property
    def end_clock_s(self) -> Floats:
        """End clock of each frame in seconds."""
        clock: Floats = self.end_clock_ms / 1000.0
        return clock

    @property
    def duration_s(self) -> float:
        """Sum of the frame times, in seconds."""
        return float(self.end_clock_s[-1]) if len(self) else 0.0

    @property
    def flags(self) -> tuple[str, ...]:
        """`empty_window` alone, or what the reader noticed, `too_short` and `pause`."""
        if not len(self):
            return ("empty_window",)
        found = {
            "too_short": self.duration_s < SHORT_SECONDS or len(self) < SHORT_FRAMES,
            "pause": bool((self.frame_ms >= PAUSE_MS).any()),
        }
        return (*self.source_flags, *(flag for flag, there in found.items() if there))

    def trimmed(self, start_s: float, stop_s: float) -> Capture:
        """The frames whose end clock lies in (start_s, stop_s], as a capture of its own with a clock from 0."""
        clock = self.end_clock_s
        first, last = np.searchsorted(clock, (start_s, stop_s), side="right")
        inside = slice(int(first), max(int(first), int(last)))
        return Capture(
            self.frame_ms[inside],
            {name: values[inside] for name, values in self.channels.items()},
            self.source_flags,
            (start_s, stop_s),
            tuple(one.trimmed(start_s, stop_s) for one in self.samples),
        )

    def within(self, windows: Sequence[tuple[float, float]]) -> Capture:
        """The frames of several windows, as :meth:`trimmed` cuts each, joined end to end; of none the whole capture.

        Windows are in seconds, in order and apart. Raises ValueError where they are not.
        """
        if not windows:
            return self
        if any(b[0] < a[1] for a, b in itertools.pairwise(windows)):
            raise ValueError("windows must follow each other without overlap")
        parts = [self.trimmed(*window) for window in windows]
        if len(parts) == 1:
            return parts[0]
        begins = np.concatenate(([0.0], np.cumsum([part.duration_s for part in parts])))
        joined = tuple(
            Samples(
                np.concatenate([p.samples[at].clock_s + begin for p, begin in zip(parts, begins, strict=False)]),
                {name: np.concatenate([p.samples[at].values[name] for p in parts]) for name in own.values},
            )
            for at, own in enumerate(self.samples)
        )
        return Capture(
            np.concatenate([part.frame_ms for part in parts]),
            {name: np.concatenate([part.channels[name] for part in parts]) for name in self.channels},
            self.source_flags,
            (windows[0][0], windows[-1][1]),
            joined,
        )
