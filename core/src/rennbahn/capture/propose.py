"""A proposed column map, from the header and the values. A person confirms it; nothing is taken for granted.

The proposal reads only the head of the file. It looks at what values do before it looks at what they are called: a
column that only grows is a timestamp, a column of similar values near a plausible frame time is a frame time, and
names decide between columns that behave alike.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa

from rennbahn.capture import text
from rennbahn.capture.bounds import check_columns
from rennbahn.capture.columns import BUSY_CHANNELS, CLOCK_CHANNELS, DELIMITERS, SAMPLED_CHANNELS, ColumnMap, ColumnUse
from rennbahn.capture.read import compression_of, unpacked
from rennbahn.capture.records import arrow_table, row_of, shown_values
from rennbahn.errors import CaptureRefused

#: As much of an unpacked file as a proposal looks at.
HEAD_BYTES = 256 * 1024
HEAD_ROWS = 400
#: Lines before the header that are looked through.
_MOST_PREAMBLE = 60
#: Share of values that must fit; a file with a bad row is still understood, and refused with that row when read.
_MOSTLY = 0.95
#: Falls that a column may show among its first rows and still be a clock.
_LAPSES = 1
#: Shortest and longest plausible median frame time, ms: 2,000 fps and 4 fps.
_FRAME_MS = (0.5, 250.0)

_TIME_SUFFIX = {
    "s": "s", "sec": "s", "secs": "s", "second": "s", "seconds": "s",
    "ms": "ms", "msec": "ms", "milliseconds": "ms", "millisecond": "ms",
    "us": "us", "usec": "us", "µs": "us", "microseconds": "us", "microsecond": "us",
    "ns": "ns", "nsec": "ns", "nanoseconds": "ns", "nanosecond": "ns",
}  # fmt: skip
_CARD = {"gpu", "card", "graphics", "render", "vga"}
_PROCESSOR = {"cpu", "core", "processor", "main", "host"}
_FRAME = {"frame", "frames", "frametime", "delta", "interval", "present", "display", "displayed", "delivery", "dt"}
_STAMP = {"time", "timestamp", "clock", "at", "shown", "when", "stamp", "elapsed", "t"}
_RATE = {"fps", "rate", "hz"}
_INDEX = {"index", "no", "nr", "n", "number", "count", "id", "row", "frame"}
#: Sampled channels by the words their columns usually bear: all of one group must be met.
_SAMPLED_WORDS: tuple[tuple[str, set[str], set[str]], ...] = (
    ("gpu_hotspot_c", {"hotspot", "junction", "hot"}, set()),
    ("cpu_util_pct", {"util", "usage", "load", "pct", "percent"}, _PROCESSOR),
    ("gpu_util_pct", {"util", "usage", "load", "pct", "percent"}, _CARD),
    ("gpu_temp_c", {"temp", "temperature", "celsius", "degc"}, set()),
    ("gpu_clock_mhz", {"mhz", "clock", "frequency"}, set()),
    ("wall_power_w", {"w", "watt", "watts", "power"}, {"wall", "plug", "mains", "system"}),
    ("gpu_power_w", {"w", "watt", "watts", "power"}, set()),
    ("vram_used_mib", {"vram", "mib", "memory"}, set()),
    ("fan_rpm", {"rpm", "fan"}, set()),
)


@dataclass(frozen=True)
class Proposal:
    """What a file seems to be.

    `columns` is None where no column can hold frame times; `names` and `rows` show the header and the first rows as
    text, so that a person can choose; `reasons` say in words what was taken for what.
    """

    columns: ColumnMap | None
    names: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    reasons: tuple[str, ...]


@dataclass(frozen=True)
class _Head:
    """The dialect and first rows of a file. `columns` is a map without uses, completed later."""

    dialect: dict[str, object]
    names: tuple[str, ...]
    rows: list[tuple[str, ...]]


def propose_columns(data: bytes) -> Proposal:
    """Propose a column map for the file `data` (its head suffices for text, not for Parquet).

    Raises :class:`CaptureRefused` where the file is no capture in any of the formats: `unreadable`, `no_frames`.
    """
    if not data:
        raise CaptureRefused("no_frames", "the file is empty")
    compression = compression_of(data)
    head = _head(data if compression is None else unpacked(data, compression))
    dialect = {"compression": compression, **head.dialect}
    decimal = str(dialect.get("decimal", "."))
    values = {
        name: text.numbers_in([row[i] for row in head.rows if i < len(row)], decimal)
        for i, name in enumerate(head.names)
        if name
    }
    uses, reasons = _uses({name: np.array(v) for name, v in values.items() if len(v) >= max(2, len(head.rows) // 2)})
    columns = ColumnMap(tuple(uses), **dialect) if uses else None  # type: ignore[arg-type]
    if columns is None:
        reasons = ["No column looks like frame times, timestamps or rates: choose one by hand."]
    return Proposal(columns, head.names, tuple(head.rows[:8]), tuple(reasons))


def propose_samples(data: bytes) -> ColumnMap:
    """Propose a column map for samples on a clock of their own: a column of times that grows, and sampled channels.

    A column that bears a channel's own name is that channel. Raises :class:`CaptureRefused` where no column is a clock
    or none is a channel (`missing_column`), or where the file is none of the formats.
    """
    proposal = propose_columns(data)
    dialect = proposal.columns or ColumnMap(
        (ColumnUse("", CLOCK_CHANNELS[1], "s"),),
        **_head_dialect(data),  # type: ignore[arg-type]
    )
    clocks = [name for name in proposal.names if _words(name) & _STAMP and not _sampled_channel(name)]
    if not clocks:
        message = "no column is a clock: samples need one, such as “clock_s”"
        raise CaptureRefused("missing_column", message)
    unit = next((_TIME_SUFFIX[word] for word in _words(clocks[0]) if word in _TIME_SUFFIX), "s")
    uses = {CLOCK_CHANNELS[1]: ColumnUse(clocks[0], CLOCK_CHANNELS[1], unit)}
    for name in proposal.names:
        channel = _sampled_channel(name)
        if channel is not None and channel not in uses:
            uses[channel] = ColumnUse(name, channel, SAMPLED_CHANNELS[channel])
    if len(uses) == 1:
        raise CaptureRefused("missing_column", f"no column is one of {', '.join(SAMPLED_CHANNELS)}")
    return replace(dialect, uses=tuple(uses.values()))


def _head_dialect(data: bytes) -> dict[str, object]:
    compression = compression_of(data)
    return {"compression": compression, **_head(data if compression is None else unpacked(data, compression)).dialect}


def _sampled_channel(name: str) -> str | None:
    """The sampled channel that a column is by its own name, or by the words in it."""
    if name.lower() in SAMPLED_CHANNELS:
        return name.lower()
    words = _words(name)
    if words & _STAMP and words & set(_TIME_SUFFIX):
        return None
    found = (channel for channel, kinds, owners in _SAMPLED_WORDS if words & kinds and (not owners or words & owners))
    return next(found, None)


def with_uses(proposal: ColumnMap, uses: Sequence[ColumnUse]) -> ColumnMap:
    """The proposed dialect with other columns."""
    return replace(proposal, uses=tuple(uses))


# --- what the file is -------------------------------------------------------------------------------------


def _head(data: bytes) -> _Head:
    if data[:4] == b"PAR1" or data[:6] == b"ARROW1":
        return _arrow_head(data)
    encoding = _encoding(data)
    cut = len(data) > HEAD_BYTES
    try:
        # A cut may part a character: up to four bytes less still make a whole one.
        whole = data[: HEAD_BYTES - HEAD_BYTES % 4] if cut else data
        content = whole.decode(encoding, errors="ignore" if cut else "strict").removeprefix("\ufeff")
    except UnicodeDecodeError as error:
        raise CaptureRefused("unreadable", f"the file is no {encoding} text (byte {error.start + 1})") from None
    if "\x00" in content:
        raise CaptureRefused("unreadable", "the file is no text, Parquet or Arrow capture: it holds zero bytes")
    lines = content.replace("\r\n", "\n").replace("\r", "\n").rstrip("\n").split("\n")
    if cut:
        lines.pop()
    if not any(line.strip() for line in lines):
        raise CaptureRefused("no_frames", "the file is empty")
    if lines[0].lstrip().startswith("{"):
        return _jsonl_head(lines, encoding)
    return _delimited_head(lines, encoding)


def _encoding(data: bytes) -> str:
    if data[:3] == b"\xef\xbb\xbf":
        return "utf-8-sig"
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    if data[:4] in (b"\x89PNG", b"\xff\xd8\xff\xe0", b"PK\x03\x04", b"%PDF", b"GIF8") or data[:2] == b"BM":
        raise CaptureRefused(
            "unreadable",
            f"the file is no capture but {_KINDS.get(data[:2], 'a picture')}, whatever its name says",
            hint="Export the capture from the logger as CSV, JSON Lines, Parquet or Arrow and drop that file.",
        )
    sample = data[:4096]
    if len(sample) > 3 and sample[1::2].count(0) > len(sample) // 4:
        return "utf-16-le"
    if len(sample) > 3 and sample[::2].count(0) > len(sample) // 4:
        return "utf-16-be"
    try:
        data[:HEAD_BYTES].decode("utf-8")
    except UnicodeDecodeError as error:
        at_the_cut = error.start >= HEAD_BYTES - 4 and len(data) > HEAD_BYTES
        if not at_the_cut:
            return "latin-1"
    return "utf-8"


_KINDS = {b"PK": "a zip archive or a spreadsheet", b"%P": "a PDF"}


def _delimited_head(lines: list[str], encoding: str) -> _Head:
    """The delimiter, decimal sign and header whose table is widest and most regular."""
    best: tuple[tuple[float, float, float], str, str, int, list[tuple[str, ...]]] | None = None
    for delimiter in DELIMITERS:
        split = [tuple(f.strip() for f in _split(line, delimiter)) for line in lines[: HEAD_ROWS + _MOST_PREAMBLE]]
        for decimal in (".", ","):
            if decimal == delimiter:
                continue
            start = _header_at(split, lines, decimal)
            if start is None:
                continue
            rows = [f for f, line in zip(split[start + 1 :], lines[start + 1 :], strict=False) if line[:1] != "#"]
            width = len(split[start])
            regular = sum(len(row) == width for row in rows) / len(rows)
            numeric = sum(len(text.numbers_in(list(row), decimal)) for row in rows) / sum(map(len, rows))
            score = (round(regular * numeric, 3), width, decimal == ".")
            if best is None or score > best[0]:
                best = (score, delimiter, decimal, start, rows)
    if best is None:
        raise CaptureRefused(
            "unreadable",
            "no header with rows of numbers under it was found",
            hint="A capture has one row a frame and a header that names its columns. A report or a summary has not.",
        )
    _, delimiter, decimal, start, rows = best
    names = tuple(f.strip() for f in _split(lines[start], delimiter))
    check_columns(len(names))
    dialect = {
        "format": "delimited", "delimiter": delimiter, "decimal": decimal, "encoding": encoding, "skip_lines": start,
    }  # fmt: skip
    return _Head(dialect, names, rows[:HEAD_ROWS])


def _split(line: str, delimiter: str) -> list[str]:
    try:
        return text.fields_of(line, delimiter)
    except Exception:  # an unbalanced quote in a line that may not be part of the table at all
        return line.split(delimiter)


def _header_at(split: list[tuple[str, ...]], lines: list[str], decimal: str) -> int | None:
    """Index of the first line that is no comment, holds no number and is followed by a row with one, equally wide."""
    for index, fields in enumerate(split[: min(_MOST_PREAMBLE, len(split) - 1)]):
        if lines[index][:1] == "#" or not any(fields) or text.numbers_in(list(fields), decimal):
            continue
        following = next((i for i in range(index + 1, len(split)) if lines[i][:1] != "#"), None)
        if following is None or len(split[following]) != len(fields):
            continue
        if text.numbers_in(list(split[following]), decimal):
            return index
    return None


def _jsonl_head(lines: list[str], encoding: str) -> _Head:
    rows = [row_of(line, number) for number, line in enumerate(lines[:HEAD_ROWS], start=1)]
    names = tuple(dict.fromkeys(name for row in rows for name in row))
    check_columns(len(names))
    shown = [tuple("" if row.get(name) is None else str(row[name]) for name in names) for row in rows]
    return _Head({"format": "jsonl", "encoding": encoding}, names, shown)


def _arrow_head(data: bytes) -> _Head:
    kind = "parquet" if data[:4] == b"PAR1" else "arrow"
    try:
        table = arrow_table(data, kind, rows=HEAD_ROWS)
    except (pa.ArrowException, OSError):
        raise CaptureRefused("unreadable", f"the file is no whole {kind} file; it was cut off") from None
    if not len(table):
        raise CaptureRefused("no_frames", "the file holds no row")
    columns = [shown_values(column) for column in table.columns]
    return _Head({"format": kind}, tuple(table.column_names), list(zip(*columns, strict=True)))


# --- what its columns are ---------------------------------------------------------------------------------


def _words(name: str) -> set[str]:
    """The words of a column name: `GpuBusy_ms (card)` has gpu, busy, ms, card."""
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    return {word.lower() for word in re.split(r"[^0-9A-Za-zµ%]+", spaced) if word}


def _time_unit(name: str, median: float) -> str | None:
    """Unit of a time column, from its name where that fits the values, else from the size of the values alone."""
    in_ms = {"s": median * 1e3, "ms": median, "us": median / 1e3, "ns": median / 1e6}
    fits = [unit for unit, ms in in_ms.items() if _FRAME_MS[0] <= ms <= _FRAME_MS[1]]
    named = [_TIME_SUFFIX[word] for word in _words(name) if word in _TIME_SUFFIX]
    return next((unit for unit in named if unit in fits), fits[0] if fits else None)


def _uses(values: dict[str, np.ndarray]) -> tuple[list[ColumnUse], list[str]]:
    clock = _clock(values)
    if clock is None:
        return [], []
    uses, reasons = [clock[0]], [clock[1]]
    taken = {clock[0].channel}
    for name, found in values.items():
        if name == clock[0].column:
            continue
        channel = _other_channel(name, found)
        if channel is None or channel in taken:
            continue
        unit = SAMPLED_CHANNELS.get(channel) or _time_unit(name, float(np.median(found)))
        if unit is None:
            continue
        taken.add(channel)
        uses.append(ColumnUse(name, channel, unit))
        reasons.append(f"“{name}” is taken for {channel}, in {unit}, by its name.")
    return uses, reasons


def _other_channel(name: str, found: np.ndarray) -> str | None:
    words = _words(name)
    times = words & set(_TIME_SUFFIX) or words & {"busy", "time", "active"}
    if times and found.min() >= 0:
        if words & _CARD:
            return BUSY_CHANNELS[0]
        if words & _PROCESSOR:
            return BUSY_CHANNELS[1]
    for channel, kinds, owners in _SAMPLED_WORDS:
        if words & kinds and (not owners or words & owners):
            return channel
    return None


def _clock(values: dict[str, np.ndarray]) -> tuple[ColumnUse, str] | None:
    """The most likely column for how long frames took, with the reason in words."""
    found: list[tuple[float, ColumnUse, str]] = []
    for name, column in values.items():
        words = _words(name)
        if words & (_CARD | _PROCESSOR) and not words & _FRAME:
            continue
        steps = np.diff(column)
        if len(steps) > 3 and np.count_nonzero(~(steps > 0)) <= _LAPSES:
            if (steps == 1).all() and (words & _INDEX or column[0] in (0, 1)):
                continue  # a row counter grows too
            unit = _time_unit(name, float(np.median(steps)))
            if unit is not None:
                score = 2.0 + 2.0 * bool(words & (_STAMP | _FRAME))
                use = ColumnUse(name, CLOCK_CHANNELS[1], unit)
                found.append((score, use, f"“{name}” only grows: a timestamp in {unit}."))
            continue
        if np.mean(column > 0) < _MOSTLY or (np.ptp(column) == 0 and not words & (_FRAME | set(_TIME_SUFFIX))):
            continue  # frames scatter: a value that never changes is a setting, unless its name says otherwise
        median = float(np.median(column))
        if words & _RATE and 4 <= median <= 2000:
            use = ColumnUse(name, CLOCK_CHANNELS[2], "fps")
            found.append((3.0, use, f"“{name}” is a rate by its name: {median:.0f} fps in the middle."))
            continue
        if words & {word for _, kinds, _ in _SAMPLED_WORDS for word in kinds}:
            continue
        unit = _time_unit(name, median)
        if unit is not None:
            named_unit = any(_TIME_SUFFIX.get(word) == unit for word in words)
            score = 1.0 + 3.0 * bool(words & _FRAME) + 1.5 * named_unit + 0.5 * (unit == "ms")
            use = ColumnUse(name, CLOCK_CHANNELS[0], unit)
            found.append((score, use, f"“{name}” holds frame times in {unit}: {median:g} in the middle."))
    if not found:
        return None
    best = max(found, key=lambda candidate: candidate[0])
    return best[1], best[2]
