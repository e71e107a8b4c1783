"""JSON Lines, Parquet and Arrow IPC."""

from __future__ import annotations

import decimal
import itertools
import json
import math
from array import array
from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq
from numpy.typing import NDArray

from rennbahn.capture.bounds import (
    LONGEST_NUMBER,
    MOST_COLUMNS,
    check_arrow,
    check_columns,
    check_parquet,
    check_values,
)
from rennbahn.capture.clock import ClockColumn
from rennbahn.capture.columns import ColumnMap
from rennbahn.capture.numbers import as_exact, as_number
from rennbahn.capture.table import Steps, Table, require_columns
from rennbahn.capture.text import UNTERMINATED, decoded, lines_of
from rennbahn.errors import CaptureRefused

Floats = NDArray[np.float64]


class _Literal(str):
    """A number as it is written, so that timestamps can be subtracted exactly."""


_DECODER = json.JSONDecoder(parse_float=_Literal, parse_int=_Literal, parse_constant=_Literal)


def row_of(line: str, number: int) -> dict[str, Any]:
    """One line of JSON Lines, numbers as they are written. Raises :class:`CaptureRefused` (`broken_row`)."""
    try:
        row = _DECODER.decode(line)
    except (ValueError, RecursionError):
        row = None
    if not isinstance(row, dict):
        raise CaptureRefused("broken_row", "the line is no JSON object", row=number, line=number)
    return row


def read_jsonl(data: bytes, columns: ColumnMap) -> Table:
    """The mapped columns of JSON Lines: one object a row. A key that a row lacks is an empty value there.

    Rows are read one by one, as far as the first with a fault.
    """
    text = decoded(data, columns.encoding)
    flags = () if text.endswith("\n") else (UNTERMINATED,)
    body = text.rstrip("\n")
    if not body:
        raise CaptureRefused("no_frames", "the file is empty")
    check_values(body.count("\n") + 1, len(columns.uses))
    wanted = {use.column for use in columns.uses}
    seen: dict[str, None] = {}
    clock = ClockColumn(columns, ".")
    others = {use.column: array("d") for use in columns.others}
    broken, last, stopped = None, "", False
    for number, line in enumerate(lines_of(body), start=1):
        try:
            row = row_of(line, number)
        except CaptureRefused as error:
            broken = error
            break
        if len(seen) <= MOST_COLUMNS:
            seen |= {name: None for name, value in row.items() if value is not None}
        if not stopped:
            last = _written(row.get(columns.clock.column))
            for column, values in others.items():
                values.append(as_number(_written(row.get(column))))
            stopped = not clock.takes(last)
        # After a fault only what the columns are called can still matter.
        if stopped and (wanted <= seen.keys() or len(seen) > MOST_COLUMNS):
            break
    check_columns(len(seen))
    if broken is None or columns.clock.column in seen:
        require_columns(list(seen), columns)
    gaps = {column: np.array(found, dtype=np.float64) for column, found in others.items()}
    return Table(clock.column(), gaps, lambda row: row, lambda _: last, broken, flags)


def _written(value: object) -> str:
    return value if isinstance(value, str) else ""


def read_arrow(data: bytes, columns: ColumnMap) -> Table:
    """The mapped columns of Parquet or Arrow IPC (file or stream)."""
    wanted = [use.column for use in columns.uses]
    try:
        table = arrow_table(data, columns.format, lambda names: require_columns(names, columns), wanted)
    except (pa.ArrowException, OSError) as error:
        reason = str(error).split("\n")[0][:160]
        raise CaptureRefused("unreadable", f"the file is no readable {columns.format} file: {reason}") from None
    clock_column = table.column(columns.clock.column)
    clock = _steps(clock_column) if columns.clock.channel == "timestamp" else _doubles(clock_column)
    others = {use.column: _doubles(table.column(use.column)) for use in columns.others}
    return Table(clock, others, lambda _: None, lambda row: shown_values(clock_column.slice(row - 1, 1))[0])


def arrow_table(
    data: bytes,
    kind: str,
    require: Callable[[list[str]], None] | None = None,
    wanted: list[str] | None = None,
    rows: int | None = None,
) -> pa.Table:
    """Columns of a Parquet or Arrow file by their stripped names: the wanted ones, or all that hold single values.

    `require` is told all names before anything is unpacked; of `rows` only so many are read. Raises
    :class:`CaptureRefused` where it is too large, ArrowException or OSError where it is no such file.
    """
    names, table = (_parquet if kind == "parquet" else _arrow)(pa.py_buffer(data), require, wanted, rows)
    table = table.rename_columns(names)
    if wanted is None:
        return table
    for name in wanted:
        if name not in names:
            raise CaptureRefused("not_a_number", f"“{name}” holds lists or records, no single values", row=1)
    return table.select(wanted)


Opened = tuple[list[str], pa.Table]


def _parquet(
    data: pa.Buffer, require: Callable[[list[str]], None] | None, wanted: list[str] | None, rows: int | None
) -> Opened:
    schema = pq.read_schema(pa.BufferReader(data))
    if require is not None:
        require([name.strip() for name in schema.names])
    taken = [f for f in schema if not _nested(f.type) and (wanted is None or f.name.strip() in wanted)]
    # A text that stands in every row is unpacked once, not once a row.
    texts = [f.name for f in taken if _is_text(f.type)]
    file = pq.ParquetFile(pa.BufferReader(data), read_dictionary=texts)
    told = file.metadata
    check_columns(told.num_columns)
    paths = {told.schema.column(index).path: index for index in range(told.num_columns)}
    names = [f.name for f in taken]
    check_parquet(file, [paths[name] for name in names if name in paths])
    if rows is None:
        table = file.read(columns=names, use_threads=False)
    else:
        batches = list(itertools.islice(file.iter_batches(rows, columns=names, use_threads=False), 1))
        table = pa.Table.from_batches(batches) if batches else file.schema_arrow.empty_table().select(names)
    return [name.strip() for name in table.column_names], table


