"""The column map: which column of a file means what."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rennbahn.errors import RennbahnError

#: Factor from a unit of time to milliseconds, as (multiply, divide): dividing keeps decimal values exact.
TIME_UNITS = {"s": (1000.0, 1.0), "ms": (1.0, 1.0), "us": (1.0, 1000.0), "ns": (1.0, 1_000_000.0)}

#: Channels that say how long frames took; a map holds exactly one of them.
CLOCK_CHANNELS = ("frame_time", "timestamp", "fps")
#: Channels with one time a frame.
BUSY_CHANNELS = ("gpu_busy_ms", "cpu_busy_ms")
#: Sampled channels with the unit their values are in.
SAMPLED_CHANNELS = {
    "gpu_power_w": "W",
    "gpu_temp_c": "C",
    "gpu_hotspot_c": "C",
    "gpu_clock_mhz": "MHz",
    "gpu_util_pct": "%",
    "cpu_util_pct": "%",
    "vram_used_mib": "MiB",
    "fan_rpm": "rpm",
    "wall_power_w": "W",
}
CHANNELS = (*CLOCK_CHANNELS, *BUSY_CHANNELS, *SAMPLED_CHANNELS)

FORMATS = ("delimited", "jsonl", "parquet", "arrow")
COMPRESSIONS = (None, "gzip", "zstd")
DELIMITERS = (",", ";", "\t", "|")
MOST_HEADER_LINES = 3
MOST_LAST_LINES = 100
ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "latin-1")


def units_of(channel: str) -> tuple[str, ...]:
    """Units a channel may have."""
    if channel == "fps":
        return ("fps",)
    if channel in ("frame_time", "timestamp", *BUSY_CHANNELS):
        return tuple(TIME_UNITS)
    return (SAMPLED_CHANNELS[channel],)


@dataclass(frozen=True)
class ColumnUse:
    """One column of the file put to use as a channel, in a unit."""

    column: str
    channel: str
    unit: str


@dataclass(frozen=True)
class ColumnMap:
    """How to read one kind of file. See docs/formats.md.

    `header_lines` is 2 where a line of units or of groups belongs to the header; `skip_last_lines` are no rows, as a
    summary at the end is none.
    """

    uses: tuple[ColumnUse, ...]
    format: str = "delimited"
    compression: str | None = None
    delimiter: str = ","
    decimal: str = "."
    encoding: str = "utf-8"
    skip_lines: int = 0
    header_lines: int = 1
    skip_last_lines: int = 0

    def __post_init__(self) -> None:
        _one_of("format", self.format, FORMATS)
        _one_of("compression", self.compression, COMPRESSIONS)
        _one_of("decimal", self.decimal, (".", ","))
        _one_of("encoding", self.encoding, ENCODINGS)
        if len(self.delimiter) != 1 or self.delimiter in '"\r\n' or self.delimiter == self.decimal:
            _refuse("delimiter", f"{self.delimiter!r} cannot part fields with the decimal sign {self.decimal!r}")
        if self.skip_lines < 0:
            _refuse("skip_lines", "the number of lines before the header cannot be negative")
        if not 1 <= self.header_lines <= MOST_HEADER_LINES:
            _refuse("header_lines", f"a header has 1 to {MOST_HEADER_LINES} lines (got {self.header_lines})")
        if not 0 <= self.skip_last_lines <= MOST_LAST_LINES:
            _refuse(
                "skip_last_lines", f"0 to {MOST_LAST_LINES} last lines may be left out (got {self.skip_last_lines})"
            )
        for use in self.uses:
            _one_of("channel", use.channel, CHANNELS)
            if use.channel in CLOCK_CHANNELS or use.channel in BUSY_CHANNELS:
                _one_of(f"unit of {use.column}", use.unit, units_of(use.channel))
        clocks = [use.column for use in self.uses if use.channel in CLOCK_CHANNELS]
        if len(clocks) != 1:
            taken = " and ".join(clocks) or "none"
            _refuse("map", f"exactly one column must hold frame times, timestamps or rates (got {taken})")
        channels = [use.channel for use in self.uses]
        for channel in channels:
            if channels.count(channel) > 1:
                _refuse("map", f"two columns are taken for {channel}")

    @property
    def clock(self) -> ColumnUse:
        """The column that says how long frames took."""
        return next(use for use in self.uses if use.channel in CLOCK_CHANNELS)

    @property
    def others(self) -> tuple[ColumnUse, ...]:
        """All columns but the clock."""
        return tuple(use for use in self.uses if use.channel not in CLOCK_CHANNELS)

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> ColumnMap:
        """Read the object that :meth:`as_json` writes.

        Raises :class:`RennbahnError` (`bad_columns`) naming the field that is missing or wrong.
        """
        if not isinstance(data, Mapping) or not isinstance(data.get("map"), list):
            _refuse("map", "the column map needs a list `map` of column, channel and unit")
        uses = []
        for entry in data["map"]:
            if not isinstance(entry, Mapping) or not all(isinstance(entry.get(k), str) for k in ("column", "channel")):
                _refuse("map", "each entry of the map needs column, channel and unit, as text")
            unit = entry.get("unit") or units_of(entry["channel"])[0] if entry["channel"] in CHANNELS else ""
            uses.append(ColumnUse(entry["column"].strip(), entry["channel"], str(unit)))
        whole = ("skip_lines", "header_lines", "skip_last_lines")
        known = {"format", "compression", "delimiter", "decimal", "encoding", *whole}
        rest = {key: data[key] for key in known if data.get(key) is not None}
        for key in whole:
            if not isinstance(rest.get(key, 0), int) or isinstance(rest.get(key), bool):
                _refuse(key, "the number of lines must be a whole number")
        for key in known - set(whole):
            if not isinstance(rest.get(key, ""), str):
                _refuse(key, "must be text")
        if isinstance(rest.get("encoding"), str):
            rest["encoding"] = _ENCODING_NAMES.get(rest["encoding"].lower().replace("_", "-"), rest["encoding"])
        return cls(tuple(uses), **rest)

    def as_json(self) -> dict[str, Any]:
        """The map as plain data; delimited text carries its dialect, other formats do not."""
        data: dict[str, Any] = {"format": self.format}
        if self.compression:
            data["compression"] = self.compression
        if self.format == "delimited":
            data |= {"delimiter": self.delimiter, "decimal": self.decimal}
        if self.format in ("delimited", "jsonl"):
            data["encoding"] = self.encoding
        if self.format == "delimited":
            data["skip_lines"] = self.skip_lines
            if self.header_lines != 1:
                data["header_lines"] = self.header_lines
            if self.skip_last_lines:
                data["skip_last_lines"] = self.skip_last_lines
        data["map"] = [{"column": u.column, "channel": u.channel, "unit": u.unit} for u in self.uses]
        return data


_ENCODING_NAMES = {
    "utf8": "utf-8",
    "utf-8": "utf-8",
    "utf8-sig": "utf-8-sig",
    "utf-16le": "utf-16-le",
    "utf-16be": "utf-16-be",
    "utf16": "utf-16",
    "latin1": "latin-1",
    "iso-8859-1": "latin-1",
}


def _refuse(field: str, message: str) -> None:
    raise RennbahnError("bad_columns", f"{field}: {message}", field=field)


def _one_of(field: str, value: object, allowed: tuple[object, ...]) -> None:
    if value not in allowed:
        wanted = ", ".join(str(a) for a in allowed if a is not None)
        _refuse(field, f"{value!r} is not one of {wanted}")
