"""The door: bytes and a column map in, a capture out."""

from __future__ import annotations

import pyarrow as pa

from rennbahn.capture.bounds import LARGEST_BYTES, check_lines
from rennbahn.capture.capture import Capture, Samples
from rennbahn.capture.columns import ColumnMap
from rennbahn.capture.records import read_arrow, read_jsonl
from rennbahn.capture.table import Table
from rennbahn.capture.text import read_text
from rennbahn.errors import CaptureRefused

_CHUNK = 1 << 20

GZIP_MAGIC = b"\x1f\x8b"
ZSTD_MAGIC = b"\x28\xb5\x2f\xfd"


def read_capture(data: bytes, columns: ColumnMap) -> Capture:
    """Read a capture as the column map says.

    Raises :class:`CaptureRefused` with the first bad row, its line and the reason. Nothing is dropped or repaired.
    """
    return _table(data, columns).capture(columns)


def read_samples(data: bytes, columns: ColumnMap) -> Samples:
    """Read samples on a clock of their own: a column of timestamps, and sampled channels.

    Raises :class:`CaptureRefused` with the first bad row, its line and the reason.
    """
    return _table(data, columns).samples(columns)


def _table(data: bytes, columns: ColumnMap) -> Table:
    data = unpacked(data, columns.compression)
    if not data:
        raise CaptureRefused("no_frames", "the file is empty")
    if columns.format in ("delimited", "jsonl"):
        check_lines(data)
    reader = {"delimited": read_text, "jsonl": read_jsonl}.get(columns.format, read_arrow)
    return reader(data, columns)


def unpacked(data: bytes, compression: str | None, limit: int = LARGEST_BYTES) -> bytes:
    """`data` without its compression, at most `limit` bytes of it (a small file can unpack to terabytes)."""
    if compression is None:
        return data
    parts = []
    left = limit + 1
    try:
        with pa.CompressedInputStream(pa.BufferReader(data), compression) as stream:
            while left > 0 and (part := stream.read(min(_CHUNK, left))):
                parts.append(part)
                left -= len(part)
    except (OSError, pa.ArrowException):
        message = f"the file is no whole {compression} file; it was cut off or is something else"
        raise CaptureRefused("unreadable", message) from None
    if left <= 0:
        raise CaptureRefused("too_large", f"the file unpacks to more than {limit // 2**20} MB")
    return b"".join(parts)


def compression_of(data: bytes) -> str | None:
    """Compression by the first bytes."""
    if data.startswith(GZIP_MAGIC):
        return "gzip"
    return "zstd" if data.startswith(ZSTD_MAGIC) else None
