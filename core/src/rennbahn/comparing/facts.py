"""What else a study tells of its lanes, tests and passes: facts that other kinds of study than A against B ask for."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any

from rennbahn.errors import RennbahnError

#: The kinds of study that findings know.
STUDY_KINDS = ("a_b", "ladder", "sweep", "grid", "scaling", "budget", "several", "proxy")
#: In `proxy`: how far apart ratios in the benchmark and in play may lie and still be held, as a share.
PROXY_BAND = 0.03


@dataclass(frozen=True)
class LaneFacts:
    """Of a lane: its `price`, typical `power_w`, `memory_gb`, `weight_g` and `noise_dba`; where it stands in a sweep
    (`level` in `unit`; a `rival` is no part of it), a grid (`levels` by factor), a scaling (`step` within a `chain` of
    one resolution; `upscaled_from` is the lane that is native at its internal resolution, `mode_of` that at the
    resolution it puts out), and how many `cards` it has."""

    price: float | None = None
    power_w: float | None = None
    memory_gb: float | None = None
    level: float | None = None
    unit: str = ""
    rival: bool = False
    levels: Mapping[str, str] = field(default_factory=dict)
    step: float | None = None
    upscaled_from: str | None = None
    chain: str = ""
    mode_of: str | None = None
    cards: int | None = None
    weight_g: float | None = None
    noise_dba: float | None = None

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> LaneFacts:
        """Read a lane of a study file, whatever else it holds."""
        return cls(
            price=_above_zero(data, "price", "lanes"),
            power_w=_above_zero(data, "power_w", "lanes"),
            memory_gb=_above_zero(data, "memory_gb", "lanes"),
            level=_number(data, "level", "lanes"),
            unit=str(data.get("unit") or ""),
            rival=bool(data.get("rival", False)),
            levels={str(factor): str(level) for factor, level in (data.get("levels") or {}).items()},
            step=_number(data, "step", "lanes"),
            upscaled_from=None if data.get("upscaled_from") is None else str(data["upscaled_from"]),
            chain=str(data.get("chain") or ""),
            mode_of=None if data.get("mode_of") is None else str(data["mode_of"]),
            cards=_count(data, "cards", "lanes"),
        )


@dataclass(frozen=True)
class TestFacts:
    """Of a test: its `resolution` in pixels, its `preset`, with which `intent` it is told so (as people play, or to
    expose one side), and of a built-in benchmark the test it stands for."""

    __test__ = False  # pytest: not a class of tests

    resolution: tuple[int, int] | None = None
    preset: str = ""
    play_of: str | None = None
    intent: str = ""

    @property
    def pixels(self) -> int | None:
        """How many pixels it draws."""
        return None if self.resolution is None else self.resolution[0] * self.resolution[1]

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> TestFacts:
        """Read a test of a study file, whatever else it holds."""
        size = data.get("resolution")
        if size is not None:
            if len(size) != 2 or not all(isinstance(x, int) and x > 0 for x in size):
                _refuse("tests", f"the resolution of a test is [width, height] in pixels (got {size!r})")
            size = (size[0], size[1])
        play_of = data.get("play_of")
        return cls(size, str(data.get("preset") or ""), None if play_of is None else str(play_of))


@dataclass(frozen=True)
class PassFacts:
    """Of a pass: mean `power_w`, mean busy times of card and processor in ms, and what its capture gives against a
    budget (shares of frames, longest spell in s) and in groups (`alternating`, and by how much: `amplitude`).

    `temperature_c`, `fan_rpm` and `memory_mib` are means of the card's sensors.
    `bound_by` is the label of its busy times or utilisation with where that comes from, where a capture gave one.
    """

    power_w: float | None = None
    gpu_busy_ms: float | None = None
    cpu_busy_ms: float | None = None
    over_budget_share: float | None = None
    card_over_share: float | None = None
    processor_over_share: float | None = None
    both_over_share: float | None = None
    longest_spell_s: float | None = None
    alternating: bool | None = None
    amplitude: float | None = None
    bound_by: str | None = None
    evidence: str | None = None
    reason_code: str = ""
    temperature_c: float | None = None
    fan_rpm: float | None = None
    memory_mib: float | None = None

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> PassFacts:
        """Read a pass of a study file, whatever else it holds."""
        groups = data.get("alternation")
        return cls(
            power_w=_above_zero(data, "power_w", "passes"),
            gpu_busy_ms=_above_zero(data, "gpu_busy_ms", "passes"),
            cpu_busy_ms=_above_zero(data, "cpu_busy_ms", "passes"),
            over_budget_share=_share(data, "over_budget_share"),
            card_over_share=_share(data, "card_over_share"),
            processor_over_share=_share(data, "processor_over_share"),
            both_over_share=_share(data, "both_over_share"),
            longest_spell_s=_number(data, "longest_spell_s", "passes"),
            alternating=None if groups is None else bool(groups["alternating"]),
            amplitude=None if groups is None or groups.get("amplitude") is None else float(groups["amplitude"]),
            reason_code=str(data.get("reason_code") or ""),
        )


#: Shares of frames over the budget: by frame time, by card alone, processor alone, both.
BUDGET_SHARES = ("over_budget_share", "card_over_share", "processor_over_share", "both_over_share")


@dataclass(frozen=True)
class Aims:
    """What a study is asked for beside margins: target rates in fps of a ladder, the band of a proxy check as a share,
    the budget in ms.

    A rate is held on average over the tests where `may_miss` is None, else in all of them but so many.
    """

    targets: tuple[float, ...] = ()
    proxy_band: float = PROXY_BAND
    budget_ms: float | None = None
    may_miss: int | None = None

    def __post_init__(self) -> None:
        if self.may_miss is not None and self.may_miss < 0:
            _refuse("may_miss", f"a rate is held in all tests but so many: 0 and more (got {self.may_miss})")

    @classmethod
    def from_json(cls, settings: Mapping[str, Any]) -> Aims:
        """Read them out of the `settings` of a study file."""
        targets = tuple(float(x) for x in settings.get("targets") or ())
        if not all(math.isfinite(x) and x > 0 for x in targets):
            _refuse("targets", f"target rates must lie above 0 fps (got {settings['targets']})")
        band = _above_zero(settings, "proxy_band", "settings")
        if band is not None and band >= 1:
            _refuse("proxy_band", f"the band of a proxy check must lie between 0 and 1, as 0.03 for 3% (got {band})")
        may_miss = settings.get("may_miss")
        return cls(
            targets, PROXY_BAND if band is None else band, _above_zero(settings, "budget_ms", "settings"),
            None if may_miss is None else int(may_miss),
        )  # fmt: skip


AIMS = {one.name for one in fields(Aims)}


def _number(data: Mapping[str, Any], name: str, where: str) -> float | None:
    value = data.get(name)
    if value is None:
        return None
    if isinstance(value, bool) or not math.isfinite(float(value)):
        _refuse(where, f"{where}: {name} must be a number (got {value!r})")
    return float(value)


def _above_zero(data: Mapping[str, Any], name: str, where: str) -> float | None:
    value = _number(data, name, where)
    if value is not None and value <= 0:
        _refuse(where, f"{where}: {name} must be above 0 (got {value:g})")
    return value


def _share(data: Mapping[str, Any], name: str) -> float | None:
    value = _number(data, name, "passes")
    if value is not None and not 0 <= value <= 1:
        _refuse("passes", f"passes: {name} is a share from 0 to 1 (got {value:g})")
    return value


def _count(data: Mapping[str, Any], name: str, where: str) -> int | None:
    value = _above_zero(data, name, where)
    if value is not None and value != int(value):
        _refuse(where, f"{where}: {name} must be a whole number (got {value:g})")
    return None if value is None else int(value)


def _refuse(field: str, message: str) -> None:
    raise RennbahnError("bad_study", message, field=field)
