"""`make fuzz`: the readers under coverage-guided mutation, where atheris is to be had.

Whatever bytes come, they are read to finite figures or refused with a reason; anything else ends the run with the
bytes that did it.
"""

from __future__ import annotations

import json
import sys

import atheris

with atheris.instrument_imports(include=["rennbahn"]):
    from rennbahn.capture import propose_columns, propose_samples, read_capture, read_samples
    from rennbahn.errors import RennbahnError
    from rennbahn.measures import figures_of


def probe(data: bytes) -> None:
    """Read bytes in every way there is."""
    for read in (propose_samples, lambda data: read_samples(data, propose_samples(data))):
        try:
            read(data)
        except RennbahnError:
            continue
    try:
        columns = propose_columns(data).columns
        if columns is not None:
            json.dumps(figures_of(read_capture(data, columns)).as_json(), allow_nan=False)
    except RennbahnError:
        return


if __name__ == "__main__":
    atheris.Setup(sys.argv, probe)
    atheris.Fuzz()
