"""Frames as a machine would deliver them: two sides work, the slower one sets the pace, and things go wrong."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture import Capture

Floats = NDArray[np.float64]

#: How strongly neighbouring frames resemble each other.
_MEMORY = 0.92
#: A card that runs short of memory waits for so much of its time for each share that is missing.
_WAITS = 3.0
#: Of a full memory so much is seen used.
_FILLED = 0.985
#: Time constant of a card's heating up, s.
_HEAT_S = 25.0


@dataclass(frozen=True)
class Scene:
    """A scene's demand: ms of work a frame for the processor and the card of a rig of speed 1.

    `noise` is the frame-to-frame scatter (standard deviation of ln ms), `swell` how much the demand rises and falls
    along the route, `between` how much whole passes differ. `cap_fps` holds the rate from within the engine;
    `memory_gb` is what it asks of the card's memory.
    """

    cpu_ms: float
    gpu_ms: float
    seconds: float = 40.0
    noise: float = 0.05
    swell: float = 0.12
    between: float = 0.002
    cap_fps: float | None = None
    loading_hitches: float = 0.0
    memory_gb: float | None = None


@dataclass(frozen=True)
class Rig:
    """How fast a setup's two sides are, against a rig of speed 1.

    `heat_loss` is the share of card speed lost once hot; `hitch_rate` is stutters a minute from outside the game, of
    `hitch_ms` each; `every_s` makes them keep time. A scene that asks for more than `memory_gb` waits for what was
    pushed out. Several cards deliver in turns, each second frame sooner by the share `alternates`.
    """

    cpu_speed: float = 1.0
    gpu_speed: float = 1.0
    heat_loss: float = 0.0
    hitch_rate: float = 0.0
    hitch_ms: float = 60.0
    every_s: float | None = None
    power_w: float = 180.0
    clock_mhz: float = 2100.0
    memory_gb: float | None = None
    alternates: float = 0.0


@dataclass(frozen=True)
class Upset:
    """What goes wrong in one pass: a cold start of some seconds, other work on the machine for a while, and more.

    `hiccups` are stutters of `hiccup_ms`; from the share `throttle_from` of its length on a card throttles by
    `throttle_by`, hotter and lower clocked; `lock_fps` holds the rate; the picture stands still for `pause_ms` at
    `pause_at_s`; a loading screen stands before it for `loading_s` and a still menu after it for `menu_s`; `slower` is
    the share of speed the whole bench lost; the game ends by itself after the share `ends_at`.
    """

    cold_start_s: float = 0.0
    busy_from_s: float = 0.0
    busy_for_s: float = 0.0
    slowdown: float = field(default=1.6)
    hiccups: int = 0
    hiccup_ms: float = 90.0
    throttle_from: float | None = None
    throttle_by: float = 0.08
    lock_fps: float | None = None
    pause_at_s: float = 0.0
    pause_ms: float = 0.0
    loading_s: float = 0.0
    menu_s: float = 0.0
    slower: float = 0.0
    ends_at: float = 1.0


def run_pass(scene: Scene, rig: Rig, rng: np.random.Generator, upset: Upset | None = None) -> Capture:
    """One pass of `scene` on `rig`: frame times with busy times of both sides and the card's temperature.

    The same generator state gives the same frames.
    """
    upset = upset or Upset()
    typical = max(scene.cpu_ms / rig.cpu_speed, scene.gpu_ms / rig.gpu_speed)
    count = int(scene.seconds * 1000.0 / typical * 2.5) + 200
    level = np.exp(rng.normal(0.0, scene.between))
    place = np.arange(count) * typical / 1000.0 / scene.seconds
    route = 1.0 + scene.swell * np.sin(2.0 * np.pi * (1.5 * place + 0.13)) * np.cos(2.0 * np.pi * 0.7 * place)
    clock: Floats = np.arange(count, dtype=np.float64) * typical / 1000.0
    heat = 1.0 + rig.heat_loss * (1.0 - np.exp(-clock / _HEAT_S))
    card = scene.gpu_ms / rig.gpu_speed * level * route * heat * _scatter(rng, count, scene.noise)
    processor = scene.cpu_ms / rig.cpu_speed * level * np.sqrt(route) * _scatter(rng, count, scene.noise * 1.3)
    card = card * (1.0 + _WAITS * _short(scene, rig))
    if upset.slower:
        card, processor = card / (1.0 - upset.slower), processor / (1.0 - upset.slower)
    throttled = np.zeros(count)
    if upset.throttle_from is not None:
        begins = upset.throttle_from * scene.seconds
        throttled = np.clip((clock - begins) / max(0.1 * scene.seconds, 1.0), 0.0, 1.0)
        card = card * (1.0 + upset.throttle_by * throttled)
        processor = processor * (1.0 + 0.6 * upset.throttle_by * throttled)
    if upset.cold_start_s:
        processor *= 1.0 + 0.8 * np.exp(-clock / upset.cold_start_s)
        card *= 1.0 + 0.25 * np.exp(-clock / upset.cold_start_s)
    if upset.busy_for_s:
        processor[(clock >= upset.busy_from_s) & (clock < upset.busy_from_s + upset.busy_for_s)] *= upset.slowdown
    frame_ms = np.maximum(card, processor) + np.abs(rng.normal(0.08, 0.03, count))
    if scene.cap_fps is not None:
        # A limiter wakes late by a little and makes up for it on the next frame.
        late = rng.normal(0.0, 0.012 * 1000.0 / scene.cap_fps, count)
        frame_ms = np.maximum(frame_ms, 1000.0 / scene.cap_fps + np.diff(late, prepend=0.0))
    # Only frames that wait for the cards come in their turns; together they take as long.
    turns = np.where(np.arange(count) % 2, rig.alternates, -rig.alternates)
    frame_ms = frame_ms * (1.0 + np.where(card >= processor, turns, 0.0))
    frame_ms += _hitches(scene, rig, rng, clock)
    temperature = 44.0 + 31.0 * (1.0 - np.exp(-clock / _HEAT_S)) + rng.normal(0.0, 0.3, count) + 7.0 * throttled
    share = np.clip(card / frame_ms, 0.0, 1.0)
    power = rig.power_w * (0.35 + 0.65 * share) + rng.normal(0.0, 2.0, count)
    # Drawn last, so that what is drawn before stays as it is without them.
    clocked = rig.clock_mhz * (1.0 - 0.7 * upset.throttle_by * throttled) + rng.normal(0.0, 4.0, count)
    if upset.lock_fps is not None:
        late = rng.normal(0.0, 0.012 * 1000.0 / upset.lock_fps, count)
        frame_ms = np.maximum(frame_ms, 1000.0 / upset.lock_fps + np.diff(late, prepend=0.0))
    for moment in rng.uniform(0.05, 0.95, upset.hiccups) * scene.seconds:
        frame_ms[min(int(np.searchsorted(np.cumsum(frame_ms), moment * 1000.0)), count - 1)] += (
            upset.hiccup_ms * rng.uniform(0.8, 1.3)
        )
    if upset.pause_ms:
        at = min(int(np.searchsorted(np.cumsum(frame_ms), upset.pause_at_s * 1000.0)), count - 1)
        frame_ms[at] += upset.pause_ms
    frame_ms = np.round(frame_ms, 4)
    whole = int(np.searchsorted(np.cumsum(frame_ms), scene.seconds * upset.ends_at * 1000.0))
    run = Capture(
        frame_ms[:whole],
        {
            "gpu_busy_ms": np.round(np.minimum(card, frame_ms)[:whole], 4),
            "cpu_busy_ms": np.round(np.minimum(processor, frame_ms)[:whole], 4),
            "gpu_temp_c": np.round(temperature[:whole], 0),
            "gpu_power_w": np.round(power[:whole], 1),
            "gpu_clock_mhz": np.round(clocked[:whole], 0),
            **_memory(scene, rig, whole),
        },
    )
    if not upset.loading_s and not upset.menu_s:
        return run
    return _between_screens(run, upset, rng)


def _memory(scene: Scene, rig: Rig, frames: int) -> dict[str, Floats]:
    """What is seen used of the card's memory, where the scene says what it asks for."""
    if scene.memory_gb is None:
        return {}
    used = min(scene.memory_gb, _FILLED * (rig.memory_gb or math.inf)) * 1024.0
    return {"vram_used_mib": np.full(frames, float(round(used)))}


