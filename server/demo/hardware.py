"""The demo's parts, rigs and conditions. Every maker, part and game is made up."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from bench.schemas import PartIn, PartRef, PricedRef
from scenes.schemas import ConditionIn, GameIn

NEUN = "Hollin Neun"
TURM = "Marl Turm"
CASE, TOWER = "Hollin Neun, 9 litres", "Marl Turm, 38 litres"


def _part(
    kind: str, name: str, maker: str = "", price: int | None = None, weight_g: int | None = None, **facts: object
) -> PartIn:
    return PartIn(
        kind=kind,
        name=name,
        maker=maker,
        facts=facts,
        price=None if price is None else Decimal(price),
        currency="" if price is None else "EUR",
        price_from="" if price is None else "street price",
        price_day=None if price is None else date(2026, 9, 7),
        weight_g=weight_g,
    )


def _card(name: str, maker: str, price: int, memory: int, bus: int, pin: float, watts: int, most: int) -> PartIn:
    return _part(
        "card", name, maker, price, 400 + 4 * watts, noise_dba=round(27.0 + watts / 30, 1),
        memory_gb=memory, bus_bits=bus, gbit_per_pin=pin,
        power_limit_w=watts, max_power_w=most, max_temperature_c=95, generation=4, lanes=8 if watts < 170 else 16,
        length_mm=140 + round(0.6 * watts), slots=2 if watts < 170 else 2.5 if watts < 250 else 3,
    )  # fmt: skip


#: The six cards of the ladder, cheapest first.
CARDS = (
    _card("Ostrane V3", "Ostrane", 189, 6, 96, 14, 95, 105),
    _card("Tellur 40", "Tellur Werke", 229, 8, 128, 14, 115, 125),
    _card("Ostrane V5 Kompakt", "Ostrane", 319, 8, 128, 18, 160, 170),
    _card("Tellur 60", "Tellur Werke", 379, 12, 192, 16, 180, 200),
    _card("Ostrane V7", "Ostrane", 529, 12, 192, 20, 220, 240),
    _card("Tellur 80 Lang", "Tellur Werke", 749, 16, 256, 20, 285, 300),
)

PARTS = (
    *CARDS,
    _part("processor", "Tessel S6", "Tessel", 199, fast_cores=6, small_cores=0, threads=12, base_mhz=3600,
          boost_mhz=4700, cache_mb=24, power_limit_w=65, boost_power_w=88, memory_channels=2, max_temperature_c=95),
    _part("processor", "Tessel S8", "Tessel", 289, fast_cores=8, small_cores=4, threads=20, base_mhz=3700,
          boost_mhz=5100, cache_mb=36, power_limit_w=95, boost_power_w=130, memory_channels=2, max_temperature_c=95),
    _part("memory", "Kettle 2 × 16 GB", "Kettle", 104, size_gb=32, sticks=2, ranks=1, channels=2, mt_per_s=5600,
          cl=36, trcd=38, trp=38, tras=80, voltage_v=1.25, max_voltage_v=1.35),
    _part("memory", "Kettle 1 × 32 GB", "Kettle", 89, size_gb=32, sticks=1, ranks=2, channels=1, mt_per_s=5600,
          cl=36, trcd=38, trp=38, tras=80, voltage_v=1.25, max_voltage_v=1.35),
    _part("board", "Fennik Mini 3", "Fennik", 159, form="small square", memory_slots=2, generation=4, lanes=16),
    _part("board", "Fennik Lang 5", "Fennik", 189, form="long", memory_slots=4, generation=4, lanes=16),
    _part("drive", "Sedra 1 TB", "Sedra", 72, size_gb=1000, read_mb_s=5000, write_mb_s=4200),
    _part("cooler", "Loftair 47", "Loftair", 49, 310, type="air", height_mm=47, fans=1, max_heat_w=95),
    _part("cooler", "Loftair 150", "Loftair", 39, 780, type="air", height_mm=150, fans=1, max_heat_w=180),
    _part("supply", "Brume 450", "Brume", 89, power_w=450, efficiency_pct=92),
    _part("supply", "Brume 750", "Brume", 109, power_w=750, efficiency_pct=92),
    _part("case", CASE, "Hollin", 149, 3900, volume_l=9, fans=2, card_length_mm=245, card_slots=2,
          cooler_height_mm=48),
    _part("case", TOWER, "Marl", 79, 7200, volume_l=38, fans=3, card_length_mm=360, card_slots=4,
          cooler_height_mm=165),
    _part("display", "Panora 27", "Panora", 349, width_px=2560, height_px=1440, refresh_hz=165,
          variable_refresh=True, variable_from_hz=48),
    _part("display", "Panora 32 Weit", "Panora", 629, width_px=3840, height_px=2160, refresh_hz=144,
          variable_refresh=True, variable_from_hz=48),
    _part("adapter", "Quaybox 4", "Quay", 219, 640, generation=3, lanes=4, max_power_w=100, live_plugging=False),
    _part("adapter", "Straight riser", "Quay", 24, 90, generation=4, lanes=16),
    _part("adapter", "Bent riser", "Quay", 29, 110, generation=4, lanes=8),
    _part("system", "Sable OS 12", "Sable", version="12.3", date="2026-08-20"),
    _part("driver", "Ostrane 41.2", "Ostrane", version="41.2", date="2026-06-02"),
    _part("driver", "Ostrane 42.0", "Ostrane", version="42.0", date="2026-09-08"),
    _part("driver", "Tellur 7.10", "Tellur Werke", version="7.10", date="2026-09-01"),
    _part("firmware", "Fennik 1.18", "Fennik", version="1.18", date="2026-05-11"),
    _part("firmware", "Fennik 5.04", "Fennik", version="5.04", date="2026-07-03"),
    _part("build", "The Unlit Tram 0.9.4", game="The Unlit Tram", version="0.9.4", date="2026-08-30", beta=True),
    _part("build", "Moss Republic 2.1", game="Moss Republic", version="2.1", date="2026-07-15"),
)  # fmt: skip

_RIGS = {
    NEUN: ("Ostrane V5 Kompakt", "Tessel S6", "Kettle 2 × 16 GB", "Fennik Mini 3", "Sedra 1 TB", "Loftair 47",
           "Brume 450", "Hollin Neun, 9 litres", "Panora 27", "Sable OS 12", "Ostrane 41.2", "Fennik 1.18",
           "The Unlit Tram 0.9.4", "Moss Republic 2.1"),
    TURM: ("Tessel S8", "Kettle 2 × 16 GB", "Fennik Lang 5", "Sedra 1 TB", "Loftair 150", "Brume 750",
           "Marl Turm, 38 litres", "Panora 32 Weit", "Sable OS 12", "Fennik 5.04", "The Unlit Tram 0.9.4",
           "Moss Republic 2.1"),
}  # fmt: skip
_KIND = {part.name: part.kind for part in PARTS}


def refs(*names: str) -> list[PricedRef]:
    """Parts by name."""
    return [PricedRef(kind=_KIND[name], name=name) for name in names]


def rig_parts(rig: str) -> list[PartRef]:
    """The parts of a rig."""
    return [*refs(*_RIGS[rig])]


CONDITIONS = (
    ConditionIn(name="1440 high", resolution="2560 × 1440", preset="high", upscaling="off", ray_tracing="off"),
    ConditionIn(name="1080 high", resolution="1920 × 1080", preset="high", upscaling="off", ray_tracing="off"),
    ConditionIn(name="2160 high", resolution="3840 × 2160", preset="high", upscaling="off", ray_tracing="off"),
    ConditionIn(name="1440 low", resolution="2560 × 1440", preset="low", upscaling="off", ray_tracing="off"),
    ConditionIn(name="1440 medium", resolution="2560 × 1440", preset="medium", upscaling="off", ray_tracing="off"),
    ConditionIn(name="1440 ultra", resolution="2560 × 1440", preset="ultra", upscaling="off", ray_tracing="off"),
    *(ConditionIn(name=f"headset {preset}", resolution="2880 × 1600", preset=preset, upscaling="off", ray_tracing="off")
      for preset in ("low", "medium", "high")),
    ConditionIn(name="720 low", resolution="1280 × 720", preset="low", upscaling="off", ray_tracing="off",
                intent="expose"),
)  # fmt: skip

#: What is known of the games' engines.
ENGINES = (
    GameIn(name="Moss Republic", marks=["this year's"], genre="city building", preset_needs_restart=True),
    GameIn(name="Glass Caravan", genre="racing", has_replay=True),
    GameIn(name="Ninth Ferry", genre="mystery"),
    GameIn(name="Paper Comets", genre="arcade", engine_cap_fps=120.0),
    GameIn(name="Ember Allotment", genre="farming"),
    GameIn(name="Orchard of Kites", genre="gliding", has_replay=True),
    GameIn(name="Brass Meridian", genre="adventure", preset_needs_restart=True),
    GameIn(name="Velvet Quarry", genre="puzzle"),
    GameIn(name="Snowline Courier", marks=["this year's"], genre="driving"),
    GameIn(name="Lanternfish Bay", genre="diving", has_benchmark=True),
    GameIn(name="The Unlit Tram", marks=["this year's"], genre="horror", preset_needs_restart=True,
           notes="Still a beta build."),
    GameIn(name="Gravel Minuet", genre="rally", has_replay=True),
    GameIn(name="Hush Parliament", genre="strategy, online", forbids_overlays=True,
           notes="Its guard against cheating stops overlays: log from outside."),
    GameIn(name="Salt Almanac", genre="survival"),
)  # fmt: skip
