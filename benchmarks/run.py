"""`make bench`: our reading and figures side by side with a plain pandas script, alternating, as ratios of one run.

Single times of a shared machine say little; the ratio of medians taken in turn does. The budget for all figures of a
10,000-frame capture is 5 ms.
"""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable

import numpy as np
import pandas_script
from rennbahn.capture import Capture, ColumnMap, ColumnUse, read_capture
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.measures import LOW_SCHOOLS, figures_of
from rennbahn.simulation import Dialect, Rig, run_pass, write_log
from rennbahn.simulation import Scene as Demand

ROUNDS = 40
BUDGET_MS = 5.0
COLUMNS = ColumnMap((ColumnUse("frame_time_ms", "frame_time", "ms"), ColumnUse("gpu_busy_ms", "gpu_busy_ms", "ms")))


def main() -> int:
    """Run all and print a table; 1 where the figures take longer than their budget."""
    frames = run_pass(Demand(5.0, 9.0, seconds=130.0, loading_hitches=6), Rig(), np.random.default_rng(1))
    capture = Capture(frames.frame_ms[:10_000], {name: v[:10_000] for name, v in frames.channels.items()})
    log = write_log(capture, Dialect(names={"frame_time": "frame_time_ms", "gpu_busy_ms": "gpu_busy_ms"}))
    print(f"{len(capture):,} frames, {len(log) // 1024} KB of text, {ROUNDS} rounds in turn, medians\n")

    ours, theirs = in_turn(lambda: figures_of(read_capture(log, COLUMNS)), lambda: pandas_script.figures(log))
    print(f"reading + every figure            {ours:7.2f} ms")
    print(f"pandas: average, lows, percentiles{theirs:7.2f} ms")
    print(f"ratio, ours to pandas             {ours / theirs:7.2f}\n")

    figures, reading = in_turn(
        lambda: figures_of(Capture(capture.frame_ms, capture.channels)), lambda: read_capture(log, COLUMNS)
    )
    print(f"every figure alone                {figures:7.2f} ms   (budget {BUDGET_MS:g} ms)")
    print(f"reading alone                     {reading:7.2f} ms")
    study = large_study()
    comparing, _ = in_turn(lambda: compare_study(study), lambda: None)
    print(f"comparing 40 tests, 240 passes    {comparing:7.2f} ms")
    return 0 if figures <= BUDGET_MS else 1


def in_turn(one: Callable[[], object], other: Callable[[], object]) -> tuple[float, float]:
    """Medians in ms of two things done alternately."""
    spent: tuple[list[float], list[float]] = ([], [])
    one(), other()
    for _ in range(ROUNDS):
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


if __name__ == "__main__":
    sys.exit(main())
