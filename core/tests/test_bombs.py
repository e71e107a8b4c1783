"""Small files that would unpack to gigabytes, and values that would end beyond what doubles hold: refused before."""

from __future__ import annotations

import contextlib
import gzip
import io
import itertools
import json
import resource
import subprocess
import sys
from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from rennbahn.capture import Capture, ColumnMap, ColumnUse, propose_columns, read_capture, read_samples
from rennbahn.errors import CaptureRefused

USES = (ColumnUse("ms", "frame_time", "ms"),)


def map_of(kind: str, compression: str | None = None, *more: ColumnUse) -> ColumnMap:
    return ColumnMap((*USES, *more), kind, compression)


def arrow(table: pa.Table, compression: str | None = None, *, dictionary: bool = False) -> bytes:
    out = io.BytesIO()
    options = pa.ipc.IpcWriteOptions(compression=compression)
    with pa.ipc.new_file(out, table.schema, options=options) as writer:
        writer.write_table(table)
    return out.getvalue()


def parquet(table: pa.Table, **options: object) -> bytes:
    out = io.BytesIO()
    pq.write_table(table, out, **options)
    return out.getvalue()


def equal_doubles() -> bytes:
    return arrow(pa.table({"ms": pa.array(np.full(20_000_000, 8.0))}), "zstd")


def a_text_in_every_row() -> bytes:
    text = pa.DictionaryArray.from_arrays(pa.array(np.zeros(400, np.int32)), pa.array(["9" * 4_000_000]))
    return parquet(pa.table({"ms": text}), compression="zstd")


def a_dictionary_of_zeros() -> bytes:
    values = pa.array(np.zeros(80_000_000))
    column = pa.DictionaryArray.from_arrays(pa.array(np.zeros(4, np.int32)), values)
    return arrow(pa.table({"ms": column}), "zstd")


def commas() -> bytes:
    return gzip.compress(b"ms\n" + b"," * 100_000_000, 1)


def rows_of_json() -> bytes:
    return gzip.compress(b'{"ms":9}\n' * 6_000_000, 1)


def wide_header() -> bytes:
    return (",".join(f"c{i}" for i in range(3000)) + "\n" + ",".join("9" for _ in range(3000)) + "\n").encode()


BOMBS: dict[str, tuple[Callable[[], bytes], ColumnMap]] = {
    "equal doubles": (equal_doubles, map_of("arrow")),
    "a dictionary of zeros": (a_dictionary_of_zeros, map_of("arrow")),
    "commas": (commas, map_of("delimited", "gzip")),
    "rows of JSON": (rows_of_json, map_of("jsonl", "gzip")),
    "a wide header": (wide_header, map_of("delimited")),
}


@pytest.mark.parametrize("name", BOMBS)
def test_what_unpacks_to_too_much_is_refused_before_it_is_unpacked(name: str) -> None:
    make, columns = BOMBS[name]
    with pytest.raises(CaptureRefused) as refused:
        read_capture(make(), columns)
    assert refused.value.reason == "too_large"


@pytest.mark.parametrize("name", ["equal doubles", "a dictionary of zeros"])
def test_a_packed_table_is_refused_by_its_metadata_in_little_memory(name: str) -> None:
    """In a process that could not hold it: the refusal comes from what the file says of itself."""
    probe = (
        "import resource, sys\n"
        "from rennbahn.capture import ColumnMap, ColumnUse, propose_columns, read_capture\n"
        "from rennbahn.errors import CaptureRefused\n"
        "data = sys.stdin.buffer.read()\n"
        "before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
        "columns = ColumnMap((ColumnUse('ms', 'frame_time', 'ms'),), 'arrow')\n"
        "for read in (propose_columns, lambda data: read_capture(data, columns)):\n"
        "    try:\n        read(data)\n    except CaptureRefused as error:\n        print(error.reason)\n"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before)\n"
    )
    done = subprocess.run([sys.executable, "-c", probe], input=BOMBS[name][0](), capture_output=True, check=True)
    first, second, kilobytes = done.stdout.split()
    assert (first, second) == (b"too_large", b"too_large")
    assert int(kilobytes) < 60_000


def test_a_long_text_in_every_row_is_no_number_and_is_unpacked_once() -> None:
    data = a_text_in_every_row()
    assert len(data) < 10_000
    with pytest.raises(CaptureRefused) as refused:
        read_capture(data, map_of("parquet"))
    assert refused.value.reason == "not_a_number"
    assert len(refused.value.message) < 2_000
    assert propose_columns(data).columns is None


