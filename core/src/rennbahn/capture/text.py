"""Delimited text: commas, semicolons, tabs or pipes, with a decimal point or comma.

Clean files take a quick way through pyarrow. Whatever it does not take as it stands (quoted fields, comment
lines, unusual spellings of numbers, any fault) is read line by line by the rules of docs/formats.md, which
finds the row and the reason. Both ways give the same numbers; a property test holds them together.
"""

from __future__ import annotations

import csv
import re
from array import array
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray
from pyarrow import csv as arrow_csv

from rennbahn.capture.bounds import check_columns, check_values
from rennbahn.capture.clock import ClockColumn
from rennbahn.capture.columns import ColumnMap
from rennbahn.capture.numbers import as_number
from rennbahn.capture.table import Steps, Table, require_columns
from rennbahn.errors import CaptureRefused

COMMENT = "#"
UNTERMINATED = "unterminated_last_line"
#: Whole and fractional digits that still fit a 128-bit decimal together.
_EXACT_DIGITS = 38
#: The header is looked for in so much of a file before all of it is taken as text.
_HEAD = 1 << 16
#: A larger file is parsed in blocks of this size.
_BLOCK = 1 << 20
#: So many last lines may be a summary.
_MOST_SUMMARY = 25


def decoded(data: bytes, encoding: str) -> str:
    """`data` as text with line ends of LF only and without a byte order mark.

    Raises :class:`CaptureRefused` (`unreadable`) where the bytes are not of that encoding.
    """
    if encoding == "utf-16" and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
        # Without a byte order mark Python assumes this machine's order; a logger's file is the same everywhere.
        encoding = "utf-16-be" if data[:1] == b"\x00" else "utf-16-le"
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError as error:
        message = f"the file is not {encoding} text (byte {error.start + 1} does not fit)"
        raise CaptureRefused("unreadable", message) from None
    text = text.removeprefix("\ufeff")
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    return text


def fields_of(line: str, delimiter: str) -> list[str]:
    """Fields of one line; a field quoted with `"` may hold the delimiter."""
    if '"' not in line:
        return line.split(delimiter)
    return next(csv.reader([line], delimiter=delimiter))


@dataclass(frozen=True)
class Layout:
    """Where the header stands and what it says."""

    names: tuple[str, ...]
    header_line: int
    body: str

    @classmethod
    def of(cls, text: str, columns: ColumnMap) -> Layout:
        """Find the header: the first line after those to skip, comment lines passed over.

        A header may itself begin with the comment sign: then it is the one that has the mapped column.
        """
        start, number = 0, 0
        for _ in range(columns.skip_lines):
            start = _after_line(text, start)
            number += 1
        while True:
            stop = _after_line(text, start)
            number += 1
            names = tuple(name.strip() for name in _header(text[start:stop].rstrip("\n"), columns.delimiter, number))
            if columns.header_lines > 1:
                return cls._of_lines(text, start, number, columns)
            comment = names[0].startswith(COMMENT) and columns.clock.column not in names
            if not comment or stop >= len(text):
                return cls(names, number, text[stop:])
            start = stop

    @classmethod
    def _of_lines(cls, text: str, start: int, number: int, columns: ColumnMap) -> Layout:
        """A header of several lines, from the one that begins at `start`."""
        found = []
        for at in range(columns.header_lines):
            stop = _after_line(text, start)
            found.append(_header(text[start:stop].rstrip("\n"), columns.delimiter, number + at))
            start = stop
        return cls(joined_names(found), number + columns.header_lines - 1, text[start:])


def joined_names(lines: Sequence[Sequence[str]]) -> tuple[str, ...]:
    """One name a column from several lines of a header; a group's name stands for the empty fields after it."""
    filled = []
    for fields in lines[:-1]:
        before, row = "", []
        for field in fields:
            before = field.strip() or before
            row.append(before)
        filled.append(row)
    filled.append([field.strip() for field in lines[-1]])
    width = max(map(len, filled))
    return tuple(" ".join(row[i] for row in filled if i < len(row) and row[i]) for i in range(width))


def _header(line: str, delimiter: str, number: int) -> list[str]:
    try:
        names = fields_of(line, delimiter)
    except csv.Error as error:
        raise CaptureRefused("unreadable", f"the header cannot be parted into columns: {error}", line=number) from None
    check_columns(len(names))
    return names


