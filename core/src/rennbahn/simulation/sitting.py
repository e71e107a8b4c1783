"""A sitting at the simulated bench: it stands in for logger, wall power meter and sensors, and misbehaves when told to.

Everything follows from the seed and from what is played, in whatever order. The truth of each pass is kept beside it.
"""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from rennbahn.capture import Capture
from rennbahn.errors import RennbahnError
from rennbahn.planning.fairness import SetupDescription
from rennbahn.simulation.abilities import SimulatedTest, demand_of, lock_of, rig_of
from rennbahn.simulation.bench import Upset, run_pass
from rennbahn.simulation.logger import Dialect, write_log

Outcome = Literal["ran", "crashed", "did_not_launch"]

#: What the bench can be told to do wrong, each in words.
FAULTS: Mapping[str, str] = {
    "slow_first": "the first pass after loading runs slow",
    "lock": "the rate is held by something nobody set",
    "hiccups": "it stutters",
    "throttle": "the card throttles towards the end",
    "room_drift": "the room warms, and the bench slows by some percent an hour",
    "crash": "the game ends in the middle",
    "no_launch": "the game does not start",
    "missing_log": "the logger writes nothing",
    "cut_log": "the log is cut off",
    "setting_not_applied": "the setting under test is not on, whatever it was set to",
    "background": "a background program takes the machine for a while",
    "clock_offset": "the meter's clock is off",
}
LOGGER = Dialect(
    names={
        "frame_time": "frame_time_ms", "gpu_busy_ms": "gpu_busy_ms", "cpu_busy_ms": "cpu_busy_ms",
        "gpu_temp_c": "gpu_temp_c", "gpu_clock_mhz": "gpu_clock_mhz",
    }
)  # fmt: skip
#: The meter begins to write so long before the run, and writes so often.
_METER_AHEAD_S = 3.0
_METER_EVERY_S = 0.5
#: How much the bench slows in an hour where the room drifts.
_DRIFT_AN_HOUR = 0.012


@dataclass(frozen=True)
class Wanted:
    """A pass to be played: ids of its lane and test, its number, the hour of the bench, whether its game was loaded."""

    lane: str
    test: str
    number: int
    hour: float = 0.0
    after_load: bool = False
    #: Counts up when the same pass is played again.
    attempt: int = 1


@dataclass(frozen=True)
class Played:
    """What came of a pass: the files that were written (None where none was), how long it took, and the truth.

    `meter_off_s` is by how much the meter's clock is off.
    """

    wanted: Wanted
    outcome: Outcome
    seconds: float
    log: bytes | None
    meter: bytes | None
    fault: str = ""
    average_fps: float | None = None
    meter_off_s: float = 0.0
    #: The lane whose setup was really on the bench.
    as_lane: str = ""

    def truth(self) -> dict[str, object]:
        """What really happened, as plain data."""
        one = self.wanted
        return {
            "lane": one.lane, "test": one.test, "number": one.number, "attempt": one.attempt, "outcome": self.outcome,
            "fault": self.fault, "average_fps": self.average_fps, "as_lane": self.as_lane or one.lane,
            "meter_off_s": self.meter_off_s,
        }  # fmt: skip


