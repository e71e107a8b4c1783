"""All figures of one capture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture import Capture
from rennbahn.errors import RennbahnError
from rennbahn.measures.limits import KnownCap, Limits, limits, mean_of
from rennbahn.measures.rates import CURVE, Low, Rates, lows, quantiles, rates
from rennbahn.measures.smoothness import Smoothness, smoothness
from rennbahn.plain import plain


@dataclass(frozen=True)
class Settings:
    """What figures are measured against: the target rate in Hz, a limit set on purpose in fps, the caps one knows."""

    target_hz: float = 60.0
    limited_to_fps: float | None = None
    known_caps: tuple[KnownCap, ...] = field(default=())

    def __post_init__(self) -> None:
        for name, value in (("target_hz", self.target_hz), ("limited_to_fps", self.limited_to_fps)):
            if value is not None and not (np.isfinite(value) and value > 0):
                raise RennbahnError("bad_settings", f"{name} must be above 0 (got {value})", field=name)
        for known in self.known_caps:
            if not (np.isfinite(known.fps) and known.fps > 0):
                message = f"the cap “{known.name}” must be above 0 fps (got {known.fps})"
                raise RennbahnError("bad_settings", message, field="known_caps")

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Settings:
        """Read `target_hz`, `limited_to_fps`, `known_caps` (each `name`, `fps`, `refresh`, `variable`).

        Raises :class:`RennbahnError` (`bad_settings`) naming the field.
        """
        try:
            caps = tuple(
                KnownCap(str(c["name"]), float(c["fps"]), bool(c.get("refresh", False)), bool(c.get("variable", False)))
                for c in data.get("known_caps") or ()
            )
            limited = data.get("limited_to_fps")
            return cls(float(data.get("target_hz") or 60.0), None if limited is None else float(limited), caps)
        except (AttributeError, KeyError, TypeError, ValueError) as error:
            message = f"the settings need target_hz, limited_to_fps and known_caps with name and fps ({error})"
            raise RennbahnError("bad_settings", message, field="settings") from None


@dataclass(frozen=True)
class Figures:
    """All figures of a capture or of a window of it. Of an empty window there are none but the flag."""

    window: tuple[float, float] | None
    frames: int
    duration_s: float | None = None
    flags: tuple[str, ...] = ()
    rates: Rates | None = None
    lows: dict[str, dict[str, Low]] | None = None
    smoothness: Smoothness | None = None
    limits: Limits | None = None
    channel_means: dict[str, float] | None = None
    percentile_curve_ms: NDArray[np.float64] | None = None

    def as_json(self) -> dict[str, Any]:
        """Plain data, in the order of the fields. The percentile curve is given for whole captures only."""
        if not self.frames:
            return {"window": plain(self.window), "frames": 0, "flags": list(self.flags)}
        data: dict[str, Any] = plain(self)
        if self.window is not None:
            del data["percentile_curve_ms"]
        return data


def figures_of(capture: Capture, settings: Settings | None = None) -> Figures:
    """All figures of `capture`, computed on its window."""
    settings = settings or Settings()
    if not len(capture):
        return Figures(capture.window, 0, flags=capture.flags)
    ordered = np.sort(capture.frame_ms)
    found = rates(ordered, capture.duration_s)
    return Figures(
        window=capture.window,
        frames=len(capture),
        duration_s=capture.duration_s,
        flags=capture.flags,
        rates=found,
        lows=lows(ordered),
        smoothness=smoothness(capture, found.percentile_ms["50"], settings.target_hz, settings.limited_to_fps),
        limits=limits(capture, ordered, settings.known_caps),
        channel_means=_channel_means(capture),
        percentile_curve_ms=quantiles(ordered, CURVE),
    )


def _channel_means(capture: Capture) -> dict[str, float]:
    """Mean of each channel in the window; of a channel that stands beside the frames and apart, that of the frames.

    A meter writes before the run and after it: samples beyond the capture's ends tell nothing of it.
    """
    sampled = {
        name: values[(one.clock_s >= 0.0) & (one.clock_s <= capture.duration_s)]
        for one in capture.samples
        for name, values in one.values.items()
    }
    channels = sampled | dict(capture.channels)
    return {name: mean for name, values in channels.items() if (mean := mean_of(values)) is not None}
