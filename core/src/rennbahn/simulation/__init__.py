"""The simulated bench: rigs, scenes and a logger, from a seed. It makes demo data and test data, never results."""

from rennbahn.simulation.bench import Rig, Scene, Upset, run_pass
from rennbahn.simulation.logger import Dialect, write_log

__all__ = ["Dialect", "Rig", "Scene", "Upset", "run_pass", "write_log"]
