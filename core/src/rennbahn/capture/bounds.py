"""What may be decoded, decided before it is: every reader asks here first, whatever the format and its packing."""

from __future__ import annotations

import struct
from collections.abc import Iterator

import pyarrow as pa
import pyarrow.parquet as pq

from rennbahn.errors import CaptureRefused

#: Largest capture after decompression. An hour at 1,000 fps with a dozen columns is about half of it.
LARGEST_BYTES = 128 * 2**20
#: Bytes that the columns of a packed table may unpack to.
LARGEST_TABLE = 512 * 2**20
#: Five hours at 270 fps.
MOST_FRAMES = 5_000_000
#: Values of all mapped columns together.
MOST_VALUES = 40_000_000
MOST_COLUMNS = 2_000
#: Messages of an Arrow stream and row groups of a Parquet file.
MOST_PIECES = 20_000
#: A line of text; half of it is how far apart two line ends are looked for.
LONGEST_LINE = 2**20
#: Characters of one number. No double needs more to be told from its neighbours.
LONGEST_NUMBER = 1_000
#: Sampled values and busy times beyond this are no measurement, and their sums would not be finite.
LARGEST_VALUE = 1e12
#: No pass takes longer. What seems to is a log that ran over night, or times in the wrong unit.
LONGEST_HOURS = 24.0
#: Farther from zero no clock stands: nanoseconds since 1970 are a thousandth of it in milliseconds.
FARTHEST_CLOCK_MS = 1e15

_HALF = LONGEST_LINE // 2


def check_rows(rows: int) -> None:
    """Refuse a table of more rows than any pass has frames."""
    if rows > MOST_FRAMES:
        raise _too_large(f"the file has {rows:,} rows; a capture holds up to {MOST_FRAMES:,} frames")


def check_columns(columns: int) -> None:
    """Refuse a table wider than any logger's."""
    if columns > MOST_COLUMNS:
        raise _too_large(f"the file has {columns:,} columns; up to {MOST_COLUMNS:,} are read")


def check_values(rows: int, columns: int) -> None:
    """Refuse more values than can be held at once: rows times the columns that the map takes."""
    check_rows(rows)
    if rows * columns > MOST_VALUES:
        values = f"{rows:,} rows of {columns} mapped columns"
        raise _too_large(f"the map takes {values}; up to {MOST_VALUES:,} values are read")


def check_lines(data: bytes) -> None:
    """Refuse text of too many lines, or with a line too long to be a row (by its bytes, before it is text)."""
    ends = data.count(b"\n") or data.count(b"\r")
    # Preamble and comments are no rows; nobody writes ten thousand lines of them.
    if ends > MOST_FRAMES + 10_000:
        check_rows(ends)
    # A longer line covers one of these windows wholly, wherever it begins.
    for start in range(0, len(data) - _HALF + 1, _HALF):
        if data.find(b"\n", start, start + _HALF) < 0 and data.find(b"\r", start, start + _HALF) < 0:
            line = data.count(b"\n", 0, start) + 1
            message = f"line {line:,} is over {_HALF // 1024:,} kB long; a row or a header is not"
            raise CaptureRefused("too_large", message, line=line)


def check_parquet(file: pq.ParquetFile, columns: list[int]) -> None:
    """Refuse a Parquet file by its own metadata: rows, row groups, and what these columns (leaves) unpack to."""
    told = file.metadata
    check_columns(told.num_columns)
    check_values(told.num_rows, max(1, len(columns)))
    _check_pieces(told.num_row_groups)
    groups = (told.row_group(index) for index in range(told.num_row_groups))
    size = sum(group.column(column).total_uncompressed_size for group in groups for column in columns)
    check_unpacked(size)


def check_arrow(data: pa.Buffer, columns: int) -> None:
    """Refuse an Arrow stream by the metadata of its messages, before any of its buffers is unpacked."""
    rows = size = 0
    for index, message in enumerate(_messages(data)):
        _check_pieces(index)
        told = _Batch.of(message)
        if told is not None:
            rows += 0 if told.dictionary else told.rows
            size += told.unpacked
            check_values(rows, max(1, columns))
            check_unpacked(size)


def check_unpacked(size: int) -> None:
    """Refuse what unpacks to too much."""
    if size > LARGEST_TABLE:
        raise _too_large(f"its columns unpack to {size // 2**20:,} MB; up to {LARGEST_TABLE // 2**20:,} MB are read")


def _check_pieces(count: int) -> None:
    if count > MOST_PIECES:
        raise _too_large(f"the file is in more than {MOST_PIECES:,} pieces")


def _too_large(message: str) -> CaptureRefused:
    return CaptureRefused("too_large", message)


def _messages(data: pa.Buffer) -> Iterator[pa.Message]:
    reader = pa.ipc.MessageReader.open_stream(data)
    while True:
        try:
            yield reader.read_next_message()
        except StopIteration:
            return


class _Batch:
    """What a message says of the batch in it: how many rows, and to how many bytes its buffers unpack."""

    def __init__(self, rows: int, unpacked: int, *, dictionary: bool) -> None:
        self.rows, self.unpacked, self.dictionary = rows, unpacked, dictionary

    @classmethod
    def of(cls, message: pa.Message) -> _Batch | None:
        """Read the message's flatbuffer; None of a schema. Raises ArrowInvalid where it is none."""
        kinds = {"dictionary": True, "record batch": False}
        if message.type not in kinds:
            return None
        told, body = message.metadata.to_pybytes(), memoryview(message.body or b"")
        try:
            batch = _Table(told, *struct.unpack_from("<I", told)).table(2)
            if kinds[message.type]:
                batch = batch.table(1)
            unpacked = sum(
                _unpacked_size(body, offset, length) if batch.has(3) else length for offset, length in batch.pairs(2)
            )
            return cls(batch.int64(0), unpacked, dictionary=kinds[message.type])
        except (struct.error, IndexError) as error:
            raise pa.ArrowInvalid(f"a message is no batch: {error}") from None


def _unpacked_size(body: memoryview, offset: int, length: int) -> int:
    """A compressed buffer begins with its size unpacked; -1 says that it is not compressed after all."""
    if length < 8:
        return length
    (size,) = struct.unpack_from("<q", body, offset)
    return length if size < 0 else int(size)


class _Table:
    """A table of a flatbuffer, as far as the metadata of a batch needs it."""

    def __init__(self, data: bytes, at: int) -> None:
        self.data, self.at = data, at
        self.vtable = at - struct.unpack_from("<i", data, at)[0]
        (self.size,) = struct.unpack_from("<H", data, self.vtable)

    def _place(self, field: int) -> int:
        slot = 4 + 2 * field
        offset = struct.unpack_from("<H", self.data, self.vtable + slot)[0] if slot < self.size else 0
        return self.at + offset if offset else 0

    def has(self, field: int) -> bool:
        return bool(self._place(field))

    def int64(self, field: int) -> int:
        place = self._place(field)
        return int(struct.unpack_from("<q", self.data, place)[0]) if place else 0

    def table(self, field: int) -> _Table:
        place = self._place(field)
        if not place:
            raise IndexError("it lacks its batch")
        return _Table(self.data, place + struct.unpack_from("<I", self.data, place)[0])

    def pairs(self, field: int) -> list[tuple[int, int]]:
        """A vector of structs of two 64-bit numbers."""
        place = self._place(field)
        if not place:
            return []
        start = place + struct.unpack_from("<I", self.data, place)[0]
        (count,) = struct.unpack_from("<I", self.data, start)
        return [struct.unpack_from("<qq", self.data, start + 4 + 16 * index) for index in range(count)]
