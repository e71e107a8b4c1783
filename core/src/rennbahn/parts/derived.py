"""What follows from a part's facts, computed by `worth` (docs/measures.md, section 7)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from rennbahn.parts.facts import FactValue
from rennbahn.worth import gpu_bandwidth, memory, pcie


@dataclass(frozen=True)
class Derived:
    """A value that follows from facts, with its unit."""

    name: str
    label: str
    value: float
    unit: str


def derived(kind: str, facts: Mapping[str, FactValue]) -> tuple[Derived, ...]:
    """Derived values of a part with checked facts; those whose facts are not all known are left out."""
    found: list[Derived] = []

    def number(name: str) -> float | None:
        value = facts.get(name)
        return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else None

    bus, rate = number("bus_bits"), number("gbit_per_pin")
    if kind == "card" and bus is not None and rate is not None:
        found.append(Derived("memory_gb_per_s", "Memory bandwidth", gpu_bandwidth(int(bus), rate), "GB/s"))
    mt_per_s, cl, channels = number("mt_per_s"), number("cl"), number("channels")
    if kind == "memory" and mt_per_s is not None:
        if cl is not None:
            found.append(Derived("first_word_ns", "First word", memory(int(cl), mt_per_s, 1).first_word_ns, "ns"))
        if channels is not None:
            peak = memory(1, mt_per_s, int(channels)).peak_gb_per_s
            found.append(Derived("peak_gb_per_s", "Peak bandwidth", peak, "GB/s"))
    generation, lanes = number("generation"), number("lanes")
    if generation is not None and lanes is not None:
        found.append(Derived("link_gb_per_s", "Link one way", pcie(int(generation), int(lanes)), "GB/s"))
    return tuple(found)
