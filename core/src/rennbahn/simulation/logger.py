"""A logger that writes captures in whatever dialect a test or a demo wants."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from rennbahn.capture import Capture
from rennbahn.errors import RennbahnError


@dataclass(frozen=True)
class Dialect:
    """How a log is written. `names` maps channel to column name; `frame_time` stands for the frame times."""

    delimiter: str = ","
    decimal: str = "."
    encoding: str = "utf-8"
    newline: str = "\n"
    preamble: tuple[str, ...] = ()
    names: Mapping[str, str] = field(default_factory=lambda: {"frame_time": "frame_time_ms"})
    places: int = 4


def write_log(capture: Capture, dialect: Dialect | None = None) -> bytes:
    """The capture as the bytes of a delimited text file, with the channels that the dialect names.

    Raises :class:`RennbahnError` (`no_channel`) for a channel the capture does not have.
    """
    dialect = dialect or Dialect()
    columns = []
    for channel in dialect.names:
        values = capture.frame_ms if channel == "frame_time" else capture.channels.get(channel)
        if values is None:
            raise RennbahnError("no_channel", f"the capture has no channel {channel}", field=channel)
        columns.append(np.asarray(values, dtype=np.float64))
    # A whole row is formatted at once; a column with gaps is written beforehand, since a gap is no number.
    number = f"%.{dialect.places}f"
    fields = ["%s" if np.isnan(values).any() else number for values in columns]
    told = [
        ["" if math.isnan(value) else number % value for value in values.tolist()] if form == "%s" else values.tolist()
        for form, values in zip(fields, columns, strict=True)
    ]
    row = "\x00".join(fields)
    body = dialect.newline.join([row % values for values in zip(*told, strict=True)])
    body = body.replace(".", dialect.decimal).replace("\x00", dialect.delimiter)
    lines = [*dialect.preamble, dialect.delimiter.join(dialect.names.values()), *([body] if body else []), ""]
    return dialect.newline.join(lines).encode(dialect.encoding)
