"""Readers under mutated and made-up files: whatever comes, it is read to finite figures or refused in words."""

from __future__ import annotations

import gzip
import io
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from fuzzing import fuzz
from hypothesis import strategies as st
from rennbahn.capture import (
    ColumnMap,
    ColumnUse,
    propose_columns,
    propose_samples,
    read_capture,
    read_samples,
)
from rennbahn.capture.columns import CHANNELS, units_of
from rennbahn.errors import RennbahnError
from rennbahn.measures import figures_of

REFERENCE = Path(__file__).parent / "reference"
FILES = sorted(p for p in REFERENCE.glob("[0-9]*.*") if p.suffix in (".csv", ".tsv", ".jsonl", ".parquet"))
#: A few hundred rows do for a reader; the head holds header and preamble.
MOST_BYTES = 12_000


def seeds() -> dict[str, bytes]:
    found = {}
    for path in FILES:
        data = path.read_bytes()
        found[path.name] = data if path.suffix == ".parquet" else data[:MOST_BYTES]
    table = pa.table({"ms": np.round(np.random.default_rng(1).gamma(20, 0.4, 200), 3), "t": np.arange(200)})
    for name, compression in (("plain.arrow", None), ("packed.arrow", "zstd")):
        out = io.BytesIO()
        with pa.ipc.new_file(out, table.schema, options=pa.ipc.IpcWriteOptions(compression=compression)) as writer:
            writer.write_table(table)
        found[name] = out.getvalue()
    out = io.BytesIO()
    pq.write_table(table, out, compression="zstd")
    found["small.parquet"] = out.getvalue()
    found["packed.csv.gz"] = gzip.compress(found[FILES[0].name])
    return found


SEEDS = seeds()


def finite(value: Any) -> bool:
    if isinstance(value, dict):
        return all(finite(one) for one in value.values())
    if isinstance(value, (list, tuple)):
        return all(finite(one) for one in value)
    return not isinstance(value, float) or math.isfinite(value)


def said(error: RennbahnError) -> None:
    """A refusal has words."""
    assert error.message


def probe(data: bytes, columns: ColumnMap | None = None) -> None:
    """Read a file in every way there is."""
    try:
        columns = columns or propose_columns(data).columns
    except RennbahnError:
        columns = None
    for read in (propose_samples, lambda data: read_samples(data, propose_samples(data))):
        try:
            read(data)
        except RennbahnError as error:
            said(error)
    if columns is None:
        return
    try:
        capture = read_capture(data, columns)
    except RennbahnError as error:
        said(error)
        return
    found = figures_of(capture).as_json()
    assert finite(found)
    json.dumps(found, allow_nan=False)


def test_mutated_files_are_read_or_refused() -> None:
    def mutated(name: str, cuts: list[tuple[int, int, bytes]]) -> None:
        data = bytearray(SEEDS[name])
        for at, length, put in cuts:
            place = at % (len(data) + 1)
            data[place : place + length] = put
        probe(bytes(data))

    pieces = st.one_of(
        st.binary(max_size=8),
        st.sampled_from([b"", b"\x00", b'"', b",", b";", b"\t", b"\n", b"\r", b"NaN", b"inf", b"1e308", b"1e-308",
                         b"-", b"0", b"9" * 40, b"\xff\xfe", b"\xef\xbb\xbf", b"{", b"[[[[", b"#", b"\xf0\x9f"]),
    )  # fmt: skip
    cuts = st.lists(st.tuples(st.integers(0, 10**7), st.integers(0, 40), pieces), min_size=1, max_size=6)
    assert fuzz({"name": st.sampled_from(sorted(SEEDS)), "cuts": cuts}, mutated, 250) >= 50


NUMBERS = st.one_of(
    st.floats(allow_nan=True, allow_infinity=True).map(repr), st.integers(-(10**30), 10**30).map(str),
    st.floats(0.1, 100).map(lambda value: f"{value:.3f}"), st.sampled_from(["", " ", "N/A", "1,5", "1.5.2", "0x1f"]),
    st.text(max_size=5),
)  # fmt: skip


