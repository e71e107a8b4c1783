"""A margin that lies far from what the same lanes show in all other tests: two lanes are enough to see it.

All passes of a lane may agree and be wrong together: a limit that stayed on, another preset, the files of two lanes
changed over. No sibling tells; the other tests do.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from statistics import median

from rennbahn.checks.base import Check, Looked, percent
from rennbahn.checks.causes import FLAT, HELD_SHARE, Cause, as_evidence, likeliest, near, weighed
from rennbahn.checks.lanes import Ratio, held_alike, mean_and_spread, ratios_of
from rennbahn.checks.model import Context, Doubt
from rennbahn.checks.scatter import two_sided

#: So many other tests must show what is usual, and a margin at this level, over all tests of a study, is beyond it.
FEWEST_TESTS = 4
_LEVEL = 0.01
#: Less than this is worth nobody's walk to the bench, in ln.
_LEAST = 0.025


@dataclass(frozen=True)
class _Far:
    """A test whose ratio of two lanes is far from all others': itself, their mean and spread in ln, how many, p."""

    one: Ratio
    mean: float
    spread: float
    tests: int
    p: float


class UnlikeElsewhere(Check):
    """The margin of two lanes in one test is far from what all other tests show."""

    id = "unlike_elsewhere"
    asks = "Is the margin of two lanes here like in all other tests?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Tests in which a lane is far from where all others put it, each told once, about the lane that it moves."""
        context = looked.context
        lanes = [lane.id for lane in context.lanes]
        for lane in lanes[1:] if len(lanes) == 2 else lanes:
            for far in self._far(looked, lanes, lane):
                base = self._beside(looked, lanes, lane, far.one.test)
                if base is not None:
                    yield self._told(looked, base, lane, far)

    def _far(self, looked: Looked, lanes: list[str], lane: str) -> Iterator[_Far]:
        """Tests in which a lane is off what all its other tests say, against the middle of all other lanes."""
        found = _against_others(looked, lanes, lane)
        for one in found:
            others = [other.r for other in found if other.test != one.test]
            if len(others) < FEWEST_TESTS or not one.error:
                continue
            mean, spread = mean_and_spread(others)
            error = math.sqrt(spread**2 * (1.0 + 1.0 / len(others)) + one.error**2)
            p = two_sided((one.r - mean) / error, float(len(others) - 1))
            # Where they are alike, another check says so.
            if abs(one.r - mean) >= _LEAST and p < _LEVEL / len(found) / (len(lanes) - 1) and not one.alike(mean):
                yield _Far(one, mean, spread, len(others), p)

    def _beside(self, looked: Looked, lanes: list[str], lane: str, test: str) -> str | None:
        """The lane to say it against: the first other one with passes there, where nothing holds both alike."""
        for other in lanes:
            if other != lane and (other, test) in looked.context.cells:
                pair = sorted((lane, other), key=lanes.index)
                if test not in held_alike(looked, pair[0], pair[1], ratios_of(looked, pair[0], pair[1])):
                    return other
        return None

    def _told(self, looked: Looked, base: str, lane: str, far: _Far) -> Doubt:
        context = looked.context
        causes = causes_of(looked, base, lane, far.one.test, far.mean, far.one.r, math.hypot(far.spread, far.one.error))
        names = context.lane_by_id[lane].name, context.lane_by_id[base].name
        held = next((one for one in (lane, base) if causes[0].id == "held" and _held(context, one, far.one.test)), lane)
        against = names[1] if len(context.lanes) == 2 else "the other lanes"
        return Doubt(
            self.id,
            f"{names[0]} is {_way(far.one.r)} than {against} here, and {_way(far.mean)} in the other {far.tests} "
            f"tests, within {percent(math.expm1(2.0 * far.spread))}. {likeliest(causes)}",
            None, held, far.one.test, self.weak,
            {"margin": math.expm1(far.one.r), "elsewhere": math.expm1(far.mean), "tests": far.tests, "p": far.p,
             "against": base, **as_evidence(causes)},
        )  # fmt: skip


def _way(r: float) -> str:
    return f"{percent(math.expm1(r))} {'faster' if r > 0 else 'slower'}"


def _against_others(looked: Looked, lanes: list[str], lane: str) -> list[Ratio]:
    """A lane over the middle of all others, test by test, with the error of the pair of which that is."""
    by_test: dict[str, list[Ratio]] = {}
    for other in lanes:
        if other != lane:
            for one in ratios_of(looked, other, lane):
                by_test.setdefault(one.test, []).append(one)
    wanted = len(lanes) - 1
    return [
        Ratio(test, median(one.r for one in found), max(one.error for one in found))
        for test, found in by_test.items()
        if len(found) == wanted
    ]


def causes_of(looked: Looked, a: str, b: str, test: str, usual: float, r: float, error: float) -> list[Cause]:
    """What may be the matter where lane B over A is `r` in ln and `usual` elsewhere, the likeliest first."""
    context = looked.context
    names = context.lane_by_id[a].name, context.lane_by_id[b].name
    found: list[tuple[str, float, str]] = [
        ("setting", FLAT, "a preset or a setting is another than in the other tests: read it back, run it again"),
        ("game", FLAT / 4.0, "it is so in this game: run both once more, and say so"),
    ]
    if abs(usual) > 2.0 * error:
        swapped = "the captures of both lanes are changed over here: look at their files, move them"
        found.append(("swapped", near(r, -usual, error), swapped))
    for way in (1.0, -1.0):
        which = names[1] if way > 0 else names[0]
        found.append(
            (
                "generated",
                near(r, usual + way * math.log(2.0), error),
                f"{which} runs at twice the rate: generated frames?",
            )
        )
    held = [lane for lane in (a, b) if _held(context, lane, test)]
    if len(held) == 1:
        rate = median(one.profile.lock_fps for one in context.cells[held[0], test])
        words = f"{context.lane_by_id[held[0]].name} is held at {rate:.1f} fps and the other is not: a limit, or sync"
        # It says how slow a held lane is, and its frames say that it is held.
        found.append(("held", 10.0 * FLAT, words))
    for other, expected in _of_other_conditions(looked, a, b, test):
        words = f"{names[1]} has the level of “{other}” here: resolution or preset of another test"
        found.append(("condition", near(r, expected, error), words))
    return weighed(found)


def _held(context: Context, lane: str, test: str) -> bool:
    """Whether frames of a lane stand at one rate in a test, whatever that rate is."""
    cell = context.cells.get((lane, test), ())
    return bool(cell) and median(one.profile.lock_share for one in cell) >= HELD_SHARE


def _of_other_conditions(looked: Looked, a: str, b: str, test: str) -> Iterator[tuple[str, float]]:
    """The ratio that lane B would have if it ran the same scene under the conditions of another test, by that test."""
    context, scatter = looked.context, looked.averages
    scene = context.test_by_id[test].scene

    def level(lane: str, of: str) -> float | None:
        logs = [scatter.log(one) for one in context.cells.get((lane, of), ()) if scatter.has(one)]
        return math.fsum(logs) / len(logs) if logs else None

    here = level(a, test)
    for other in context.tests:
        if other.id != test and other.scene == scene and here is not None:
            there = level(b, other.id)
            if there is not None:
                yield other.conditions or other.id, there - here


def checks() -> Iterator[Check]:
    """All checks of this family."""
    yield UnlikeElsewhere()
