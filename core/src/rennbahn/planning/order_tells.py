"""What an order of passes can tell while the bench drifts and sessions differ: the intervals that findings would leave.

Findings take a slow drift out of their margins where the passes show it (reading 34), and know how unlike sessions are
where a lane stands on one (reading 40). How far that goes follows from when each pass runs, so it can be known before
the first one does.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from rennbahn.inference.drift import BOUND, SHOWN, spread_of
from rennbahn.inference.parts import summed
from rennbahn.inference.power import reach_to_show
from rennbahn.inference.reach import half_width
from rennbahn.inference.sessions import Between
from rennbahn.planning.needs import Expected
from rennbahn.planning.schedule import OrderName, PlannedPass, Session, Work
from rennbahn.planning.timeline import Timeline, hours_of, plan

Floats = NDArray[np.float64]

#: The slow drift that a study allows for if nobody says otherwise: half a percent of the rate an hour.
USUAL_DRIFT = 0.005
#: Control passes of a lane: one where it begins and one where it ends.
CONTROLS = 2
#: Control passes and another order are proposed where they narrow the interval by this share or more.
_WORTH_IT = 0.1


@dataclass(frozen=True)
class Ran:
    """A pass that was run and counts: numbers of its lane and test in the plan, its hour of the bench, its session."""

    lane: int
    test: int
    hour: float
    session: str = ""


@dataclass(frozen=True)
class Method:
    """What findings judge by: the leading figure's expected noise, the drift that is allowed for, the level, and how
    unlike sessions are (None where nothing is stated)."""

    expected: Expected
    allowance: float = USUAL_DRIFT
    level: float = 0.05
    between: Between | None = None


@dataclass(frozen=True)
class Telling:
    """What a plan leaves open, as shares, of the lane that is told worst against the baseline.

    `test` is half the interval of a test (the median over tests), `suite` that of the geometric mean; `resolvable` is
    the suite margin that is shown with probability 0.9. `drift` is how far what stays uncertain of the drift could
    still move the suite, either way; `untold` where that is most of its interval, and the passes do not show it.
    `sessions` is the same of sessions that differ, `apart` the share of tests in which a lane stands on a session that
    the other has no part in.
    """

    test: float
    suite: float
    resolvable: float
    drift: float
    untold: bool
    sessions: float = 0.0
    apart: float = 0.0


@dataclass(frozen=True)
class Proposal:
    """Control passes worth having: of which test (its number in the plan), what they cost and what they leave open."""

    test: int
    seconds: float
    telling: Telling


def telling(
    work: Work, timeline: Timeline, sessions: Sequence[Session], method: Method, ran: Sequence[Ran] = ()
) -> Telling | None:
    """What passes laid out, and those that ran already, can tell. None where no lane meets the baseline twice."""
    lanes, tests = len(work.lanes), len(work.tests)
    slots = timeline.slots
    lane = np.array([slot.one.lane for slot in slots] + [one.lane for one in ran], dtype=np.intp)
    test = np.array([slot.one.test for slot in slots] + [one.test for one in ran], dtype=np.intp)
    hours = np.concatenate((hours_of(slots, sessions), [one.hour for one in ran]))
    names = [f"planned {slot.session}" for slot in slots] + [one.session for one in ran]
    known = {name: at for at, name in enumerate(dict.fromkeys(names))}
    cell, size = lane * tests + test, lanes * tests
    n: Floats = np.bincount(cell, minlength=size).reshape(lanes, tests).astype(np.float64)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean: Floats = np.bincount(cell, weights=hours, minlength=size).reshape(lanes, tests) / n
        off = hours - mean.reshape(-1)[cell]
    spread: Floats = np.bincount(cell, weights=off * off, minlength=size).reshape(lanes, tests).astype(np.float64)
    there = np.zeros((lanes, tests, max(len(known), 1)), dtype=np.bool_)
    there[lane, test, [known[name] for name in names]] = True
    found = [
        one
        for other in range(1, lanes)
        if (one := _of_pair(n[[0, other]], mean[[0, other]], spread[[0, other]], there[[0, other]], method)) is not None
    ]
    return max(found, key=lambda one: one.suite, default=None)


def _of_pair(n: Floats, hour: Floats, spread: Floats, there: NDArray[np.bool_], method: Method) -> Telling | None:
    """Of one lane over the baseline, from counts, mean hours and squares of hours of cells, shape (2, T) each, and the
    sessions that they have passes in, shape (2, T, S)."""
    expected, noise = method.expected, method.expected.planned
    kept = (n > 0).all(axis=0)
    scene = np.array([expected.at[one.scene] for one in expected.tests], dtype=np.intp)
    if not kept.any() or not (n[:, kept] > 1).any() or (noise.v[scene[kept]] <= 0).any():
        return None
    later, own = (hour[1] - hour[0])[kept], scene[kept]
    slope_var, held = _drift_left(float((spread.sum(axis=0)[kept] / noise.v[own]).sum()), method.allowance)
    of_test, of_suite = _sessions_left(there[:, kept], method.between)
    between_df = math.inf if method.between is None or method.between.df is None else method.between.df
    measured = noise.v[own] * (1.0 / n[:, kept]).sum(axis=0) + slope_var * later**2
    df = np.maximum(noise.df[own], 1.0)
    whole, whole_df = summed((measured, df), (of_test, between_df))
    reach = half_width(np.sqrt(whole), whole_df, held * np.abs(later), method.level)
    drift, bias = slope_var * float(later.mean()) ** 2, held * abs(float(later.mean()))
    # Scenes that lean on the study share one pool (reading 18).
    pool = np.where(noise.on_study[own], len(expected.scenes), own)
    parts = noise.v[own] * (1.0 / n[:, kept]).sum(axis=0)
    by_pool = np.bincount(pool, weights=parts / len(own) ** 2)
    freedom = np.ones(len(by_pool))
    freedom[pool] = df
    variance, suite_df = (
        float(x)
        for x in summed(
            *zip(by_pool, freedom, strict=True), (drift, max(expected.freedom.sum(), 1.0)), (of_suite, between_df)
        )
    )
    error = math.sqrt(variance)
    half, without = (float(half_width(error, suite_df, x, method.level)) for x in (bias, 0.0))
    left = BOUND * math.sqrt(drift) + bias
    return Telling(
        test=math.expm1(float(np.median(reach))),
        suite=math.expm1(half),
        resolvable=math.expm1(reach_to_show(round(suite_df, 2), method.level) * error + half - without),
        drift=math.expm1(left),
        untold=held > 0 and left > half / math.sqrt(2.0),
        sessions=math.expm1(BOUND * math.sqrt(of_suite)),
        apart=float(_apart(there[:, kept]).any(axis=(0, 2)).mean()),
    )


def _drift_left(shown: float, allowance: float) -> tuple[float, float]:
    """What passes leave of a drift (reading 34): its variance, and how much of it an hour holding it may leave in.

    `shown` is the sum of squares of their hours within cells over the noise.
    """
    if allowance <= 0:
        return 0.0, 0.0
    spread = spread_of(allowance)
    if shown * spread >= SHOWN:
        return 1.0 / shown, 0.0
    share = shown / (shown + 1.0 / spread)
    return (share**2 / shown if shown else 0.0), (1.0 - share) * allowance


def _apart(there: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Sessions that a lane stands on alone in a test, shape (2, T, S)."""
    only = there & (there.sum(axis=-1, keepdims=True) == 1)
    found: NDArray[np.bool_] = only & ~there[::-1]
    return found