def test_made_up_tables_are_read_or_refused() -> None:
    def made_up(
        names: list[str], rows: list[list[str]], delimiter: str, encoding: str, end: str, use: tuple[str, int]
    ) -> None:
        lines = [delimiter.join(names), *(delimiter.join(row) for row in rows)]
        data = end.join(lines).encode(encoding, "replace")
        probe(data)
        channel, at = use
        column = names[at % len(names)].strip()
        decimal = "," if delimiter != "," else "."
        try:
            columns = ColumnMap(
                (ColumnUse(column, channel, units_of(channel)[0]),), "delimited", None, delimiter, decimal, encoding
            )
        except RennbahnError:
            return
        probe(data, columns)

    names = st.lists(st.text(max_size=12), min_size=1, max_size=5)
    strategies = {
        "names": names, "rows": st.lists(st.lists(NUMBERS, min_size=1, max_size=5), max_size=12),
        "delimiter": st.sampled_from([",", ";", "\t", "|"]), "end": st.sampled_from(["\n", "\r\n", "\r"]),
        "encoding": st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "latin-1"]),
        "use": st.tuples(st.sampled_from(CHANNELS), st.integers(0, 9)),
    }  # fmt: skip
    fuzz(strategies, made_up, 250)


JSON = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(-(10**40), 10**40), st.floats(), st.text(max_size=8)),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=4), inner, max_size=3)),
    max_leaves=6,
)


@pytest.mark.parametrize("channel", ["frame_time", "timestamp", "fps"])
def test_made_up_json_lines_are_read_or_refused(channel: str) -> None:
    def json_lines(rows: list[Any]) -> None:
        data = "\n".join(json.dumps(row) for row in rows).encode("utf-8", "surrogatepass")
        probe(data, ColumnMap((ColumnUse("t", channel, units_of(channel)[0]),), "jsonl"))

    row = st.dictionaries(st.sampled_from(["t", "u", "v"]), JSON, max_size=3)
    fuzz({"rows": st.lists(st.one_of(row, JSON), max_size=8)}, json_lines, 60)


TYPES = st.sampled_from(
    [pa.float64(), pa.float32(), pa.int64(), pa.uint64(), pa.string(), pa.large_string(), pa.bool_(),
     pa.timestamp("ns"), pa.timestamp("s", tz="UTC"),
     pa.time64("ns"), pa.time32("s"), pa.duration("us"), pa.date32(), pa.binary(),
     pa.decimal128(20, 3), pa.dictionary(pa.int32(), pa.string())]
)  # fmt: skip


def test_made_up_columns_of_every_type_are_read_or_refused() -> None:
    def columns_of(kind: pa.DataType, numbers: list[int | None], parquet: bool, use: tuple[str, str]) -> None:
        texts = [None if number is None else str(number) for number in numbers]
        try:
            plain = pa.array(texts if pa.types.is_string(kind) or pa.types.is_dictionary(kind) else numbers)
            column = plain.dictionary_encode() if pa.types.is_dictionary(kind) else plain.cast(kind)
            out = io.BytesIO()
            table = pa.table({"t": column})
            if parquet:
                pq.write_table(table, out)
            else:
                with pa.ipc.new_file(out, table.schema) as writer:
                    writer.write_table(table)
        except (pa.ArrowException, ValueError, OverflowError, TypeError):
            return
        probe(out.getvalue(), ColumnMap((ColumnUse("t", *use),), "parquet" if parquet else "arrow"))

    strategies = {
        "kind": TYPES, "numbers": st.lists(st.one_of(st.none(), st.integers(-(2**63), 2**63 - 1)), max_size=8),
        "parquet": st.booleans(), "use": st.sampled_from([("frame_time", "ms"), ("timestamp", "ns"), ("fps", "fps")]),
    }  # fmt: skip
    fuzz(strategies, columns_of, 150)
