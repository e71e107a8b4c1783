"""Every kind of part with its facts: the one definition that database, API and screen follow.

The ranges are wide: they catch a wrong unit or a slipped digit, not a rare product.
"""

from __future__ import annotations

from rennbahn.errors import RennbahnError
from rennbahn.parts.definition import Fact, Kind

_MOST = "at most {} {unit}"
_MAX_TEMPERATURE = Fact(
    "max_temperature_c", "Stated temperature limit", "number", "°C", 40, 130, stated_limit=True, words="at most {} °C"
)
#: Of what has fans: measured at one metre under load.
_NOISE = Fact("noise_dba", "Noise at one metre under load", "number", "dB(A)", 0, 100, words="{} dB(A) at one metre")
_LINK = (
    Fact("generation", "Link generation", "whole", "", 1, 5, words="link generation {}"),
    Fact("lanes", "Link lanes", "whole", "", 1, 16, count="lane"),
)
_ROOM = (
    Fact("card_length_mm", "Room for a card", "number", "mm", 30, 600, words="cards up to {} mm"),
    Fact("card_slots", "Slots for a card", "number", "", 1, 6, words="cards of up to {} slots"),
)
_VERSION = (
    Fact("version", "Version", "text", words="{}"),
    Fact("date", "Released on", "date", words="of {}"),
    Fact("beta", "Beta", "flag"),
)

