"""How unlike sessions of one bench are (reading 40): a machine that was off does not come back quite the same."""

from __future__ import annotations

import math
from dataclasses import dataclass

from rennbahn.errors import RennbahnError

#: What lanes of one study, run on one bench soon after each other, are taken to differ by from session to session.
USUAL_BETWEEN = 0.003
#: No sessions of one setup differ by more than this, as a share.
MOST_BETWEEN = 0.1


@dataclass(frozen=True)
class Between:
    """The standard deviation of ln x between sessions of the same setup in the same test.

    `df` are its degrees of freedom, None where it is a figure that the study states, taken as known. Raises
    :class:`RennbahnError` (`bad_study`) where the numbers make none.
    """

    sd: float
    df: float | None = None

    def __post_init__(self) -> None:
        if not (math.isfinite(self.sd) and 0 <= self.sd <= MOST_BETWEEN):
            message = (
                f"what sessions differ by must lie between 0 and {MOST_BETWEEN:g}, as 0.003 for 0.3% (got {self.sd})"
            )
            raise RennbahnError("bad_study", message, field="between")
        if self.df is not None and not (math.isfinite(self.df) and self.df > 0):
            message = f"the degrees of freedom of what sessions differ by must be above 0, or none (got {self.df})"
            raise RennbahnError("bad_study", message, field="between")
