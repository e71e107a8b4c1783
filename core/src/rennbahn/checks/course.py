"""Did it run as its siblings ran: held at a rate, off them, slower at first or towards the end, with other stutters?"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from statistics import median

import numpy as np
from scipy.special import bdtrc, stdtr

from rennbahn.checks.base import Check, Looked, percent
from rennbahn.checks.causes import as_evidence, causes_of_pass, why_of_pass
from rennbahn.checks.length import disturbed
from rennbahn.checks.model import CheckedPass, Doubt
from rennbahn.checks.profile import Profile
from rennbahn.checks.scatter import Outlier, Scatter

#: A lock without a name counts where so much of the capture is held.
_HELD = 0.6
#: A loose limiter is believed where it holds so much of the capture at a round rate.
_LOOSE = 0.85
#: Rates that displays, limiters and engines hold; a lock within this share of one of them is no accident.
ROUND = (24.0, 25.0, 30.0, 40.0, 45.0, 48.0, 50.0, 59.94, 60.0, 72.0, 75.0, 80.0, 85.0, 90.0, 100.0, 120.0, 144.0,
         160.0, 165.0, 170.0, 175.0, 180.0, 200.0, 240.0, 280.0, 300.0, 360.0, 480.0, 500.0, 540.0)  # fmt: skip
_ROUND_WITHIN = 0.004
#: Three passes whose rates lie this close are held by something: runs of a scene scatter by more.
_TO_A_HAIR = 0.001
#: One-sided level of the first pass after loading, alone and as a habit of its lane.
_FIRST = 0.008
#: How much further a median scatters than a mean of normal values, and their standard deviation over the median
#: distance from their middle; from so many tests on, and never so little.
_OF_MEDIAN = 1.2533
_TO_SD = 1.4826
_FEWEST_OFFS = 5
_LEAST_SCATTER = 0.002
_HABIT = 0.002
#: A first third slower beside the rest than in warm siblings, at this level and by so much.
_BEGUN = 0.002
_SLOW_START = 0.012
#: Slowing towards the end: the last third against the first, beyond this share and beyond noise at this level.
_SLOWING = 0.015
_THROTTLED = 0.004
_HOTTER_C = 2.0
_LOWER_CLOCK = 0.015
#: More stutters than siblings at this level, and at least so many more.
#: Fewer stutters than this are hardly any.
_HARDLY = 0.5
_STUTTERS = 0.003
_MORE_STUTTERS = 3
#: Stutters come in bunches, so that chance alone is not enough.
_TIMES = 1.8


class Lock(Check):
    """The rate is held by something that nobody set on purpose."""

    id = "lock"
    asks = "Is the rate free, or held by a limit that nobody meant?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Locks that are no limit set on purpose: by a display, or without a name."""
        for one in looked.context.passes:
            profile = one.profile
            if "too_short" in profile.flags or (_carries_a_known_cap(one) and self._meant(looked, one)):
                continue
            if profile.cap == "none" and not self._all_but_a_lock(one):
                continue
            named = profile.cap_name not in ("", "unexplained")
            if not named and not self._believed(looked, one):
                continue
            if named and profile.cap_meant:
                yield self.on(
                    one,
                    f"It is held at {profile.lock_fps:.1f} fps by “{profile.cap_name}”, which other passes of its test "
                    "in this lane are not: the limit was on in this one alone. Set it alike and run it again.",
                    lock_fps=profile.lock_fps, share=profile.lock_share, name=profile.cap_name, state=profile.cap,
                )  # fmt: skip
                continue
            what = f"the rate of “{profile.cap_name}”" if named else "a rate nobody set"
            how = "held part of the time" if profile.cap == "partly" else "all but held"
            yield self.on(
                one,
                f"The rate is {how} at {profile.lock_fps:.1f} fps, {what}: sync, a limiter or the engine. "
                "Look at the settings, run it again, or say that this limit is known.",
                lock_fps=profile.lock_fps, share=profile.lock_share, name=profile.cap_name, state=profile.cap,
            )  # fmt: skip

    def _meant(self, looked: Looked, one: CheckedPass) -> bool:
        """A known cap is meant where all passes of the test in that lane carry it; one that only some carry is not."""
        return all(_carries_a_known_cap(other) for other in looked.context.siblings(one))

    def _all_but_a_lock(self, one: CheckedPass) -> bool:
        """Held nearly all the time at a round rate, by a limiter so loose that some stretches outrun it."""
        profile = one.profile
        if profile.lock_share < _LOOSE or profile.bound_by in ("gpu", "cpu"):
            return False
        return _near_round(profile.lock_fps, _ROUND_WITHIN / 2.0)

    def _believed(self, looked: Looked, one: CheckedPass) -> bool:
        """A lock without a name: much of the capture is held, and it is no scene that merely runs evenly.

        A scene that runs evenly on one machine runs evenly on all, at its own rate in each pass. A limit shows by a
        round rate, by passes of other lanes at the same rate, by siblings that ran faster and scattered, or where it
        holds the whole cell, by the other lanes that do, or by passes that agree far better than runs do.
        """
        profile = one.profile
        if _near_round(profile.lock_fps, _ROUND_WITHIN):
            return True
        elsewhere = [o.profile for o in looked.context.of_test(one.test) if o.lane != one.lane]
        if any(abs(profile.lock_fps / o.lock_fps - 1.0) <= _ROUND_WITHIN for o in elsewhere if o.cap != "none"):
            return True
        siblings = [other.profile for other in looked.context.siblings(one)]
        if profile.lock_share < _HELD:
            return False
        free = [other for other in siblings if other.lock_share < profile.lock_share / 2.0]
        if siblings and 2 * len(free) >= len(siblings):
            return _flatter(profile.fps, [o.fps for o in free])
        return self._holds_the_cell(profile, siblings, elsewhere)

    def _holds_the_cell(self, profile: Profile, siblings: Sequence[Profile], elsewhere: Sequence[Profile]) -> bool:
        """All passes of the cell are held alike: by a limit of this lane where others run free, or to a hair."""
        if not siblings or any(o.lock_share < _HELD for o in siblings):
            return False
        free = [other for other in elsewhere if other.lock_share < profile.lock_share / 2.0]
        if elsewhere and 2 * len(free) >= len(elsewhere) and _flatter(profile.fps, [o.fps for o in free]):
            return True
        alike = all(abs(o.lock_fps / profile.lock_fps - 1.0) <= _TO_A_HAIR for o in siblings)
        return alike and len(siblings) > 1 and profile.cap == "capped"