def read_text(data: bytes, columns: ColumnMap) -> Table:
    """The mapped columns of delimited text."""
    check_values(data.count(b"\n"), len(columns.uses))
    # Plain text is parsed as the bytes it came in, without a copy of it as text.
    if (
        not columns.skip_last_lines
        and columns.encoding != "utf-16"
        and data.isascii()
        and b"\r" not in data
        and b'"' not in data
    ):
        quick = _quick_bytes(data, columns)
        if quick is not None:
            return quick
    text = decoded(data, columns.encoding)
    if not text.strip("\n"):
        raise CaptureRefused("no_frames", "the file is empty")
    layout = Layout.of(text, columns)
    require_columns(layout.names, columns)
    flags = () if text.endswith("\n") else (UNTERMINATED,)
    body = _without_last(layout.body.rstrip("\n"), columns.skip_last_lines)
    if not body:
        raise CaptureRefused("no_frames", "there is no row under the header")
    if '"' in body:
        return _careful(body, layout, columns, flags)
    return _quick(body.encode(), layout, columns, flags) or _careful(body, layout, columns, flags)


def _quick_bytes(data: bytes, columns: ColumnMap) -> Table | None:
    """The mapped columns of bytes that are plain text without quotes, or None where anything is out of the ordinary."""
    head = data[:_HEAD].decode("ascii")
    layout = Layout.of(head, columns)
    if not layout.body and len(data) > _HEAD:
        return None
    require_columns(layout.names, columns)
    flags = () if data.endswith(b"\n") else (UNTERMINATED,)
    start, stop = len(head) - len(layout.body), len(data.rstrip(b"\n"))
    return _quick(memoryview(data)[start:stop], layout, columns, flags) if stop > start else None


def _without_last(body: str, count: int) -> str:
    """A body without so many last lines."""
    for _ in range(count):
        body = body[: max(0, body.rfind("\n"))]
    return body.rstrip("\n")


def _after_line(text: str, start: int) -> int:
    end = text.find("\n", start)
    return len(text) if end < 0 else end + 1


def _quick(body: bytes | memoryview, layout: Layout, columns: ColumnMap, flags: tuple[str, ...]) -> Table | None:
    """Parse with pyarrow, or None where anything is out of the ordinary."""
    raw = bytes(body) if isinstance(body, memoryview) else body
    # An empty line needs no look: it has too few fields, or none that is a number.
    if b"#" in raw and (raw.startswith(b"#") or b"\n#" in raw):
        return None
    names = [str(index) for index in range(len(layout.names))]
    at = {use.column: str(layout.names.index(use.column)) for use in columns.uses}
    exact = columns.clock.channel == "timestamp"
    types = {at[use.column]: pa.float64() for use in columns.uses}
    if exact:
        types[at[columns.clock.column]] = pa.string()
    # In one piece, else in blocks side by side; columns are converted side by side in any case.
    block = _BLOCK if len(raw) > _BLOCK else len(raw) + 1
    try:
        table = arrow_csv.read_csv(
            pa.BufferReader(raw),
            read_options=arrow_csv.ReadOptions(column_names=names, use_threads=True, block_size=block),
            parse_options=arrow_csv.ParseOptions(
                delimiter=columns.delimiter, quote_char=False, ignore_empty_lines=False
            ),
            convert_options=arrow_csv.ConvertOptions(
                include_columns=list(types),
                column_types=types,
                decimal_point=columns.decimal,
                null_values=[],
                strings_can_be_null=False,
            ),
        )
        clock: NDArray[np.float64] | Steps
        if exact:
            clock = _quick_steps(table.column(at[columns.clock.column]).combine_chunks(), columns.decimal)
        else:
            clock = table.column(at[columns.clock.column]).to_numpy()
    except pa.ArrowException:
        return None
    if not isinstance(clock, Steps) and not np.isfinite(clock).all():
        return None
    others = {use.column: table.column(at[use.column]).to_numpy() for use in columns.others}
    first = layout.header_line

    def shown(row: int) -> str:
        line = next(islice(lines_of(raw.decode()), row - 1, None))
        return line.split(columns.delimiter)[int(at[columns.clock.column])].strip()

    return Table(clock, others, lambda row: first + row, shown, None, flags)