def _sessions_left(there: NDArray[np.bool_], between: Between | None) -> tuple[Floats, float]:
    """What sessions that differ add to the variance of each test and of the suite (reading 40)."""
    if between is None:
        return np.zeros(there.shape[1]), 0.0
    apart = _apart(there).astype(np.float64)
    of_test: Floats = between.sd**2 * apart.any(axis=-1).sum(axis=0)
    shift = (apart[1] - apart[0]).mean(axis=0)
    return of_test, between.sd**2 * float((shift**2).sum())


def narrower_a_minute(now: Telling, then: Telling, seconds: float) -> float:
    """How much narrower the intervals of tests and suite grow, as a share, for each minute more at the bench.

    Less than a minute counts as one: what takes no longer is worth having first.

    >>> wide, narrow = Telling(0.02, 0.02, 0.03, 0.0, False), Telling(0.01, 0.01, 0.02, 0.0, False)
    >>> round(narrower_a_minute(wide, narrow, 600.0), 3)
    0.05
    """
    share = 1.0 - (then.test / now.test + then.suite / now.suite) / 2.0 if now.test > 0 and now.suite > 0 else 0.0
    return share / max(seconds / 60.0, 1.0)


def another_order(now: Telling, others: Mapping[str, tuple[float, Telling]]) -> str | None:
    """The order that narrows most a minute, where one narrows both intervals by a tenth and more.

    Its lanes come back in a second session, or stand nearer to each other. `others` gives the seconds more that each
    takes, and what it tells.
    """
    worth = {
        name: narrower_a_minute(now, then, seconds)
        for name, (seconds, then) in others.items()
        if then.test <= now.test * (1.0 - _WORTH_IT) and then.suite <= now.suite * (1.0 - _WORTH_IT)
    }
    return max(worth, key=lambda name: worth[name], default=None)


def with_controls(work: Work, test: int) -> Work:
    """The same work with control passes of one test in every lane."""
    more = tuple(
        PlannedPass(f"control-{lane}-{number}", lane, test, number, control=True)
        for lane in sorted({one.lane for one in work.passes})
        for number in range(1, CONTROLS + 1)
    )
    return replace(work, passes=work.passes + more)


def propose_control(
    work: Work,
    order: OrderName,
    sessions: Sequence[Session],
    method: Method,
    ran: Sequence[Ran] = (),
    *,
    seed: int = 0,
) -> Proposal | None:
    """The control passes that help an order most, where they are worth their time and there are none yet.

    The quietest test shows a drift best; of equals the shortest.
    """
    everywhere = [
        test
        for test in range(len(work.tests))
        if len({one.lane for one in work.passes if one.test == test}) == len(work.lanes)
    ]
    if not everywhere or len(work.lanes) < 2 or any(one.control for one in work.passes):
        return None
    expected = method.expected
    quiet = [float(expected.s[expected.at[one.scene]]) for one in expected.tests]
    best = min(everywhere, key=lambda test: (quiet[test], work.tests[test].length_s))
    before = plan(work, order, sessions, seed=seed)
    now = telling(work, before, sessions, method, ran)
    more = with_controls(work, best)
    after = plan(more, order, sessions, seed=seed)
    then = telling(more, after, sessions, method, ran)
    if now is None or then is None or then.test > now.test * (1.0 - _WORTH_IT):
        return None
    return Proposal(best, after.total_s - before.total_s, then)