@dataclass(frozen=True)
class SimulatedBench:
    """Lanes as setups and tests by their ids, a seed, and the rate of each fault a pass (0 to 1)."""

    lanes: Mapping[str, SetupDescription]
    tests: Mapping[str, SimulatedTest]
    seed: int = 1
    faults: Mapping[str, float] = field(default_factory=dict)
    dialect: Dialect = LOGGER

    def __post_init__(self) -> None:
        for name, rate in self.faults.items():
            if name not in FAULTS:
                known = ", ".join(FAULTS)
                raise RennbahnError("unknown_fault", f"{name!r} is nothing that the bench can do wrong: {known}.")
            if not 0 <= rate <= 1:
                raise RennbahnError("bad_rate", f"the rate of {name} must be 0 to 1 (got {rate:g})", field=name)

    def play(self, wanted: Wanted) -> Played:
        """Play a pass. Raises :class:`RennbahnError` (`unknown_lane`, `unknown_test`)."""
        if wanted.lane not in self.lanes:
            raise RennbahnError("unknown_lane", f"no lane {wanted.lane} stands on this bench")
        if wanted.test not in self.tests:
            raise RennbahnError("unknown_test", f"no test {wanted.test} is known to this bench")
        rng = self._rng(wanted)
        fault = self._fault(wanted, rng)
        test = self.tests[wanted.test]
        if fault == "no_launch":
            return Played(wanted, "did_not_launch", 5.0, None, None, fault)
        as_lane = wanted.lane
        if fault == "setting_not_applied":
            as_lane = next((lane for lane in self.lanes if lane != wanted.lane), wanted.lane)
        setup = self.lanes[as_lane]
        run = self._run(test, setup, self._upset(fault, test, wanted, rng), rng)
        log: bytes | None = write_log(run, self.dialect)
        if fault == "cut_log" and log is not None:
            log = log[: int(len(log) * rng.uniform(0.35, 0.8))]
        if fault == "missing_log":
            log = None
        off = float(rng.uniform(4.0, 40.0)) if fault == "clock_offset" else 0.0
        return Played(
            wanted=wanted,
            outcome="crashed" if fault == "crash" else "ran",
            seconds=run.duration_s,
            log=log,
            meter=_meter(run, rng, off),
            fault=fault,
            average_fps=len(run) / run.duration_s,
            meter_off_s=off,
            as_lane=as_lane,
        )

    def reads_back(self, wanted: Wanted, setting: str) -> str | None:
        """What a second place shows of a setting before a pass: another lane's value where the setting is not on."""
        rng = self._rng(wanted)
        lane = wanted.lane
        if self._fault(wanted, rng) == "setting_not_applied":
            lane = next((other for other in self.lanes if other != wanted.lane), lane)
        return self.lanes[lane].settings.get(setting)

    def _rng(self, wanted: Wanted) -> np.random.Generator:
        place = [list(self.lanes).index(wanted.lane), list(self.tests).index(wanted.test)]
        return np.random.default_rng([self.seed, *place, wanted.number, wanted.attempt])

    def _fault(self, wanted: Wanted, rng: np.random.Generator) -> str:
        """At most one fault a pass, each at its rate."""
        drawn = rng.random(len(FAULTS))
        for name, draw in zip(FAULTS, drawn, strict=True):
            if draw < self.faults.get(name, 0.0) and not (name == "slow_first" and not wanted.after_load):
                return "" if name == "room_drift" else name
        return ""

    def _upset(self, fault: str, test: SimulatedTest, wanted: Wanted, rng: np.random.Generator) -> Upset:
        slower = min(0.2, _DRIFT_AN_HOUR * wanted.hour) if self.faults.get("room_drift") else 0.0
        long_s = test.length_s
        upset = {
            "slow_first": lambda: Upset(cold_start_s=long_s * rng.uniform(0.25, 0.45)),
            "lock": lambda: Upset(lock_fps=float(rng.choice((60.0, 72.0)))),
            "hiccups": lambda: Upset(hiccups=int(rng.integers(9, 16))),
            "throttle": lambda: Upset(throttle_from=rng.uniform(0.4, 0.6), throttle_by=rng.uniform(0.08, 0.14)),
            "crash": lambda: Upset(ends_at=rng.uniform(0.2, 0.7)),
            "background": lambda: Upset(busy_from_s=long_s * 0.3, busy_for_s=long_s * 0.35, slowdown=1.7),
        }.get(fault, Upset)()
        return replace(upset, slower=slower)

    def _run(self, test: SimulatedTest, setup: SetupDescription, upset: Upset, rng: np.random.Generator) -> Capture:
        lock = lock_of(setup, test)
        if lock is not None and (upset.lock_fps is None or lock < upset.lock_fps):
            upset = replace(upset, lock_fps=lock)
        return run_pass(demand_of(test), rig_of(setup), rng, upset)


def _meter(run: Capture, rng: np.random.Generator, off_s: float) -> bytes:
    """The wall power meter's own file: on its own clock, from before the run to after it."""
    end = run.duration_s + 2.0
    clock = np.arange(-_METER_AHEAD_S, end, _METER_EVERY_S)
    at = np.clip(np.searchsorted(run.end_clock_s, clock), 0, len(run) - 1)
    watts = np.where((clock < 0) | (clock > run.duration_s), 62.0, run.channels["gpu_power_w"][at] + 74.0)
    watts = watts + rng.normal(0.0, 1.2, len(clock))
    fan = 900.0 + 7.0 * (np.clip(run.channels["gpu_temp_c"][at], 40.0, 90.0) - 40.0)
    text = io.StringIO()
    text.write("clock_s,wall_power_w,fan_rpm\n")
    for second, watt, rpm in zip(clock + _METER_AHEAD_S + off_s, watts, fan, strict=True):
        text.write(f"{second:.2f},{watt:.1f},{rpm:.0f}\n")
    return text.getvalue().encode()
