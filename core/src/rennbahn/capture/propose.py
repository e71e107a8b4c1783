"""A proposed column map, from the header and the values. A person confirms it; nothing is taken for granted.

The proposal reads only the head of the file. It looks at what values do before it looks at what they are called: a
column that only grows is a timestamp, a column of similar values near a plausible frame time is a frame time, and
names decide between columns that behave alike.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from rennbahn.capture import text
from rennbahn.capture.bounds import check_columns
from rennbahn.capture.columns import CLOCK_CHANNELS, DELIMITERS, SAMPLED_CHANNELS, ColumnMap, ColumnUse
from rennbahn.capture.meaning import ROW_A_SECOND_S, meaning_of
from rennbahn.capture.numbers import count_numbers, numbers_in
from rennbahn.capture.read import compression_of, unpacked
from rennbahn.capture.records import arrow_table, row_of, shown_values
from rennbahn.capture.sensors import sampled_channel
from rennbahn.capture.vocabulary import STAMP, TIME_SUFFIX, named_units, names_a_group, words_of
from rennbahn.errors import CaptureRefused

Floats = NDArray[np.float64]

#: As much of an unpacked file as a proposal looks at.
HEAD_BYTES = 256 * 1024
HEAD_ROWS = 400
#: Lines before the header that are looked through, and how many of them may be tried as headers.
_MOST_PREAMBLE = 60
_MOST_HEADERS = 8
#: Lines at the end that are looked through for a summary, in so many bytes.
_MOST_SUMMARY = 25
_TAIL_BYTES = 16 * 1024
#: Share of rows in which a column of numbers holds one.
_MOSTLY = 0.9
_TIME_OF_DAY = re.compile(r"\b([01]?\d|2[0-3]):([0-5]\d):([0-5]\d(?:[.,]\d+)?)\b")
_UNIT_WORDS = frozenset({
    *TIME_SUFFIX, "fps", "w", "watt", "watts", "c", "°c", "mhz", "ghz", "%", "rpm", "mib", "mb", "gb", "v", "hz",
})  # fmt: skip


@dataclass(frozen=True)
class Proposal:
    """What a file seems to be.

    `columns` is None where no column can hold frame times, or where it is not sure which: then `guess` is what it would
    be, if anything, and `questions` say what has to be settled first. `names` and `rows` show the header and the first
    rows as text, so that a person can choose; `reasons` say in words what was taken for what.
    """

    columns: ColumnMap | None
    names: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    reasons: tuple[str, ...]
    questions: tuple[str, ...] = ()
    guess: ColumnMap | None = None


@dataclass(frozen=True)
class _Head:
    """The dialect and first rows of a file; how many rows were looked at, and what is unsure of its shape."""

    dialect: dict[str, object]
    names: tuple[str, ...]
    rows: list[tuple[str, ...]]
    count: int = HEAD_ROWS
    questions: tuple[str, ...] = ()


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
    # What holds no number in half of the rows is no column of figures.
    values: dict[str, Floats] = {}
    for i, name in enumerate(head.names):
        found = np.array(numbers_in([row[i] for row in head.rows if i < len(row)], decimal), dtype=np.float64)
        if name and len(found) >= max(2, len(head.rows) // 2):
            values[name] = found
    meant = meaning_of(values, head.count)
    questions = [*meant.questions, *head.questions, *_row_a_second(head)]
    twice = sorted({name for name in head.names if name and head.names.count(name) > 1})
    if any(use.column in twice for use in meant.uses):
        questions.append(f"“{twice[0]}” stands more than once in the header: rename one of them.")
    guess = ColumnMap(meant.uses, **dialect) if meant.uses else None  # type: ignore[arg-type]
    sure = guess is not None and not questions
    reasons = list(meant.reasons)
    if not sure and guess is None:
        reasons = ["No column looks like frame times, timestamps or rates: choose one by hand.", *questions]
    return Proposal(guess if sure else None, head.names, tuple(head.rows[:8]), tuple(reasons), tuple(questions), guess)


def _row_a_second(head: _Head) -> list[str]:
    """Times of day in the first rows that are a second apart: such a log has a row a second, not a row a frame."""
    for i, name in enumerate(head.names):
        found = [_TIME_OF_DAY.search(row[i]) for row in head.rows[:60] if i < len(row)]
        at = [3600 * int(m[1]) + 60 * int(m[2]) + float(m[3].replace(",", ".")) for m in found if m]
        if len(at) >= 4:
            steps = np.diff(at)
            if float(np.median(steps)) >= ROW_A_SECOND_S[0]:
                return [f"by “{name}” the rows are {float(np.median(steps)):.2g} s apart: a row is no frame here."]
    return []


def propose_samples(data: bytes) -> ColumnMap:
    """Propose a column map for samples on a clock of their own: a column of times that grows, and sampled channels.

    A column that bears a channel's own name is that channel. Raises :class:`CaptureRefused` where no column is a clock
    or none is a channel (`missing_column`), or where the file is none of the formats.
    """
    proposal = propose_columns(data)
    dialect = (
        proposal.columns
        or proposal.guess
        or ColumnMap(
            (ColumnUse("", CLOCK_CHANNELS[1], "s"),),
            **_head_dialect(data),  # type: ignore[arg-type]
        )
    )
    clocks = [name for name in proposal.names if words_of(name) & STAMP and not sampled_channel(name)]
    if not clocks:
        message = "no column is a clock: samples need one, such as “clock_s”"
        raise CaptureRefused("missing_column", message)
    unit = next(iter(named_units(clocks[0])), "s")
    uses = {CLOCK_CHANNELS[1]: ColumnUse(clocks[0], CLOCK_CHANNELS[1], unit)}
    for name in proposal.names:
        channel = sampled_channel(name)
        if channel is not None and channel not in uses:
            uses[channel] = ColumnUse(name, channel, SAMPLED_CHANNELS[channel])
    if len(uses) == 1:
        raise CaptureRefused("missing_column", f"no column is one of {', '.join(SAMPLED_CHANNELS)}")
    return replace(dialect, uses=tuple(uses.values()))


def _head_dialect(data: bytes) -> dict[str, object]:
    compression = compression_of(data)
    return {"compression": compression, **_head(data if compression is None else unpacked(data, compression)).dialect}


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
    # The end of a line is a byte of its own in every encoding that is read, with a zero beside it in the wide ones.
    ended = data.rstrip(b"\x00")[-1:] in (b"\n", b"\r")
    return _delimited_head(lines, encoding, _tail(data, encoding) if cut else lines[-_MOST_SUMMARY - 1 :], ended=ended)


def _tail(data: bytes, encoding: str) -> list[str]:
    """The last lines of a file, whole."""
    even = len(data) - min(_TAIL_BYTES, len(data))
    content = data[even - even % 4 :].decode(encoding.replace("-sig", ""), errors="ignore")
    lines = content.replace("\r\n", "\n").replace("\r", "\n").rstrip("\n").split("\n")
    return lines[1:][-_MOST_SUMMARY - 1 :]


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


def _delimited_head(lines: list[str], encoding: str, tail: Sequence[str], *, ended: bool) -> _Head:
    """The delimiter, decimal sign and header whose table is widest and most regular."""
    best: tuple[tuple[float, float, float], str, str, int, list[tuple[str, ...]]] | None = None
    looked = lines[: HEAD_ROWS + _MOST_PREAMBLE]
    for delimiter, decimals, parts in _dialects(looked):
        if best is not None and not parts and best[0][0] == 1.0 and best[0][1] > 1:
            continue  # a table of one column beats no wider one that is numbers throughout
        split = [tuple(map(str.strip, _split(line, delimiter))) for line in looked]
        for decimal in decimals:
            # Every header that may be one stands over nearly the same rows: their numbers are counted once.
            counts = [count_numbers(row, decimal) for row in split]
            for start in _headers(split, lines, counts):
                under = [i for i in range(start + 1, len(split)) if lines[i][:1] != "#"]
                rows, width = [split[i] for i in under], len(split[start])
                regular = sum(len(row) == width for row in rows) / len(rows)
                numeric = sum(counts[i] for i in under) / sum(map(len, rows))
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
    names, above = _names(lines, start, delimiter)
    check_columns(len(names))
    dialect: dict[str, object] = {
        "format": "delimited", "delimiter": delimiter, "decimal": decimal, "encoding": encoding,
        "skip_lines": start - above,
    }  # fmt: skip
    if above:
        dialect["header_lines"] = 1 + above
    numeric_columns = _numeric(rows, decimal, len(names))
    summary = _summary(tail, delimiter, decimal, numeric_columns)
    if summary == 1 and not ended and _is_cut_row(tail[-1], delimiter, decimal, numeric_columns):
        # The log was cut while it was written: that is for whoever reads it to say, and for a check to doubt.
        summary = 0
    questions: tuple[str, ...] = ()
    if summary:
        dialect["skip_last_lines"] = summary
        questions = (
            f"The last {summary} lines are no rows of frames but look like a summary (“{tail[-summary][:40]}”): "
            "by this map they are left out.",
        )
    return _Head(dialect, names, rows[:HEAD_ROWS], len(rows), questions)


def _dialects(lines: list[str]) -> Iterator[tuple[str, tuple[str, ...], bool]]:
    """Delimiters that can part these lines, each with the decimal signs that can stand beside it; whether it parts any.

    Delimiters that are in no line all leave them whole: one of them is tried, last. A comma in no line is no decimal.
    """
    content = "\n".join(lines)
    decimals = (".", ",") if "," in content else (".",)
    there = [delimiter for delimiter in DELIMITERS if delimiter in content]
    for delimiter in there:
        yield delimiter, decimals if delimiter != "," else (".",), True
    whole = next((delimiter for delimiter in DELIMITERS if delimiter not in there), None)
    if whole is not None:
        yield whole, decimals if whole != "," else (".",), False


def _names(lines: list[str], start: int, delimiter: str) -> tuple[tuple[str, ...], int]:
    """The names of columns, and how many lines above the last of the header belong to it.

    A line of units may stand under the names, and names of groups above them: then both lines together name a column.
    """
    low = tuple(f.strip() for f in _split(lines[start], delimiter))
    if start == 0 or lines[start - 1][:1] == "#":
        return low, 0
    high = tuple(f.strip() for f in _split(lines[start - 1], delimiter))
    if len(high) != len(low) or len(low) < 2:
        return low, 0
    units = all(not field or set(_plain_words(field)) <= _UNIT_WORDS for field in low) and any(low)
    spread = len(set(low)) < len(low) or "" in high
    grouped = spread and all(low) and any(high) and all(names_a_group(field) for field in high if field)
    if units and sum(map(bool, high)) > len(high) // 2:
        return text.joined_names((high, low)), 1
    return (text.joined_names((high, low)), 1) if grouped else (low, 0)


def _plain_words(field: str) -> list[str]:
    return [word for word in re.split(r"[\s()\[\]]+", field.casefold()) if word]


def _numeric(rows: list[tuple[str, ...]], decimal: str, width: int) -> list[bool]:
    """Which columns hold numbers."""
    whole = [row for row in rows if len(row) == width]
    return [
        count_numbers([row[i] for row in whole], decimal) >= _MOSTLY * len(whole) if whole else False
        for i in range(width)
    ]


def _summary(tail: Sequence[str], delimiter: str, decimal: str, numeric: list[bool]) -> int:
    """How many lines at the end of a file are no rows as those before them."""

    def is_row(line: str) -> bool:
        fields = [field.strip() for field in _split(line, delimiter)]
        if len(fields) != len(numeric) or not any(fields):
            return False
        return all(not field or numbers_in([field], decimal) for field, n in zip(fields, numeric, strict=True) if n)

    last = next((at for at, line in enumerate(reversed(tail)) if is_row(line)), len(tail))
    return last if 0 < last < len(tail) and any(line.strip() for line in tail[len(tail) - last :]) else 0


def _is_cut_row(line: str, delimiter: str, decimal: str, numeric: list[bool]) -> bool:
    """Whether a line is the beginning of a row: all but its last field are what they are in rows."""
    fields = [field.strip() for field in _split(line, delimiter)]
    whole = zip(fields[:-1], numeric, strict=False)
    return len(fields) <= len(numeric) and all(not f or numbers_in([f], decimal) for f, n in whole if n)


def _split(line: str, delimiter: str) -> list[str]:
    try:
        return text.fields_of(line, delimiter)
    except Exception:  # an unbalanced quote in a line that may not be part of the table at all
        return line.split(delimiter)


def _headers(split: list[tuple[str, ...]], lines: list[str], counts: list[int]) -> list[int]:
    """Lines that may be the header: no comment, holding no number, followed by a row with one, equally wide.

    `counts` says how many numbers each row holds.
    """
    found = []
    for index, fields in enumerate(split[: min(_MOST_PREAMBLE, len(split) - 1)]):
        if counts[index] or lines[index][:1] == "#" or not any(fields):
            continue
        following = next((i for i in range(index + 1, len(split)) if lines[i][:1] != "#"), None)
        if following is None or len(split[following]) != len(fields):
            continue
        if counts[following]:
            found.append(index)
            if len(found) == _MOST_HEADERS:
                break
    return found


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
