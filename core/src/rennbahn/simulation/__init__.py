"""The simulated bench: rigs, scenes and a logger, from a seed. It makes demo data and test data, never results."""

from rennbahn.simulation.abilities import SimulatedTest
from rennbahn.simulation.bench import Rig, Scene, Upset, run_pass
from rennbahn.simulation.logger import Dialect, write_log
from rennbahn.simulation.sitting import FAULTS, Played, SimulatedBench, Wanted

__all__ = [
    "FAULTS",
    "Dialect",
    "Played",
    "Rig",
    "Scene",
    "SimulatedBench",
    "SimulatedTest",
    "Upset",
    "Wanted",
    "run_pass",
    "write_log",
]
