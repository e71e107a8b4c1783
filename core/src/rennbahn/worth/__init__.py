"""What frames cost: price, energy, memory and links (docs/measures.md, section 7)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from rennbahn.errors import RennbahnError

#: GT/s per lane and the share of bits that carry data, by PCIe generation.
_LINKS = {
    1: (2.5, 8 / 10),
    2: (5.0, 8 / 10),
    3: (8.0, 128 / 130),
    4: (16.0, 128 / 130),
    5: (32.0, 128 / 130),
}
_DAYS = 365


@dataclass(frozen=True)
class PerPrice:
    """fps for one unit of money, and money for one fps."""

    fps_per_price: float
    price_per_fps: float


@dataclass(frozen=True)
class ExtraFrameCost:
    """What one more fps costs; None unless the dearer gives more. `b_outclassed`: B costs more and gives no more."""

    cost_per_extra_frame: float | None
    b_outclassed: bool


@dataclass(frozen=True)
class Energy:
    """Energy a frame in J, fps per W, and the price of a year's use."""

    joules_per_frame: float
    fps_per_watt: float
    cost_per_year: float


@dataclass(frozen=True)
class Memory:
    """First-word latency in ns and peak bandwidth in GB/s."""

    first_word_ns: float
    peak_gb_per_s: float


def per_price(fps: float, price: float) -> PerPrice:
    """fps and price against each other."""
    return PerPrice(fps / price, price / fps)


def extra_frame_cost(price_a: float, fps_a: float, price_b: float, fps_b: float) -> ExtraFrameCost:
    """What each fps that the dearer gives more costs (reading 22)."""
    more_money, more_fps = price_b - price_a, fps_b - fps_a
    worth_asking = more_money * more_fps > 0
    return ExtraFrameCost(more_money / more_fps if worth_asking else None, more_money > 0 and more_fps <= 0)


def energy(watts: float, fps: float, hours_a_day: float, price_per_kwh: float) -> Energy:
    """Energy of a card or a machine that draws `watts` at `fps`."""
    return Energy(watts / fps, fps / watts, watts / 1000.0 * hours_a_day * _DAYS * price_per_kwh)


@dataclass(frozen=True)
class Ownership:
    """What a part costs whoever owns it: energy a year in kWh and its price, and all of it over some years."""

    kwh_a_year: float
    energy_cost_a_year: float | None
    cost_owned: float | None


def ownership(
    watts: float, hours_a_day: float, price_per_kwh: float | None, price: float | None, years: float
) -> Ownership:
    """Price and power together; what hangs on a price that is not known is None."""
    kwh = watts / 1000.0 * hours_a_day * _DAYS
    energy_cost = None if price_per_kwh is None else kwh * price_per_kwh
    owned = None if energy_cost is None or price is None else price + years * energy_cost
    return Ownership(kwh, energy_cost, owned)


def break_even_years(price_a: float, a_year_a: float, price_b: float, a_year_b: float) -> float | None:
    """Years after which B, dearer and cheaper to run, has cost no more than A; None where no year would do that."""
    dearer, saved = price_b - price_a, a_year_a - a_year_b
    return dearer / saved if dearer > 0 and saved > 0 else None


def together_dba(levels: Sequence[float]) -> float:
    """Sound levels in dB(A) of several sources at once: their powers add."""
    return 10.0 * math.log10(math.fsum(10.0 ** (level / 10.0) for level in levels))


def gpu_bandwidth(bus_bits: int, gbit_per_pin: float) -> float:
    """Memory bandwidth of a card in GB/s."""
    return bus_bits / 8 * gbit_per_pin


def memory(cl: int, mt_per_s: float, channels: int) -> Memory:
    """A memory kit by its CAS latency in clocks, its rate in MT/s and its channels of 64 bits."""
    return Memory(2000.0 * cl / mt_per_s, channels * 8 * mt_per_s / 1000.0)


def pcie(generation: int, lanes: int) -> float:
    """GB/s one way. Raises :class:`RennbahnError` (`unknown_generation`) beyond generations 1 to 5."""
    if generation not in _LINKS:
        message = f"PCIe generation must be 1 to 5 (got {generation})"
        raise RennbahnError("unknown_generation", message, field="generation")
    rate, coding = _LINKS[generation]
    return rate * coding * lanes / 8
