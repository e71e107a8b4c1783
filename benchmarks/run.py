"""`make bench`: our reading and figures side by side with a plain pandas script, alternating, as ratios of one run.

Single times of a shared machine say little; the ratio of medians taken in turn does.
"""

from __future__ import annotations

import io
import statistics
import sys
import time
from collections.abc import Callable
from functools import partial

import numpy as np
import pandas_script
from pyarrow import csv as arrow_csv
from rennbahn.capture import Capture, ColumnMap, ColumnUse, read_capture
from rennbahn.capture.pack import pack
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.measures import LOW_SCHOOLS, figures_of
from rennbahn.planning.changes import lane_change
from rennbahn.planning.fairness import PartDescription, SetupDescription
from rennbahn.planning.schedule import ORDERS, Costs, PlannedLane, PlannedPass, PlannedTest, Work
from rennbahn.planning.timeline import daily_sessions, plan
from rennbahn.simulation import Dialect, Rig, run_pass, write_log
from rennbahn.simulation import Scene as Demand

ROUNDS = 40
PLAN_ROUNDS = 5
DEADLINE_S = 9 * 86_400.0
COLUMNS = ColumnMap((ColumnUse("frame_time_ms", "frame_time", "ms"), ColumnUse("gpu_busy_ms", "gpu_busy_ms", "ms")))


def main() -> int:
    """Run all and print tables. Nothing fails on a time: what counts are ratios of one run."""
    frames = run_pass(Demand(5.0, 9.0, seconds=130.0, loading_hitches=6), Rig(), np.random.default_rng(1))
    print("reading and every figure, in turn with others on the same file; medians\n")
    for count, rounds in ((10_000, ROUNDS), (100_000, 15), (1_000_000, 5)):
        one_size(frames, count, rounds)
    at_rest(frames)
    study = large_study()
    comparing, _ = in_turn(lambda: compare_study(study), lambda: None)
    print(f"\ncomparing 40 tests, 240 passes, every school and figure {comparing:7.2f} ms\n")
    work, days = large_plan(), daily_sessions(400, 8)
    print(f"planning {len(work.lanes)} lanes, {len(work.tests)} tests, {len(work.passes):,} passes")
    for order in ORDERS:
        free, late = in_turn(
            partial(plan, work, order, days), partial(plan, work, order, days, deadline_s=DEADLINE_S), PLAN_ROUNDS
        )
        print(f"  {order:<14}{free:10.1f} ms, with a deadline that drops tests{late:8.1f} ms")
    return 0


def one_size(frames: Capture, count: int, rounds: int) -> None:
    """Reading and figures of so many frames beside a pandas script, and beside a bare parse with one sort."""
    times = -(-count // len(frames))
    capture = Capture(
        np.tile(frames.frame_ms, times)[:count],
        {name: np.tile(values, times)[:count] for name, values in frames.channels.items()},
    )
    log = write_log(capture, Dialect(names={"frame_time": "frame_time_ms", "gpu_busy_ms": "gpu_busy_ms"}))

    def bare() -> None:
        table = arrow_csv.read_csv(io.BytesIO(log))
        np.sort(table.column(0).to_numpy())

    def ours() -> None:
        figures_of(read_capture(log, COLUMNS))

    mine, parse = in_turn(ours, bare, rounds)
    again, pandas = in_turn(ours, lambda: pandas_script.figures(log), rounds)
    print(f"{count:>9,} frames {mine:8.2f} ms   to pyarrow's parse and one sort {mine / parse:5.2f} (wanted: 2)")
    print(f"{'':>16} {again:8.2f} ms   to pandas: average, lows, percentiles {again / pandas:5.2f}")


def at_rest(frames: Capture) -> None:
    """Bytes a frame that are kept, beside the entropy of the frame times in whole microseconds."""
    whole = np.rint(frames.frame_ms * 1000.0)
    _, counts = np.unique(whole, return_counts=True)
    share = counts / counts.sum()
    entropy = float(-(share * np.log2(share)).sum() / 8)
    kept = len(pack(whole / 1000.0)) / len(whole)
    print(f"\nframe times at rest {kept:5.2f} bytes a frame, to their entropy {kept / entropy:5.2f} (wanted: 1.25)")


def in_turn(one: Callable[[], object], other: Callable[[], object], rounds: int = ROUNDS) -> tuple[float, float]:
    """Medians in ms of two things done alternately."""
    spent: tuple[list[float], list[float]] = ([], [])
    one(), other()
    for _ in range(rounds):
        for times, work in zip(spent, (one, other), strict=True):
            begin = time.perf_counter()
            work()
            times.append((time.perf_counter() - begin) * 1000.0)
    return statistics.median(spent[0]), statistics.median(spent[1])


def large_study() -> Study:
    """Two lanes, 40 tests, 3 passes, every figure."""
    rng = np.random.default_rng(2)
    names = ["average_fps", *(f"low_{low}.{s}" for low in ("1", "0.1") for s in LOW_SCHOOLS)]
    passes = tuple(
        Pass(
            f"{test}{lane}{n}",
            lane,
            str(test),
            "accepted",
            figures={name: float(60 + test) * float(np.exp(rng.normal(0, 0.01))) for name in names},
        )
        for test in range(40)
        for lane in "AB"
        for n in range(3)
    )
    scenes = tuple(Scene(str(i), f"Game {i}", "run") for i in range(40))
    tests = tuple(Test(str(i), str(i)) for i in range(40))
    return Study("large", Method(), (Lane("A", "a"), Lane("B", "b")), scenes, tests, passes, (("A", "B"),))


def large_plan() -> Work:
    """A ladder of 30 setups by 12 games by 3 resolutions by 3 passes."""
    setups = [
        SetupDescription((PartDescription("card", f"Card {i}"), PartDescription("driver", f"Driver {i % 3}")))
        for i in range(30)
    ]
    tests = tuple(
        PlannedTest(f"{game}-{resolution}", f"Game {game}", "run", resolution, "high", priority=1 + game % 3)
        for game in range(12)
        for resolution in ("1080", "1440", "2160")
    )
    lanes = tuple(PlannedLane(str(i), f"Card {i}") for i in range(len(setups)))
    passes = tuple(
        PlannedPass(f"{lane}-{test}-{n}", lane, test, n)
        for lane in range(len(lanes))
        for test in range(len(tests))
        for n in (1, 2, 3)
    )
    costs = Costs()
    changes = {(i, j): lane_change(a, b, costs) for i, a in enumerate(setups) for j, b in enumerate(setups) if i != j}
    return Work(tests, lanes, passes, changes, costs)


if __name__ == "__main__":
    sys.exit(main())