def _carries_a_known_cap(one: CheckedPass) -> bool:
    return one.profile.cap_meant and one.profile.cap != "none"


def _near_round(rate: float, within: float) -> bool:
    return any(abs(rate / known - 1.0) <= within for known in ROUND)


def _flatter(fps: Sequence[float], others: Sequence[Sequence[float]]) -> bool:
    """Whether the rate swings far less along the scene than it does in others."""
    return bool(others) and _swing(fps) < 0.5 * median(_swing(other) for other in others)


def _swing(fps: Sequence[float]) -> float:
    values = np.array(fps)
    return float(values.std() / values.mean()) if len(values) > 1 and values.mean() > 0 else 0.0


class OffSiblings(Check):
    """A pass off the others of its cell by more than noise."""

    id = "off_siblings"
    asks = "Does it agree with the other passes of its test in its lane?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Passes off by their average or their low; two passes that disagree are doubted together."""
        told: set[str] = set()
        for words, scatter in (("average", looked.averages), ("1% low", looked.lows)):
            for found in scatter.outliers:
                if found.one.id not in told:
                    told.add(found.one.id)
                    yield self._off(looked, words, scatter, found)
            for a, b, off, p in scatter.apart:
                if told & {a.id, b.id}:
                    continue
                told |= {a.id, b.id}
                beside = "two" if len(looked.context.cells[a.lane, a.test]) == 2 else "two other"
                yield Doubt(
                    self.id,
                    f"The {beside} passes lie {percent(math.expm1(off))} apart in {words}, more than noise explains, "
                    "and nobody can tell which is off. Run one more.",
                    None, a.lane, a.test, self.weak, {"off": math.expm1(off), "p": p, "passes": [a.id, b.id]},
                )  # fmt: skip

    def _off(self, looked: Looked, words: str, scatter: Scatter, found: Outlier) -> Doubt:
        way, others = "over" if found.off > 0 else "under", len(found.others)
        causes = causes_of_pass(looked.context, scatter, found)
        return self.on(
            found.one,
            f"Its {words} is {percent(math.expm1(found.off))} {way} the other {others} passes; noise is "
            f"{percent(math.expm1(found.noise))}. {why_of_pass(causes)} Run it again: if it repeats it stands, and "
            "is told as odd.",
            off=math.expm1(found.off), noise=math.expm1(found.noise), p=found.p, figure=words, siblings=others,
            **as_evidence(causes),
        )  # fmt: skip


