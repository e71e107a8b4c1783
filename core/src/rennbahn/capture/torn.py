"""A log that was cut while it was written: its last line is left out, and said."""

from __future__ import annotations

from dataclasses import replace

from rennbahn.capture.capture import Capture
from rennbahn.capture.columns import ColumnMap
from rennbahn.capture.read import read_capture
from rennbahn.errors import CaptureRefused

#: The source flag of a capture whose last line was broken.
TORN = "torn_last_line"


def read_torn(content: bytes, columns: ColumnMap, *, even_if_ended: bool = False) -> Capture:
    """The frames of a file, without a broken last line, which is flagged.

    A last line that was ended was not cut: what is wrong with it is for a person to see, unless `even_if_ended`.
    Raises :class:`CaptureRefused` with the first bad row.
    """
    try:
        return read_capture(content, columns)
    except CaptureRefused as error:
        ended = not even_if_ended and content.rstrip(b"\x00")[-1:] in (b"\n", b"\r")
        whole = None if ended else _without_last_line(content, columns, error)
        if whole is None:
            raise
    frames = read_capture(whole, columns)
    return replace(frames, source_flags=(*frames.source_flags, TORN))


def _without_last_line(content: bytes, columns: ColumnMap, error: CaptureRefused) -> bytes | None:
    """A text file without its last line; None where it is no text, or what is wrong is not its last line."""
    if columns.format not in ("delimited", "jsonl") or columns.compression is not None or error.line is None:
        return None
    encoding = {"utf-8-sig": "utf-8"}.get(columns.encoding, columns.encoding)
    newline = "\n".encode("utf-16-le" if encoding in ("utf-16", "utf-16-le") else encoding)
    stripped = content.rstrip(b"\r\n") if encoding not in ("utf-16", "utf-16-le", "utf-16-be") else content
    lines = stripped.count(newline) + 1
    cut = stripped.rfind(newline)
    if error.line < lines or cut <= 0:
        return None
    return content[: cut + len(newline)]
