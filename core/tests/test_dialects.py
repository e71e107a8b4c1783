"""Logs of loggers that nobody has seen: any names, units, dialects and packings are understood or asked about."""

from __future__ import annotations

import io
import json
import math
from fractions import Fraction
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.capture import Capture, ColumnMap, ColumnUse, propose_columns, read_capture
from rennbahn.simulation import Rig, Scene, run_pass

UNITS = {"s": 1000, "ms": 1, "us": Fraction(1, 1000), "ns": Fraction(1, 1_000_000)}
SUFFIX = {"s": ["s", "sec", "seconds"], "ms": ["ms", "msec"], "us": ["us", "µs"], "ns": ["ns", "nsec"]}
TIME_NAMES = ["frame time", "Frametime", "frame_delta", "delivery", "FrameInterval", "display dt"]
STAMP_NAMES = ["timestamp", "clock", "shown at", "elapsed", "Time"]
RATE_NAMES = ["fps", "instant fps", "frame rate"]
CARD_NAMES = ["gpu busy", "card active", "render busy time", "GpuBusy"]
PROCESSOR_NAMES = ["cpu busy", "main busy", "processor active", "CpuBusy"]

#: Whole microseconds: every unit can write them without loss.
FRAMES_US = [int(value) for value in np.random.default_rng(9).normal(9500, 900, 160).clip(4000, 40_000)]


def number(value: Fraction, decimal: str) -> str:
    """A fraction with a finite decimal, written out."""
    scaled, places = value, 0
    while scaled.denominator != 1:
        scaled, places = scaled * 10, places + 1
    digits = str(abs(scaled.numerator)).rjust(places + 1, "0")
    text = f"{digits[:-places]}{decimal}{digits[-places:]}" if places else digits
    return f"-{text}" if value < 0 else text


def written(clock: str, unit: str, decimal: str) -> list[str]:
    """The frames as one column of a kind: frame times, timestamps, or rates."""
    scale = Fraction(1, 1000) / UNITS.get(unit, 1)
    if clock == "frame_time":
        return [number(us * scale, decimal) for us in FRAMES_US]
    if clock == "timestamp":
        at, found = 5_000_000, []
        for us in [0, *FRAMES_US]:
            at += us
            found.append(number(at * scale, decimal))
        return found
    return [repr(1_000_000 / us).replace(".", decimal) for us in FRAMES_US]


def in_ms(us: int, unit: str) -> float:
    """A frame time of whole microseconds, once written in a unit and read back: doubles are scaled, never decimals."""
    value = float(us * Fraction(1, 1000) / UNITS.get(unit, 1))
    return {"s": value * 1000, "us": value / 1000, "ns": value / 1_000_000}.get(unit, value)


CLOCKS = st.one_of(
    st.tuples(st.just("frame_time"), st.sampled_from(TIME_NAMES), st.sampled_from(list(UNITS))),
    st.tuples(st.just("timestamp"), st.sampled_from(STAMP_NAMES), st.sampled_from(list(UNITS))),
    st.tuples(st.just("fps"), st.sampled_from(RATE_NAMES), st.just("fps")),
)
SIGNS = st.sampled_from([(",", "."), (";", ","), ("\t", ","), ("|", "."), (";", "."), ("\t", ".")])


@settings(max_examples=120, deadline=None)
@given(
    CLOCKS,
    SIGNS,
    st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "latin-1"]),
    st.sampled_from(["\n", "\r\n"]),
    st.lists(st.sampled_from(["# made on the bench", "logger 4, channel 2", ""]), max_size=5),
    st.sampled_from([None, "gzip", "zstd"]),
    st.tuples(st.sampled_from(CARD_NAMES), st.sampled_from(PROCESSOR_NAMES), st.permutations(range(4)), st.booleans()),
)
def test_a_log_of_any_dialect_is_understood(
    clock: tuple[str, str, str],
    signs: tuple[str, str],
    encoding: str,
    newline: str,
    preamble: list[str],
    packing: str | None,
    others: tuple[str, str, list[int], bool],
) -> None:
    kind, name, unit = clock
    delimiter, decimal = signs
    card, processor, order, index = others
    suffix = SUFFIX.get(unit, [""])[0]
    column = f"{name} ({suffix})" if suffix else name
    values = written(kind, unit, decimal)
    busy = [f"{0.9 * us / 1000:.3f}".replace(".", decimal) for us in [9000, *FRAMES_US][-len(values) :]]
    table: list[tuple[str, list[str]]] = [
        (column, values),
        (f"{card} [ms]", busy),
        (f"{processor} [ms]", [text[:-1] + "1" for text in busy]),
        ("frame no" if index else "note", [str(i + 1) if index else "ok" for i in range(len(values))]),
    ]
    table = [table[place] for place in order]
    lines = [*preamble, delimiter.join(title for title, _ in table)]
    lines += [delimiter.join(row) for row in zip(*(own for _, own in table), strict=True)]
    data = (newline.join(lines) + newline).encode(encoding)
    packed: Any = pa.compress(data, codec=packing, asbytes=True) if packing else data
    proposal = propose_columns(packed)
    assert proposal.columns is not None
    uses = {use.channel: (use.column, use.unit) for use in proposal.columns.uses}
    assert uses[kind] == (column, unit)
    assert uses["gpu_busy_ms"] == (f"{card} [ms]", "ms")
    assert uses["cpu_busy_ms"] == (f"{processor} [ms]", "ms")
    assert len(uses) == 3
    capture = read_capture(packed, proposal.columns)
    wanted = [in_ms(us, unit) for us in FRAMES_US]
    if kind == "fps":
        assert capture.frame_ms.tolist() == pytest.approx(wanted, rel=1e-12)
    else:
        assert capture.frame_ms.tolist() == wanted, "to the last digit"
    assert capture.channels["gpu_busy_ms"][-1] == pytest.approx(0.9 * wanted[-1], abs=1e-3)


