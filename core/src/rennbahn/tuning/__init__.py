"""What was set on one part, step by step: what is proven to run, what it gives for its watts, and what to try next.

Definitions are those of docs/measures.md, section 10. No proposal lies past a stated limit, or at or past a failure.
"""

from rennbahn.tuning.answer import TunedStep, Tuning, tuning_of
from rennbahn.tuning.log import Quick, Rival, Setting, Stability, Step, TuningLog
from rennbahn.tuning.proposal import Proposal
from rennbahn.tuning.read import log_from_json

__all__ = [
    "Proposal",
    "Quick",
    "Rival",
    "Setting",
    "Stability",
    "Step",
    "TunedStep",
    "Tuning",
    "TuningLog",
    "log_from_json",
    "tuning_of",
]
