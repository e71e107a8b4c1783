"""The steps to a pass: changes, what is checked after them, the read-back, the scene's card, warm-up runs, the pass."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from rennbahn.planning.cautions import cautions_of
from rennbahn.planning.changes import part_of
from rennbahn.planning.fairness import SetupDescription
from rennbahn.planning.schedule import ChangeKind
from rennbahn.planning.settings import is_off, is_stock, named
from rennbahn.planning.timeline import Change
from rennbahn.running.costs import cost_of
from rennbahn.running.readback import Question

StepKind = Literal["change", "check", "read_back", "card", "wait", "warm_up", "pass"]

#: What can have changed by a change, and is looked at after it.
CHECKS: Mapping[ChangeKind, tuple[str, ...]] = {
    "start": (
        "Background programs are closed, updates are off",
        "Desktop and game have the same resolution and refresh",
        "The logger runs and writes into the watched folder",
    ),
    "swap": (
        "Everything sits, every cable is in, every fan turns",
        "The system knows the part, and its driver is the one on the sheet",
    ),
    "driver": (
        "The version reads as on the sheet",
        "The driver kept its settings: sync, limits, profiles",
    ),
    "reboot": (
        "Background programs are closed again",
        "Sync and limiters are as on the sheet",
    ),
    "load": ("Overlay and logger counters are reset",),
    "restart": ("The preset is still the one on the sheet",),
}
#: The caution beside a change, where one applies.
CAUTIONS: Mapping[str, str] = {
    "swap": (
        "Switch off, pull the mains cable, wait until fans stand still and parts are cool. Touch bare metal first. "
        "A power supply is never opened."
    ),
    "adapter": (
        "Connect external cards and docks with the power off, unless their maker says otherwise. Mains cables last."
    ),
    "memory": (
        "Back your data up before memory work. Small steps, a stability test after each; the maker’s manual decides."
    ),
    "limit": (
        "Stay within the maker’s stated limit. Too much voltage, clock or power can crash, corrupt data, shorten a "
        "part’s life and void its warranty. Test stability after each step."
    ),
    "firmware": (
        "Do not switch off while firmware is written. The maker’s manual decides; ask someone qualified if unsure."
    ),
}
#: What one waits for, and from when one need not wait any longer.
WAITS: Mapping[ChangeKind, str] = {
    "soak": "Load on, hands off, until the temperature in the sensor program stands still, or this time is over",
    "cool": "Hands off until this time is over: every pass begins as warm as the others",
}
_RISKY = frozenset({"power_limit", "voltage", "clock", "curve", "tuning"})
_TITLES: Mapping[ChangeKind, str] = {
    "start": "Begin the session", "swap": "Swap the part", "driver": "Install",
    "reboot": "Change and restart the machine",
    "setting": "Set", "load": "Load the game", "restart": "Restart the game", "menu": "Set in the game",
    "resolution": "Set in the game", "warm_up": "Warm up",
    "soak": "Let it run warm", "cool": "Let it cool",
}  # fmt: skip


@dataclass(frozen=True)
class Step:
    """One instruction. `seconds` is what the plan gives it; `cost` names the cost that pays for it, empty for none."""

    key: str
    kind: StepKind
    title: str
    words: str
    caution: str = ""
    seconds: float = 0.0
    cost: str = ""
    question: Question | None = None
    #: Of warm-up runs, which one of how many.
    run: int = 0
    runs: int = 0


@dataclass(frozen=True)
class Upcoming:
    """A pass that comes: its id, the changes before it, what is read back in its lane, warm-up runs and length."""

    id: str
    changes: Sequence[Change]
    questions: Sequence[Question] = ()
    cautions: Sequence[str] = ()
    length_s: float = 60.0
    warm_ups: int = 1
    warm_up_words: str = ""
    #: Whether the scene's card was not shown since its game was loaded.
    new_scene: bool = False
    lane_words: str = ""
    test_words: str = ""


def steps_of(one: Upcoming) -> list[Step]:
    """All steps to a pass, the pass itself last."""
    found: list[Step] = []

    def add(kind: StepKind, title: str, words: str, **rest: object) -> None:
        found.append(Step(f"{one.id}.{len(found)}.{kind}", kind, title, words, **rest))  # type: ignore[arg-type]

    kinds = [change.kind for change in one.changes]
    for change in one.changes:
        if change.kind in ("warm_up", *WAITS):
            continue
        add(
            "change", _TITLES[change.kind], change.words, caution=caution_of(change), seconds=change.seconds,
            cost=cost_of(change),
        )  # fmt: skip
    if one.cautions:
        found[0:0] = [Step(f"{one.id}.limit", "change", "Before you go on", "; ".join(one.cautions), CAUTIONS["limit"])]
    for item in dict.fromkeys(item for kind in kinds for item in CHECKS.get(kind, ())):
        add("check", "Check", item)
    if {"start", "swap", "driver", "reboot", "setting"} & set(kinds):
        for question in one.questions:
            add("read_back", f"Read back: {question.setting}", question.where, question=question)
    if one.new_scene:
        add("card", "The scene", one.test_words)
    for change in one.changes:
        # Time that merely passes stands where it passes: right before what is run.
        if change.kind in WAITS:
            add("wait", _TITLES[change.kind], WAITS[change.kind], seconds=change.seconds)
    if "warm_up" in kinds:
        for run in range(1, one.warm_ups + 1):
            words = one.warm_up_words or "Run it once; it is not counted."
            add("warm_up", "Warm-up run", words, seconds=one.length_s, run=run, runs=one.warm_ups)
    add("pass", "Run", one.test_words, seconds=one.length_s)
    return found


def caution_of(change: Change) -> str:
    """The caution beside a change; empty where none applies."""
    part = part_of(change.about)
    meant = named(change.about.removeprefix("setting:")) if change.about and not part else None
    if change.kind == "swap":
        if part == "adapter":
            return CAUTIONS["adapter"]
        return f"{CAUTIONS['swap']} {CAUTIONS['memory']}" if part == "memory" else CAUTIONS["swap"]
    if part == "firmware":
        return CAUTIONS["firmware"]
    if meant is not None and meant.kind == "memory_profile":
        return CAUTIONS["memory"]
    return CAUTIONS["limit"] if meant is not None and meant.kind in _RISKY else ""


def cautions_in_print(setups: Sequence[SetupDescription]) -> tuple[str, ...]:
    """The cautions that go with what is printed of these setups: for whoever does at home what was done here.

    What lies beyond a stated limit of a part is told first, then what applies to settings and mains supplies in which
    the setups differ, and to external cards, each once. Empty where none applies.
    """
    names = {name for setup in setups for name in setup.settings}
    varied = [name for name in names if len({setup.settings.get(name) for setup in setups}) > 1]
    meant = [
        named(name) or named(value)
        for setup in setups
        for name, value in setup.settings.items()
        if name in varied and not is_off(value) and not is_stock(value)
    ]
    kinds = {one.kind for one in meant if one is not None}
    adapters = any(part.kind == "adapter" for setup in setups for part in setup.parts)
    supplies = {tuple(part.name for part in setup.parts if part.kind == "supply") for setup in setups}
    told = [f"{one.words}." for setup in setups for one in cautions_of(setup)]
    told += [CAUTIONS["limit"]] if kinds & _RISKY else []
    told += [CAUTIONS["memory"]] if "memory_profile" in kinds else []
    told += [CAUTIONS["adapter"]] if adapters else []
    told += [CAUTIONS["swap"]] if len(supplies) > 1 else []
    return tuple(dict.fromkeys(told))