class SlowFirst(Check):
    """The first pass after loading runs slower than those after it."""

    id = "slow_first"
    asks = "Was the game warm when the pass began?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """First passes slower than their siblings, by all of them or by their beginning; and lanes with that habit."""
        context, scatter = looked.context, looked.averages
        offs: dict[str, list[tuple[float, float]]] = {}
        for one in context.passes:
            if not one.after_load or not scatter.has(one):
                continue
            warm = [
                o
                for o in context.siblings(one)
                if not o.after_load and scatter.has(o) and o.id not in scatter.out and not disturbed(looked, o)
            ]
            if not warm:
                continue
            noise = scatter.noise_of(context.test_by_id[one.test].scene)
            off = scatter.log(one) - math.fsum(scatter.log(o) for o in warm) / len(warm)
            error = noise.s * math.sqrt(1.0 + 1.0 / len(warm))
            offs.setdefault(one.lane, []).append((off, error))
            p = float(stdtr(noise.df or 30.0, off / error))
            beginning = _beginning(looked, one, warm)
            # A pass that is faster than those after it began warm, whatever its own beginning looks like.
            if off < 0 and (p < _FIRST or beginning is not None):
                slower = f", its first third beside the rest {percent(math.expm1(beginning))}" if beginning else ""
                yield self.on(
                    one,
                    f"The first pass since loading is {percent(math.expm1(off))} slower than those after it{slower}: "
                    "the game was not warm. Take it as a warm-up, and run one more.",
                    off=math.expm1(off), p=p, **({"beginning": math.expm1(beginning)} if beginning else {}),
                )  # fmt: skip
        for lane, found in offs.items():
            # The middle of the tests: a pass with another fault beside it neither makes a habit nor hides one.
            middle = median(off for off, _ in found)
            error = median(error for _, error in found)
            if len(found) >= _FEWEST_OFFS:
                # The habit itself inflates the noise of its cells; how the tests scatter around it does not.
                error = min(error, max(_TO_SD * median(abs(off - middle) for off, _ in found), _LEAST_SCATTER))
            z = middle / (_OF_MEDIAN * error) * math.sqrt(len(found))
            p = float(stdtr(max(4.0, float(len(found) - 1)), z))
            if len(found) >= 3 and p < _HABIT and 4 * sum(off < 0 for off, _ in found) >= 3 * len(found):
                yield Doubt(
                    self.id,
                    f"First passes after loading are {percent(math.expm1(middle))} slower in {len(found)} tests of "
                    f"{context.lane_by_id[lane].name}: plan one more warm-up run there.",
                    None, lane, None, self.weak, {"off": math.expm1(middle), "tests": len(found), "p": p},
                )  # fmt: skip


def _beginning(looked: Looked, one: CheckedPass, warm: Sequence[CheckedPass]) -> float | None:
    """How much slower the first third is beside the rest than in warm siblings, in ln; None where it is no slower."""
    own = one.id in looked.slopes and looked.slopes[one.id].first
    others = [looked.slopes[o.id].first for o in warm if o.id in looked.slopes]
    if own is False or not others:
        return None
    off = own - median(others)
    spread, df = looked.slope_spread("first")
    p = float(stdtr(df, off / (spread * math.sqrt(1.0 + 1.0 / len(others)))))
    return off if p < _BEGUN and off < -_SLOW_START else None


class Throttling(Check):
    """Slowing towards the end, hotter or lower clocked than its siblings."""

    id = "throttling"
    asks = "Does it slow down towards the end where its siblings do not?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Passes whose last third slows against their siblings'."""
        for cell in looked.context.cells.values():
            # A loading screen bends the course of its own pass, and beside it clean siblings would seem to slow.
            known = [one for one in cell if one.id in looked.slopes and not disturbed(looked, one)]
            if len(known) < 2:
                continue
            for one in known:
                others = [o for o in known if o.id != one.id]
                off = looked.slopes[one.id].last - median(looked.slopes[o.id].last for o in others)
                hot = _warmer(one, others)
                if off > -_SLOWING or not self._beyond(looked, off, hot=hot is not None):
                    continue
                weak = hot is None
                words = f", {hot.words}: it looks like throttling" if hot else ": throttling, chance, or something else"
                sensor = {"sensor": hot.channel, "at_end": hot.at_end, "usual": hot.usual} if hot else {}
                yield Doubt(
                    self.id,
                    f"Its last third is {percent(math.expm1(off))} slower against its first than its siblings’{words}. "
                    "Let it cool, look at the fans, run it again.",
                    one.id, one.lane, one.test, weak,
                    {"off": math.expm1(off), "siblings": len(others)} | sensor,
                )  # fmt: skip

    def _beyond(self, looked: Looked, off: float, *, hot: bool) -> bool:
        """Beyond how the halves of good passes scatter in this study; with a sensor's word less is enough."""
        spread, df = looked.slope_spread("last")
        t = off / (spread * math.sqrt(1.5))
        return float(stdtr(df, t)) < (_THROTTLED if hot else _THROTTLED / 4.0)


