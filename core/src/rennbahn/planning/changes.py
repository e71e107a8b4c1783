"""What must be done at the machine to get from one setup to another, and how long it takes."""

from __future__ import annotations

from rennbahn.planning.fairness import SetupDescription, label_of, things_of, written
from rennbahn.planning.schedule import ChangeKind, Costs, LaneChange, LaneStep
from rennbahn.planning.settings import Kind, named, words_of

#: Kinds that are swapped from outside, without opening the machine.
QUICK = frozenset({"display", "adapter"})
_INSTALLED = frozenset({"driver", "system", "build"})
#: Words of settings that live in firmware: they take a reboot.
_FIRMWARE = frozenset({"firmware", "boot", "bios", "uefi", "smt", "cores", "kerne", "resizable"})
#: Kinds of setting that live there too; those of the processor are set there, those of the card are not.
_IN_FIRMWARE: frozenset[Kind] = frozenset({"memory_profile", "link"})
_OF_PROCESSOR: frozenset[Kind] = frozenset({"power_limit", "voltage", "clock", "curve", "tuning"})


def lane_change(a: SetupDescription, b: SetupDescription, costs: Costs) -> LaneChange:
    """The changes from setup `a` to setup `b`, gravest first. What takes no doing is left out."""
    left, right = things_of(a), things_of(b)
    steps: list[LaneStep] = []
    for key in [*left, *(key for key in right if key not in left)]:
        if left.get(key) == right.get(key):
            continue
        label = label_of(key, b, a)
        words = f"{label}: {written(left.get(key)) or 'nothing'} → {written(right.get(key)) or 'nothing'}"
        step = _step(key, costs)
        if step is not None:
            steps.append(LaneStep(step[0], words, step[1], key))
    kinds = {step.kind for step in steps}
    if kinds & {"swap", "driver"} and "reboot" not in kinds:
        steps.append(LaneStep("reboot", "start the machine again", costs.reboot_s))
    order: list[ChangeKind] = ["swap", "driver", "reboot", "setting"]
    steps.sort(key=lambda step: order.index(step.kind))
    return LaneChange(tuple(steps))


def _step(key: str, costs: Costs) -> tuple[ChangeKind, float] | None:
    sort, _, name = key.partition(":")
    if sort == "part":
        return _part_step(name.split(":")[0], costs)
    meant = named(name)
    # What the room does is noted, not changed.
    if meant is not None and meant.kind == "room":
        return None
    in_firmware = meant is not None and (
        meant.kind in _IN_FIRMWARE or (meant.kind in _OF_PROCESSOR and meant.owner in ("processor", "memory"))
    )
    if in_firmware or _FIRMWARE & set(words_of(name)):
        return "reboot", costs.reboot_s
    return "setting", costs.setting_s


def part_of(about: str) -> str:
    """The kind of part that a change is about; empty where it is about a setting, or nothing.

    >>> part_of("part:memory"), part_of("setting:sync")
    ('memory', '')
    """
    sort, _, name = about.partition(":")
    return name.split(":")[0] if sort == "part" else ""


def _part_step(kind: str, costs: Costs) -> tuple[ChangeKind, float]:
    if kind == "firmware":
        return "reboot", costs.reboot_s + costs.driver_s
    if kind in _INSTALLED:
        return "driver", costs.driver_s
    return "swap", costs.quick_swap_s if kind in QUICK else costs.swap_s