def _arrow(
    data: pa.Buffer, require: Callable[[list[str]], None] | None, wanted: list[str] | None, rows: int | None
) -> Opened:
    # A file is a stream between two marks. Read as one, nothing is unpacked that was not looked at before.
    if data.slice(0, 6).to_pybytes() == b"ARROW1":
        data = data.slice(8)
    schema = pa.ipc.open_stream(data).schema
    check_columns(len(schema))
    if require is not None:
        require([name.strip() for name in schema.names])
    taken = [i for i, f in enumerate(schema) if not _nested(f.type) and (wanted is None or f.name.strip() in wanted)]
    check_arrow(data, len(taken))
    reader = pa.ipc.open_stream(data, options=pa.ipc.IpcReadOptions(included_fields=taken, use_threads=False))
    batches = list(reader if rows is None else itertools.islice(reader, 1))
    table = pa.Table.from_batches(batches, reader.schema)
    table.validate(full=True)
    return [name.strip() for name in table.column_names], table if rows is None else table.slice(0, rows)


def shown_values(column: pa.ChunkedArray) -> list[str]:
    """Values as text, for a person to see; what cannot be written is empty."""
    if pa.types.is_dictionary(column.type):
        column = column.combine_chunks().dictionary_decode() if len(column) < MOST_COLUMNS else column
    try:
        texts = column.cast(pa.string())
    except (pa.ArrowException, ValueError, OverflowError):
        return ["" for _ in range(len(column))]
    short = pc.utf8_slice_codeunits(texts, 0, LONGEST_NUMBER)
    return ["" if text is None else text for text in short.to_pylist()]


def _nested(kind: pa.DataType) -> bool:
    return bool(pa.types.is_nested(kind) or isinstance(kind, pa.BaseExtensionType))


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _doubles(column: pa.ChunkedArray) -> Floats:
    if pa.types.is_dictionary(column.type):
        parts = [_of_dictionary(chunk) for chunk in column.chunks]
        return np.concatenate(parts) if parts else np.empty(0)
    if _is_text(column.type):
        return np.array([as_number(text) for text in _texts(column)], dtype=np.float64)
    if pa.types.is_boolean(column.type) or not _is_number(column.type):
        return np.full(len(column), np.nan)
    doubles: Floats = column.cast(pa.float64(), safe=False).to_numpy()
    return doubles


def _of_dictionary(chunk: pa.DictionaryArray) -> Floats:
    """Each value of the dictionary once, then put where it stands."""
    values = np.append(_doubles(pa.chunked_array([chunk.dictionary])), np.nan)
    at = chunk.indices.fill_null(len(values) - 1).cast(pa.int64()).to_numpy(zero_copy_only=False)
    found: Floats = values[at]
    return found


def _texts(column: pa.ChunkedArray) -> list[str]:
    """Texts of a column. One that is too long to be a number is none, and is not copied a row at a time."""
    short = pc.if_else(pc.less_equal(pc.binary_length(column), LONGEST_NUMBER), column, None)
    return ["" if text is None else text for text in short.to_pylist()]


def _is_number(kind: pa.DataType) -> bool:
    return bool(pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind))


def _steps(column: pa.ChunkedArray) -> Steps:
    kind = column.type
    if pa.types.is_dictionary(kind):
        column, kind = column.cast(kind.value_type), kind.value_type
    if pa.types.is_time32(kind):
        column, kind = column.cast(pa.int32()), pa.int32()
    if pa.types.is_timestamp(kind) or pa.types.is_duration(kind) or pa.types.is_time64(kind):
        column, kind = column.cast(pa.int64()), pa.int64()
    if _is_text(kind):
        return Steps.of([as_exact(text) for text in _texts(column)])
    if not _is_number(kind):
        return Steps.of([math.nan] * min(len(column), 1))
    if pa.types.is_floating(kind):
        values = _doubles(column)
        bad = np.flatnonzero(~np.isfinite(values))
        if not len(bad):
            return Steps(np.diff(values), len(values), first=float(values[0]) if len(values) else 0.0)
        at = int(bad[0])
        return Steps(np.diff(values[:at]), len(values), at, float(values[at]))
    if pa.types.is_integer(kind) and not column.null_count and not pa.types.is_uint64(kind):
        whole = column.cast(pa.int64()).to_numpy()
        if len(whole) < 2 or int(whole.max()) - int(whole.min()) < 2**62:
            first = float(whole[0]) if len(whole) else 0.0
            return Steps(np.diff(whole).astype(np.float64), len(whole), first=first)
    return Steps.of([_exact(value) for value in column.to_pylist()])


def _exact(value: object) -> decimal.Decimal | float | int:
    if isinstance(value, bool) or value is None:
        return math.nan
    if isinstance(value, str):
        return as_exact(value)
    return value if isinstance(value, (int, float, decimal.Decimal)) else math.nan