@pytest.mark.parametrize("kind", ["delimited", "jsonl"])
@pytest.mark.parametrize("end", [b"\n", b"\r"])
def test_a_line_that_cannot_be_a_row_is_refused_by_its_number(kind: str, end: bytes) -> None:
    row = b"8.1" if kind == "delimited" else b'{"ms": 8.1}'
    data = (b"ms" if kind == "delimited" else row) + end + row + end + b"7" * 2_000_000 + end
    with pytest.raises(CaptureRefused) as refused:
        read_capture(data, map_of(kind))
    assert refused.value.reason == "too_large"


@pytest.mark.parametrize(
    "line",
    ["[" * 100_000, '{"ms":' + "9" * 5_000 + "}", '{"ms": ' + '{"a":' * 50_000, '{"ms": 1e999}', '{"ms": "\\ud800"}'],
)
def test_json_that_python_stumbles_over_is_a_bad_row(line: str) -> None:
    for data in (line.encode() + b"\n", b'{"ms": 8.1}\n' + line.encode() + b"\n"):
        with contextlib.suppress(CaptureRefused):
            propose_columns(data)
        with pytest.raises(CaptureRefused) as refused:
            read_capture(data, map_of("jsonl"))
        assert refused.value.reason in ("unreadable", "broken_row", "not_a_number", "not_finite", "over_limit")


def test_a_quoted_header_without_end_is_refused_in_words() -> None:
    data = b'"' + b"x" * 200_000 + b'",ms\n1,8\n2,8\n'
    with pytest.raises(CaptureRefused) as refused:
        read_capture(data, map_of("delimited"))
    assert refused.value.reason == "unreadable"
    assert "header" in refused.value.message


TIMES = {
    "nanoseconds": pa.array([1, 1_000_001, 2_000_003], pa.timestamp("ns")),
    "an unknown zone": pa.array([1, 2_000, 4_100], pa.timestamp("us", tz="Nowhere/Else")),
    "far dates": pa.array([2**62, 2**62 + 1, 2**62 + 2], pa.timestamp("s")),
    "time of day": pa.array([1, 9_000_000, 17_000_001], pa.time64("ns")),
    "time of day in seconds": pa.array([1, 2, 3], pa.time32("s")),
    "durations": pa.array([1, 8_000, 16_500], pa.duration("us")),
    "dates": pa.array([1, 2, 3], pa.date32()),
    "lists": pa.array([[1], [2], [3]]),
    "bytes": pa.array([b"\xff", b"1", b"2"]),
    "halves": pa.array(np.array([1, 2, 3], np.float16)),
    "nothing": pa.array([None, None, None]),
}


@pytest.mark.parametrize("kind", ["parquet", "arrow"])
@pytest.mark.parametrize("name", TIMES)
@pytest.mark.parametrize("use", [("frame_time", "ms"), ("timestamp", "ns"), ("fps", "fps")])
def test_any_type_of_column_is_read_or_refused(kind: str, name: str, use: tuple[str, str]) -> None:
    table = pa.table({"t": TIMES[name], "ms": [8.0, 9.0, 8.0]})
    try:
        data = parquet(table) if kind == "parquet" else arrow(table)
    except (pa.ArrowException, ValueError, TypeError):
        pytest.skip("that format cannot hold it")
    assert {"ms"} <= set(propose_columns(data).names)
    try:
        found = read_capture(data, ColumnMap((ColumnUse("t", *use),), kind))
    except CaptureRefused:
        return
    assert isinstance(found, Capture)
    assert np.isfinite(found.frame_ms).all()


def test_times_of_day_are_subtracted_exactly() -> None:
    data = parquet(pa.table({"t": TIMES["time of day"]}))
    found = read_capture(data, ColumnMap((ColumnUse("t", "timestamp", "ns"),), "parquet"))
    assert found.frame_ms.tolist() == [8.999999, 8.000001]


