"""What was set on one part, step by step: what is proven to run, what it gives for its watts, and what to try next.

Definitions are those of docs/measures.md, section 10. No proposal lies past a stated limit, or at or past a failure.
"""

from rennbahn.tuning.answer import TunedStep, Tuning, last_watts_of, tuning_of
from rennbahn.tuning.log import (
    KINDS,
    OUTCOMES,
    USUAL_MINUTES,
    Quick,
    Rival,
    Setting,
    Stability,
    Step,
    TuningLog,
    mean_told,
)
from rennbahn.tuning.proposal import Proposal
from rennbahn.tuning.read import log_from_json
from rennbahn.tuning.samples import Samples, samples_of
from rennbahn.tuning.sentences import amount, failed_words, next_words, samples_words, sentences_of, set_words
from rennbahn.tuning.why import why_of

__all__ = [
    "KINDS",
    "OUTCOMES",
    "USUAL_MINUTES",
    "Proposal",
    "Quick",
    "Rival",
    "Samples",
    "Setting",
    "Stability",
    "Step",
    "TunedStep",
    "Tuning",
    "TuningLog",
    "amount",
    "failed_words",
    "last_watts_of",
    "log_from_json",
    "mean_told",
    "next_words",
    "samples_of",
    "samples_words",
    "sentences_of",
    "set_words",
    "tuning_of",
    "why_of",
]