KINDS: tuple[Kind, ...] = (
    Kind("card", "Graphics card", (
        Fact("memory_gb", "Memory", "number", "GB", 0.25, 512),
        Fact("bus_bits", "Bus width", "whole", "bit", 32, 8192),
        Fact("gbit_per_pin", "Memory rate a pin", "number", "Gbit/s", 0.5, 64),
        Fact("boost_mhz", "Stated boost clock", "number", "MHz", 100, 6000, words="boost {} MHz"),
        Fact("power_limit_w", "Power limit as delivered", "number", "W", 5, 1500),
        Fact("max_power_w", "Stated highest power limit", "number", "W", 5, 1500, stated_limit=True, words=_MOST),
        _MAX_TEMPERATURE,
        _NOISE,
        Fact("length_mm", "Length", "number", "mm", 30, 600, words="{} mm long"),
        Fact("slots", "Slots it takes", "number", "", 1, 6, words="{} slots thick"),
        *_LINK,
    )),
    Kind("processor", "Processor", (
        Fact("fast_cores", "Fast cores", "whole", "", 1, 256, count="fast core"),
        Fact("small_cores", "Small cores", "whole", "", 0, 512, count="small core"),
        Fact("threads", "Threads", "whole", "", 1, 1024, count="thread"),
        Fact("base_mhz", "Base clock", "number", "MHz", 200, 8000, words="base {} MHz"),
        Fact("boost_mhz", "Stated boost clock", "number", "MHz", 200, 9000, words="boost {} MHz"),
        Fact("cache_mb", "Last-level cache", "number", "MB", 0.5, 2048, words="{} MB cache"),
        Fact("power_limit_w", "Lasting power limit", "number", "W", 3, 1000),
        Fact("boost_power_w", "Short power limit", "number", "W", 3, 1500, words="{} W for a while"),
        Fact("max_power_w", "Stated highest power limit", "number", "W", 3, 1500, stated_limit=True, words=_MOST),
        Fact("memory_channels", "Memory channels", "whole", "", 1, 16, count="memory channel"),
        _MAX_TEMPERATURE,
    )),
    Kind("memory", "Memory kit", (
        Fact("size_gb", "Size in all", "number", "GB", 1, 4096),
        Fact("sticks", "Sticks", "whole", "", 1, 32, count="stick"),
        Fact("ranks", "Ranks a stick", "whole", "", 1, 8, count="rank"),
        Fact("channels", "Channels of 64 bits filled", "whole", "", 1, 16, count="channel"),
        Fact("mt_per_s", "Rate", "number", "MT/s", 200, 20_000),
        Fact("cl", "CAS latency (CL)", "whole", "clocks", 2, 200, words="CL {}"),
        Fact("trcd", "tRCD", "whole", "clocks", 2, 200, words="tRCD {}"),
        Fact("trp", "tRP", "whole", "clocks", 2, 200, words="tRP {}"),
        Fact("tras", "tRAS", "whole", "clocks", 2, 400, words="tRAS {}"),
        Fact("voltage_v", "Voltage", "number", "V", 0.5, 3),
        Fact("max_voltage_v", "Stated highest voltage", "number", "V", 0.5, 3, stated_limit=True, words="at most {} V"),
    )),
    Kind("board", "Board", (
        Fact("form", "Form", "text", words="{}"),
        Fact("memory_slots", "Memory slots", "whole", "", 1, 32, count="memory slot"),
        *_LINK,
    )),
    Kind("drive", "Drive", (
        Fact("size_gb", "Size", "number", "GB", 8, 200_000),
        Fact("read_mb_s", "Stated reading rate", "number", "MB/s", 10, 40_000, words="reads {} MB/s"),
        Fact("write_mb_s", "Stated writing rate", "number", "MB/s", 10, 40_000, words="writes {} MB/s"),
    )),
    Kind("cooler", "Cooler", (
        Fact("type", "Type", "choice", choices=("air", "liquid", "passive"), words="{}"),
        Fact("height_mm", "Height", "number", "mm", 5, 250, words="{} mm high"),
        Fact("fans", "Fans", "whole", "", 0, 12, count="fan"),
        Fact("max_heat_w", "Stated heat carried off", "number", "W", 5, 2000, stated_limit=True, words="for {} W"),
        _NOISE,
    )),
    Kind("supply", "Power supply", (
        Fact("power_w", "Stated power", "number", "W", 30, 5000, stated_limit=True),
        Fact("efficiency_pct", "Efficiency at half load", "number", "%", 50, 100, words="{}% efficient"),
        _NOISE,
    )),
    Kind("case", "Case", (
        Fact("volume_l", "Volume", "number", "litres", 0.2, 300),
        Fact("fans", "Fans", "whole", "", 0, 30, count="fan"),
        *_ROOM,
        Fact("cooler_height_mm", "Room for a cooler", "number", "mm", 5, 250, words="coolers up to {} mm"),
        _NOISE,
    )),
    Kind("machine", "Whole machine", (
        Fact("form", "Form", "choice", choices=("laptop", "console", "handheld", "desktop", "all in one"), words="{}"),
        Fact("memory_gb", "Memory", "number", "GB", 0.25, 4096),
        Fact("power_limit_w", "Lasting power limit", "number", "W", 2, 3000),
        Fact("max_power_w", "Stated power of its supply", "number", "W", 5, 3000, stated_limit=True, words=_MOST),
        Fact("battery_wh", "Battery", "number", "Wh", 1, 1000, words="battery of {} Wh"),
        *_ROOM,
        *_LINK,
        _MAX_TEMPERATURE,
        _NOISE,
    )),
    Kind("display", "Display", (
        Fact("width_px", "Width", "whole", "px", 320, 16_384, words="{} px wide"),
        Fact("height_px", "Height", "whole", "px", 200, 16_384, words="{} px high"),
        Fact("refresh_hz", "Refresh", "number", "Hz", 20, 1000),
        Fact("variable_refresh", "Variable refresh", "flag"),
        Fact("variable_from_hz", "Variable from", "number", "Hz", 1, 1000, words="variable from {} Hz"),
        Fact("built_in", "Built into a laptop", "flag"),
    )),
    Kind("adapter", "Dock, adapter or link", (
        *_LINK,
        Fact("max_power_w", "Stated power passed on", "number", "W", 1, 1000, stated_limit=True, words="at most {} W"),
        Fact("live_plugging", "May be plugged live, says its maker", "flag"),
    )),
    Kind("system", "Operating system", _VERSION),
    Kind("driver", "Driver", _VERSION),
    Kind("firmware", "Firmware", _VERSION),
    Kind("build", "Game build", (Fact("game", "Game", "text", words="{}"), *_VERSION)),
)  # fmt: skip

_BY_ID = {kind.id: kind for kind in KINDS}


def kind_meant(factor: str) -> Kind | None:
    """The kind of part that a factor of this name is about, by its id or its label; None where it is a setting."""
    wanted = " ".join(factor.casefold().split())
    return next((kind for kind in KINDS if wanted in (kind.id, kind.label.casefold())), None)


def kind_named(kind: str) -> Kind:
    """The kind of that id. Raises :class:`RennbahnError` (`unknown_kind`)."""
    found = _BY_ID.get(kind)
    if found is None:
        names = ", ".join(_BY_ID)
        raise RennbahnError("unknown_kind", f"{kind!r} is no kind of part: {names}.", field="kind")
    return found
