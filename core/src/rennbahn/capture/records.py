"""JSON Lines, Parquet and Arrow IPC."""

from __future__ import annotations

import decimal
import json
import math
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
from numpy.typing import NDArray

from rennbahn.capture.columns import ColumnMap
from rennbahn.capture.numbers import as_exact, as_number
from rennbahn.capture.table import Steps, Table, require_columns
from rennbahn.capture.text import UNTERMINATED, decoded
from rennbahn.errors import CaptureRefused

Floats = NDArray[np.float64]


class _Literal(str):
    """A number as it is written, so that timestamps can be subtracted exactly."""


def read_jsonl(data: bytes, columns: ColumnMap) -> Table:
    """The mapped columns of JSON Lines: one object a row. A key that a row lacks is an empty value there."""
    text = decoded(data, columns.encoding)
    flags = () if text.endswith("\n") else (UNTERMINATED,)
    body = text.rstrip("\n")
    if not body:
        raise CaptureRefused("no_frames", "the file is empty")
    decoder = json.JSONDecoder(parse_float=_Literal, parse_int=_Literal, parse_constant=_Literal)
    rows: list[dict[str, Any]] = []
    broken = None
    for number, line in enumerate(body.split("\n"), start=1):
        try:
            row = decoder.decode(line)
        except (json.JSONDecodeError, RecursionError):
            row = None
        if not isinstance(row, dict):
            broken = CaptureRefused("broken_row", "the line is no JSON object", row=number, line=number)
            break
        rows.append(row)
    if broken is None or rows:
        seen = {name: None for row in rows for name, value in row.items() if value is not None}
        if broken is None or columns.clock.column in seen:
            require_columns(list(seen), columns)
    clock = [_written(row.get(columns.clock.column)) for row in rows]
    values = (
        Steps.of([as_exact(text) for text in clock])
        if columns.clock.channel == "timestamp"
        else np.array([as_number(text) for text in clock], dtype=np.float64)
    )
    others = {
        use.column: np.array([as_number(_written(row.get(use.column))) for row in rows], dtype=np.float64)
        for use in columns.others
    }
    return Table(values, others, lambda row: row, lambda row: clock[row - 1], broken, flags)


def _written(value: object) -> str:
    return value if isinstance(value, str) else ""


def read_arrow(data: bytes, columns: ColumnMap) -> Table:
    """The mapped columns of Parquet or Arrow IPC (file or stream)."""
    try:
        table = _open_arrow(data, columns)
    except (pa.ArrowException, OSError) as error:
        reason = str(error).split("\n")[0][:160]
        raise CaptureRefused("unreadable", f"the file is no readable {columns.format} file: {reason}") from None
    clock_column = table.column(columns.clock.column)

    def shown(row: int) -> str:
        value = clock_column[row - 1].as_py()
        return "" if value is None else str(value)

    clock = _steps(clock_column) if columns.clock.channel == "timestamp" else _doubles(clock_column)
    others = {use.column: _doubles(table.column(use.column)) for use in columns.others}
    return Table(clock, others, lambda _: None, shown)


def _open_arrow(data: bytes, columns: ColumnMap) -> pa.Table:
    wanted = [use.column for use in columns.uses]
    if columns.format == "parquet":
        file = pq.ParquetFile(pa.BufferReader(data))
        require_columns([name.strip() for name in file.schema_arrow.names], columns)
        table = file.read(columns=[n for n in file.schema_arrow.names if n.strip() in wanted], use_threads=False)
    else:
        source = pa.BufferReader(data)
        reader = pa.ipc.open_file(source) if data[:6] == b"ARROW1" else pa.ipc.open_stream(source)
        table = reader.read_all()
        require_columns([name.strip() for name in table.column_names], columns)
    return table.rename_columns([name.strip() for name in table.column_names]).select(wanted)


def _doubles(column: pa.ChunkedArray) -> Floats:
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        return np.array([as_number(text or "") for text in column.to_pylist()], dtype=np.float64)
    if pa.types.is_boolean(column.type) or not _is_number(column.type):
        return np.full(len(column), np.nan)
    doubles: Floats = column.cast(pa.float64(), safe=False).to_numpy()
    return doubles


def _is_number(kind: pa.DataType) -> bool:
    return bool(pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind))


def _steps(column: pa.ChunkedArray) -> Steps:
    kind = column.type
    if pa.types.is_timestamp(kind) or pa.types.is_duration(kind):
        column, kind = column.cast(pa.int64()), pa.int64()
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
