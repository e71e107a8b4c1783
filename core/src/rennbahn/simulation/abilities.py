"""How fast a setup is, and what a scene asks of it: hidden numbers, derived from what is written down of both.

The same words give the same numbers everywhere. They are made up and mean nothing outside the simulated bench; but a
changed part or setting changes what it should: a lower power limit costs card speed, one memory stick costs the
processor, a quiet fan profile costs whatever heat costs.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from rennbahn.planning.amounts import amounts_of
from rennbahn.planning.fairness import SetupDescription
from rennbahn.planning.settings import is_off, named, settled, words_of
from rennbahn.planning.weighing import PartDescription
from rennbahn.simulation.bench import Rig, Scene

#: Of each kind of part: fact, what a middling part has, and how strongly speed follows it.
_CARD = (("boost_mhz", 2100.0, 0.5), ("bus_bits", 192.0, 0.25), ("gbit_per_pin", 16.0, 0.2), ("memory_gb", 12.0, 0.04))
_PROCESSOR = (("boost_mhz", 4800.0, 0.8), ("fast_cores", 6.0, 0.12), ("cache_mb", 32.0, 0.1))
_MEMORY = (("mt_per_s", 5600.0, 0.2), ("channels", 2.0, 0.12), ("cl", 36.0, -0.08))
_QUIET = frozenset({"quiet", "silent", "leise", "still", "slow"})
_PRESETS = {"low": 0.62, "medium": 0.8, "high": 1.0, "ultra": 1.3, "niedrig": 0.62, "mittel": 0.8, "hoch": 1.0}
_USUAL_POWER_W = 180.0
#: How unevenly two cards deliver their frames.
_IN_TURNS = 0.28
_USUAL_PIXELS = 2560.0 * 1440.0


@dataclass(frozen=True)
class SimulatedTest:
    """A test as the simulated bench plays it. `leans_on` names what holds the rate back: card, processor, memory."""

    id: str
    game: str
    scene: str
    kind: str = "route"
    length_s: float = 60.0
    resolution: str = ""
    settings: str = ""
    leans_on: tuple[str, ...] = ()
    engine_cap_fps: float | None = None
    frame_limit_fps: float | None = None


def chance(*words: str) -> float:
    """A number in [0, 1) that hangs on some words alone."""
    digest = hashlib.sha256("\x1f".join(words).encode()).digest()
    return int.from_bytes(digest[:6], "big") / 2.0**48


def rig_of(setup: SetupDescription) -> Rig:
    """The hidden abilities of a setup."""
    card = _speed(setup, "card", _CARD)
    processor = _speed(setup, "processor", _PROCESSOR) * _speed(setup, "memory", _MEMORY)
    cards = [part for part in setup.parts if part.kind == "card"]
    # What is written down of a card is what it draws; of several, all of it.
    draws = sum(_delivered(part) or _USUAL_POWER_W for part in cards) or _USUAL_POWER_W
    sizes = [size for part in cards if isinstance(size := part.facts.get("memory_gb"), (int, float))]
    rig = Rig(
        cpu_speed=processor, gpu_speed=card, heat_loss=0.004, power_w=draws,
        memory_gb=float(min(sizes)) if sizes else None, alternates=0.0 if len(cards) < 2 else _IN_TURNS,
    )  # fmt: skip
    for name, value in setup.settings.items():
        rig = _told(rig, setup, name, value)
    return rig


def _speed(setup: SetupDescription, kind: str, facts: Sequence[tuple[str, float, float]]) -> float:
    parts = [one for one in setup.parts if one.kind == kind]
    if not parts:
        return 1.0
    part = parts[0]
    # What no fact says, the name does: within 6% either way.
    speed = 0.94 + 0.12 * chance(kind, part.name)
    for fact, usual, power in facts:
        value = part.facts.get(fact)
        if isinstance(value, (int, float)) and value > 0:
            speed *= (float(value) / usual) ** power
    return speed * (1.0 + 0.6 * (len(parts) - 1) if kind == "card" else 1.0)


def _told(rig: Rig, setup: SetupDescription, name: str, value: str) -> Rig:
    """What a setting does to a rig."""
    meant = named(name)
    if meant is None or is_off(value):
        return rig
    if meant.kind == "fan" and _QUIET & set(words_of(value)):
        return replace(rig, heat_loss=rig.heat_loss + 0.028)
    if meant.kind == "power_limit":
        owner = "processor" if meant.owner == "processor" else "card"
        part = next((one for one in setup.parts if one.kind == owner), None)
        delivered = _delivered(part)
        watts = settled(amounts_of(value), "W", delivered)
        if watts and delivered:
            share = max(watts) / delivered
            gain = share**0.42 if share < 1.0 else share**0.12
            if owner == "card":
                return replace(rig, gpu_speed=rig.gpu_speed * gain, power_w=rig.power_w * share)
            return replace(rig, cpu_speed=rig.cpu_speed * gain)
    if meant.kind in ("background", "recorder", "overlay") and "none" not in words_of(value):
        return replace(rig, cpu_speed=rig.cpu_speed * 0.97, hitch_rate=rig.hitch_rate + 1.5)
    return rig


def _delivered(part: PartDescription | None) -> float | None:
    value = part.facts.get("power_limit_w") if part else None
    return float(value) if isinstance(value, (int, float)) else None


def lock_of(setup: SetupDescription, test: SimulatedTest) -> float | None:
    """The rate at which a setup and a test hold frames, if they do: the lowest of all limits."""
    limits = [limit for limit in (test.engine_cap_fps, test.frame_limit_fps) if limit]
    for name, value in setup.settings.items():
        meant = named(name)
        if meant is None or is_off(value):
            continue
        if meant.kind == "frame_limit":
            limits += [amount.number for amount in amounts_of(value) if amount.unit in ("fps", "")]
        if meant.kind == "sync":
            rates = [one.facts.get("refresh_hz") for one in setup.parts if one.kind == "display"]
            limits += [float(rate) for rate in rates if isinstance(rate, (int, float))] or [60.0]
    return min(limits) if limits else None


def demand_of(test: SimulatedTest) -> Scene:
    """What a test asks of a rig, in ms a frame and side."""
    cpu = 4.5 + 5.0 * chance("cpu", test.game, test.scene)
    gpu = 6.0 + 5.0 * chance("gpu", test.game, test.scene)
    if "processor" in test.leans_on or "memory" in test.leans_on:
        cpu = max(cpu, gpu * 1.25)
    elif "card" in test.leans_on:
        gpu = max(gpu, cpu * 1.25)
    pixels = _pixels(test.resolution)
    gpu *= (pixels / _USUAL_PIXELS) ** 0.8 if pixels else 1.0
    for word in words_of(test.settings):
        gpu *= _PRESETS.get(word, 1.0)
        cpu *= math.sqrt(_PRESETS.get(word, 1.0))
    # What textures take grows slower than the picture.
    memory = 2.6 + 4.4 * chance("memory", test.game, test.scene) ** 2
    memory *= (pixels / _USUAL_PIXELS) ** 0.4 if pixels else 1.0
    noise = {"benchmark": 0.0012, "replay": 0.0015, "scripted": 0.002, "route": 0.0025, "live": 0.005}
    return Scene(cpu, gpu, test.length_s, between=noise.get(test.kind, 0.0025), cap_fps=test.engine_cap_fps,
                 memory_gb=memory)  # fmt: skip


def _pixels(resolution: str) -> float | None:
    sides = [int(part) for part in "".join(c if c.isdigit() else " " for c in resolution).split()]
    if len(sides) >= 2 and min(sides[:2]) >= 200:
        return float(sides[0] * sides[1])
    return float(sides[0]) ** 2 * 16.0 / 9.0 if sides and sides[0] >= 360 else None