@dataclass(frozen=True)
class _Sensor:
    """What a sensor shows in the last third beside its siblings' usual, and in words."""

    channel: str
    at_end: float
    usual: float
    words: str


def _warmer(one: CheckedPass, others: Sequence[CheckedPass]) -> _Sensor | None:
    """What a sensor says in the last third that it does not say of the siblings."""
    for channel, unit in (("gpu_clock_mhz", "MHz"), ("gpu_temp_c", "°C"), ("gpu_hotspot_c", "°C")):
        own = _at_end(one.profile.courses.get(channel))
        there = [value for o in others if (value := _at_end(o.profile.courses.get(channel))) is not None]
        if own is None or not there:
            continue
        usual = median(there)
        if unit == "MHz" and own < usual * (1.0 - _LOWER_CLOCK):
            words = f"and the card clocks {own:.0f} instead of {usual:.0f} MHz"
            return _Sensor(channel, own, usual, words)
        if unit == "°C" and own > usual + _HOTTER_C:
            return _Sensor(channel, own, usual, f"and the card is {own:.0f} instead of {usual:.0f} °C")
    return None


def _at_end(course: Sequence[float | None] | None) -> float | None:
    values = [value for value in (course or ())[-(len(course or ()) // 3) :] if value is not None]
    return math.fsum(values) / len(values) if values else None


class StutterUnlike(Check):
    """Stutters that its siblings have not."""

    id = "stutter_unlike"
    asks = "Does it stutter where its siblings do not?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Passes with more stutters than their siblings' rate explains."""
        for one in looked.context.passes:
            others = [o.profile for o in looked.context.siblings(one)]
            if not others:
                continue
            own, theirs = one.profile.stutters, sum(o.stutters for o in others)
            minutes, their_minutes = one.profile.duration_s / 60.0, math.fsum(o.duration_s for o in others) / 60.0
            expected = theirs / their_minutes * minutes
            if own - expected < _MORE_STUTTERS:
                continue
            # Of all stutters of the cell, as many in this one by chance?
            share = minutes / (minutes + their_minutes)
            p = float(bdtrc(own - 1, own + theirs, share)) if own else 1.0
            if p < _STUTTERS and own > _TIMES * expected:
                yield self.on(
                    one,
                    f"{own} stutter{'' if own == 1 else 's'} where its siblings have "
                    f"{f'{expected:.1f}' if expected >= _HARDLY else 'hardly any'}, at a cost of "
                    f"{one.profile.stutter_lost_ms:.0f} ms. Something else ran on the machine, or it was loading. "
                    "Run it again.",
                    stutters=own, expected=expected, lost_ms=one.profile.stutter_lost_ms, p=p,
                )  # fmt: skip


def checks() -> Iterator[Check]:
    """All checks of this family."""
    yield from (Lock(), OffSiblings(), SlowFirst(), Throttling(), StutterUnlike())
