"""A simulated part that can be tuned: where it stops running, what it gives and draws, all known by its seed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

#: Of a simulated part at stock, and how its quick passes scatter.
_FPS, _WATTS = (60.0, 110.0), (95.0, 180.0)
_NOISE_FPS, _NOISE_W = 0.004, 0.006
#: It stops running at a share of the way from stock to the limit.
_EDGE = (0.55, 0.85)
PASSES = 3


@dataclass(frozen=True)
class Knob:
    """A setting of it: its kind, where it stands at stock, and the farthest it may go the hard way."""

    kind: str
    stock: float
    farthest: float

    def share(self, value: float) -> float:
        """How far on the hard way a value is: 0 at stock, 1 at the farthest; below 0 on the easy side."""
        return (value - self.stock) / (self.farthest - self.stock)


@dataclass(frozen=True)
class Played:
    """What a step gave: how its stability run ended, and its quick passes, each fps, W, C and dB(A)."""

    outcome: str
    minutes: float
    passes: tuple[tuple[float, float, float, float], ...]


def edge_of(seed: int, name: str) -> float:
    """The share of the way at which it stops running with that setting alone."""
    return float(_chance(seed, name).uniform(*_EDGE))


def play(seed: int, knobs: Mapping[str, Knob], values: Mapping[str, float], minutes: float, number: int) -> Played:
    """Run a step: it crashes where the shares of all settings, each over its edge, come to 1 together.

    A power limit never makes it crash: it only gives and draws less. `number` tells the noise of one step from that of
    another.
    """
    chance = _chance(seed, f"step {number}")
    base = _chance(seed, "at stock")
    fps, watts = float(base.uniform(*_FPS)), float(base.uniform(*_WATTS))
    strain = 0.0
    for name, value in values.items():
        knob = knobs[name]
        share = knob.share(value)
        if knob.kind == "power":
            # Rate over power bends: it falls with the root of what is taken away.
            part = max(value, 0.0) / knob.stock if knob.stock > 0.0 else 1.0
            watts, fps = watts * part, fps * part**0.45
            continue
        strain += max(0.0, share) / edge_of(seed, name)
        watts *= 1.0 - 0.25 * share if knob.kind == "voltage" else 1.0 + 0.10 * share
        fps *= 1.0 + (0.03 if knob.kind == "voltage" else 0.06) * share
    # However far on the easy side: it gives and draws something, and no more than a furnace.
    fps, watts = min(max(fps, 1.0), 10_000.0), min(max(watts, 1.0), 10_000.0)
    if strain > 1.0:
        return Played("crashed", float(np.round(chance.uniform(0.02, 0.4) * minutes, 0)), ())
    rows = []
    for _ in range(PASSES):
        rate = fps * float(np.exp(chance.normal(0.0, _NOISE_FPS)))
        drawn = watts * float(np.exp(chance.normal(0.0, _NOISE_W)))
        rows.append((round(rate, 2), round(drawn, 1), round(38.0 + drawn / 4.2, 1), round(24.0 + drawn / 14.0, 1)))
    return Played("passed", minutes, tuple(rows))


def _chance(seed: int, what: str) -> np.random.Generator:
    return np.random.default_rng([seed, *what.encode()])
