"""Which of the planned tests and lanes an answer stands on, and why the others are not in it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from rennbahn.comparing.cells import Bools, Sheet
from rennbahn.comparing.model import AVERAGE, CAPPED


@dataclass(frozen=True)
class Gap:
    """A test that takes no part: the lane that it is due to (None where lanes do not go together), and the reason."""

    test: str
    lane: str | None
    reason: str


@dataclass(frozen=True)
class Composition:
    """What an answer is made of, by ids: `tests` are those in which every one of `lanes` stands, of `planned` ones.

    `absent` are lanes that were to be compared and stand in no test, each with the reason of its first. `gaps` tell of
    every other planned test each lane that does not stand in it. `waiting` counts passes that wait for a decision in
    tests that are compared, and could change the answer by no more than their noise.
    """

    planned: tuple[str, ...]
    tests: tuple[str, ...]
    lanes: tuple[str, ...]
    absent: tuple[tuple[str, str], ...] = ()
    gaps: tuple[Gap, ...] = ()
    waiting: int = 0

    @property
    def whole(self) -> bool:
        """Is everything in it that was planned? Only then something may be claimed of all tests, or of all lanes."""
        return not self.gaps and not self.absent and len(self.tests) == len(self.planned)

    @classmethod
    def over(cls, parts: Sequence[Composition]) -> Composition:
        """Several, each of tests of its own, as one: a lane is absent where it stands in none of them."""
        there = dict.fromkeys(lane for one in parts for lane in one.lanes)
        absent = [out for one in parts for out in one.absent]
        return cls(
            tuple(test for one in parts for test in one.planned),
            tuple(test for one in parts for test in one.tests),
            tuple(there),
            tuple({lane: (lane, why) for lane, why in reversed(absent) if lane not in there}.values()),
            tuple(gap for one in parts for gap in one.gaps)
            + tuple(Gap(one.planned[0], lane, why) for one in parts for lane, why in one.absent if lane in there),
            sum(one.waiting for one in parts),
        )


def composition_of(sheet: Sheet, figure: str, lanes: Sequence[int], tests: Sequence[int]) -> Composition:
    """What an answer in a figure is made of, where these lanes were to be compared over these tests (their numbers)."""
    grid = np.ix_(np.asarray(lanes, dtype=np.intp), np.asarray(tests, dtype=np.intp))
    at = sheet.figure_at.get(figure)
    sources = sheet.sources[grid]
    there: Bools = (sources & (sources - 1)) == 0
    there &= sheet.n[at][grid] > 0 if at is not None else np.zeros(there.shape, dtype=np.bool_)
    if figure == AVERAGE:
        there &= ~sheet.capped[grid]
    return composed(sheet, lanes, tests, there, lambda lane, test: why_not(sheet, figure, lane, test))


def composed(
    sheet: Sheet, lanes: Sequence[int], tests: Sequence[int], there: Bools, reason: Callable[[int, int], str]
) -> Composition:
    """The same of cells that stand where `there` (L, T) says, with the reason of any other by its numbers."""
    study = sheet.study
    ids, names = [study.tests[t].id for t in tests], [study.lanes[at].id for at in lanes]
    present: Bools = np.asarray(there.any(axis=1))
    compared = np.flatnonzero(present).tolist()
    sources = sheet.sources[np.ix_(np.asarray(lanes, dtype=np.intp), np.asarray(tests, dtype=np.intp))][compared]
    both = np.bitwise_or.reduce(sources, axis=0) if compared else np.zeros(len(tests), dtype=np.int64)
    alike = (both & (both - 1)) == 0
    kept = there[compared].all(axis=0) & alike if compared else np.zeros(len(tests), dtype=np.bool_)
    gaps = []
    for t in np.flatnonzero(~kept).tolist() if compared else ():
        missing = [i for i in compared if not there[i, t]]
        gaps += [Gap(ids[t], names[i], reason(lanes[i], tests[t])) for i in missing]
        gaps += [] if missing else [Gap(ids[t], None, "sources_differ")]
    return Composition(
        tuple(ids),
        tuple(ids[t] for t in np.flatnonzero(kept).tolist()),
        tuple(names[i] for i in compared),
        tuple((names[i], _first_reason(reason, lanes[i], tests)) for i in range(len(names)) if not present[i]),
        tuple(gaps),
        int(sheet.waiting[np.ix_(np.asarray(lanes, dtype=np.intp)[compared], np.asarray(tests, dtype=np.intp)[kept])]
            .sum()) if compared else 0,
    )  # fmt: skip


def _first_reason(reason: Callable[[int, int], str], lane: int, tests: Sequence[int]) -> str:
    """The reason that most tests of a lane are missing for; of as many the first."""
    return Counter(reason(lane, test) for test in tests).most_common(1)[0][0] if tests else "not_tested"


def why_not(sheet: Sheet, figure: str, lane: int, test: int) -> str:
    """Why a cell does not stand in a figure, by the numbers of lane and test."""
    if figure == AVERAGE and sheet.capped[lane, test]:
        return CAPPED
    if sheet.accepted[lane, test]:
        at = sheet.figure_at.get(figure)
        return "not_reported" if at is None or sheet.n[at, lane, test] == 0 else "sources_differ"
    key = (sheet.study.lanes[lane].id, sheet.study.tests[test].id)
    return str(sheet.last.get(key, "not_tested"))