def _quick_steps(texts: pa.StringArray, decimal: str) -> Steps:
    """Exact differences of timestamps written as plain decimals; raises ArrowInvalid for any other spelling."""
    point = re.escape(decimal)
    if not pc.all(pc.match_substring_regex(texts, rf"^[0-9]+({point}[0-9]+)?$")).as_py():
        raise pa.ArrowInvalid("not plain decimals")
    if decimal != ".":
        texts = pc.replace_substring(texts, decimal, ".")
    places = pc.subtract(pc.binary_length(texts), pc.find_substring(texts, "."))
    has_point = pc.greater_equal(pc.find_substring(texts, "."), 0)
    scale = pc.max(pc.if_else(has_point, pc.subtract(places, 1), 0)).as_py() or 0
    whole = pc.max(pc.binary_length(texts)).as_py()
    if whole + scale > _EXACT_DIGITS or whole > 18 + scale:
        raise pa.ArrowInvalid("too many digits")
    values = texts.cast(pa.decimal128(_EXACT_DIGITS, scale))
    low = np.frombuffer(values.buffers()[1], dtype="<i8").reshape(-1, 2)[values.offset : values.offset + len(values)]
    if (low[:, 1] != low[:, 0] >> 63).any():
        raise pa.ArrowInvalid("too large for 64 bits")
    steps = np.diff(low[:, 0]).astype(np.float64) / 10.0**scale
    return Steps(steps, len(values), first=float(low[0, 0]) / 10.0**scale)


def _careful(body: str, layout: Layout, columns: ColumnMap, flags: tuple[str, ...]) -> Table:
    """Line by line, as far as the first row with a fault: what comes after it cannot matter."""
    at = {use.column: layout.names.index(use.column) for use in columns.uses}
    clock_at = at[columns.clock.column]
    width = len(layout.names)
    lines = array("q")
    others = {use.column: array("d") for use in columns.others}
    clock = ClockColumn(columns, columns.decimal)
    broken, last = None, ""
    for number, fields in _rows(body, layout.header_line, columns.delimiter):
        if len(fields) != width:
            fault = "few" if len(fields) < width else "many"
            message = f"too {fault} fields: {len(fields)} where the header has {width}"
            broken = CaptureRefused(
                "broken_row", message, row=len(lines) + 1, line=number, hint=_hint(body, number, layout)
            )
            break
        lines.append(number)
        for column, values in others.items():
            values.append(as_number(fields[at[column]], columns.decimal))
        last = fields[clock_at].strip()
        if not clock.takes(last):
            broken = CaptureRefused(
                "not_a_number", f"no frame time (got {last!r})", row=len(lines), line=number,
                hint=_hint(body, number, layout),
            )  # fmt: skip
            break
    if not lines and broken is None:
        raise CaptureRefused("no_frames", "there is no row under the header")
    gaps = {column: np.array(found, dtype=np.float64) for column, found in others.items()}
    return Table(
        clock.column(), gaps, lambda row: lines[row - 1], lambda _: last, broken, flags,
        lambda line: _hint(body, line, layout),
    )  # fmt: skip


def _hint(body: str, number: int | None, layout: Layout) -> str:
    """Where a fault stands near the end of many rows, the rest may be a summary that can be left out."""
    if number is None:
        return ""
    total = layout.header_line + body.count("\n") + 1
    left = total - number + 1
    if left > _MOST_SUMMARY or total < 10 * left:
        return ""
    lines = "line looks" if left == 1 else f"{left} lines look"
    return f"If the last {lines} like a summary and no frames, leave them out: {left} in “last lines left out”."


def _rows(body: str, header_line: int, delimiter: str) -> Iterator[tuple[int, list[str]]]:
    for number, line in enumerate(lines_of(body), start=header_line + 1):
        if not line.startswith(COMMENT):
            try:
                yield number, fields_of(line, delimiter)
            except csv.Error:
                yield number, []


def lines_of(body: str) -> Iterator[str]:
    """The lines of a text one by one: a list of them would take several times the text's memory."""
    start = 0
    while (end := body.find("\n", start)) >= 0:
        yield body[start:end]
        start = end + 1
    yield body[start:]
