"""`make bench`: our reading and figures side by side with a plain pandas script, alternating, as ratios of one run.

Single times of a shared machine say little; the ratio of medians taken in turn does. The budget for all figures of a
10,000-frame capture is 5 ms; a ladder of 30 setups is planned within a second.
"""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable
from functools import partial

import numpy as np
import pandas_script
from rennbahn.capture import Capture, ColumnMap, ColumnUse, read_capture
from rennbahn.comparing import Lane, Method, Pass, Scene, Study, Test, compare_study
from rennbahn.measures import LOW_SCHOOLS, figures_of
from rennbahn.planning.changes import lane_change
from rennbahn.planning.fairness import PartDescription, SetupDescription
from rennbahn.planning.schedule import ORDERS, Costs, PlannedLane, PlannedPass, PlannedTest, Work
from rennbahn.planning.timeline import daily_sessions, plan
from rennbahn.simulation import Dialect, Rig, run_pass, write_log
from rennbahn.simulation import Scene as Demand

ROUNDS = 40
BUDGET_MS = 5.0
PLAN_ROUNDS = 5
PLAN_BUDGET_MS = 1000.0
DEADLINE_S = 9 * 86_400.0
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
    print(f"comparing 40 tests, 240 passes    {comparing:7.2f} ms\n")

    work, days = large_plan(), daily_sessions(400, 8)
    slowest = 0.0
    print(f"planning {len(work.lanes)} lanes, {len(work.tests)} tests, {len(work.passes):,} passes")
    for order in ORDERS:
        free, late = in_turn(
            partial(plan, work, order, days), partial(plan, work, order, days, deadline_s=DEADLINE_S), PLAN_ROUNDS
        )
        slowest = max(slowest, free, late)
        print(f"  {order:<14}{free:10.1f} ms, with a deadline that drops tests{late:8.1f} ms")
    print(f"  slowest       {slowest:10.1f} ms   (budget {PLAN_BUDGET_MS:g} ms)")
    return 0 if figures <= BUDGET_MS and slowest <= PLAN_BUDGET_MS else 1


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
