"""Reading captures: dialects, exactness, and refusals that name the place."""

from __future__ import annotations

import io
import json
import math
import tracemalloc
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from helpers import FRAME_MS, csv_of
from hypothesis import given
from hypothesis import strategies as st
from rennbahn.capture import ColumnMap, ColumnUse, read_capture
from rennbahn.capture import text as text_module
from rennbahn.capture.numbers import as_number
from rennbahn.capture.read import unpacked
from rennbahn.errors import CaptureRefused, RennbahnError

TIMES = st.lists(st.decimals("0.001", "59999", places=4, allow_nan=False), min_size=1, max_size=40)
BUSY = replace(FRAME_MS, uses=(*FRAME_MS.uses, ColumnUse("busy", "gpu_busy_ms", "ms")))


def stamps(unit: str, **dialect: str) -> ColumnMap:
    return ColumnMap((ColumnUse("t", "timestamp", unit),), **dialect)  # type: ignore[arg-type]


@given(
    TIMES,
    st.sampled_from([(",", "."), (";", ","), ("\t", ","), ("|", "."), (";", ".")]),
    st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "latin-1"]),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.booleans(),
)
def test_every_dialect_reads_the_same(
    times: list[object], signs: tuple[str, str], encoding: str, newline: str, quoted: bool
) -> None:
    delimiter, decimal = signs
    rows = [str(t).replace(".", decimal) for t in times]
    if quoted:
        rows = [f'"{row}"' for row in rows]
    lines = ["# a note", f"n{delimiter} frame_time_ms ", *(f"{i}{delimiter}{row}" for i, row in enumerate(rows)), ""]
    columns = ColumnMap(FRAME_MS.uses, delimiter=delimiter, decimal=decimal, encoding=encoding, skip_lines=1)
    capture = read_capture(newline.join(lines).encode(encoding), columns)
    assert capture.frame_ms.tolist() == [float(str(t)) for t in times]


ODD_TEXT = st.text(alphabet='0123456789.,+-einfNaN "#_x', max_size=6)


@given(st.lists(st.one_of(TIMES.map(lambda t: str(t[0])), ODD_TEXT), min_size=1, max_size=8))
def test_the_quick_way_and_the_careful_way_agree(fields: list[str]) -> None:
    data = ("frame_time_ms;busy\n" + "".join(f"{field};{field}\n" for field in fields)).encode()
    columns = replace(BUSY, delimiter=";")

    def outcome() -> object:
        try:
            capture = read_capture(data, columns)
        except CaptureRefused as error:
            return error.reason, error.row, error.line
        return capture.frame_ms.tolist(), str(capture.channels["gpu_busy_ms"].tolist())

    usual = outcome()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(text_module, "_quick", lambda *_: None)
        assert outcome() == usual


@pytest.mark.parametrize(
    ("written", "number"),
    [("1", 1), (" 1.5 ", 1.5), ("+.5", 0.5), ("5.", 5), ("1e1", 10), ("1E-1", 0.1), ("-2", -2)],
)
def test_numbers_in_text(written: str, number: float) -> None:
    assert as_number(written) == number


@pytest.mark.parametrize("written", ["", ".", "1_0", "0x10", "1,5", "1e", "٣", "1 2", "NaN", "-nan", "--1"])
def test_what_is_no_number(written: str) -> None:
    assert math.isnan(as_number(written))


def test_a_point_beside_a_decimal_comma_is_no_number() -> None:
    assert math.isnan(as_number("1.234,5", ","))
    assert as_number("234,5", ",") == 234.5
    assert as_number("-Infinity") == -math.inf


@pytest.mark.parametrize(
    ("rows", "reason", "row"),
    [
        (["5", "nan"], "not_a_number", 2),
        (["5", ""], "not_a_number", 2),
        (["inf"], "not_finite", 1),
        (["5", "6", "0.0"], "zero", 3),
        (["-1"], "negative", 1),
        (["60000", "60000.1"], "over_limit", 2),
    ],
)
def test_refusals_name_the_first_bad_row(rows: list[str], reason: str, row: int) -> None:
    data = "\n".join(["frame_time_ms", *rows, "7", "-9", ""]).encode()
    with pytest.raises(CaptureRefused) as refused:
        read_capture(data, FRAME_MS)
    assert (refused.value.reason, refused.value.row, refused.value.line) == (reason, row, row + 1)
    assert refused.value.sentence().startswith(f"row {row} (line {row + 1}): ")


