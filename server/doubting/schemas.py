"""Doubts as the API speaks of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from answering import Out
from pydantic import Field, StringConstraints
from strict import ONE_LINE, In
from studies.schemas import Reason, ReasonCode

CapName = Annotated[str, StringConstraints(strip_whitespace=True, max_length=60), ONE_LINE]


class DoubtOut(Out):
    """Why a pass deserves another look; a weak check is not sure of itself."""

    check: str
    words: str
    weak: bool


class ToldByFileOut(Out):
    """What the columns of a capture say of a setting under test: what it was to be, and what they read."""

    setting: str
    wanted: str
    reads: str
    holds: bool


class SettledOut(Out):
    """How a doubt was settled, by whom and why; `done` unless a repeat is still awaited."""

    how: str
    done: bool
    words: str
    reason: str
    by: str
    at: datetime


class PassDoubtOut(DoubtOut):
    """A doubt about one pass, with its evidence, the window that is proposed, and how it was settled if it was."""

    pass_id: int
    evidence: dict[str, Any]
    window: list[float] | None
    settled: SettledOut | None


class WideDoubtOut(DoubtOut):
    """A doubt about a lane, a test or a session: it stands once, above the passes that it is about."""

    key: str
    evidence: dict[str, Any]
    #: Whether its passes are doubted with it, or a scene's card alone is.
    marks: bool
    pass_ids: list[int]
    settled: SettledOut | None


class RepeatOut(Out):
    """What a pass that was run again says of the one it repeats; `suspect` is the one to doubt where they differ."""

    pass_id: int
    of: int
    agrees: bool
    other_session: bool
    suspect: int | None
    words: str


class LastDecisionOut(Out):
    """The decision that was made last and can be taken back."""

    id: int
    words: str
    by: str
    at: datetime
    passes: int


class DoubtsOut(Out):
    """All that is doubted in a study, and how it stands."""

    passes: list[PassDoubtOut]
    wide: list[WideDoubtOut]
    repeats: list[RepeatOut]
    #: Passes that are odd, but real.
    odd: list[int]
    last: LastDecisionOut | None
    #: Passes changed a moment ago, and what shows only over the whole study is still being looked for.
    checking: bool


How = Literal["accepted", "rejected", "trimmed", "repeat", "assumed", "odd"]


class SettleIn(In):
    """How a doubt is settled, or without a check all that stand about a pass.

    A reason is needed to accept anyway or to assume another thing.
    """

    check: Annotated[str, StringConstraints(max_length=32)] = ""
    how: How
    reason: Reason = ""
    reason_code: ReasonCode = ""
    #: Where the lock is a cap that is known from now on: what it is.
    cap_name: CapName = ""
    #: Other passes of the study about which the same is said, as one act.
    also: list[int] = Field(default_factory=list, max_length=2000)


class SettleWideIn(In):
    """How doubts about several passes are settled, for all of them at once."""

    keys: list[Annotated[str, StringConstraints(max_length=120)]] = Field(min_length=1, max_length=500)
    how: Literal["accepted", "rejected", "repeat", "assumed"]
    reason: Reason = ""
    reason_code: ReasonCode = ""


class AcceptUndoubtedIn(In):
    """Which passes to accept as far as no check doubts them: these, or without a list all that wait."""

    pass_ids: list[int] | None = Field(default=None, max_length=20_000)


class AcceptedOut(Out):
    """How many were accepted, and how many stand as they were since a check doubts them."""

    accepted: int
    left: int


class SettledAs(Out):
    """What became of the passes: how many were decided on, planned or measured anew."""

    passes: int


class CheckOffOut(Out):
    """Why a check is not asked in a study, and who said so."""

    reason: str
    by: str
    at: datetime


class CheckOut(Out):
    """A check, what it asks, what it doubts in a study now, and whether it is asked there."""

    id: str
    asks: str
    #: Passes and wider matters that it doubts now.
    passes: int
    wide: int
    off: CheckOffOut | None


class CheckIn(In):
    """Whether a check is asked in a study; switched off with a reason, which prints with the findings."""

    asked: bool
    reason: Reason = ""
