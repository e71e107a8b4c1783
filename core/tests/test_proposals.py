"""A proposed column map is right where the file says enough, and says so where it does not."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from helpers import REFERENCE, load
from rennbahn.capture import ColumnMap, propose_columns, read_capture
from rennbahn.errors import CaptureRefused
from rennbahn.simulation import Dialect, Rig, Scene, run_pass, write_log

CAPTURES = load("expected.json")["files"]


@pytest.mark.parametrize("name", CAPTURES)
def test_reference_captures_are_understood(name: str) -> None:
    proposal = propose_columns((REFERENCE / name).read_bytes())
    assert proposal.columns is not None
    wanted: dict[str, Any] = ColumnMap.from_json(CAPTURES[name]["columns"]).as_json()
    found = proposal.columns.as_json()
    if len(wanted["map"]) == 1 and len(proposal.names) == 1:
        wanted["delimiter"] = found["delimiter"]  # one column is parted by nothing
    assert found == wanted
    assert len(proposal.reasons) == len(wanted["map"])


CHANNELS = {"frame_time": "Delivery ms", "gpu_busy_ms": "GPU ms", "cpu_busy_ms": "CPU ms", "gpu_temp_c": "Temp"}


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
@pytest.mark.parametrize(("delimiter", "decimal"), [(",", "."), (";", ","), ("\t", ","), ("|", ".")])
def test_what_a_logger_writes_is_read_back(delimiter: str, decimal: str, encoding: str) -> None:
    capture = run_pass(Scene(5, 9, seconds=6), Rig(), np.random.default_rng(4))
    dialect = Dialect(
        delimiter=delimiter, decimal=decimal, encoding=encoding, newline="\r\n",
        preamble=("logger 2, machine: bench", "# started late", ""), names=CHANNELS,
    )  # fmt: skip
    data = write_log(capture, dialect)
    for packed in (data, pa.compress(data, codec="gzip", asbytes=True)):
        proposal = propose_columns(packed)
        assert proposal.columns is not None
        again = read_capture(packed, proposal.columns)
        assert again.frame_ms.tolist() == capture.frame_ms.tolist()
        assert set(again.channels) == set(CHANNELS) - {"frame_time"}


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "no_frames"),
        (b"\n\n\n", "no_frames"),
        (b"\x89PNG\r\n\x1a\n" + bytes(range(256)), "unreadable"),
        (b"PK\x03\x04" + bytes(range(256)), "unreadable"),
        (b"Dear reader,\nthis is a letter.\nIt has no frames.\n", "unreadable"),
        (b'{"a": 1}\nnot json\n', "broken_row"),
        (b"PAR1 but no more", "unreadable"),
    ],
)
def test_what_is_no_capture(data: bytes, reason: str) -> None:
    with pytest.raises(CaptureRefused) as refused:
        propose_columns(data)
    assert refused.value.reason == reason
    assert refused.value.hint


def test_nothing_is_proposed_where_no_column_fits() -> None:
    proposal = propose_columns(b"width,height\n1920,1080\n1920,1080\n1920,1080\n")
    assert proposal.columns is None
    assert proposal.names == ("width", "height")
    assert "by hand" in proposal.reasons[0]


def test_frame_times_that_mostly_rise_are_no_clock() -> None:
    rows = "".join(f"{9 + (i % 100) / 50:.4f}\n" for i in range(1000))
    proposal = propose_columns(f"ms\n{rows}".encode())
    assert proposal.columns is not None
    assert (proposal.columns.clock.channel, proposal.columns.clock.unit) == ("frame_time", "ms")


def test_a_row_counter_is_no_clock() -> None:
    rows = "".join(f"{i},{9 + i % 3}.5\n" for i in range(40))
    proposal = propose_columns(f"frame,delta\n{rows}".encode())
    assert proposal.columns is not None
    assert proposal.columns.clock.column == "delta"