def test_the_wording_of_a_refusal() -> None:
    with pytest.raises(CaptureRefused, match=r"^frame time must be above 0 ms \(got '-1\.3'\)$"):
        read_capture(b"frame_time_ms\n9.1\n-1.3\n", FRAME_MS)


def test_a_broken_row_after_a_bad_value_does_not_hide_it() -> None:
    with pytest.raises(CaptureRefused) as refused:
        read_capture(b"frame_time_ms,busy\n5,1\n-5,1\n5\n", BUSY)
    assert (refused.value.reason, refused.value.row) == ("negative", 2)
    with pytest.raises(CaptureRefused) as refused:
        read_capture(b"frame_time_ms,busy\n5,1\n5,1,1\n-5,1\n", BUSY)
    assert (refused.value.reason, refused.value.row) == ("broken_row", 2)


def test_lines_count_comments_and_rows_do_not() -> None:
    with pytest.raises(CaptureRefused) as refused:
        read_capture(b"# one\nframe_time_ms\n5\n# two\n0\n", replace(FRAME_MS, skip_lines=0))
    assert (refused.value.row, refused.value.line) == (2, 5)


def test_gaps_of_other_channels_are_never_a_refusal() -> None:
    capture = read_capture(b"frame_time_ms,busy\n5,4\n5,\n5,n/a\n5,inf\n5,3\n", BUSY)
    assert np.isnan(capture.channels["gpu_busy_ms"]).tolist() == [False, True, True, True, False]


def test_a_column_named_twice_is_refused() -> None:
    with pytest.raises(CaptureRefused, match="stands 2 times"):
        read_capture(b"frame_time_ms,frame_time_ms\n5,5\n", FRAME_MS)


