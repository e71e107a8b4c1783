"""What holds each lane in each test: card, processor, a cap, or neither; from which evidence, and how surely.

Busy times tell it frame by frame where a capture has them. Without them, resolutions do: rates that hardly change from
one to a larger one are not the card's. Presets say less, since they change the processor's work too.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy.special import stdtr

from rennbahn.comparing.cells import Bools, Sheet
from rennbahn.comparing.model import ACCEPTED, AVERAGE, Pass
from rennbahn.kinds.fit import Fit

CARD, PROCESSOR, CAP, LINK_OR_MEMORY, UNCLEAR = "card", "processor", "cap", "link_or_memory", "unclear"
#: A side is at work when it is busy for this share of a frame, or for all but so many ms of it (reading 7).
AT_WORK = 0.9
_LOST_MS = 0.3
#: ln of the rate falls by less than this for each ln of pixels where the card does not hold it, by more where it does.
_HARDLY = 0.12
_CARD = 0.35
#: So steep between two resolutions that the card holds both.
_CARD_BOTH = 0.6
#: Presets within this of each other do not move the rate.
_SAME_PRESET = math.log(1.02)
#: What presets alone say is never surer.
_PRESETS_AT_MOST = 0.7
#: A ceiling is given where resolutions show it this surely.
SURE = 0.8

#: Within a row: the card, by how steeply the rate falls to the next larger resolution.
_BOTH = "card_at_both"
_OF_LABEL = {"gpu": CARD, "cpu": PROCESSOR, "waiting": LINK_OR_MEMORY}


@dataclass(frozen=True)
class Limit:
    """What holds a lane in a test, from which evidence (busy_times, utilisation, resolutions, presets, lock), and how
    sure that is, 0 to 1; where it is unclear, how sure the likeliest is."""

    lane: str
    test: str
    held_by: str
    evidence: str | None
    sure: float


@dataclass(frozen=True)
class Ceiling:
    """The most that the processor gives a lane in a scene, fps, where resolutions show it."""

    lane: str
    scene: str
    processor_ceiling_fps: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Limits:
    """Of all lanes and tests that have results, test by test, and of all lanes and scenes where a ceiling shows."""

    tests: tuple[Limit, ...]
    scenes: tuple[Ceiling, ...]


def limits_of(sheet: Sheet) -> Limits:
    """The limits of a study."""
    study = sheet.study
    passes: dict[tuple[str, str], list[Pass]] = {}
    for one in study.passes:
        if one.status == ACCEPTED:
            passes.setdefault((one.lane, one.test), []).append(one)
    fit = Fit(sheet, AVERAGE, range(len(study.lanes)))
    shown = _Resolutions(fit)
    found = []
    for t, test in enumerate(study.tests):
        for i, lane in enumerate(study.lanes):
            own = passes.get((lane.id, test.id))
            if own:
                # What one evidence leaves unclear another may show: the card's busy times alone name no other side.
                asked = (_lock(sheet, i, t), _busy(own), shown.by_resolution(i, t), shown.by_preset(i, t))
                said = [one for one in asked if one is not None]
                clear = next((one for one in said if one[0] != UNCLEAR), None)
                found.append(Limit(lane.id, test.id, *(clear or (said[0] if said else (UNCLEAR, None, 0.0)))))
    return Limits(tuple(found), tuple(shown.ceilings()))


_Said = tuple[str, str, float]


def _lock(sheet: Sheet, lane: int, test: int) -> _Said | None:
    return (CAP, "lock", 1.0) if sheet.capped[lane, test] else None


def _busy(passes: Sequence[Pass]) -> _Said | None:
    """From busy times or utilisation: the label that most passes have, as sure as they agree."""
    labels = [found for one in passes if (found := _label(one)) is not None]
    if not labels:
        return None
    words = [word for word, _, _ in labels]
    most = max(dict.fromkeys(words), key=words.count)
    agree = [sure for word, _, sure in labels if word == most]
    return most, labels[0][1], math.fsum(agree) / len(labels)


def _label(one: Pass) -> _Said | None:
    facts = one.facts
    if facts.bound_by is not None:
        return _OF_LABEL.get(facts.bound_by, UNCLEAR), facts.evidence or "busy_times", 0.95
    if facts.gpu_busy_ms is None or AVERAGE not in one.figures:
        return None
    frame = 1000.0 / one.figures[AVERAGE]
    card = _at_work(facts.gpu_busy_ms, frame)
    if card >= 0:
        return CARD, "busy_times", _sure(card)
    if facts.cpu_busy_ms is None:
        return UNCLEAR, "busy_times", 0.5
    processor = _at_work(facts.cpu_busy_ms, frame)
    if processor >= 0:
        return PROCESSOR, "busy_times", _sure(processor)
    return LINK_OR_MEMORY, "busy_times", _sure(-max(card, processor))


def _at_work(busy_ms: float, frame_ms: float) -> float:
    """How far above the share of a frame at which a side is at work, negative below."""
    return max(busy_ms / frame_ms - AT_WORK, (busy_ms - frame_ms + _LOST_MS) / frame_ms)


def _sure(beyond: float) -> float:
    """From even odds at the edge to near certainty a tenth of a frame beyond it."""
    return min(0.5 + 4.5 * beyond, 0.95)


class _Resolutions:
    """What changes of resolution and preset say, scene by scene."""

    def __init__(self, fit: Fit) -> None:
        self.fit = fit
        tests = fit.study.tests
        self.rows: dict[tuple[str, str, str], list[int]] = {}
        self.columns: dict[tuple[str, tuple[int, int] | None], list[int]] = {}
        for t, test in enumerate(tests):
            if test.facts.pixels is not None:
                self.rows.setdefault((test.scene, test.facts.preset, test.facts.intent), []).append(t)
            if test.facts.preset:
                self.columns.setdefault((test.scene, test.facts.resolution), []).append(t)
        for row in self.rows.values():
            row.sort(key=lambda t: tests[t].facts.pixels or 0)
        self.said: dict[tuple[int, int], _Said] = {}
        for lane in range(len(fit.lanes)):
            for row in self.rows.values():
                self._of_row(lane, [t for t in row if fit.there[lane, t]])

    def _of_row(self, lane: int, row: Sequence[int]) -> None:
        """From one resolution to the next, and what that says of both."""
        tests = self.fit.study.tests
        chances: dict[int, dict[str, float]] = {t: {} for t in row}
        for here, there in pairwise(row):
            steps = math.log((tests[there].facts.pixels or 1) / (tests[here].facts.pixels or 1))
            if steps <= 0:
                continue
            fall, error, df = self._fall(lane, here, there)
            if math.isnan(error):
                continue
            flat, not_steep, not_all = (
                _below(bound * steps, fall, error, df) for bound in (_HARDLY, _CARD, _CARD_BOTH)
            )
            steep, all_steep = 1.0 - not_steep, 1.0 - not_all
            for t, word, chance in (
                (here, PROCESSOR, flat), (there, PROCESSOR, flat), (there, CARD, steep), (here, _BOTH, all_steep),
            ):  # fmt: skip
                chances[t][word] = max(chances[t].get(word, 0.0), chance)
        for t, own in chances.items():
            if own:
                # What a larger resolution says of this one gives way to what a smaller one shows.
                both = own.pop(_BOTH, 0.0) * (1.0 - own.get(PROCESSOR, 0.0))
                own[CARD] = max(own.get(CARD, 0.0), both)
                word = max(own, key=lambda name: own[name])
                sure = own[word]
                self.said[lane, t] = (word if sure >= SURE else UNCLEAR, "resolutions", sure)

    def _fall(self, lane: int, here: int, there: int) -> tuple[float, float, float]:
        """How far ln of the rate falls from one test to another, with its standard error and degrees of freedom."""
        weights = np.zeros((1, *self.fit.there.shape))
        weights[0, lane, here], weights[0, lane, there] = 1.0, -1.0
        found = self.fit.weighed(weights)
        return float(found.middle[0]), float(found.error[0]), float(found.df[0])

    def by_resolution(self, lane: int, test: int) -> _Said | None:
        """What resolutions say of a cell."""
        return self.said.get((lane, test))

    def by_preset(self, lane: int, test: int) -> _Said | None:
        """What presets of the same resolution say: where they do not move the rate, the card is not what holds it."""
        facts = self.fit.study.tests[test].facts
        column = self.columns.get((self.fit.study.tests[test].scene, facts.resolution), [])
        others = [t for t in column if t != test and self.fit.there[lane, t]]
        if not facts.preset or not others or not self.fit.there[lane, test]:
            return None
        chances = []
        for other in others:
            fall, error, df = self._fall(lane, test, other)
            if not math.isnan(error):
                chances.append(_below(_SAME_PRESET, fall, error, df) - _below(-_SAME_PRESET, fall, error, df))
        if not chances:
            return None
        sure = max(chances)
        return (PROCESSOR, "presets", min(sure, _PRESETS_AT_MOST)) if sure >= SURE else (UNCLEAR, "presets", sure)

    def _shows_processor(self, lane: int, test: int) -> bool:
        word, _, sure = self.said.get((lane, test), (UNCLEAR, "", 0.0))
        return word == PROCESSOR and sure >= SURE

    def ceilings(self) -> list[Ceiling]:
        """By lane and scene: the rate at the smallest resolution, where the processor is shown to hold it."""
        found = []
        for lane in range(len(self.fit.lanes)):
            for scene in dict.fromkeys(test.scene for test in self.fit.study.tests):
                held: Bools = np.zeros(len(self.fit.tests), dtype=np.bool_)
                for (at, *_), row in self.rows.items():
                    # Of several presets the first that shows a ceiling: another is another load of the processor.
                    if at == scene and not held.any():
                        # The smallest resolution alone: at a larger one the card may already take a little.
                        held[[t for t in row[:1] if self._shows_processor(lane, t)]] = True
                if held.any():
                    weights = np.zeros((1, *self.fit.there.shape))
                    weights[0, lane] = held / held.sum()
                    value, low, high = self.fit.weighed(weights).one(self.fit.level).rate()
                    found.append(Ceiling(self.fit.name(lane), scene, value, low, high))
        return found


def _below(bound: float, middle: float, error: float, df: float) -> float:
    """How likely the truth lies below a bound."""
    if error == 0.0:
        return float(middle < bound)
    t = (bound - middle) / error
    return float(stdtr(min(df, 1e9), t))
