"""Fairness as the API speaks of it: in what lanes differ, what was accepted, what prints with every finding."""

from __future__ import annotations

from datetime import datetime

from answering import Out


class DifferenceOut(Out):
    """Something in which a lane differs from the baseline, weighed."""

    key: str
    label: str
    a: str
    b: str
    weight: str
    reason: str


class SameOut(Out):
    """Something that a lane shares with the baseline."""

    key: str
    label: str
    value: str


class PairingOut(Out):
    """A lane held against the baseline; of a study on paper, lanes go by their position."""

    lane: str
    factor: list[DifferenceOut]
    differences: list[DifferenceOut]
    same: list[SameOut]


class AcceptanceOut(Out):
    """Who accepted a difference, and why."""

    reason: str
    by: str
    at: datetime


class ObjectionOut(Out):
    """What has to be mended or accepted before a study is ready. `lanes` as in its pairings."""

    key: str
    lanes: list[str]
    label: str
    weight: str
    reason: str
    about: str
    acceptance: AcceptanceOut | None = None


class ChangedOut(Out):
    """Something that changed within a lane while the study ran."""

    lane: str
    pass_id: int
    on: str
    label: str
    before: str
    after: str
    weight: str
    reason: str


class CaveatOut(Out):
    """What prints with every finding: an accepted difference with its reason, or one that nobody accepted."""

    label: str
    about: str
    weight: str
    reason: str
    accepted: bool
