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
        columns.append([_written(value, dialect) for value in np.asarray(values).tolist()])
    rows = (dialect.delimiter.join(fields) for fields in zip(*columns, strict=True))
    lines = [*dialect.preamble, dialect.delimiter.join(dialect.names.values()), *rows, ""]
    return dialect.newline.join(lines).encode(dialect.encoding)


def _written(value: float, dialect: Dialect) -> str:
    if math.isnan(value):
        return ""
    return f"{value:.{dialect.places}f}".replace(".", dialect.decimal)
