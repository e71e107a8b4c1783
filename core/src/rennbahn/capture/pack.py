"""Frames at rest: one compressed array a channel.

Captures are written in whole microseconds or finer decimals, so most arrays are whole numbers of some unit. They are
kept as such (coarsest unit from 1 us to 1 ns that gives back every double exactly), byte-shuffled and compressed: as
they are or as differences, whichever is smaller. Frame times scatter around a level and differences would add to their
noise; a temperature creeps, and its differences are almost nothing. Whatever fits no unit is kept as doubles.
"""

from __future__ import annotations

import struct

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

_MAGIC = b"RBA1"
_HEADER = struct.Struct("<4sBI")
#: Whole parts in one millisecond: 1 us, 0.1 us, 10 ns, 1 ns. 0 stands for doubles as they are.
_PARTS = (1_000, 10_000, 100_000, 1_000_000)
#: Of bytes of scattered numbers a higher level makes nothing smaller, and takes several times as long.
_LEVEL = 3
#: Added to the kind of an array that is kept as it is and not as differences.
_PLAIN = 16


def pack(values: NDArray[np.float64]) -> bytes:
    """`values` (any shape is flattened) as bytes that :func:`unpack` turns back into the same doubles, NaN included."""
    values = np.ascontiguousarray(values, dtype=np.float64).ravel()
    for parts in _PARTS:
        with np.errstate(invalid="ignore", over="ignore"):
            whole = np.rint(values * parts)
            fits = np.array_equal(whole / parts, values) and (not len(whole) or np.abs(whole).max() < 2**30)
        if fits and not np.signbit(values[values == 0]).any():
            kind, exact = _PARTS.index(parts) + 1, whole.astype(np.int64)
            plain, steps = _squeeze(exact.astype(np.int32)), _squeeze(np.diff(exact, prepend=0).astype(np.int32))
            if len(plain) < len(steps):
                return _HEADER.pack(_MAGIC, kind + _PLAIN, len(values)) + plain
            return _HEADER.pack(_MAGIC, kind, len(values)) + steps
    return _HEADER.pack(_MAGIC, 0, len(values)) + _squeeze(values)


def unpack(data: bytes) -> NDArray[np.float64]:
    """The doubles that were packed. Raises ValueError on anything else."""
    magic, kind, count = _HEADER.unpack_from(data)
    differences, kind = kind < _PLAIN, kind % _PLAIN
    if magic != _MAGIC or kind > len(_PARTS):
        raise ValueError("not a packed array")
    width = 4 if kind else 8
    raw = pa.decompress(data[_HEADER.size :], decompressed_size=count * width, codec="zstd", asbytes=True)
    shuffled = np.frombuffer(raw, dtype=np.uint8).reshape(width, count)
    plain = np.ascontiguousarray(shuffled.T).view(np.dtype("<i4") if kind else np.dtype("<f8")).ravel()
    if not kind:
        return plain.astype(np.float64)
    whole = np.cumsum(plain, dtype=np.int64) if differences else plain
    return whole / float(_PARTS[kind - 1])


def _squeeze(values: NDArray[np.int32] | NDArray[np.float64]) -> bytes:
    by_byte = np.ascontiguousarray(values.view(np.uint8).reshape(len(values), values.itemsize).T)
    packed: bytes = pa.Codec("zstd", _LEVEL).compress(by_byte.tobytes(), asbytes=True)
    return packed


def pack_bytes(content: bytes) -> bytes:
    """The bytes of a file as they are kept: smaller, and none of them lost."""
    packed: bytes = pa.Codec("zstd", compression_level=1).compress(content, asbytes=True)
    return packed


def unpack_bytes(packed: bytes, size: int) -> bytes:
    """What :func:`pack_bytes` packed; `size` is how many bytes it was."""
    content: bytes = pa.Codec("zstd").decompress(packed, decompressed_size=size, asbytes=True)
    return content
