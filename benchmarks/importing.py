"""1,000 captures of 10,000 frames through the worker, beside scripts that only read them; and what is kept a frame.

The scripts look at the same files in turn, half of them at a time, and keep nothing: no record, no channel, no check.
"""

from __future__ import annotations

import io
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas_script
import psycopg
from pyarrow import csv as arrow_csv
from rennbahn.capture import Capture
from rennbahn.simulation import Dialect, Rig, run_pass, write_log
from rennbahn.simulation import Scene as Demand

from server import SMALL, Asker, connected, fill

FILES, FRAMES, AT_ONCE = 1_000, 10_000, 500
DIALECT = Dialect(names={"frame_time": "frame_time_ms", "gpu_busy_ms": "gpu_busy_ms"})


def main() -> int:
    """Make the captures, take them in, print the ratios."""
    study = fill(SMALL, 10_000)["import"]
    ask = Asker(SMALL)
    ours = pandas = parse = written = 0.0
    with tempfile.TemporaryDirectory() as folder:
        for first in range(0, FILES, AT_ONCE):
            logs = {_name(number): _log(number) for number in range(first, first + AT_ONCE)}
            path = Path(folder) / f"{first}.zip"
            with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as packed:
                for name, log in logs.items():
                    packed.writestr(name, log)
            written += sum(len(log) for log in logs.values())
            ours += ask("import", study=study, path=str(path))
            pandas += _spent(pandas_script.figures, logs)
            parse += _spent(_parsed, logs)
            path.unlink()
    ask.end()
    print(
        f"\n{FILES:,} captures of {FRAMES:,} frames, {written / 2**20:.0f} MB, taken in by one worker; a capture each:"
    )
    print(f"  taken in as passes {ours / FILES:8.1f} ms")
    print(f"  pandas script      {pandas / FILES:8.1f} ms   as quick as it, times {pandas / ours:5.2f} (wanted: 3)")
    print(f"  parse and one sort {parse / FILES:8.1f} ms   ratio {ours / parse:5.2f} (wanted: 2)")
    with connected(SMALL) as connection:
        _kept(connection, study, written)
    return 0


def _name(number: int) -> str:
    lane, rest = divmod(number, FILES // 2)
    return f"card {lane:02} Invented game {rest % 100:03} {rest // 100 + 1}.csv"


def _log(number: int) -> bytes:
    frames = run_pass(Demand(4.0, 5.0, seconds=55.0), Rig(), np.random.default_rng([17, number]))
    whole = Capture(frames.frame_ms[:FRAMES], {name: values[:FRAMES] for name, values in frames.channels.items()})
    assert len(whole) == FRAMES, len(whole)
    return write_log(whole, DIALECT)


def _parsed(log: bytes) -> None:
    np.sort(arrow_csv.read_csv(io.BytesIO(log)).column(0).to_numpy())


def _spent(work: Callable[[bytes], object], logs: dict[str, bytes]) -> float:
    begin = time.perf_counter()
    for log in logs.values():
        work(log)
    return (time.perf_counter() - begin) * 1000.0


def _kept(connection: psycopg.Connection, study: int, written: float) -> None:
    """Bytes a frame that are kept beyond the originals, and what the originals take."""
    captures = """
        SELECT c.id FROM intake_capture c JOIN studies_pass p ON p.id = c.on_pass_id
        JOIN studies_test t ON t.id = p.test_id WHERE t.study_id = %s
    """
    of = {
        "frame times": "SELECT sum(pg_column_size(data)) FROM intake_channel WHERE name = 'frame_ms' AND capture_id IN",
        "other channels": "SELECT sum(pg_column_size(data)) FROM intake_channel WHERE name <> 'frame_ms'"
        " AND capture_id IN",
        "figures": "SELECT sum(pg_column_size(f.*)) FROM intake_capturefigures f WHERE capture_id IN",
        "all figures": "SELECT sum(pg_column_size(a.*)) FROM intake_allfigures a"
        " JOIN intake_capturefigures f ON f.id = a.row_id WHERE f.capture_id IN",
        "profiles": "SELECT sum(pg_column_size(p.*)) FROM intake_captureprofile p WHERE capture_id IN",
    }
    frames = FILES * FRAMES
    total = 0.0
    print("  kept, bytes a frame:")
    for what, question in of.items():
        (size,) = connection.execute(f"{question} ({captures})", (study,)).fetchone() or (0,)
        total += float(size) / frames
        print(f"    {what:<16}{float(size) / frames:6.2f}")
    print(f"    beyond originals{total:6.2f} (wanted: at most 2.5 for frame times and what is made of them)")
    original = f"""
        SELECT sum(octet_length(o.content)) FROM intake_original o JOIN intake_capture c ON c.arrival_id = o.arrival_id
        WHERE c.id IN ({captures})
    """
    (size,) = connection.execute(original, (study,)).fetchone() or (0,)
    print(f"  originals at rest, of their own size {float(size) / written:5.2f}")


if __name__ == "__main__":
    sys.exit(main())
