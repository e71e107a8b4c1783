"""The figures of one capture, as docs/measures.md defines them in sections 1 to 4."""

from rennbahn.measures.figures import Figures, Settings, figures_of
from rennbahn.measures.limits import KnownCap
from rennbahn.measures.rates import LOW_SCHOOLS

__all__ = ["LOW_SCHOOLS", "Figures", "KnownCap", "Settings", "figures_of"]
