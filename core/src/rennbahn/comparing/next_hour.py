"""Which passes settle most in the time that is left: the next block, by expected verdicts a minute (reading 15).

More passes of a test settle its verdict with a chance that is known before they are run. What they cost is known too:
loading a game and warming it up, in each lane, and the change between lanes, which all tests of a block share. Choosing
by what was seen does not cheat where the study says up to how many passes it looks: its level holds at every look.

Both lanes of a block get the same number of passes. A block is begun in the lane that stands, so that it needs one
change of lanes.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

#: A test is given up whose verdict all passes that the study allows settle with less than this chance.
HOPELESS = 0.1
#: Priorities of tests: 1 stays longest, 3 goes first. A block is of the first priority that it can do anything for.
PRIORITIES = (1, 2, 3)


@dataclass(frozen=True)
class OpenTest:
    """A test whose verdict is open.

    `chances` are those of 1, 2, .. further passes of both lanes, as many as the study allows; `prepare_s` is what a
    lane needs before its first pass (load, settings, warm-up runs), `pass_s` one pass with what lies before the next.
    """

    id: str
    chances: Sequence[float]
    prepare_s: float
    pass_s: float
    priority: int = 2

    def seconds(self, passes: int) -> float:
        """So many further passes of both lanes, without the change between them, s."""
        return 2.0 * (self.prepare_s + passes * self.pass_s) if passes else 0.0


@dataclass(frozen=True)
class Block:
    """What to run next: further passes a lane by test; what that is expected to settle, and how long it takes.

    `given_up` are tests that even all allowed passes would hardly settle, `out_of_time` those for which no pass of both
    lanes fits any more; by id, with that chance.
    """

    passes: Mapping[str, int]
    expected: float
    seconds: float
    given_up: Mapping[str, float]
    out_of_time: Mapping[str, float]

    @property
    def a_minute(self) -> float:
        """Verdicts that are expected to be settled a minute."""
        return 60.0 * self.expected / self.seconds if self.seconds else 0.0


def next_block(tests: Sequence[OpenTest], left_s: float, between_lanes_s: float) -> Block:
    """The block that settles most a minute within `left_s`, the change between lanes counted once.

    Each test's passes are those at which it settles most a second; tests join, best first, as long as they raise what
    the block as a whole settles a second. Of several priorities the first counts for which any fits.
    """
    given_up = {one.id: best for one in tests if (best := max(one.chances, default=0.0)) < HOPELESS}
    alive = [one for one in tests if one.id not in given_up]
    late = {one.id: one.chances[0] for one in alive if between_lanes_s + one.seconds(1) > left_s}
    for priority in PRIORITIES:
        rank = [one for one in alive if one.priority == priority and one.id not in late]
        if rank:
            return _best(rank, left_s, between_lanes_s, given_up, late)
    return Block({}, 0.0, 0.0, given_up, late)


def _best(
    tests: Sequence[OpenTest], left_s: float, between_s: float, given_up: Mapping[str, float], late: Mapping[str, float]
) -> Block:
    """The set of tests and passes with the most chance a second: the rate that a block reaches is asked of each test.

    The maximum of a ratio of sums (Dinkelbach, Management Science 13, 1967): at the best rate every test has the passes
    whose chance less rate times seconds is largest, and is in where that is above 0.
    """
    rate, chosen = 0.0, dict[str, int]()
    for _ in range(40):
        picked = {one.id: _passes_at(one, rate) for one in tests}
        fits = _within(tests, picked, left_s - between_s, rate)
        expected, seconds = _totals(tests, fits, between_s)
        if not fits or expected / seconds <= rate * (1.0 + 1e-9):
            break
        rate, chosen = expected / seconds, fits
    expected, seconds = _totals(tests, chosen, between_s)
    return Block(chosen, expected, seconds, given_up, late)


def _passes_at(one: OpenTest, rate: float) -> int:
    """The passes of a test that gain most where a second is worth `rate`; 0 where none gains."""
    gains = [chance - rate * one.seconds(k) for k, chance in enumerate(one.chances, start=1)]
    best = max(range(len(gains)), key=gains.__getitem__)
    return best + 1 if gains[best] > 0.0 else 0


def _within(tests: Sequence[OpenTest], picked: Mapping[str, int], room_s: float, rate: float) -> dict[str, int]:
    """What of it fits in the time: the most chance a second first, each with as many passes as still fit."""
    found: dict[str, int] = {}

    def worth(one: OpenTest) -> float:
        return one.chances[picked[one.id] - 1] / one.seconds(picked[one.id])

    for one in sorted((one for one in tests if picked[one.id]), key=worth, reverse=True):
        fits = max((k for k in range(1, picked[one.id] + 1) if one.seconds(k) <= room_s), default=0)
        if fits and one.chances[fits - 1] > rate * one.seconds(fits):
            found[one.id] = fits
            room_s -= one.seconds(fits)
    return found


def _totals(tests: Sequence[OpenTest], passes: Mapping[str, int], between_s: float) -> tuple[float, float]:
    """Verdicts expected to be settled, and seconds with the change between lanes."""
    chosen = [one for one in tests if one.id in passes]
    expected = sum(one.chances[passes[one.id] - 1] for one in chosen)
    return expected, between_s + sum(one.seconds(passes[one.id]) for one in chosen)


def expected_of(tests: Sequence[OpenTest], passes: Mapping[str, int]) -> float:
    """Verdicts expected to be settled by so many further passes a lane of each test."""
    return sum(
        one.chances[min(k, len(one.chances)) - 1] for one in tests if (k := passes.get(one.id, 0)) and one.chances
    )


def expected_as_planned(
    tests: Sequence[OpenTest], planned: Mapping[str, int], left_s: float, between_lanes_s: float
) -> float:
    """The same of what a plan has anyway: `planned` passes a lane by test, in the order of tests, as many as fit."""
    room, fits = left_s - between_lanes_s, dict[str, int]()
    for one in tests:
        fits[one.id] = max((k for k in range(1, planned.get(one.id, 0) + 1) if one.seconds(k) <= room), default=0)
        room -= one.seconds(fits[one.id])
    return expected_of(tests, fits)