@settings(max_examples=60, deadline=None)
@given(CLOCKS, st.sampled_from(["jsonl", "parquet", "arrow"]), st.sampled_from([None, "gzip", "zstd"]))
def test_records_and_columns_are_understood_too(clock: tuple[str, str, str], form: str, packing: str | None) -> None:
    kind, name, unit = clock
    suffix = SUFFIX.get(unit, [""])[-1]
    column = f"{name}_{suffix}" if suffix else name
    texts = written(kind, unit, ".")
    if form == "jsonl":
        rows = ("{" + f"{json.dumps(column)}: {text}, " + '"load pct": 97}' for text in texts)
        data = ("\n".join(rows) + "\n").encode()
    else:
        whole = all("." not in text for text in texts)
        numbers = [int(text) if whole else float(text) for text in texts]
        table = pa.table({column: numbers, "gpu load pct": [97.0] * len(numbers)})
        sink = io.BytesIO()
        if form == "parquet":
            pq.write_table(table, sink)
        else:
            with pa.ipc.new_file(sink, table.schema) as writer:
                writer.write_table(table)
        data = sink.getvalue()
    packed: Any = pa.compress(data, codec=packing, asbytes=True) if packing else data
    proposal = propose_columns(packed)
    assert proposal.columns is not None
    assert proposal.columns.format == form
    use = next(use for use in proposal.columns.uses if use.channel == kind)
    assert (use.column, use.unit) == (column, unit)
    capture = read_capture(packed, proposal.columns)
    assert capture.frame_ms.tolist() == pytest.approx([us / 1000 for us in FRAMES_US], rel=1e-9)


@given(st.integers(0, 2**31), st.sampled_from(["s", "ms", "us", "ns"]), st.integers(0, 10**12))
@settings(max_examples=40, deadline=None)
def test_a_clock_with_a_large_offset_loses_nothing(seed: int, unit: str, offset: int) -> None:
    steps = np.random.default_rng(seed).integers(1000, 90_000, 50)
    scale = Fraction(1, 1000) / UNITS[unit]
    at = np.concatenate(([0], np.cumsum(steps))) + offset
    text = "clock\n" + "\n".join(number(int(us) * scale, ".") for us in at) + "\n"
    capture = read_capture(text.encode(), ColumnMap((ColumnUse("clock", "timestamp", unit),)))
    assert capture.frame_ms.tolist() == [in_ms(int(us), unit) for us in steps]


@pytest.mark.parametrize("seed", range(6))
def test_a_confirmed_map_reads_what_the_proposal_read(seed: int) -> None:
    frames = run_pass(Scene(5, 9, seconds=6), Rig(), np.random.default_rng(seed))
    text = "t_ms;gpu_ms\n" + "".join(
        f"{a};{b}\n" for a, b in zip(frames.frame_ms, frames.channels["gpu_busy_ms"], strict=True)
    )
    proposal = propose_columns(text.encode())
    assert proposal.columns is not None
    kept = ColumnMap.from_json(json.loads(json.dumps(proposal.columns.as_json())))
    one, two = read_capture(text.encode(), proposal.columns), read_capture(text.encode(), kept)
    assert isinstance(one, Capture)
    assert one.frame_ms.tolist() == two.frame_ms.tolist() == frames.frame_ms.tolist()
    assert math.isclose(one.duration_s, frames.duration_s)
