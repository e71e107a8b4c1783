"""How an answer would move: were some passes left out, or a shift of a session taken off."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from rennbahn.comparing.model import ACCEPTED, Method, Pass
from rennbahn.comparing.sentences import figure_words
from rennbahn.comparing.suite import Suite
from rennbahn.comparing.words import interval_words
from rennbahn.display import percent, signed_percent


@dataclass(frozen=True)
class Moved:
    """The suite margin of one figure before and after, as shares, with intervals and verdicts; None where none is."""

    figure: str
    before: float | None
    before_interval: tuple[float, float] | None
    before_verdict: str | None
    after: float | None
    after_interval: tuple[float, float] | None
    after_verdict: str | None

    @property
    def by(self) -> float | None:
        """By how much the margin moves, as a share of A."""
        return None if self.before is None or self.after is None else self.after - self.before


def moved(before: Suite, after: Suite, method: Method, figure: str) -> Moved:
    """How the answer in one figure moves from one suite to another."""
    return Moved(figure, *_told(before, method), *_told(after, method))


def _told(suite: Suite, method: Method) -> tuple[float | None, tuple[float, float] | None, str | None]:
    if suite.margins is None or suite.measured is None:
        return None, None, None
    return suite.margins[method.suite_school], suite.measured[method.suite_school].interval, suite.verdict


def moved_words(found: Moved, name_a: str, name_b: str) -> str:
    """That in a sentence: where it stands, where it would, and whether the verdict turns."""
    what = figure_words(found.figure)
    if found.before is None and found.after is None:
        return f"Nothing is compared in {what} yet, before or after."
    if found.after is None:
        return f"Nothing would be left to compare in {what}."
    stands = f"{name_b} over {name_a} in {what}"
    if found.before is None:
        return f"{stands} would be {_margin(found.after, found.after_interval)}; there is no answer without it."
    if signed_percent(found.before) == signed_percent(found.after) and found.before_verdict == found.after_verdict:
        return f"{stands} stays at {_margin(found.after, found.after_interval)}."
    turns = (
        f" The verdict turns from {found.before_verdict} to {found.after_verdict}."
        if found.before_verdict != found.after_verdict and found.before_verdict and found.after_verdict
        else ""
    )
    return (
        f"{stands} goes from {_margin(found.before, found.before_interval)} to "
        f"{_margin(found.after, found.after_interval)}.{turns}"
    )


def _margin(value: float, interval: tuple[float, float] | None) -> str:
    shown = f"{signed_percent(value)}%".replace("-", "−")
    return f"{shown} ({interval_words(interval)})" if interval else shown


def left_out(passes: Sequence[Pass], out: Collection[str], reason: str = "rejected") -> list[Pass]:
    """The passes as they would be were some of them rejected."""
    return [replace(one, status=reason) if one.id in out else one for one in passes]


def taken_in(passes: Sequence[Pass], back: Collection[str]) -> list[Pass]:
    """The passes as they would be were some of them accepted."""
    return [replace(one, status=ACCEPTED) if one.id in back else one for one in passes]


def without_shift(passes: Sequence[Pass], shifted: Collection[str], share: float) -> list[Pass]:
    """The passes with a shift of a session taken off the rates of those that ran in it; `share` 0.01 ran 1% fast."""
    return [
        replace(one, figures={name: value / (1.0 + share) for name, value in one.figures.items()})
        if one.id in shifted
        else one
        for one in passes
    ]


def shift_words(session: str, share: float, by: str, found: Moved, name_a: str, name_b: str) -> str:
    """A shifted session, what it does to an answer, and why it is not taken off."""
    way = "fast" if share > 0 else "slow"
    said = f"{session} ran {percent(abs(share))}% {way}, by {by}."
    if found.before is None or found.after is None:
        return f"{said} There is no answer yet that it could move."
    if signed_percent(found.before) == signed_percent(found.after):
        return f"{said} Its passes are spread over the lanes so that the answer would be the same with it taken off."
    why = (
        "a control test speaks for its own scene, and others may shift otherwise"
        if by == "control passes"
        else "the same tests tell of the lanes and of the shift at once"
    )
    return (
        f"{said} Taken off, {name_b} over {name_a} in {figure_words(found.figure)} would be "
        f"{_margin(found.after, found.after_interval)} rather than {_margin(found.before, found.before_interval)}. "
        f"It is not taken off, since {why}: run what was in it alone again."
    )