def _short(scene: Scene, rig: Rig) -> float:
    """How much more memory a scene asks for than there is, as a share."""
    if scene.memory_gb is None or rig.memory_gb is None:
        return 0.0
    return max(0.0, scene.memory_gb / rig.memory_gb - 1.0)


def _between_screens(run: Capture, upset: Upset, rng: np.random.Generator) -> Capture:
    """The run with a loading screen before it and a still menu after it, as a logger records that is left running."""
    parts: list[tuple[Floats, float]] = []
    for length_s, faster, noise in ((upset.loading_s, rng.uniform(2.2, 5.0), 0.15), (upset.menu_s, 3.0, 0.01)):
        count = int(length_s * 1000.0 / (float(np.median(run.frame_ms)) / faster)) if length_s else 0
        typical = float(np.median(run.frame_ms)) / faster
        parts.append((np.round(typical * np.exp(rng.normal(0.0, noise, count)), 4), typical))
    before, after = parts[0][0], parts[1][0]
    frame_ms = np.concatenate((before, run.frame_ms, after))
    channels = {}
    for name, values in run.channels.items():
        busy = name.endswith("busy_ms")
        first = before * 0.5 if busy else np.full(len(before), values[0])
        last = after * 0.5 if busy else np.full(len(after), values[-1])
        channels[name] = np.round(np.concatenate((first, values, last)), 4)
    return Capture(frame_ms, channels)


def _scatter(rng: np.random.Generator, count: int, noise: float) -> Floats:
    """Factors around 1 with a slow part that remembers and a quick part that does not, and a tail of heavy frames."""
    # A slow wander made of smoothed noise: cheap, and alike from frame to frame.
    reach = int(1.0 / (1.0 - _MEMORY)) * 4
    kernel = _MEMORY ** np.arange(reach)
    kernel /= np.sqrt((kernel**2).sum())
    slow = np.convolve(rng.normal(0.0, 1.0, count + reach - 1), kernel, mode="valid")
    heavy = rng.exponential(1.0, count) * (rng.random(count) < 0.02)
    factors: Floats = np.exp(noise * (0.6 * slow + 0.8 * rng.normal(0.0, 1.0, count)) + 2.2 * noise * heavy)
    return factors


def _hitches(scene: Scene, rig: Rig, rng: np.random.Generator, clock: Floats) -> Floats:
    """Stutters in ms a frame."""
    added: Floats = np.zeros(len(clock))
    minutes = scene.seconds / 60.0
    at = list(rng.uniform(0.0, scene.seconds, rng.poisson((rig.hitch_rate + scene.loading_hitches) * minutes)))
    if rig.every_s is not None:
        at += list(np.arange(rig.every_s / 2.0, scene.seconds, rig.every_s) + rng.normal(0.0, 0.02))
    for moment in at:
        frame = min(int(np.searchsorted(clock, moment)), len(added) - 1)
        added[frame] += rig.hitch_ms * rng.uniform(0.7, 1.4)
    return added
