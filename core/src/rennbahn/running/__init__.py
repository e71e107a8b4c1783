"""At the bench: which steps lead to a pass, what is checked and read back, and what is learned of what changes cost.

Rules of this package: a step is one instruction with one key to go on. Its key is stable while the pass it leads to is
the next one, so that what was ticked stays ticked.
"""

from rennbahn.running.belonging import Belonging, FileSpan, RunSpan, belonging
from rennbahn.running.costs import LEARNED_FROM, learned_costs
from rennbahn.running.readback import Question, questions_of, shuffled_choices, worth_of_mismatch
from rennbahn.running.steps import Step, Upcoming, cautions_in_print, steps_of

__all__ = [
    "LEARNED_FROM",
    "Belonging",
    "FileSpan",
    "Question",
    "RunSpan",
    "Step",
    "Upcoming",
    "belonging",
    "cautions_in_print",
    "learned_costs",
    "questions_of",
    "shuffled_choices",
    "steps_of",
    "worth_of_mismatch",
]