@pytest.mark.parametrize(
    ("text", "reason"),
    [("1e-310", "under_limit"), ("1e-7", "under_limit"), ("1.7e308", "over_limit"), ("9" * 2000, "not_a_number")],
)
def test_values_at_the_ends_of_doubles_are_refused_by_row(text: str, reason: str) -> None:
    for data, kind in (
        (f"ms\n8\n{text}\n8\n".encode(), "delimited"),
        (f'ms,"x"\n8,1\n{text},1\n'.encode(), "delimited"),
        (f'{{"ms": 8}}\n{{"ms": {text}}}\n'.encode(), "jsonl"),
    ):
        with pytest.raises(CaptureRefused) as refused:
            read_capture(data, map_of(kind))
        assert (refused.value.reason, refused.value.row) == (reason, 2)


@pytest.mark.parametrize("rate", ["1.7e308", "1e-310"])
def test_rates_at_the_ends_of_doubles_are_refused_by_row(rate: str) -> None:
    columns = ColumnMap((ColumnUse("fps", "fps", "fps"),))
    with pytest.raises(CaptureRefused) as refused:
        read_capture(f"fps\n100\n{rate}\n".encode(), columns)
    assert refused.value.row == 2


def test_a_sampled_value_beyond_all_sense_is_refused_by_column_and_row() -> None:
    columns = map_of("delimited", None, ColumnUse("w", "gpu_power_w", "W"))
    with pytest.raises(CaptureRefused, match="“w” is out of every range") as refused:
        read_capture(b"ms,w\n8,200\n8,1.7e308\n", columns)
    assert (refused.value.reason, refused.value.row) == ("out_of_range", 2)
    samples = ColumnMap((ColumnUse("s", "timestamp", "s"), ColumnUse("w", "gpu_power_w", "W")))
    for content in (b"s,w\n0,200\n1,1e300\n", b"s,w\n1e300,200\n2e300,200\n"):
        with pytest.raises(CaptureRefused):
            read_samples(content, samples)


def test_json_lines_are_read_in_little_memory() -> None:
    rows = b"".join(b'{"ms": %d.5, "note": "x%d"}\n' % (7 + i % 3, i % 5) for i in range(200_000))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    found = read_capture(rows, map_of("jsonl"))
    assert len(found) == 200_000
    # A dictionary a row was half a gigabyte for these.
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 150_000


def test_a_missing_column_is_told_also_where_rows_are_at_fault() -> None:
    rows = "".join(json.dumps({"other": i}) + "\n" for i in range(5))
    with pytest.raises(CaptureRefused) as refused:
        read_capture(rows.encode(), map_of("jsonl"))
    assert refused.value.reason == "missing_column"
    late = rows + json.dumps({"ms": 8}) + "\n"
    with pytest.raises(CaptureRefused) as refused:
        read_capture(late.encode(), map_of("jsonl"))
    assert (refused.value.reason, refused.value.row) == ("not_a_number", 1)


@pytest.mark.parametrize("compression", [None, "zstd", "lz4"])
@pytest.mark.parametrize("form", ["file", "stream"])
def test_arrow_is_read_alike_as_file_and_stream_however_packed(compression: str | None, form: str) -> None:
    frames = np.round(np.random.default_rng(5).gamma(20, 0.4, 5000), 3)
    table = pa.table({"ms": frames, "text": [str(v) for v in frames], "rest": [[1]] * 5000})
    out = io.BytesIO()
    make = pa.ipc.new_file if form == "file" else pa.ipc.new_stream
    with make(out, table.schema, options=pa.ipc.IpcWriteOptions(compression=compression)) as writer:
        for batch in table.to_batches(1500):
            writer.write_batch(batch)
    for column in ("ms", "text"):
        columns = ColumnMap((ColumnUse(column, "frame_time", "ms"),), "arrow")
        assert read_capture(out.getvalue(), columns).frame_ms.tolist() == frames.tolist()


def test_cut_or_altered_tables_are_refused_not_crashed_on() -> None:
    rng = np.random.default_rng(11)
    table = pa.table({"ms": np.round(rng.gamma(20, 0.4, 300), 3), "note": ["a", "bb", None] * 100})
    whole = [arrow(table), arrow(table, "zstd"), parquet(table), parquet(table, compression="zstd")]
    for data, _ in itertools.product(whole, range(60)):
        broken = bytearray(data)
        for at in rng.integers(8, len(data), 4):
            broken[at] = rng.integers(256)
        kind = "parquet" if data[:4] == b"PAR1" else "arrow"
        try:
            found = read_capture(bytes(broken), map_of(kind))
        except CaptureRefused:
            continue
        assert np.isfinite(found.frame_ms).all()
