"""What changes really cost: learned from what they took, offered to the next plan."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields
from statistics import median

from rennbahn.planning.changes import QUICK, part_of
from rennbahn.planning.schedule import ChangeKind, Costs
from rennbahn.planning.timeline import Change

#: From so many times on what a change took is offered as its cost.
LEARNED_FROM = 3
#: Who ticks a change off within this did it before, or not at all: it says nothing of what the change takes, s.
ROTE_S = 2.0
#: Every cost that a change at the bench can teach.
TAUGHT = (
    "start_s", "swap_s", "quick_swap_s", "driver_s", "reboot_s", "setting_s", "load_s", "restart_s", "menu_s",
    "resolution_s",
)  # fmt: skip
#: The cost that pays for each kind of change; a warm-up is as long as its scene.
COST_OF: Mapping[ChangeKind, str] = {
    "start": "start_s", "swap": "swap_s", "driver": "driver_s", "reboot": "reboot_s", "setting": "setting_s",
    "load": "load_s", "restart": "restart_s", "menu": "menu_s", "resolution": "resolution_s",
}  # fmt: skip


def cost_of(change: Change) -> str:
    """The cost that pays for a change; empty where none does."""
    if change.kind == "swap" and part_of(change.about) in QUICK:
        return "quick_swap_s"
    return COST_OF.get(change.kind, "")


def learned_costs(took: Mapping[str, Sequence[float]]) -> dict[str, float]:
    """The seconds that each cost is found to be, from what it took: the middle of at least three times, whole seconds.

    The middle, since a coffee or a search for a screwdriver is no part of a change; ticks under two seconds are rote.
    """
    known = {one.name for one in fields(Costs)}
    done = {name: [one for one in seconds if one >= ROTE_S] for name, seconds in took.items() if name in known}
    return {name: float(round(median(seconds))) for name, seconds in done.items() if len(seconds) >= LEARNED_FROM}