@pytest.mark.parametrize("compression", ["gzip", "zstd"])
def test_compressed_captures_and_cut_ones(compression: str) -> None:
    packed = pa.compress(csv_of([8.5] * 500), codec=compression, asbytes=True)
    columns = replace(FRAME_MS, compression=compression)
    assert len(read_capture(packed, columns)) == 500
    with pytest.raises(CaptureRefused) as refused:
        read_capture(packed[: len(packed) // 2], columns)
    assert refused.value.reason == "unreadable"


def test_a_small_file_that_unpacks_to_too_much_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    bomb = pa.compress(b"0" * 3_000_000, codec="gzip", asbytes=True)
    monkeypatch.setattr(unpacked, "__defaults__", (1_000_000,))
    with pytest.raises(CaptureRefused) as refused:
        read_capture(bomb, replace(FRAME_MS, compression="gzip"))
    assert refused.value.reason == "too_large"


# A clock that has run for years, in ns: more digits than a double holds.
LONG_CLOCK = [1_700_000_000_000_000_000 + step for step in (0, 8_333_333, 16_666_667, 25_000_001)]
LONG_STEPS_MS = [8.333333, 8.333334, 8.333334]


def test_timestamps_are_subtracted_exactly_in_every_format() -> None:
    def steps(data: bytes, columns: ColumnMap) -> list[float]:
        return list(np.round(read_capture(data, columns).frame_ms, 9))

    ns = "\n".join(["t", *map(str, LONG_CLOCK), ""])
    assert steps(ns.encode(), stamps("ns")) == LONG_STEPS_MS
    seconds = "\n".join(["t", *(f"{t // 10**9},{t % 10**9:09d}" for t in LONG_CLOCK), ""])
    assert steps(seconds.encode(), stamps("s", decimal=",", delimiter=";")) == LONG_STEPS_MS
    spelled = "\n".join(["t", *(f"+{t}e0" for t in LONG_CLOCK), ""])
    assert steps(spelled.encode(), stamps("ns")) == LONG_STEPS_MS
    lines = "".join(json.dumps({"t": t}) + "\n" for t in LONG_CLOCK)
    assert steps(lines.encode(), ColumnMap((ColumnUse("t", "timestamp", "ns"),), format="jsonl")) == LONG_STEPS_MS
    for kind in (pa.int64(), pa.decimal128(30, 2), pa.timestamp("ns")):
        file = io.BytesIO()
        pq.write_table(pa.table({"t": pa.array(LONG_CLOCK).cast(kind)}), file)
        parquet = ColumnMap((ColumnUse("t", "timestamp", "ns"),), format="parquet")
        assert steps(file.getvalue(), parquet) == LONG_STEPS_MS


@pytest.mark.parametrize(
    ("clock", "reason", "row"),
    [
        (["1", "2", "2"], "zero", 3),
        (["1", "2", "1.5"], "timestamps_backwards", 3),
        (["nan", "2"], "not_a_number", 1),
        (["1", "2", "x", "0"], "not_a_number", 3),
        (["1", "100"], "over_limit", 2),
        (["1"], "no_frames", None),
    ],
)
def test_faults_of_timestamps(clock: list[str], reason: str, row: int | None) -> None:
    with pytest.raises(CaptureRefused) as refused:
        read_capture("\n".join(["t", *clock, ""]).encode(), stamps("s"))
    assert (refused.value.reason, refused.value.row) == (reason, row)


def test_a_large_file_that_needs_care_is_read_in_little_memory() -> None:
    rows = 200_000
    data = b't\n"0.0"\n' + b"".join(b"%d.5\n" % i for i in range(1, rows))
    tracemalloc.start()
    assert len(read_capture(data, stamps("ms"))) == rows - 1
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    # A list of lines or of exact numbers would take over a hundred bytes a row.
    assert peak < 8 * len(data)


def test_nothing_is_read_after_the_first_fault() -> None:
    data = b"frame_time_ms\n" + b"9.1\n" * 10 + b"oops\n" + b'"' * 100_000
    with pytest.raises(CaptureRefused) as refused:
        read_capture(data, FRAME_MS)
    assert (refused.value.reason, refused.value.row) == ("not_a_number", 11)


def test_rates_become_frame_times() -> None:
    rates = ColumnMap((ColumnUse("fps", "fps", "fps"),))
    assert read_capture(b"fps\n50\n200\n", rates).frame_ms.tolist() == [20.0, 5.0]
    with pytest.raises(CaptureRefused) as refused:
        read_capture(b"fps\n50\n0\n", rates)
    assert refused.value.reason == "not_finite"


def test_json_lines() -> None:
    columns = replace(FRAME_MS, format="jsonl")
    data = b'{"frame_time_ms": 5, "x": {"deep": [1]}}\n{"frame_time_ms": 6.25}\n'
    assert read_capture(data, columns).frame_ms.tolist() == [5.0, 6.25]
    for bad, reason in [
        (b"[5]\n", "broken_row"),
        (b'{"frame_time_ms": 5', "broken_row"),
        (b'{"frame_time_ms": null}\n', "not_a_number"),
        (b'{"frame_time_ms": true}\n', "not_a_number"),
        (b'{"frame_time_ms": Infinity}\n', "not_finite"),
        (b"{}\n", "not_a_number"),
    ]:
        with pytest.raises(CaptureRefused) as refused:
            read_capture(data + bad, columns)
        assert (refused.value.reason, refused.value.row, refused.value.line) == (reason, 3, 3)
    with pytest.raises(CaptureRefused, match="there is no column"):
        read_capture(b'{"other": 5}\n', columns)


@pytest.mark.parametrize("kind", ["parquet", "file", "stream"])
def test_parquet_and_arrow(kind: str) -> None:
    table = pa.table({"frame_time_ms": [5.0, None], "busy": pa.array([1, 2], pa.int32())})
    sink = io.BytesIO()
    if kind == "parquet":
        pq.write_table(table, sink)
    else:
        with (pa.ipc.new_file if kind == "file" else pa.ipc.new_stream)(sink, table.schema) as writer:
            writer.write_table(table)
    columns = replace(BUSY, format="parquet" if kind == "parquet" else "arrow")
    with pytest.raises(CaptureRefused) as refused:
        read_capture(sink.getvalue(), columns)
    assert (refused.value.reason, refused.value.row, refused.value.line) == ("not_a_number", 2, None)
    with pytest.raises(CaptureRefused) as refused:
        read_capture(sink.getvalue()[:-9] + b"garbage!!", columns)
    assert refused.value.reason in ("unreadable", "not_a_number")


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"format": "sheet"}, "format"),
        ({"delimiter": ";;"}, "delimiter"),
        ({"decimal": ",", "delimiter": ","}, "delimiter"),
        ({"encoding": "klingon"}, "encoding"),
        ({"skip_lines": -1}, "skip_lines"),
        ({"skip_lines": "many"}, "skip_lines"),
        ({"map": []}, "map"),
        ({"map": [{"column": "a", "channel": "frame_time", "unit": "fortnights"}]}, "unit of a"),
        ({"map": [{"column": "a", "channel": "fps", "unit": "fps"}, {"column": "b", "channel": "frame_time"}]}, "map"),
    ],
)
def test_a_wrong_column_map_names_the_field(change: dict[str, object], field: str) -> None:
    with pytest.raises(RennbahnError) as wrong:
        ColumnMap.from_json(FRAME_MS.as_json() | change)
    assert wrong.value.field == field
